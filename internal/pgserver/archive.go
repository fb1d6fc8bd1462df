package pgserver

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// An archive is a folder with the log of all that a server has written, in files that
// PostgreSQL hands over as they are full, a minute after a change at most, and with copies of
// the cluster to begin from. What of the log no copy needs any more is deleted.
const (
	logFolder = "log"
	copyTime  = "copy-20060102T150405Z"
)

var plainPath = regexp.MustCompile(`^[A-Za-z0-9/._+-]+$`)

// archiving has the server hand its log over.
func (s *Server) archiving() ([]string, error) {
	if s.opts.Archive == "" {
		return nil, nil
	}
	dir, err := filepath.Abs(s.opts.Archive)
	if err != nil {
		return nil, err
	}
	if !plainPath.MatchString(dir) {
		return nil, fmt.Errorf("the archive's folder is %q; choose one of letters, digits and . _ + - alone, since PostgreSQL's own shell reads it", dir)
	}
	into := &Server{dir: dir, opts: s.opts, account: s.account}
	if err := into.prepareDir(); err != nil {
		return nil, err
	}
	log := filepath.Join(dir, logFolder)
	if err := os.MkdirAll(log, 0o700); err != nil {
		return nil, diskError("make the archive's folder", err)
	}
	if err := s.giveAway(log); err != nil {
		return nil, err
	}
	// A file that is there already is never written over: it is the same, or somebody else's.
	command := strings.ReplaceAll(`if test -f LOG/%f.gz; then gzip -dc LOG/%f.gz | cmp -s - "%p"; else gzip -1 < "%p" > LOG/.%f.part && sync LOG/.%f.part && mv LOG/.%f.part LOG/%f.gz; fi`, "LOG", log)
	return []string{"-c", "archive_mode=on", "-c", "archive_timeout=60s", "-c", "archive_command=" + command}, nil
}

// CopyInto makes a copy of the running cluster in an archive, and keeps so many of them, with
// the log from the oldest on.
func (s *Server) CopyInto(ctx context.Context, archive string, keep int) (dir string, err error) {
	dir = filepath.Join(archive, time.Now().UTC().Format(copyTime))
	if err := s.Copy(ctx, dir, false); err != nil {
		return "", errors.Join(err, os.RemoveAll(dir))
	}
	all, err := Copies(archive)
	if err != nil {
		return dir, err
	}
	for len(all) > keep {
		if err := os.RemoveAll(all[0].Dir); err != nil {
			return dir, diskError("delete an old copy", err)
		}
		all = all[1:]
	}
	return dir, s.shortenArchive(ctx, archive, all[0].Dir)
}

var firstLog = regexp.MustCompile(`START WAL LOCATION: \S+ \(file ([0-9A-F]{24})\)`)

// shortenArchive deletes what of the log comes before a copy.
func (s *Server) shortenArchive(ctx context.Context, archive, oldest string) error {
	label, err := os.ReadFile(filepath.Join(oldest, "cluster", "backup_label"))
	if err != nil {
		return fmt.Errorf("look where a copy begins: %w", err)
	}
	first := firstLog.FindSubmatch(label)
	if first == nil {
		return fmt.Errorf("the copy %s does not say where it begins", oldest)
	}
	bin, err := s.binaries()
	if err != nil {
		return err
	}
	out, err := s.command(ctx, filepath.Join(bin, "pg_archivecleanup"), "-x", ".gz", filepath.Join(archive, logFolder), string(first[1])).CombinedOutput()
	if err != nil {
		return said("delete the old part of the archive's log", string(out), err)
	}
	return nil
}

// ClusterCopy is a copy in an archive.
type ClusterCopy struct {
	Dir    string
	MadeAt time.Time // when it was begun
}

// Copies gives the copies of an archive, the oldest first.
func Copies(archive string) (all []ClusterCopy, err error) {
	entries, err := os.ReadDir(archive)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	for _, e := range entries {
		dir := filepath.Join(archive, e.Name())
		if at, err := time.Parse(copyTime, e.Name()); err == nil && Exists(dir) { // or it was not ended
			all = append(all, ClusterCopy{dir, at})
		}
	}
	return all, err
}

// Recover makes a data directory with the cluster as it was at a time, out of an archive; the
// zero time is as late as there is log. A server may be started in it then.
func Recover(ctx context.Context, archive, dir string, until time.Time, opts Options) error {
	archive, err := filepath.Abs(archive)
	if err != nil {
		return err
	}
	all, err := Copies(archive)
	if err != nil {
		return err
	}
	if len(all) == 0 {
		return fmt.Errorf("there is no copy of a cluster in %s; it is no archive that serve --archive-dir has made", archive)
	}
	from := all[len(all)-1]
	if !until.IsZero() {
		i := slices.IndexFunc(all, func(c ClusterCopy) bool { return !c.MadeAt.Before(until) })
		switch {
		case i == 0:
			return fmt.Errorf("the oldest copy in %s is of %s; choose a later time", archive, from.MadeAt.Format(time.RFC3339))
		case i > 0:
			from = all[i-1]
		}
	}
	if Exists(dir) {
		return fmt.Errorf("there is a cluster in %s already; choose another directory", dir)
	}
	if out, err := exec.CommandContext(ctx, "cp", "-a", from.Dir, dir).CombinedOutput(); err != nil {
		return errors.Join(fmt.Errorf("copy %s: %w: %s", from.Dir, err, out), os.RemoveAll(dir))
	}
	opts.recover = []string{"-c", `restore_command=gzip -dc ` + filepath.Join(archive, logFolder) + `/%f.gz > "%p"`, "-c", "recovery_target_action=promote"}
	if !until.IsZero() {
		opts.recover = append(opts.recover, "-c", "recovery_target_time="+until.UTC().Format("2006-01-02 15:04:05.999999+00"))
	}
	if err := recovered(ctx, dir, opts); err != nil {
		return errors.Join(err, os.RemoveAll(dir))
	}
	return nil
}

// recovered runs the server until it has read the log.
func recovered(ctx context.Context, dir string, opts Options) (err error) {
	account, err := accountFor(os.Geteuid())
	if err != nil {
		return err
	}
	signal := filepath.Join(dir, "cluster", "recovery.signal")
	if err := os.WriteFile(signal, nil, 0o600); err != nil {
		return diskError("begin the recovery", err)
	}
	if err := (&Server{account: account}).giveAway(signal); err != nil {
		return err
	}
	s, err := Start(ctx, dir, opts)
	if err != nil {
		return beyondTheLog(dir, err)
	}
	defer func() { err = errors.Join(err, s.Stop()) }()
	for {
		var goesOn bool
		conn, err := pgx.Connect(ctx, s.URL("postgres"))
		if err == nil {
			err = errors.Join(conn.QueryRow(ctx, "select pg_is_in_recovery()").Scan(&goesOn), conn.Close(ctx))
		}
		switch {
		case err == nil && !goesOn:
			return nil
		case err != nil && !alive(s.PID()):
			return beyondTheLog(dir, said("read the log", readFrom(s.logFile(), 0), err))
		case err != nil && ctx.Err() != nil:
			return err
		}
		time.Sleep(50 * time.Millisecond)
	}
}

// beyondTheLog says it in words where the log ends before the time that was asked for.
func beyondTheLog(dir string, err error) error {
	if strings.Contains(readFrom((&Server{dir: dir}).logFile(), 0), "recovery ended before configured recovery target was reached") {
		return errors.New("the archive's log ends before that time; choose an earlier one, or leave --until out for all that there is")
	}
	return err
}

package pgserver

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"goldshelf/internal/signing"
)

// An archive is a folder with the log of all that a server has written, in files that are signed
// as they are full, a minute after a change at most, and with signed copies of the cluster to
// begin from. What of the log no copy needs any more is deleted.
const (
	logFolder = "log"
	copyTime  = "copy-20060102T150405Z"

	packedLog    = ".gz"
	logSignature = ".gz.signature"
	logSignedAs  = "log "

	handover = "handover" // in the data directory: what PostgreSQL has handed over

	mostLogFile = 1 << 30 // bytes; PostgreSQL's own limit
)

// Handover says whether a server hands the log of all that it writes over to an archive.
type Handover int

// Handovers. A server that is started for a moment, beside the service, does as the service does:
// a part of the log that was missing would end what an archive can give back.
const (
	HandoverAsBefore Handover = iota
	HandoverOn
	HandoverOff
)

const sinceFile = "since" // in the handover's folder: written when it began

// archiving has the server hand its log over: into a folder beside the cluster, which is "..",
// where PostgreSQL runs this. A file that is there already is never written over.
func (s *Server) archiving() ([]string, error) {
	dir := filepath.Join(s.dir, handover)
	_, err := os.Stat(filepath.Join(dir, sinceFile))
	begun := err == nil
	switch {
	case s.opts.Handover == HandoverOff:
		if err := os.RemoveAll(dir); err != nil {
			return nil, diskError("end the handing over of the log", err)
		}
		return nil, nil
	case s.opts.Handover == HandoverAsBefore && !begun:
		return nil, nil
	case !begun:
		if err := os.MkdirAll(dir, 0o700); err != nil {
			return nil, diskError("make the folder for the log", err)
		}
		if err := s.giveAway(dir); err != nil {
			return nil, err
		}
		if err := writeWhole(filepath.Join(dir, sinceFile), nil); err != nil {
			return nil, diskError("make the folder for the log", err)
		}
	}
	command := strings.ReplaceAll(`if test -f TO/%f; then cmp -s TO/%f "%p"; else cp "%p" TO/.%f.part && sync TO/.%f.part && mv TO/.%f.part TO/%f; fi`, "TO", "../"+handover)
	return []string{"-c", "archive_mode=on", "-c", "archive_timeout=60s", "-c", "archive_command=" + command}, nil
}

// HandsOverSince is when the server of a data directory began to hand over its log without a gap,
// or the zero time.
func HandsOverSince(dir string) time.Time {
	info, err := os.Stat(filepath.Join(dir, handover, sinceFile))
	if err != nil {
		return time.Time{}
	}
	return info.ModTime()
}

var logFile = regexp.MustCompile(`^([0-9A-F]{24}(\.[0-9A-F]{8}\.backup)?|[0-9A-F]{8}\.history)$`)

// ArchiveLog packs and signs what the server has handed over of its log, and moves it into an
// archive, the oldest first.
func (s *Server) ArchiveLog(archive string, key *signing.Key) error {
	from, to := filepath.Join(s.dir, handover), filepath.Join(archive, logFolder)
	entries, err := os.ReadDir(from)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("look for the log: %w", err)
	}
	if err := (&Server{dir: archive, account: s.account}).prepareDir(); err != nil {
		return err
	}
	if err := os.MkdirAll(to, 0o700); err != nil {
		return diskError("make the archive's folder", err)
	}
	for _, e := range entries {
		if !logFile.MatchString(e.Name()) {
			continue
		}
		if err := archiveFile(filepath.Join(from, e.Name()), filepath.Join(to, e.Name()), key); err != nil {
			return err
		}
	}
	return nil
}

// archiveFile moves one file of the log. Where it was stopped after the file had been archived,
// the file is there already, and the same.
func archiveFile(from, to string, key *signing.Key) error {
	data, err := os.ReadFile(from)
	if err != nil {
		return fmt.Errorf("read the log: %w", err)
	}
	there, err := readLogFile(to, key.Trusted())
	switch {
	case errors.Is(err, fs.ErrNotExist):
		var packed bytes.Buffer
		zip, _ := gzip.NewWriterLevel(&packed, gzip.BestSpeed) // the level is known
		if _, err := zip.Write(data); err != nil {
			return err
		}
		if err := zip.Close(); err != nil {
			return err
		}
		signature, err := json.Marshal(key.Sign(logSignedAs+filepath.Base(to), packed.Bytes()))
		if err != nil {
			return err
		}
		// The signature first: a file that is there has one.
		if err := errors.Join(writeWhole(to+logSignature, signature), writeWhole(to+packedLog, packed.Bytes())); err != nil {
			return diskError("write the archive's log", err)
		}
	case err != nil:
		return err
	case !bytes.Equal(there, data):
		return fmt.Errorf("the archive has another %s; it is the archive of another library: choose another --archive-dir", to)
	}
	return os.Remove(from)
}

// writeWhole writes a file so that nobody ever finds a part of it, whenever the machine stops.
func writeWhole(path string, data []byte) error {
	part, err := os.OpenFile(filepath.Join(filepath.Dir(path), "."+filepath.Base(path)+".part"), os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = part.Write(data)
	if err = errors.Join(err, part.Sync(), part.Close()); err != nil {
		return errors.Join(err, os.Remove(part.Name()))
	}
	if err := os.Rename(part.Name(), path); err != nil {
		return err
	}
	dir, err := os.Open(filepath.Dir(path))
	if err != nil {
		return err
	}
	return errors.Join(dir.Sync(), dir.Close())
}

// readLogFile gives a file of an archive's log that was signed with a trusted key, unpacked.
func readLogFile(path string, trusted signing.Trusted) ([]byte, error) {
	packed, err := signedLogFile(path, trusted)
	if err != nil {
		return nil, err
	}
	zip, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	data, err := io.ReadAll(io.LimitReader(zip, mostLogFile))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return data, nil
}

// signedLogFile gives a file of an archive's log that was signed with a trusted key, as it is kept.
func signedLogFile(path string, trusted signing.Trusted) ([]byte, error) {
	packed, err := os.ReadFile(path + packedLog)
	if err != nil {
		return nil, err
	}
	signature, err := readSignature(path + logSignature)
	if err != nil {
		return nil, err
	}
	if err := trusted.Verify(logSignedAs+filepath.Base(path), packed, signature); err != nil {
		return nil, fmt.Errorf("%s%s: %w", path, packedLog, err)
	}
	return packed, nil
}

func readSignature(path string) (s signing.Signature, err error) {
	text, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return s, fmt.Errorf("%s is missing: %w", path, signing.ErrUnsigned)
	}
	if err != nil {
		return s, err
	}
	if err := json.Unmarshal(text, &s); err != nil {
		return s, fmt.Errorf("%s is damaged: %w", path, signing.ErrUnsigned)
	}
	return s, nil
}

// Waiting says how many files of its log the server has handed over that are not in the archive
// yet.
func (s *Server) Waiting() int {
	entries, _ := os.ReadDir(filepath.Join(s.dir, handover)) // without the folder there is none
	n := 0
	for _, e := range entries {
		if logFile.MatchString(e.Name()) {
			n++
		}
	}
	return n
}

// CopyInto makes a signed copy of the running cluster in an archive, and keeps so many of them,
// with the log from the oldest on. What copies that were stopped have left is removed first.
func (s *Server) CopyInto(ctx context.Context, archive string, key *signing.Key, keep int) (dir string, err error) {
	archive, err = filepath.Abs(archive)
	if err != nil {
		return "", err
	}
	if err := (&Server{dir: archive, account: s.account}).prepareDir(); err != nil {
		return "", err
	}
	if err := removeUnfinished(archive); err != nil {
		return "", err
	}
	began := time.Now().UTC()
	dir = filepath.Join(archive, began.Format(copyTime))
	part := filepath.Join(archive, "."+filepath.Base(dir)+".part")
	err = s.Copy(ctx, part, false)
	if err == nil {
		err = signCopy(part, key, began, time.Now().UTC())
	}
	if err == nil {
		err = os.Rename(part, dir)
	}
	if err != nil {
		return "", errors.Join(err, os.RemoveAll(part))
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
	return dir, shortenArchive(archive, all[0].Dir)
}

// removeUnfinished removes what copies that were stopped have left in an archive.
func removeUnfinished(archive string) error {
	left, err := filepath.Glob(filepath.Join(archive, ".copy-*.part"))
	for _, dir := range left {
		err = errors.Join(err, os.RemoveAll(dir))
	}
	if err != nil {
		return diskError("remove what a copy that was stopped has left", err)
	}
	return nil
}

var firstLog = regexp.MustCompile(`START WAL LOCATION: \S+ \(file ([0-9A-F]{24})\)`)

// firstOf is the first file of the log that a copy needs.
func firstOf(copied string) (string, error) {
	label, err := os.ReadFile(filepath.Join(copied, "cluster", "backup_label"))
	if err != nil {
		return "", fmt.Errorf("look where a copy begins: %w", err)
	}
	first := firstLog.FindSubmatch(label)
	if first == nil {
		return "", fmt.Errorf("the copy %s does not say where it begins", copied)
	}
	return string(first[1]), nil
}

// isBefore says whether a file of the log was written before another, whichever timelines they
// are of, which the first eight digits say.
func isBefore(name, first string) bool { return len(name) >= 24 && name[8:24] < first[8:24] }

// shortenArchive deletes what of the log comes before a copy.
func shortenArchive(archive, oldest string) error {
	first, err := firstOf(oldest)
	if err != nil {
		return err
	}
	entries, err := os.ReadDir(filepath.Join(archive, logFolder))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	for _, e := range entries {
		if isBefore(e.Name(), first) && logFile.MatchString(strings.TrimSuffix(strings.TrimSuffix(e.Name(), logSignature), packedLog)) {
			err = errors.Join(err, os.Remove(filepath.Join(archive, logFolder, e.Name())))
		}
	}
	if err != nil {
		return diskError("delete the old part of the archive's log", err)
	}
	return nil
}

// ClusterCopy is a copy in an archive.
type ClusterCopy struct {
	Dir    string
	MadeAt time.Time // when it was begun
}

// Since is from when on an archive can give back any time: the end of its oldest copy.
func Since(archive string, trusted signing.Trusted) (time.Time, error) {
	all, err := Copies(archive)
	if err != nil || len(all) == 0 {
		return time.Time{}, err
	}
	c, err := readCopy(all[0].Dir, trusted)
	return c.EndedAt, err
}

// Copies gives the copies of an archive, the oldest first.
func Copies(archive string) (all []ClusterCopy, err error) {
	entries, err := os.ReadDir(archive)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	for _, e := range entries {
		dir := filepath.Join(archive, e.Name())
		if at, err := time.Parse(copyTime, e.Name()); err == nil && isSigned(dir) { // or it was not ended, or is of an older program
			all = append(all, ClusterCopy{dir, at})
		}
	}
	return all, err
}

// Recover makes a data directory with the cluster as it was at a time, out of an archive whose
// copies and log were signed with a trusted key; the zero time is as late as there is log. A
// server may be started in it then.
func Recover(ctx context.Context, archive, dir string, until time.Time, trusted signing.Trusted, opts Options) error {
	archive, err := filepath.Abs(archive)
	if err != nil {
		return err
	}
	if dir, err = filepath.Abs(dir); err != nil {
		return err
	}
	from, err := copyFor(archive, until, trusted)
	if err != nil {
		return err
	}
	if Exists(dir) {
		return fmt.Errorf("there is a cluster in %s already; choose another directory", dir)
	}
	if err := takeCopy(ctx, from, dir); err != nil {
		return errors.Join(err, Remove(dir))
	}
	if err := recovered(ctx, archive, dir, until, trusted, opts); err != nil {
		return errors.Join(err, Remove(dir))
	}
	return nil
}

// copyFor chooses the newest copy that had ended by a time.
func copyFor(archive string, until time.Time, trusted signing.Trusted) (signedCopy, error) {
	all, err := Copies(archive)
	if err != nil {
		return signedCopy{}, err
	}
	if len(all) == 0 {
		return signedCopy{}, fmt.Errorf("there is no signed copy of a cluster in %s; it is no archive that serve --archive-dir has made", archive)
	}
	var oldest signedCopy
	for _, c := range slices.Backward(all) {
		if oldest, err = readCopy(c.Dir, trusted); err != nil {
			return signedCopy{}, err
		}
		if until.IsZero() || !oldest.EndedAt.After(until) {
			return oldest, nil
		}
	}
	return signedCopy{}, fmt.Errorf("the oldest copy in %s was made until %s; choose a later time", archive, oldest.EndedAt.Format(time.RFC3339))
}

// recovered runs the server until it has read the log.
func recovered(ctx context.Context, archive, dir string, until time.Time, trusted signing.Trusted, opts Options) (err error) {
	account, err := accountFor(os.Geteuid())
	if err != nil {
		return err
	}
	taker := &Server{dir: dir, account: account}
	first, err := firstOf(dir)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(filepath.Join(dir, logFolder))) }()
	if err := taker.takeLog(archive, first, trusted); err != nil {
		return err
	}
	signal := filepath.Join(dir, "cluster", "recovery.signal")
	if err := os.WriteFile(signal, nil, 0o600); err != nil {
		return diskError("begin the recovery", err)
	}
	if err := taker.giveAway(signal); err != nil {
		return err
	}
	opts.recover = []string{"-c", `restore_command=gzip -dc ../` + logFolder + `/%f` + packedLog + ` > "%p"`, "-c", "recovery_target_action=promote", "-c", "hot_standby=off"}
	if !until.IsZero() {
		opts.recover = append(opts.recover, "-c", "recovery_target_time="+until.UTC().Format("2006-01-02 15:04:05.999999+00"))
	}
	s, err := Start(ctx, dir, opts)
	if err != nil {
		return beyondTheLog(dir, err)
	}
	return s.Stop()
}

// takeLog puts the log from a file on beside a cluster, as far as it was signed with a trusted
// key. A file that was not is an error.
func (s *Server) takeLog(archive, first string, trusted signing.Trusted) error {
	entries, err := os.ReadDir(filepath.Join(archive, logFolder))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	dir := filepath.Join(s.dir, logFolder)
	if err := os.Mkdir(dir, 0o700); err != nil {
		return diskError("take the archive's log", err)
	}
	if err := s.giveAway(dir); err != nil {
		return err
	}
	for _, e := range entries {
		name, packed := strings.CutSuffix(e.Name(), packedLog)
		if !packed || !logFile.MatchString(name) || isBefore(name, first) {
			continue
		}
		data, err := signedLogFile(filepath.Join(archive, logFolder, name), trusted)
		if err != nil {
			return err
		}
		to := filepath.Join(dir, e.Name())
		if err := os.WriteFile(to, data, 0o600); err != nil {
			return diskError("take the archive's log", err)
		}
		if err := s.giveAway(to); err != nil {
			return err
		}
	}
	return nil
}

// beyondTheLog says it in words where the log ends before the time that was asked for.
func beyondTheLog(dir string, err error) error {
	if strings.Contains(readFrom((&Server{dir: dir}).logFile(), 0), "recovery ended before configured recovery target was reached") {
		return errors.New("the archive's log ends before that time; choose an earlier one, or leave --until out for all that there is")
	}
	return err
}

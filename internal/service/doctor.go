package service

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/netip"
	"net/url"
	"os"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"goldshelf/internal/backup"
	"goldshelf/internal/pgserver"
	"goldshelf/internal/signing"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// What the doctor finds too much or too old.
const (
	leastRoom    = 2 << 30 // bytes free
	leastPart    = 0.05    // of the disk
	oldKey       = 30 * 24 * time.Hour
	standsStill  = 10 * time.Minute
	mostClockOff = 5 * time.Second
	mostBehind   = 10 * time.Second
	mostWaiting  = 5 // files of the log
	mostAside    = 5 // that a job could not do
)

// Verdict is how it stands with something.
type Verdict string

// Verdicts. What is wrong keeps the service, or what it promises, from working.
const (
	Good  Verdict = "good"
	Check Verdict = "look"
	Wrong Verdict = "wrong"
)

// Diagnosis is how it stands with one thing of the set-up, and what to do about it.
type Diagnosis struct {
	Of      string  `json:"of"`
	Verdict Verdict `json:"verdict"`
	Finding string  `json:"finding"`
	Do      string  `json:"do,omitempty"` // nothing where it is good
}

// doctor gathers diagnoses.
type doctor struct {
	o   Options
	all []Diagnosis
}

func (d *doctor) good(of, finding string, args ...any) {
	d.all = append(d.all, Diagnosis{of, Good, fmt.Sprintf(finding, args...), ""})
}

func (d *doctor) look(of, do, finding string, args ...any) {
	d.all = append(d.all, Diagnosis{of, Check, fmt.Sprintf(finding, args...), do})
}

func (d *doctor) wrong(of, do, finding string, args ...any) {
	d.all = append(d.all, Diagnosis{of, Wrong, fmt.Sprintf(finding, args...), do})
}

// Examine looks at the set-up, with the options that the service is started with, and changes
// nothing. The service may run or not.
func Examine(ctx context.Context, o Options) []Diagnosis {
	d := &doctor{o: o}
	d.address()
	d.clock()
	d.files()
	d.backups()
	d.archive()
	d.signature()
	d.database(ctx)
	if d.o.ReadURL != "" && d.o.DatabaseURL != "" {
		d.replica(ctx)
	}
	return d.all
}

// address looks at where people reach the service.
func (d *doctor) address() {
	public, proxies, err := d.o.addresses()
	if err != nil {
		d.wrong("address", "start it with another", "%v", err)
		return
	}
	host, _, err := net.SplitHostPort(d.o.Listen)
	if err != nil {
		d.wrong("address", "write --listen as 127.0.0.1:7420", "--listen is %q", d.o.Listen)
		return
	}
	inside := isLoopback(host)
	if d.o.TLSCert != "" || d.o.TLSKey != "" {
		d.certificate()
		return
	}
	secure := public != nil && public.Scheme == "https"
	switch {
	case !secure && !inside:
		d.wrong("address", "put a proxy with TLS before it, and say --public-url https://…", "it listens on %s for everybody, and what is sent is not encrypted", d.o.Listen)
	case secure && inside && len(proxies) == 0:
		d.look("address", "say --trusted-proxy with the proxy's address", "people reach it at %s by a proxy that is not trusted: signing in is slowed for all of them together", public)
	case public == nil:
		d.look("address", "say --public-url, if people reach it by another name", "links in news and feeds go to http://%s", d.o.Listen)
	default:
		d.good("address", "people reach it at %s", public)
	}
}

// certificate looks at the certificate that the service shows.
func (d *doctor) certificate() {
	end, err := endOf(d.o.TLSCert, d.o.TLSKey)
	left := time.Until(end)
	switch {
	case err != nil:
		d.wrong("certificate", "see that --tls-cert and --tls-key belong together", "%v", err)
	case left < 0:
		d.wrong("certificate", "put a new one in its place; the service takes it without a new start", "it has ended, on %s", end.Format("2 January 2006"))
	case left < oldKey:
		d.look("certificate", "put a new one in its place; the service takes it without a new start", "it ends on %s", end.Format("2 January 2006"))
	default:
		d.good("certificate", "it is good until %s", end.Format("2 January 2006"))
	}
}

func isLoopback(host string) bool {
	if host == "localhost" {
		return true
	}
	a, err := netip.ParseAddr(host)
	return err == nil && a.IsLoopback()
}

// clock looks whether the machine keeps its clock right.
func (d *doctor) clock() {
	var state unix.Timex
	how, err := unix.Adjtimex(&state)
	switch {
	case err != nil:
		d.look("clock", "see that the clock is kept right", "the machine does not say whether its clock is kept right: %v", err)
	case how == unix.TIME_ERROR || state.Status&unix.STA_UNSYNC != 0:
		d.look("clock", "install and start systemd-timesyncd or chrony", "nothing keeps the machine's clock right; codes for one use and publications at a time go by it")
	default:
		d.good("clock", "it is kept right, to within %s", time.Duration(state.Maxerror)*time.Microsecond)
	}
}

// files looks at the disk, and at the files with secrets.
func (d *doctor) files() {
	if d.o.DatabaseURL == "" {
		var disk unix.Statfs_t
		if err := unix.Statfs(d.o.DataDir, &disk); err != nil {
			d.wrong("data directory", "say where it is with --data-dir, or start the service once", "%s: %v", d.o.DataDir, err)
		} else {
			free, part := disk.Bavail*uint64(disk.Bsize), float64(disk.Bavail)/float64(max(disk.Blocks, 1))
			const gib = 1 << 30
			if free < leastRoom || part < leastPart {
				d.wrong("disk", "make room, or move the data directory to a larger disk", "%.1f GiB are free where %s is, %.0f %%", float64(free)/gib, d.o.DataDir, 100*part)
			} else {
				d.good("disk", "%.1f GiB are free where %s is", float64(free)/gib, d.o.DataDir)
			}
		}
	}
	for _, f := range []struct{ of, path string }{{"secret key", d.o.SecretKeyFile}, {"secrets", d.o.SecretsDir}} {
		if f.path == "" {
			continue
		}
		info, err := os.Stat(f.path)
		switch {
		case err != nil:
			d.wrong(f.of, "put it where it was, or say where it is", "%v", err)
		case info.Mode().Perm()&0o077 != 0:
			d.wrong(f.of, "chmod go-rwx "+f.path, "%s may be read by others (mode %o)", f.path, info.Mode().Perm())
		default:
			d.good(f.of, "%s is for the service alone", f.path)
		}
	}
}

// backups looks at the backups that the service makes by itself.
func (d *doctor) backups() {
	if d.o.BackupDir == "" {
		d.look("backups", "say --backup-dir, or run goldshelfd backup by another schedule", "the service makes none by itself")
		return
	}
	all, err := backup.List(d.o.BackupDir)
	switch {
	case err != nil:
		d.wrong("backups", "see that the service may write there", "%v", err)
	case len(all) == 0:
		d.wrong("backups", "look into the log for why", "there is none in %s", d.o.BackupDir)
	default:
		newest := all[len(all)-1]
		age := time.Since(newest.MadeAt).Round(time.Minute)
		if age > 2*d.o.BackupEvery {
			d.wrong("backups", "look into the log for why", "the newest is %s old: %s", age, newest.Path)
		} else {
			d.good("backups", "%d, the newest %s old; goldshelfd restore --check says whether it is good", len(all), age)
		}
	}
	var here, there syscall.Stat_t
	if d.o.DatabaseURL == "" && syscall.Stat(d.o.DataDir, &here) == nil && syscall.Stat(d.o.BackupDir, &there) == nil && here.Dev == there.Dev {
		d.look("backups", "keep them on another disk, or copy them away", "they are on the same disk as the library: one that breaks takes both")
	}
}

// archive looks at the copies that an archive has.
func (d *doctor) archive() {
	if d.o.ArchiveDir == "" {
		return
	}
	all, err := pgserver.Copies(d.o.ArchiveDir)
	switch {
	case err != nil:
		d.wrong("archive", "see that the service may read it", "%v", err)
	case len(all) == 0:
		d.wrong("archive", "start the service, and look into its log", "there is no copy to begin from in %s", d.o.ArchiveDir)
	case time.Since(all[len(all)-1].MadeAt) > 2*d.o.BackupEvery:
		d.wrong("archive", "look into the log for why", "the newest copy is %s old", time.Since(all[len(all)-1].MadeAt).Round(time.Hour))
	default:
		keys, err := d.o.trusted(nil)
		if err != nil {
			d.wrong("archive", "see that the key is where --backup-key-file says", "%v", err)
			return
		}
		since, err := pgserver.Since(d.o.ArchiveDir, keys)
		if err != nil {
			d.wrong("archive", "say --backup-key-file with the key that the service signs with", "%v", err)
			return
		}
		if pg, runs := pgserver.Running(d.o.DataDir); runs && pg.Waiting() > mostWaiting {
			d.wrong("archive", "see that there is room in "+d.o.ArchiveDir+", and look into the log for why", "%d files of the database's log wait to be archived", pg.Waiting())
			return
		}
		d.good("archive", "any time since %s comes back", since.Format("2 January 2006 15:04"))
	}
}

// signature says by which key others know this library's backups.
func (d *doctor) signature() {
	file, err := d.o.keyFile()
	if err != nil {
		d.look("backup key", "say --backup-key-file", "%v", err)
		return
	}
	key, err := signing.Read(file)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		d.look("backup key", "run goldshelfd backup-key", "there is no key in %s yet; the first backup makes it", file)
	case err != nil:
		d.wrong("backup key", "put it back as it was", "%v", err)
	default:
		d.good("backup key", "backups are signed; another machine takes them by this public key: %s", key.Public())
	}
}

// database looks at the database, and at what stands in it.
func (d *doctor) database(ctx context.Context) {
	if d.o.DatabaseURL == "" {
		if !pgserver.Exists(d.o.DataDir) {
			d.wrong("database", "start the service once, or restore a backup", "there is no library in %s", d.o.DataDir)
			return
		}
		if _, runs := pgserver.Running(d.o.DataDir); !runs {
			d.look("database", "start the service, and ask again", "it does not run, and neither does the service; nothing in it was looked at")
			return
		}
	}
	began := time.Now()
	err := Look(ctx, d.o, func(db *store.DB) error {
		if err := db.Ping(ctx); err != nil {
			return err
		}
		took := time.Since(began).Round(time.Millisecond)
		steps, err := db.Pending(ctx)
		if err != nil {
			return err
		}
		if len(steps) > 0 {
			d.wrong("schema", "start this program's service, or run goldshelfd migrate as the schema's owner", "it is older than this program: %d to be done, up to %s", len(steps), steps[len(steps)-1].Name)
			return nil
		}
		d.good("database", "it answers within %s, and its schema is up to date", took)
		return d.within(ctx, work.New(db, time.Now))
	})
	if err != nil {
		d.wrong("database", "see that it runs and lets the service in", "%v", strings.ReplaceAll(err.Error(), secretOf(d.o.DatabaseURL), "…"))
	}
}

// replica looks at the replica that the shelf is read from.
func (d *doctor) replica(ctx context.Context) {
	const follow = "see that it follows the database; the shelf is read from that meanwhile"
	p, err := d.o.position(ctx)
	switch {
	case err != nil:
		d.wrong("replica", follow, "%v", strings.NewReplacer(secretOf(d.o.DatabaseURL), "…", secretOf(d.o.ReadURL), "…").Replace(err.Error()))
	case p.Behind > mostBehind.Seconds():
		d.look("replica", follow, "it is %s behind", time.Duration(p.Behind*float64(time.Second)).Round(time.Second))
	default:
		d.good("replica", "it follows the database, %.1f s behind", p.Behind)
	}
}

// secretOf gives the password in a URL, which nobody is told.
func secretOf(of string) string {
	u, err := url.Parse(of)
	if err != nil || u.User == nil {
		return "\x00"
	}
	if password, has := u.User.Password(); has && password != "" {
		return password
	}
	return "\x00"
}

// within looks at what stands in the database.
func (d *doctor) within(ctx context.Context, db *work.DB) error {
	queues, err := db.Queues(ctx)
	if err != nil {
		return err
	}
	type state struct {
		keys    []store.Key
		held    *time.Time
		owner   bool
		clock   time.Time
		curator bool
		stuck   bool // the archive
		aside   []store.Aside
	}
	s, err := work.See(ctx, db, func(v work.View) (s state, err error) {
		if s.keys, err = v.Keys(); err != nil {
			return s, err
		}
		lib, err := v.Library()
		if err != nil {
			return s, err
		}
		s.held = lib.HeldSince
		if s.owner, s.clock, err = v.Standing(); err != nil {
			return s, err
		}
		if s.stuck, err = v.ArchiveFails(); err != nil {
			return s, err
		}
		if s.aside, err = v.Asides(); err != nil {
			return s, err
		}
		s.curator, err = v.HasCurator()
		return s, err
	})
	if err != nil {
		return err
	}
	if s.stuck {
		d.wrong("archive", "see that there is room in the data directory, and look into postgres.log for why", "the database cannot hand its log over, and keeps it until it can")
	}
	if off := time.Since(s.clock).Abs(); off > mostClockOff {
		d.wrong("clock", "have both machines keep their clocks right", "the database's clock and this machine's are %s apart", off.Round(time.Second))
	}
	if d.o.DatabaseURL != "" && s.owner {
		d.look("rights", "let the service connect as a role that owns nothing: docs/running.md, A database of your own", "the service owns the tables, and could put their guards aside")
	} else {
		d.good("rights", "the service owns nothing in the database")
	}
	if !s.curator {
		d.wrong("people", "goldshelfd setup, or open the console with the code that the service prints", "nobody can look after the library: there is no curator who signs in")
	}
	if s.held != nil {
		d.look("restored", "look at it, and then say goldshelfd resume", "it was restored on %s, and does nothing by itself since", s.held.Format("2 January 2006 15:04"))
	}
	still := false
	for _, q := range queues {
		if age := time.Duration(q.Oldest * float64(time.Second)); age > standsStill && s.held == nil {
			d.wrong("jobs", "look into the log for why", "%d %s are due, the first for %s", q.Waiting, q.Name, age.Round(time.Minute))
			still = true
		}
	}
	for i, a := range s.aside {
		if i == mostAside {
			d.wrong("jobs", "look into the log for why", "%d more were set aside", len(s.aside)-i)
			break
		}
		reason, _, _ := strings.Cut(a.Reason, "\n")
		d.wrong("jobs", "look into the log for why", "the job %s has set %s aside, %d times, until %s: %s", a.Job, a.Item, a.Tries, a.Until.Format(time.DateTime), reason)
		still = true
	}
	if !still {
		d.good("jobs", "nothing stands still")
	}
	for _, k := range s.keys {
		if left := time.Until(k.Until); left < oldKey {
			d.look("keys", "renew it, or delete it", "the key %s ends on %s", k.Name, k.Until.Format("2 January 2006"))
		}
	}
	return nil
}

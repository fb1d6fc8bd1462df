package pgserver

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"goldshelf/internal/signing"
)

// archived is a server that hands its log over, with the archive for it and the archive's key.
func archived(t *testing.T) (s *Server, archive string, key *signing.Key) {
	t.Helper()
	root := newDir(t)
	archive = filepath.Join(root, "archive")
	key = newKey(t)
	s, err := Start(t.Context(), filepath.Join(root, "data"), Options{Handover: HandoverOn})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	return s, archive, key
}

func newKey(t *testing.T) *signing.Key {
	t.Helper()
	k, err := signing.Make(filepath.Join(t.TempDir(), "backup-key"))
	if err != nil {
		t.Fatal(err)
	}
	return k
}

func do(t *testing.T, s *Server, statements ...string) {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), s.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	for _, statement := range statements {
		if _, err := conn.Exec(t.Context(), statement); err != nil {
			t.Fatal(err)
		}
	}
}

// handedOver waits until all that is written so far is in the archive.
func handedOver(t *testing.T, s *Server, archive string, key *signing.Key) {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), s.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	var file string
	if err := conn.QueryRow(t.Context(), "select pg_walfile_name(pg_switch_wal())").Scan(&file); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		if err := s.ArchiveLog(archive, key); err != nil {
			t.Fatal(err)
		}
		if _, err := os.Stat(filepath.Join(archive, logFolder, file+".gz")); err == nil {
			return
		}
		if time.Now().After(end) {
			t.Fatalf("%s is not handed over:\n%s", file, readFrom(s.logFile(), 0))
		}
	}
}

// An archive gives back what a server had at any time: at one between two changes the first of
// them, and without one all that was handed over. The old part of it is deleted.
func TestAnArchiveGivesBackAnyTime(t *testing.T) {
	t.Parallel()
	s, archive, key := archived(t)
	before := time.Now()
	time.Sleep(1100 * time.Millisecond)
	do(t, s, "create table said (word text)", "insert into said values ('one')")
	if _, err := s.CopyInto(t.Context(), archive, key, 2); err != nil {
		t.Fatal(err)
	}
	do(t, s, "insert into said values ('two')")
	time.Sleep(1100 * time.Millisecond) // the names of copies say seconds
	between := time.Now()
	do(t, s, "insert into said values ('three')")
	handedOver(t, s, archive, key)
	give := func(until time.Time) ([]string, error) {
		dir := filepath.Join(newDir(t), "again")
		if err := Recover(t.Context(), archive, dir, until, key.Trusted(), Options{}); err != nil {
			if Exists(dir) {
				t.Errorf("after %v there is a cluster", err)
			}
			return nil, err
		}
		again, err := Start(t.Context(), dir, Options{})
		if err != nil {
			t.Fatal(err)
		}
		defer func() {
			if err := again.Stop(); err != nil {
				t.Error(err)
			}
		}()
		conn, err := pgx.Connect(t.Context(), again.URL("postgres"))
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close(context.Background())
		rows, err := conn.Query(t.Context(), "select word from said")
		if err != nil {
			t.Fatal(err)
		}
		return pgx.CollectRows(rows, pgx.RowTo[string])
	}
	for name, tt := range map[string]struct {
		until time.Time
		words []string
		wrong string
	}{
		"between": {between, []string{"one", "two"}, ""},
		"the end": {time.Time{}, []string{"one", "two", "three"}, ""},
		"before":  {before, nil, "the oldest copy"},
		"later":   {time.Now().Add(time.Hour), nil, "the archive's log ends before that time"},
	} {
		got, err := give(tt.until)
		switch {
		case tt.wrong != "":
			if err == nil || !strings.Contains(err.Error(), tt.wrong) {
				t.Errorf("%s: got %v, %v; want %q", name, got, err, tt.wrong)
			}
		case err != nil || !slices.Equal(got, tt.words):
			t.Errorf("%s: got %v, %v; want %v", name, got, err, tt.words)
		}
	}
	files := func() int {
		all, err := filepath.Glob(filepath.Join(archive, logFolder, "*.gz"))
		if err != nil {
			t.Fatal(err)
		}
		return len(all)
	}
	for range 3 {
		do(t, s, "insert into said values ('more')")
		handedOver(t, s, archive, key)
	}
	was := files()
	for range 2 {
		time.Sleep(1100 * time.Millisecond)
		if _, err := s.CopyInto(t.Context(), archive, key, 1); err != nil {
			t.Fatal(err)
		}
	}
	if all, err := Copies(archive); err != nil || len(all) != 1 || files() >= was {
		t.Errorf("%d copies are kept, and %d files of the log, %d before: %v", len(all), files(), was, err)
	}
}

// Of a copy that was being made at a time, the log does not lead to that time: the one before it
// is taken. A time before the oldest is refused, with the time of the oldest.
func TestCopyThatWasBeingMadeIsNotTaken(t *testing.T) {
	t.Parallel()
	s, archive, key := archived(t)
	do(t, s, "create table said (word text)", "insert into said values ('one')")
	first, err := s.CopyInto(t.Context(), archive, key, 5)
	if err != nil {
		t.Fatal(err)
	}
	time.Sleep(1100 * time.Millisecond)
	began := time.Now()
	do(t, s, "insert into said values ('two')")
	second, err := s.CopyInto(t.Context(), archive, key, 5)
	if err != nil {
		t.Fatal(err)
	}
	handedOver(t, s, archive, key)
	// A large one takes long: it ended an hour after it had begun.
	if err := signCopy(second, key, began.Add(-time.Second), began.Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	chosen, err := copyFor(archive, began.Add(time.Minute), key.Trusted())
	if err != nil || chosen.dir != first {
		t.Errorf("chosen is %s, %v; want %s", chosen.dir, err, first)
	}
	if chosen, err = copyFor(archive, began.Add(2*time.Hour), key.Trusted()); err != nil || chosen.dir != second {
		t.Errorf("chosen is %s, %v; want %s", chosen.dir, err, second)
	}
	oldest, err := readCopy(first, key.Trusted())
	if err != nil {
		t.Fatal(err)
	}
	if _, err = copyFor(archive, oldest.BeganAt, key.Trusted()); err == nil || !strings.Contains(err.Error(), oldest.EndedAt.Format(time.RFC3339)) {
		t.Errorf("got %v", err)
	}
}

// Of an archive that somebody has changed nothing is restored: neither files of a copy, nor of
// the log, nor a configuration that runs programs.
func TestChangedArchiveIsRefused(t *testing.T) {
	t.Parallel()
	s, archive, key := archived(t)
	do(t, s, "create table said (word text)", "insert into said values ('one')")
	copied, err := s.CopyInto(t.Context(), archive, key, 5)
	if err != nil {
		t.Fatal(err)
	}
	do(t, s, "insert into said values ('two')")
	handedOver(t, s, archive, key)
	logs, err := filepath.Glob(filepath.Join(archive, logFolder, "*.gz"))
	if err != nil || len(logs) == 0 {
		t.Fatalf("there is no log: %v", err)
	}
	newest := logs[len(logs)-1]
	ran := filepath.Join(newDir(t), "ran")
	if err := os.Chmod(filepath.Dir(ran), 0o777); err != nil {
		t.Fatal(err)
	}
	write := func(path, text string) func() {
		return func() {
			if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
				t.Fatal(err)
			}
		}
	}
	restored := func(trusted signing.Trusted) error {
		dir := filepath.Join(newDir(t), "again")
		err := Recover(t.Context(), archive, dir, time.Time{}, trusted, Options{})
		if _, runErr := os.Stat(ran); runErr == nil {
			t.Fatal("a program was run")
		}
		if err != nil && Exists(dir) {
			t.Errorf("after %v there is a cluster", err)
		}
		return err
	}
	if err := restored(newKey(t).Trusted()); !errors.Is(err, signing.ErrUnsigned) {
		t.Errorf("signed with a strange key: %v", err)
	}
	auto := filepath.Join(copied, "cluster", "postgresql.auto.conf")
	for name, tt := range map[string]struct {
		path   string
		change func()
	}{
		"a file of a copy":    {filepath.Join(copied, "cluster", "PG_VERSION"), write(filepath.Join(copied, "cluster", "PG_VERSION"), "15 \n")},
		"its configuration":   {auto, write(auto, "archive_cleanup_command = 'touch "+ran+"'\n")},
		"its list":            {filepath.Join(copied, copyList), write(filepath.Join(copied, copyList), "{}")},
		"the log":             {newest, write(newest, "something else")},
		"the log's signature": {strings.TrimSuffix(newest, ".gz") + logSignature, write(strings.TrimSuffix(newest, ".gz")+logSignature, "{}")},
		"a signature is away": {strings.TrimSuffix(newest, ".gz") + logSignature, func() { os.Remove(strings.TrimSuffix(newest, ".gz") + logSignature) }},
		"the log is empty":    {newest, write(newest, "")},
	} {
		was, err := os.ReadFile(tt.path)
		if err != nil {
			t.Fatal(err)
		}
		tt.change()
		if err := restored(key.Trusted()); !errors.Is(err, signing.ErrUnsigned) {
			t.Errorf("%s: got %v", name, err)
		}
		write(tt.path, string(was))()
	}
	// A configuration that was signed is not used, and a file that is not in the list is not taken.
	write(auto, "archive_cleanup_command = 'touch "+ran+"'\nrestore_command = 'touch "+ran+"; false'\nssl_passphrase_command = 'touch "+ran+"'\nssl = on\n")()
	if err := signCopy(copied, key, time.Now().Add(-time.Minute), time.Now().Add(-time.Minute)); err != nil {
		t.Fatal(err)
	}
	write(filepath.Join(copied, "cluster", "standby.signal"), "")()
	if err := restored(key.Trusted()); err != nil {
		t.Error(err)
	}
}

// What a copy that was stopped has left is removed by the next.
func TestLeftoversOfStoppedCopiesAreRemoved(t *testing.T) {
	t.Parallel()
	s, archive, key := archived(t)
	left := filepath.Join(archive, ".copy-20260101T000000Z.part")
	if err := os.MkdirAll(filepath.Join(left, "cluster.new"), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(archive, 0o755); err != nil {
		t.Fatal(err)
	}
	if _, err := s.CopyInto(t.Context(), archive, key, 2); err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(left); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("it is left: %v", err)
	}
}

// A server that is started for a moment hands its log over as the service does, so that no part
// of the log is missing; one that archives no more begins anew the next time.
func TestLogIsHandedOverWithoutAGap(t *testing.T) {
	t.Parallel()
	root := newDir(t)
	data, archive, key := filepath.Join(root, "data"), filepath.Join(root, "archive"), newKey(t)
	run := func(how Handover, then func(*Server)) {
		t.Helper()
		s, err := Start(t.Context(), data, Options{Handover: how})
		if err != nil {
			t.Fatal(err)
		}
		then(s)
		if err := s.Stop(); err != nil {
			t.Fatal(err)
		}
	}
	run(HandoverOn, func(s *Server) {
		do(t, s, "create table said (word text)")
		if _, err := s.CopyInto(t.Context(), archive, key, 2); err != nil {
			t.Fatal(err)
		}
	})
	since := HandsOverSince(data)
	run(HandoverAsBefore, func(s *Server) { do(t, s, "insert into said values ('beside the service')", "select pg_switch_wal()") })
	run(HandoverOn, func(s *Server) {
		do(t, s, "insert into said values ('later')")
		handedOver(t, s, archive, key)
	})
	if now := HandsOverSince(data); since.IsZero() || !now.Equal(since) {
		t.Errorf("it has begun anew: %s, and was %s", now, since)
	}
	again := filepath.Join(root, "again")
	if err := Recover(t.Context(), archive, again, time.Time{}, key.Trusted(), Options{}); err != nil {
		t.Fatal(err)
	}
	s, err := Start(t.Context(), again, Options{})
	if err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(t.Context(), s.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	var words int
	err = conn.QueryRow(t.Context(), "select count(*) from said").Scan(&words)
	if err := errors.Join(err, conn.Close(t.Context()), s.Stop()); err != nil || words != 2 {
		t.Errorf("%d of 2 rows are back, %v", words, err)
	}
	run(HandoverOff, func(*Server) {})
	if !HandsOverSince(data).IsZero() {
		t.Error("it hands over further")
	}
}

// Where moving a file of the log was stopped in the middle, it goes on; an archive of another
// library is refused.
func TestArchivingGoesOnAfterAStop(t *testing.T) {
	t.Parallel()
	root, key := newDir(t), newKey(t)
	s := &Server{dir: filepath.Join(root, "data")}
	from, archive := filepath.Join(root, "data", handover), filepath.Join(root, "archive")
	if err := os.MkdirAll(from, 0o700); err != nil {
		t.Fatal(err)
	}
	const name = "000000010000000000000007"
	hand := func(text string) {
		t.Helper()
		if err := os.WriteFile(filepath.Join(from, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	hand("the log")
	for range 2 { // the second time as after a stop before the file was removed
		if err := s.ArchiveLog(archive, key); err != nil {
			t.Fatal(err)
		}
		if s.Waiting() != 0 {
			t.Error("it waits still")
		}
		hand("the log")
	}
	hand("of another library")
	if err := s.ArchiveLog(archive, key); err == nil || !strings.Contains(err.Error(), "another library") || s.Waiting() != 1 {
		t.Errorf("got %v", err)
	}
	if data, err := readLogFile(filepath.Join(archive, logFolder, name), key.Trusted()); err != nil || string(data) != "the log" {
		t.Errorf("it is %q, %v", data, err)
	}
}

package pgserver

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// archived is a server that hands its log over, with a way to do something in it.
func archived(t *testing.T) (s *Server, archive string) {
	t.Helper()
	root := newDir(t)
	archive = filepath.Join(root, "archive")
	s, err := Start(t.Context(), filepath.Join(root, "data"), Options{Archive: archive})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	return s, archive
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
func handedOver(t *testing.T, s *Server, archive string) {
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
	s, archive := archived(t)
	before := time.Now()
	time.Sleep(1100 * time.Millisecond)
	do(t, s, "create table said (word text)", "insert into said values ('one')")
	if _, err := s.CopyInto(t.Context(), archive, 2); err != nil {
		t.Fatal(err)
	}
	do(t, s, "insert into said values ('two')")
	time.Sleep(1100 * time.Millisecond) // the names of copies say seconds
	between := time.Now()
	do(t, s, "insert into said values ('three')")
	handedOver(t, s, archive)
	give := func(until time.Time) ([]string, error) {
		dir := filepath.Join(newDir(t), "again")
		if err := Recover(t.Context(), archive, dir, until, Options{}); err != nil {
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
		handedOver(t, s, archive)
	}
	was := files()
	for range 2 {
		time.Sleep(1100 * time.Millisecond)
		if _, err := s.CopyInto(t.Context(), archive, 1); err != nil {
			t.Fatal(err)
		}
	}
	if all, err := Copies(archive); err != nil || len(all) != 1 || files() >= was {
		t.Errorf("%d copies are kept, and %d files of the log, %d before: %v", len(all), files(), was, err)
	}
}

// A folder whose name PostgreSQL's shell would take for something else is refused.
func TestAnArchiveIsNotAtAnyPlace(t *testing.T) {
	t.Parallel()
	_, err := Start(t.Context(), filepath.Join(newDir(t), "data"), Options{Archive: "/tmp/an archive; rm -rf x"})
	if err == nil || !strings.Contains(err.Error(), "letters, digits") {
		t.Errorf("got %v", err)
	}
}

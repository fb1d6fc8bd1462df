package demo

import (
	"log/slog"
	"os"
	"strings"
	"testing"

	"goldshelf/internal/testdb"
)

var databases *testdb.Server

func TestMain(m *testing.M) { os.Exit(testdb.Run(m, &databases)) }

func TestLoad(t *testing.T) {
	t.Parallel()
	db := databases.Open(t)
	log := slog.New(slog.DiscardHandler)
	count := func() [2]int {
		entries, err := db.Count(t.Context(), "entries")
		if err != nil {
			t.Fatal(err)
		}
		versions, err := db.Count(t.Context(), "versions")
		if err != nil {
			t.Fatal(err)
		}
		return [2]int{entries, versions}
	}
	for range 2 { // the second time it is there already
		welcome, err := Load(t.Context(), db, log)
		if err != nil || len(welcome.Accounts) != 4 {
			t.Fatalf("got %+v, %v", welcome, err)
		}
		if got := count(); got[0] < 15 || got[1] != len(chapters()) {
			t.Errorf("%d entries with %d versions, want %d versions", got[0], got[1], len(chapters()))
		}
	}
}

func TestAHalfFilledLibraryIsNotTakenForWhole(t *testing.T) {
	t.Parallel()
	db := databases.Open(t)
	l := newLoader(db)
	if err := l.begin(t.Context()); err != nil {
		t.Fatal(err)
	}
	if _, err := Load(t.Context(), db, slog.New(slog.DiscardHandler)); err == nil || !strings.Contains(err.Error(), "remove the data directory") {
		t.Errorf("got %v", err)
	}
}

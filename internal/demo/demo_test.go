package demo

import (
	"bytes"
	"log/slog"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/internal/library"
	"goldshelf/internal/shelf"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

var databases *testdb.Server

func TestMain(m *testing.M) { os.Exit(testdb.Run(m, &databases)) }

// The demo is loaded once, and looked at from all sides.
func TestTheDemo(t *testing.T) {
	t.Parallel()
	db := databases.Open(t)
	t.Run("loaded once", func(t *testing.T) { loadedOnce(t, db) })
	t.Run("desks show every state", func(t *testing.T) { desksShowEveryState(t, db) })
	t.Run("a bundle of it holds to its schema", func(t *testing.T) { bundleHoldsToItsSchema(t, db) })
}

func loadedOnce(t *testing.T, db *store.DB) {
	log := slog.New(slog.DiscardHandler)
	count := func() [2]int {
		entries, err := db.Ask(t.Context(), time.Now()).Count("entries")
		if err != nil {
			t.Fatal(err)
		}
		versions, err := db.Ask(t.Context(), time.Now()).Count("versions")
		if err != nil {
			t.Fatal(err)
		}
		return [2]int{entries, versions}
	}
	for range 2 { // the second time it is there already
		welcome, err := Load(t.Context(), db, time.Now(), log)
		if err != nil || len(welcome.Accounts) != 4 {
			t.Fatalf("got %+v, %v", welcome, err)
		}
		if got := count(); got[0] < 15 || got[1] != len(chapters())+len(adaptations())+1 { // one came from another library
			t.Errorf("%d entries with %d versions, want %d versions", got[0], got[1], len(chapters())+len(adaptations())+1)
		}
	}
}

// Among the demo's desks everything stands that a desk can show.
func desksShowEveryState(t *testing.T, db *store.DB) {
	lib, seen := library.New(db, time.Now, library.Closed()), map[string]bool{}
	for _, p := range people() {
		row, err := db.Ask(t.Context(), time.Now()).PersonByName(p.name)
		if err != nil {
			t.Fatal(err)
		}
		desk, err := lib.Desk.Desk(t.Context(), work.Caller{ID: row.ID, Name: p.name, Role: p.role, Via: "service"}, 0, "")
		if err != nil {
			t.Fatal(err)
		}
		for _, it := range desk.Items {
			seen[it.Waits] = true
		}
	}
	// What is lost comes about only where a whole library is moved in without all of it.
	for _, why := range []string{
		store.WhyFailed, store.WhyOffered, store.WhyOverdue, store.WhyReview, store.WhyReturned, store.WhyCommented,
		store.WhyApproved, store.WhyOrphan, store.WhyStale, store.WhyDraft, store.WhyUntouched,
	} {
		if !seen[why] {
			t.Errorf("no desk shows what is %s", why)
		}
	}
}

func TestAHalfFilledLibraryIsNotTakenForWhole(t *testing.T) {
	t.Parallel()
	db := databases.Open(t)
	l, err := newLoader(db, time.Now())
	if err != nil {
		t.Fatal(err)
	}
	if err := l.begin(t.Context()); err != nil {
		t.Fatal(err)
	}
	if _, err := Load(t.Context(), db, time.Now(), slog.New(slog.DiscardHandler)); err == nil || !strings.Contains(err.Error(), "another --data-dir") {
		t.Errorf("got %v", err)
	}
}

// The demo as a bundle holds to the published schema, and comes back whole.
func bundleHoldsToItsSchema(t *testing.T, db *store.DB) {
	curator := work.Caller{ID: 1, Name: "curator", Role: entry.Curator, Via: "service"}
	data, err := library.New(db, time.Now, library.Closed()).Shelf.Export(t.Context(), curator, shelf.Outgoing{Format: bundle.JSON, Samples: true})
	if err != nil {
		t.Fatal(err)
	}
	c := jsonschema.NewCompiler()
	c.AssertFormat()
	schema, err := c.Compile("../../docs/schema/bundle.json")
	if err != nil {
		t.Fatal(err)
	}
	value, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	if err := schema.Validate(value); err != nil {
		t.Error(err)
	}
	bad := bytes.Replace(data, []byte(`"state": "published"`), []byte(`"state": "burnt"`), 1)
	if value, err = jsonschema.UnmarshalJSON(bytes.NewReader(bad)); err != nil || schema.Validate(value) == nil {
		t.Errorf("the schema takes a state that is none (%v)", err)
	}
	all, err := bundle.Gather("demo.json", data, bundle.Reading{})
	if err != nil {
		t.Fatal(err)
	}
	for _, in := range all {
		if in.Wrong != nil {
			t.Errorf("%s does not come back: %v", in.Slug, in.Wrong)
		}
	}
}

package index_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	"goldshelf/api"
	"goldshelf/core/search"
	"goldshelf/internal/index"
	"goldshelf/internal/labels"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/ownership"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// found gives the slugs that somebody finds, sorted.
func found(t *testing.T, w *testdb.World, x *index.Index, sight search.Sight, text string) string {
	t.Helper()
	r, err := work.See(t.Context(), w.DB, func(v work.View) (search.Result, error) {
		at, err := x.At(v)
		if err != nil {
			return search.Result{}, err
		}
		return at.Find(search.Ask{Query: search.Parse(text, func(string) bool { return false }), Sight: sight, Limit: 100})
	})
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, h := range r.Hits {
		all = append(all, h.Slug)
	}
	slices.Sort(all)
	return strings.Join(all, " ")
}

// Two services on one library each find, in every moment, what the other has committed,
// whatever it was that changed.
func TestServicesAreInStep(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	one, other := index.New(), index.New()
	see := func(sight search.Sight, text, want string) {
		t.Helper()
		for name, x := range map[string]*index.Index{"one service": one, "the other": other} {
			if got := found(t, w, x, sight, text); got != want {
				t.Errorf("%s finds %q for %q, want %q", name, got, text, want)
			}
		}
	}
	shelf, all := search.Sight{Shelf: true}, search.Sight{All: true}
	see(shelf, "", "")
	w.Create(testdb.Prompt("fountain-notice", "The fountain runs dry for {{area}}.\n"))
	see(shelf, "fountain", "")
	see(all, "fountain", "fountain-notice")
	w.Review("fountain-notice")
	if _, err := lifecycle.New(w.DB).Publish(ctx, w.By("curator"), "fountain-notice", w.Seen("fountain-notice"), nil); err != nil {
		t.Fatal(err)
	}
	see(shelf, "fountain", "fountain-notice")
	// Labels, their titles, owners and their names are found too.
	if _, err := labels.New(w.DB).SetOf(ctx, w.By("curator"), "fountain-notice", map[string][]string{"department": {"laboratory"}}); err != nil {
		t.Fatal(err)
	}
	see(shelf, "laboratory", "fountain-notice")
	flasks := "House of flasks"
	if _, err := labels.New(w.DB).SetTerm(ctx, w.By("curator"), "department", "laboratory", api.TermChange{Title: &flasks}); err != nil {
		t.Fatal(err)
	}
	see(shelf, "flasks", "fountain-notice")
	deputy := "second"
	if _, err := ownership.New(w.DB).SetOwners(ctx, w.By("curator"), "fountain-notice", api.Owners{Deputy: &deputy}); err != nil {
		t.Fatal(err)
	}
	w.Create(testdb.Prompt("second-notice", "Another fountain for {{area}}.\n"))
	see(search.Sight{Own: w.By("second").ID}, "fountain", "fountain-notice")
	see(search.Sight{Own: w.By("contributor").ID}, "fountain", "fountain-notice second-notice")
	// A unit that fails changes nothing.
	failed := errors.New("no")
	err := work.Run(ctx, w.DB, w.By("curator"), func(u *work.Unit) error {
		return errors.Join(u.SetTerm(store.Term{Facet: "department", Name: "laboratory", Title: "House of xqzzt"}), failed)
	})
	if !errors.Is(err, failed) {
		t.Fatal(err)
	}
	see(shelf, "xqzzt", "")
	if _, err := lifecycle.New(w.DB).Retire(ctx, w.By("curator"), "fountain-notice", api.Retirement{Because: "Old."}); err != nil {
		t.Fatal(err)
	}
	see(shelf, "fountain", "")
	see(all, "fountain", "fountain-notice second-notice")
}

// A view that began before something was committed does not undo what a later one read.
func TestAnOlderViewUndoesNothing(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil).Once(), t.Context()
	x := index.New()
	w.Create(testdb.Prompt("first", "Of herons.\n"))
	all := search.Sight{All: true}
	_, err := work.See(ctx, w.DB, func(old work.View) (any, error) {
		if _, err := old.SearchState(""); err != nil { // its moment is now
			return nil, err
		}
		w.Create(testdb.Prompt("second", "Of herons.\n"))
		if got := found(t, w, x, all, "herons"); got != "first second" {
			t.Errorf("the later view finds %q", got)
		}
		at, err := x.At(old)
		if err != nil {
			return nil, err
		}
		_, err = at.Find(search.Ask{Query: search.Parse("herons", func(string) bool { return false }), Sight: all, Limit: 9})
		return nil, err
	})
	if err != nil {
		t.Fatal(err)
	}
	if got := found(t, w, x, all, "herons"); got != "first second" {
		t.Errorf("after the older view %q are found", got)
	}
}

// Terms are those that the view shows: neither what came later nor what was taken back.
func TestTermsAreWhatTheViewShows(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil).Once(), t.Context()
	x := index.New()
	has := func(v work.View, term string) bool {
		t.Helper()
		at, err := x.At(v)
		if err != nil {
			t.Fatal(err)
		}
		return slices.ContainsFunc(at.Terms(), func(has store.Term) bool { return has.Name == term })
	}
	now := func(term string) (is bool) {
		_, err := work.See(ctx, w.DB, func(v work.View) (any, error) { is = has(v, term); return nil, nil })
		if err != nil {
			t.Fatal(err)
		}
		return is
	}
	add := func(term string, then error) {
		_, err := work.Do(ctx, w.DB, w.By("curator"), func(u *work.Unit) (any, error) {
			if err := u.AddTerm(store.Term{Facet: "department", Name: term, Title: term}); err != nil {
				return nil, err
			}
			now("reservoirs") // another searches meanwhile
			return nil, then
		})
		if !errors.Is(err, then) {
			t.Fatal(err)
		}
	}
	_, err := work.See(ctx, w.DB, func(old work.View) (any, error) {
		if has(old, "reservoirs") {
			t.Error("a term is there before it is added")
		}
		add("reservoirs", nil)
		if !now("reservoirs") {
			t.Error("a term that is added is not there")
		}
		if has(old, "reservoirs") {
			t.Error("an older view shows a term that came later")
		}
		return nil, nil
	})
	if err != nil {
		t.Fatal(err)
	}
	changed := errors.New("changed my mind")
	add("sluices", changed)
	add("weirs", nil)
	if now("sluices") || !now("weirs") || !now("reservoirs") {
		t.Error("the terms are not those that were committed")
	}
}

// Many write and search at once: whoever has saved finds it with the next search.
func TestWhoSavesFinds(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	x := index.New()
	var all sync.WaitGroup
	for n := range 8 {
		all.Go(func() {
			for i := range 5 {
				slug := fmt.Sprintf("entry-%d-%d", n, i)
				if _, err := writing.New(w.DB).Create(context.Background(), w.By("contributor"), testdb.Prompt(slug, "Write to {{area}}.\n")); err != nil {
					t.Error(err)
					return
				}
				if got := found(t, w, x, search.Sight{All: true}, slug); !slices.Contains(strings.Fields(got), slug) {
					t.Errorf("%s was saved, and not found among %q", slug, got)
				}
			}
		})
	}
	all.Wait()
}

func TestPhrasesAreHeldLetterByLetter(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	x := index.New()
	w.Create(testdb.Prompt("one", "Open the cold Kitchen tap first.\n"), testdb.Prompt("two", "The kitchen is cold: tap, first of all.\n"))
	all := search.Sight{All: true}
	for text, want := range map[string]string{
		`"cold kitchen tap"`: "one", `kitchen cold tap`: "one two", `kitchen -"kitchen tap"`: "two", `"prompt two"`: "two", `"100%_\"`: "",
	} {
		if got := found(t, w, x, all, text); got != want {
			t.Errorf("%s finds %q, want %q", text, got, want)
		}
	}
}

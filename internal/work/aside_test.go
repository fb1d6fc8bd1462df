package work_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Of many items those that fail, panic or hang are set aside with the reason; the others are
// done. Once one is done, nothing is left of it.
func TestEachSetsAsideWhatFails(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	asides := func() map[string]store.Aside {
		t.Helper()
		all, err := work.Ask(t.Context(), w.DB, func(v work.View) ([]store.Aside, error) { return v.Asides() })
		if err != nil {
			t.Fatal(err)
		}
		of := map[string]store.Aside{}
		for _, a := range all {
			of[a.Item] = a
		}
		return of
	}
	itself := func(s string) string { return s }
	items := []string{"good", "fails", "panics", "good too"}
	var did []string
	do := func(_ context.Context, item string) error {
		switch item {
		case "fails":
			return errors.New(strings.Repeat("it cannot be done ", 1000))
		case "panics":
			panic("it is poisoned")
		}
		did = append(did, item)
		return nil
	}
	for range 2 {
		did = nil
		done, err := work.Each(t.Context(), w.DB, "relays", items, itself, do)
		if err != nil || done != 2 || !slices.Equal(did, []string{"good", "good too"}) {
			t.Fatalf("done are %d, %v: %v", done, did, err)
		}
	}
	got := asides()
	if len(got) != 2 || got["fails"].Tries != 2 || !strings.HasPrefix(got["fails"].Reason, "it cannot") || !strings.Contains(got["panics"].Reason, "it is poisoned") {
		t.Errorf("set aside are %v", got)
	}
	if pause := got["fails"].Until.Sub(got["fails"].At); pause != 2*time.Minute {
		t.Errorf("the second time it waits for %s", pause)
	}
	counts, err := w.DB.CountAside(t.Context())
	if err != nil || !slices.Contains(counts, store.AsideCount{Job: "relays", Items: 2}) || !slices.Contains(counts, store.AsideCount{Job: "publications"}) {
		t.Errorf("counted are %v, %v", counts, err)
	}
	did = nil
	all := func(ctx context.Context, some []string) error {
		for _, item := range some {
			if err := do(ctx, item); err != nil {
				return err
			}
		}
		return nil
	}
	if err := work.EachOf(t.Context(), w.DB, "relays", items, itself, all); err != nil || !slices.Equal(did, []string{"good", "good", "good too"}) {
		t.Errorf("one by one: %v, %v", did, err)
	}
	if _, err := work.Each(t.Context(), w.DB, "relays", []string{"fails", "panics"}, itself, func(context.Context, string) error { return nil }); err != nil {
		t.Fatal(err)
	}
	if got := asides(); len(got) != 0 {
		t.Errorf("still set aside are %v", got)
	}
}

// Where the database does not answer, or everything ends, nothing is set aside.
func TestEachSetsNothingAsideWhereNothingCanBeDone(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	itself := func(s string) string { return s }
	ctx, stop := context.WithCancel(t.Context())
	for name, do := range map[string]func(context.Context, string) error{
		"away":  func(context.Context, string) error { return fmt.Errorf("x: %w", store.ErrAway) },
		"ended": func(context.Context, string) error { stop(); return errors.New("it was cut off") },
	} {
		if _, err := work.Each(ctx, w.DB, "relays", []string{"one"}, itself, do); name == "away" && !errors.Is(err, store.ErrAway) || name == "ended" && err == nil {
			t.Errorf("%s: got %v", name, err)
		}
		ctx, stop = context.WithCancel(t.Context())
	}
	stop()
	all, err := work.Ask(t.Context(), w.DB, func(v work.View) ([]store.Aside, error) { return v.Asides() })
	if err != nil || len(all) != 0 {
		t.Errorf("set aside are %v, %v", all, err)
	}
}

package work_test

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"sync/atomic"
	"testing"

	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// Two units that lock the same entries the wrong way round wait for each other: the
// database gives one of them up, and it is done again.
func TestAUnitIsDoneAgain(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil).Once()
	w.Create(testdb.Prompt("first", "One.\n"), testdb.Prompt("second", "Two.\n"))
	var begun atomic.Int32
	met := [2]chan struct{}{make(chan struct{}), make(chan struct{})}
	crossing := func(mine int, slugs ...string) func() error {
		again := false
		return func() error {
			return work.Run(t.Context(), w.DB, w.By("curator"), func(u *work.Unit) error {
				begun.Add(1)
				if _, err := u.Lock(slugs[0]); err != nil {
					return err
				}
				if !again {
					again = true
					close(met[mine])
					<-met[1-mine]
				}
				_, err := u.Lock(slugs[1])
				return err
			})
		}
	}
	for _, err := range testdb.Race(crossing(0, "first", "second"), crossing(1, "second", "first")) {
		if err != nil {
			t.Error(err)
		}
	}
	if begun.Load() < 3 {
		t.Errorf("two units began %d times: they never waited for each other", begun.Load())
	}
}

// What a unit did before a panic or an error is undone, and nothing follows from it.
func TestAUnitIsAllOrNothing(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil).Once()
	before := w.Rows()["events"]
	wrong := errors.New("wrong")
	for name, end := range map[string]func() error{"error": func() error { return wrong }, "panic": func() error { panic("oh") }} {
		followed := false
		err := func() (err error) {
			defer func() {
				if what := recover(); what != nil {
					err = wrong
				}
			}()
			return work.Run(t.Context(), w.DB, w.By("curator"), func(u *work.Unit) error {
				if err := u.AddFacet("mood-"+name, "Mood"); err != nil {
					return err
				}
				u.Record("add-facet", 0, 0, nil)
				u.After(func() { followed = true })
				return end()
			})
		}()
		if err == nil || followed {
			t.Errorf("%s: it gives %v, and what follows was done: %t", name, err, followed)
		}
	}
	terms, err := work.Ask(t.Context(), w.DB, func(v work.View) ([]store.Term, error) { return v.Terms() })
	if err != nil {
		t.Fatal(err)
	}
	for _, term := range terms {
		if strings.HasPrefix(term.Facet, "mood-") {
			t.Errorf("the facet %s was kept", term.Facet)
		}
	}
	if after := w.Rows()["events"]; after != before {
		t.Errorf("%d records were kept", after-before)
	}

	// What is tried and given up inside goes alone.
	var order []string
	err = work.Run(t.Context(), w.DB, w.By("curator"), func(u *work.Unit) error {
		if err := u.Try(func() error {
			u.Record("tried", 0, 0, nil)
			u.After(func() { order = append(order, "tried") })
			return errors.Join(u.AddFacet("mood", "Mood"), wrong)
		}); !errors.Is(err, wrong) {
			t.Errorf("the try gives %v", err)
		}
		u.Record("kept", 0, 0, nil)
		u.After(func() { order = append(order, "kept") })
		return u.AddFacet("mood", "Another mood")
	})
	// And one inside another: what is given up later takes all of it along.
	if err := errors.Join(err, work.Run(t.Context(), w.DB, w.By("curator"), func(u *work.Unit) error {
		err := u.Try(func() error {
			if err := u.AddFacet("season", "Season"); err != nil {
				return err
			}
			_ = u.Try(func() error { return wrong })
			return wrong
		})
		if !errors.Is(err, wrong) {
			return err
		}
		return u.AddFacet("season", "Another season")
	})); err != nil {
		t.Errorf("a try inside another: %v", err)
	}
	if err != nil || strings.Join(order, " ") != "kept" || w.Rows()["events"] != before+1 {
		t.Errorf("after a try it gives %v, then %v, with %d records", err, order, w.Rows()["events"]-before)
	}
}

// A unit looks at one state, and has no way to another connection.
func TestOneQuestionOnly(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil).Once()
	func() {
		defer func() {
			if recover() == nil {
				t.Error("two questions were asked of no state that stays")
			}
		}()
		_, _ = work.Ask(t.Context(), w.DB, func(v work.View) (int64, error) {
			if _, err := v.ShelfNumber(); err != nil {
				return 0, err
			}
			return v.ShelfNumber()
		})
	}()
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if err := work.Run(ctx, w.DB, w.By("curator"), func(u *work.Unit) error { return u.AddFacet("late", "Late") }); err == nil {
		t.Error("a caller who has left changed something")
	}
}

// A request that is sent again, at once and later, is carried out once; what it was
// answered is kept with what it did.
func TestOnce(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil).Once()
	var done atomic.Int32
	request := func(key, hash string, end error) func() error {
		return func() error {
			ctx := work.WithOnce(t.Context(), &work.Once{
				Key: key, Request: []byte(strings.Repeat(hash, 32)),
				Answer: func(out any) (store.Answer, error) {
					body, err := json.Marshal(out)
					return store.Answer{Status: 201, Body: body}, err
				},
			})
			_, err := work.Do(ctx, w.DB, w.By("curator"), func(u *work.Unit) (map[string]int, error) {
				if end == nil {
					done.Add(1)
				}
				u.Record("add-facet", 0, 0, nil)
				return map[string]int{"n": 7}, end
			})
			return err
		}
	}
	calls := make([]func() error, 8)
	for i := range calls {
		calls[i] = request("curator POST /labels a", "a", nil)
	}
	before := w.Rows()["events"]
	first := 0
	for _, err := range testdb.Race(calls...) {
		switch {
		case err == nil:
			first++
		case !errors.Is(err, work.ErrAnswered):
			t.Error(err)
		}
	}
	if first != 1 || w.Rows()["events"] != before+1 {
		t.Errorf("of eight, %d were carried out and %d recorded", first, w.Rows()["events"]-before)
	}
	kept, err := work.Answered(t.Context(), w.DB, "curator POST /labels a")
	if err != nil || kept == nil || kept.Status != 201 {
		t.Fatalf("kept: %+v, %v", kept, err)
	}
	var body map[string]int
	if err := json.Unmarshal(kept.Body, &body); err != nil || body["n"] != 7 {
		t.Errorf("the answer that was kept is %s", kept.Body)
	}

	// What was undone keeps no answer: it can be sent again.
	wrong := errors.New("wrong")
	if err := request("curator POST /labels b", "b", wrong)(); !errors.Is(err, wrong) {
		t.Error(err)
	}
	if kept, err := work.Answered(t.Context(), w.DB, "curator POST /labels b"); err != nil || kept != nil {
		t.Errorf("of what was undone is kept %+v, %v", kept, err)
	}
}

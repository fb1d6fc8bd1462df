package shelf_test

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/fill"
	"goldshelf/internal/index"
	"goldshelf/internal/shelf"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Uses that the database never takes hold up none after them.
func TestUnfitUsesHoldUpNothing(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := shelf.New(w.DB, texts.New(w.DB), index.New())
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	by := w.By("reader")
	by.Via = "nobody knows how"
	if _, err := s.Fill(ctx, by, "notice", 0, api.FillRequest{Values: fill.Values{"area": fill.Single("Mill Lane")}}); err != nil {
		t.Fatal(err)
	}
	if err := s.WriteUses(ctx); !errors.Is(err, store.ErrUnfit) {
		t.Errorf("it is counted: %v", err)
	}
	if err := errors.Join(useOnce(w, s, "reader", "notice"), s.WriteUses(ctx)); err != nil {
		t.Errorf("the next one is not counted: %v", err)
	}
}

// However somebody comes, what they use is counted and what they do recorded.
func TestEveryWayIsCounted(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := shelf.New(w.DB, texts.New(w.DB), index.New())
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	for _, via := range work.Vias() {
		by := w.By("reader")
		by.Via = via
		if _, err := s.Fill(ctx, by, "notice", 0, api.FillRequest{Values: fill.Values{"area": fill.Single("Mill Lane")}}); err != nil {
			t.Fatal(err)
		}
		if err := s.WriteUses(ctx); err != nil {
			t.Errorf("a use by way of %s is not counted: %v", via, err)
		}
		err := work.Run(ctx, w.DB, by, func(u *work.Unit) error {
			u.Record("tried", 0, 0, nil)
			return nil
		})
		if err != nil {
			t.Errorf("what is done by way of %s is not recorded: %v", via, err)
		}
	}
}

// A fill is a use, and a sketch is none; who used it is kept as a hash that differs by
// person, and what was filled in nowhere.
func TestUsesAreCounted(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := shelf.New(w.DB, texts.New(w.DB), index.New())
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	fillIn := func(name string, req api.FillRequest) {
		t.Helper()
		req.Values = fill.Values{"area": fill.Single("Mill Lane")}
		if _, err := s.Fill(ctx, w.By(name), "notice", 0, req); err != nil {
			t.Fatal(err)
		}
	}
	fillIn("reader", api.FillRequest{For: "weir-mail"})
	fillIn("reader", api.FillRequest{})
	fillIn("tester", api.FillRequest{})
	fillIn("contributor", api.FillRequest{}) // who wrote it
	fillIn("reader", api.FillRequest{Sketch: true})
	var wrong error
	if _, wrong = s.Fill(ctx, w.By("reader"), "notice", 0, api.FillRequest{For: "nowhere"}); wrong == nil {
		t.Error("an application that is not there is taken")
	}
	fillIn("second", api.FillRequest{})
	if err := s.WriteUses(ctx); err != nil {
		t.Fatal(err)
	}
	var rows []struct {
		Person, Application, Department, How string
		Own                                  bool
	}
	w.Select(&rows, `select encode(person, 'hex') as person, application, department, how, own from uses order by application desc, own, department desc, person`)
	people := map[string]int{}
	own := 0
	for _, r := range rows {
		people[r.Person]++
		if r.Own {
			own++
		}
	}
	if len(rows) != 5 || len(people) != 4 || own != 1 || rows[0].Application != "weir-mail" || rows[0].How != "api" || rows[1].Department != "laboratory" {
		t.Errorf("counted: %+v", rows)
	}
}

// What is used counts by people and days, and nobody by their own; what is used more is
// found before its like.
func TestTheBestOfTheShelf(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	x := index.New()
	s := shelf.New(w.DB, texts.New(w.DB), x)
	w.Publish(testdb.Prompt("alpha", "Say it to {{area}}.\n"), testdb.Prompt("beta", "Say it to {{area}}.\n"), testdb.Prompt("gamma", "Say it to {{area}}.\n"))
	use := func(name, slug string, times int) {
		t.Helper()
		for range times {
			if err := useOnce(w, s, name, slug); err != nil {
				t.Fatal(err)
			}
		}
	}
	use("contributor", "alpha", 50) // their own
	use("reader", "gamma", 20)      // once a day
	use("reader", "beta", 1)
	use("tester", "beta", 1)
	if err := s.Favour(ctx, w.By("reader"), "gamma", true); err != nil {
		t.Fatal(err)
	}
	if err := s.Favour(ctx, w.By("contributor"), "alpha", true); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(s.WriteUses(ctx), s.ReadFigures(ctx)); err != nil {
		t.Fatal(err)
	}
	best, err := s.Best(ctx, 30)
	if err != nil {
		t.Fatal(err)
	}
	got := ""
	for _, r := range best.Used {
		got += fmt.Sprintf("%s %d, ", r.Slug, r.Times)
	}
	if want := "beta 2, gamma 1, "; got != want {
		t.Errorf("used: %q, want %q", got, want)
	}
	if len(best.Favoured) != 1 || best.Favoured[0].Slug != "gamma" || len(best.Newest) != 3 {
		t.Errorf("favoured %+v, newest %d", best.Favoured, len(best.Newest))
	}
	if c := best.Contributors; len(c) != 1 || c[0].Name != "contributor" || c[0].Entries != 2 || c[0].Times != 3 {
		t.Errorf("contributors: %+v", c)
	}
	list, err := s.Shelf(ctx, work.Service(), shelf.Query{Text: "say"})
	if err != nil || len(list.Items) != 3 || list.Items[0].Slug != "beta" || list.Items[2].Slug != "alpha" {
		t.Errorf("found: %+v, %v", list.Items, err)
	}
	// A new version stays where its uses brought it.
	w.Save("beta", testdb.Prompt("beta", "Say it again to {{area}}.\n"))
	if list, err = s.Shelf(ctx, work.Service(), shelf.Query{Text: "say"}); err != nil || list.Items[0].Slug != "beta" {
		t.Errorf("found after a save: %+v, %v", list.Items, err)
	}
	if _, err := s.Best(ctx, 7); err == nil {
		t.Error("any period is taken")
	}
	w.Clock.Pass(40 * 24 * time.Hour)
	if err := s.ReadFigures(ctx); err != nil {
		t.Fatal(err)
	}
	if best, err = s.Best(ctx, 30); err != nil || len(best.Used) != 0 || len(best.Favoured) != 1 {
		t.Errorf("forty days later: %+v, %v", best.Used, err)
	}
}

// Uses that cannot be written wait, in order, and are written once.
func TestUsesWait(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := shelf.New(w.DB, texts.New(w.DB), index.New())
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	use := func() error { return useOnce(w, s, "reader", "notice") }
	if err := errors.Join(use(), use()); err != nil {
		t.Fatal(err)
	}
	w.Exec("alter table uses rename to away")
	if err := s.WriteUses(ctx); err == nil {
		t.Fatal("they were written nowhere")
	}
	w.Exec("alter table away rename to uses")
	calls := []func() error{use, use, use}
	for range 4 {
		calls = append(calls, func() error { return s.WriteUses(ctx) })
	}
	for _, err := range append(testdb.Race(calls...), s.WriteUses(ctx)) {
		if err != nil {
			t.Error(err)
		}
	}
	n, err := work.Ask(ctx, w.DB, func(v work.View) (int, error) { return v.Count("uses") })
	if err != nil || n != 5 {
		t.Errorf("%d uses are counted, %v; want 5", n, err)
	}
}

func useOnce(w *testdb.World, s *shelf.Service, name, slug string) error {
	_, err := s.Fill(context.Background(), w.By(name), slug, 0, api.FillRequest{Values: fill.Values{"area": fill.Single("Mill Lane")}})
	return err
}

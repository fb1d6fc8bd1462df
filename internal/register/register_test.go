package register_test

import (
	"errors"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/layout"
	"goldshelf/core/problem"
	"goldshelf/core/register"
	"goldshelf/internal/desk"
	"goldshelf/internal/index"
	"goldshelf/internal/labels"
	use "goldshelf/internal/register"
	"goldshelf/internal/shelf"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

func money(n float64) *float64 { return &n }

func costing(n float64) register.Details {
	return register.Details{Status: register.Allowed, CostMonth: money(n)}
}

func of(r api.Register, name string) (it api.Registered) {
	for _, it := range r.Items {
		if it.Name == name {
			return it
		}
	}
	return it
}

// What passes the cap is refused until it is wanted, with what would have to go; two who
// change at once cannot pass it together.
func TestTheCap(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, curator := use.New(w.DB), w.By("curator")
	now, err := s.Register(ctx)
	if err != nil || of(now, "weir-mail").Status != register.Allowed || now.Month.Total != 0 {
		t.Fatalf("labels are registered: %+v, %v", now, err)
	}
	if now, err = s.SetBudget(ctx, curator, now.Number, api.BudgetChange{Budget: register.Budget{Cap: money(1000), Currency: "EUR"}}); err != nil {
		t.Fatal(err)
	}
	if now, err = s.Change(ctx, curator, now.Number, "application", "weir-mail", api.RegisteredChange{Details: costing(600)}); err != nil || now.Month.Left != 400 {
		t.Fatalf("%+v, %v", now.Month, err)
	}
	add := func(name string, cost float64, over bool) (api.Register, error) {
		return s.Add(ctx, curator, api.NewRegistered{Facet: "application", Name: name, Title: "The " + name, Details: costing(cost), OverCap: over})
	}
	var wrong problem.List
	if _, err := add("brook", 500, false); !errors.As(err, &wrong) || wrong[0].Code != "cap" || !strings.Contains(wrong[0].Message.String(), "100 over the cap of 1,000") {
		t.Errorf("over the cap: %v", err)
	}
	if got, err := s.Register(ctx); err != nil || of(got, "brook").Name != "" {
		t.Errorf("half done: %+v, %v", got, err)
	}
	errs := testdb.Race(
		func() error { _, err := add("one", 300, false); return err },
		func() error { _, err := add("two", 300, false); return err },
	)
	if (errs[0] == nil) == (errs[1] == nil) {
		t.Errorf("two at once pass it together: %v", errs)
	}
	now, err = add("brook", 500, true)
	if err != nil || now.Month.Level != register.Over || len(now.Month.WouldGo) == 0 {
		t.Errorf("wanted all the same: %+v, %v", now.Month, err)
	}
	// What is over already may become less, and other things may change.
	if now, err = s.Change(ctx, curator, now.Number, "application", "brook", api.RegisteredChange{Details: costing(450)}); err != nil {
		t.Errorf("less than before: %v", err)
	}
	var outdated *work.Outdated
	if _, err := s.Change(ctx, curator, now.Number-1, "application", "brook", api.RegisteredChange{Details: costing(1)}); !errors.As(err, &outdated) {
		t.Errorf("on an older register: %v", err)
	}
	var taken *work.Taken
	for _, again := range []api.NewRegistered{
		{Facet: "application", Name: "brook", Title: "Other", Details: costing(0)}, {Facet: "application", Name: "other", Title: "THE BROOK", Details: costing(0)},
	} {
		if _, err := s.Add(ctx, curator, again); !errors.As(err, &taken) {
			t.Errorf("%s, %s: %v", again.Name, again.Title, err)
		}
	}
	for field, d := range map[string]register.Details{"/keeper": {Status: register.Allowed, Keeper: "nobody"}, "/replaces": {Status: register.Allowed, Replaces: "brook"}} {
		if _, err := s.Change(ctx, curator, now.Number, "application", "brook", api.RegisteredChange{Details: d}); !errors.As(err, &wrong) || wrong[0].Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
}

// An application that is gone flags its entries and is on their owners' desks, until one
// action moves their label; that can be undone.
func TestGone(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, curator := use.New(w.DB), w.By("curator")
	w.Publish(testdb.Prompt("letter", "Write to {{area}}.\n"))
	now, err := s.Register(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if now, err = s.Change(ctx, curator, now.Number, "application", "weir-mail", api.RegisteredChange{Details: register.Details{Status: register.Gone}}); err != nil {
		t.Fatal(err)
	}
	waits := func() (why string) {
		t.Helper()
		d, err := desk.New(w.DB).Desk(ctx, w.By("contributor"), 0, "")
		if err != nil {
			t.Fatal(err)
		}
		for _, it := range d.Items {
			why += it.Waits + " "
		}
		return why
	}
	sh := shelf.New(w.DB, texts.New(w.DB), index.New())
	e, err := sh.OnShelf(ctx, w.By("reader"), "letter", 0)
	if err != nil || len(e.Gone) != 1 || waits() != "gone " {
		t.Errorf("%q, on the desk: %q, %v", e.Gone, waits(), err)
	}
	var wrong problem.List
	if _, err := labels.New(w.DB).SetOf(ctx, curator, "letter", map[string][]string{"application": {"brook-chat", "weir-mail"}}); err != nil {
		t.Logf("labels of the world: %v", err)
	}
	if _, err := s.Move(ctx, curator, "application", "weir-mail", api.MoveLabel{To: "weir-mail"}); !errors.As(err, &wrong) {
		t.Errorf("to itself: %v", err)
	}
	if _, err := s.Add(ctx, curator, api.NewRegistered{Facet: "application", Name: "new-mail", Title: "New Mail", Details: costing(0)}); err != nil {
		t.Fatal(err)
	}
	moved, err := s.Move(ctx, curator, "application", "weir-mail", api.MoveLabel{To: "new-mail"})
	if err != nil || moved.Entries != 1 || waits() != "" {
		t.Fatalf("%+v, on the desk: %q, %v", moved, waits(), err)
	}
	if e, err := sh.OnShelf(ctx, w.By("reader"), "letter", 0); err != nil || e.Labels["application"][0] != "new-mail" || e.Gone != nil {
		t.Errorf("%v, %v", e.Labels, err)
	}
	if back, err := labels.New(w.DB).Undo(ctx, curator, moved.Undo); err != nil || back.Entries != 1 || waits() != "gone " {
		t.Errorf("undone: %+v, %v", back, err)
	}
	var refused *entry.Refusal
	if _, err := s.Move(ctx, w.By("reviewer"), "application", "weir-mail", api.MoveLabel{To: "new-mail"}); !errors.As(err, &refused) {
		t.Errorf("by a reviewer: %v", err)
	}
}

// What is filled for an application comes in its boxes, from the moment on at which its
// layout is saved.
func TestLayouts(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, curator := use.New(w.DB), w.By("curator")
	w.Publish(testdb.Part(entry.Persona, "officer", "## Who\nAn officer.\n\n## Speaks\nPlainly.\n"))
	with := testdb.Prompt("letter", "## Task\nWrite to {{area}}.\n")
	with.Persona = "officer"
	w.Publish(with)
	sh := shelf.New(w.DB, texts.New(w.DB), index.New())
	filled := func() api.Filled {
		t.Helper()
		f, err := sh.Fill(ctx, w.By("reader"), "letter", 0, api.FillRequest{Values: fill.Values{"area": fill.Single("Fen End")}, For: "weir-mail"})
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	if f := filled(); f.Boxes != nil || f.As != "" {
		t.Errorf("without a layout: %+v", f)
	}
	l := layout.Layout{As: layout.Boxes, Boxes: []layout.Box{
		{Title: "About us", Limit: 10, Takes: []layout.Take{{Layer: entry.Persona, Parts: []string{"Who"}}}},
		{Title: "How", Takes: []layout.Take{{Layer: entry.Prompt}}},
	}}
	errs := testdb.Race(
		func() error { _, err := s.SetLayout(ctx, curator, "weir-mail", 0, l); return err },
		func() error { _, err := s.SetLayout(ctx, curator, "weir-mail", 0, l); return err },
	)
	var outdated *work.Outdated
	if (errs[0] == nil) == (errs[1] == nil) || !errors.As(errors.Join(errs...), &outdated) {
		t.Fatalf("two at once: %v", errs)
	}
	f := filled()
	if len(f.Boxes) != 2 || f.Boxes[0].Text != "## Who\nAn officer.\n\n" || !f.Boxes[0].Over || f.Boxes[1].Text != "## Task\nWrite to Fen End.\n" {
		t.Errorf("%+v", f.Boxes)
	}
	if want := "of Part officer, the persona, this is in no box: Speaks"; len(f.Left) != 1 || f.Left[0] != want {
		t.Errorf("left %q", f.Left)
	}
	// A second service of the same library delivers by it too.
	other := shelf.New(w.Second(), texts.New(w.Second()), index.New())
	if f, err := other.Fill(ctx, w.By("reader"), "letter", 0, api.FillRequest{Values: fill.Values{"area": fill.Single("x")}, For: "weir-mail"}); err != nil || len(f.Boxes) != 2 {
		t.Errorf("from another service: %+v, %v", f.Boxes, err)
	}
	tried, err := sh.TryLayout(ctx, w.By("reader"), api.LayoutTrial{Slug: "letter", Layout: layout.Layout{As: layout.Text, Boxes: []layout.Box{{Takes: []layout.Take{{Layer: entry.Prompt}}}}}})
	if err != nil || len(tried.Boxes) != 1 || tried.Boxes[0].Text != "## Task\nWrite to ‹area›.\n" || len(tried.Warnings) != 3 {
		t.Errorf("%+v, %v", tried, err)
	}
	if tried, err := sh.TryLayout(ctx, w.By("reader"), api.LayoutTrial{Slug: "letter"}); err != nil || len(tried.Problems) == 0 {
		t.Errorf("no layout: %+v, %v", tried, err)
	}
	var missing *work.Missing
	if _, err := s.SetLayout(ctx, curator, "gone-app", 0, l); !errors.As(err, &missing) {
		t.Errorf("of no application: %v", err)
	}
	if err := s.DeleteLayout(ctx, curator, "weir-mail"); err != nil {
		t.Fatal(err)
	}
	if f := filled(); f.Boxes != nil {
		t.Errorf("once it is deleted: %+v", f.Boxes)
	}
}

package labels_test

import (
	"errors"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/labels"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/writing"
)

func yes() *bool { on := true; return &on }

// An entry has one term at most of a facet that is single, whichever way it is labelled,
// and a facet becomes so only where none has several.
func TestASingleFacet(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, curator := labels.New(w.DB), w.By("curator")
	several := testdb.Prompt("several", "Write to {{area}}.\n")
	several.Labels["department"] = []string{"customer-care", "laboratory"}
	w.Create(several, testdb.Prompt("notice", "Write to {{area}}.\n"))
	var wrong problem.List
	if _, err := s.SetFacet(ctx, curator, "department", api.FacetChange{Single: yes()}); !errors.As(err, &wrong) || wrong[0].Code != "several" {
		t.Errorf("while one has several: %v", err)
	}
	if _, err := s.SetOf(ctx, curator, "several", map[string][]string{"department": {"laboratory"}}); err != nil {
		t.Fatal(err)
	}
	all, err := s.SetFacet(ctx, curator, "department", api.FacetChange{Single: yes()})
	if err != nil || !all.Items[0].Single {
		t.Fatalf("%+v, %v", all, err)
	}
	if _, err := s.SetOf(ctx, curator, "notice", several.Labels); !errors.As(err, &wrong) || wrong[0].Code != "single" {
		t.Errorf("labelled with two: %v", err)
	}
	another := several
	another.Slug = "another"
	if _, err := writing.New(w.DB).Create(ctx, w.By("contributor"), another); !errors.As(err, &wrong) {
		t.Errorf("made with two: %v", err)
	}
	plan, err := s.PlanMany(ctx, curator, api.LabelMany{Slugs: []string{"notice", "several"}, Add: map[string][]string{"department": {"laboratory"}}})
	if err != nil || len(plan.Items) != 1 || len(plan.Items[0].Becomes["department"]) != 1 {
		t.Errorf("one makes room for another: %+v, %v", plan, err)
	}
	if err := w.AsService("insert into labels (entry_id, facet, term, position) select entry_id, 'department', 'laboratory', 2 from names where name = 'notice'"); err == nil {
		t.Error("the database lets an entry have two")
	}
	errs := testdb.Race(
		func() error { _, err := s.SetFacet(ctx, curator, "model", api.FacetChange{Single: yes()}); return err },
		func() error {
			_, err := s.SetOf(ctx, w.By("contributor"), "notice", map[string][]string{"model": {"heron-2"}})
			return err
		},
	)
	if errs[0] != nil || errs[1] != nil {
		t.Errorf("at the same moment: %v", errs)
	}
}

// A facet that a kind needs stops what is not labelled in it, and others not.
func TestARequiredFacet(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := labels.New(w.DB)
	kinds := []string{"prompt"}
	if _, err := s.SetFacet(ctx, w.By("curator"), "application", api.FacetChange{RequiredFor: &kinds}); err != nil {
		t.Fatal(err)
	}
	bare := testdb.Prompt("bare", "Write to {{area}}.\n")
	delete(bare.Labels, "application")
	w.Create(bare, testdb.Part(entry.Snippet, "close", "Yours.\n"))
	var stopped *texts.Stopped
	if _, err := lifecycle.New(w.DB).Submit(ctx, w.By("contributor"), "bare", "First."); !errors.As(err, &stopped) || stopped.Problems[0].Field != "/labels/application" {
		t.Errorf("a prompt without one: %v", err)
	}
	if _, err := lifecycle.New(w.DB).Submit(ctx, w.By("contributor"), "close", "First."); err != nil {
		t.Errorf("a snippet: %v", err)
	}
	kinds = []string{"poem"}
	var wrong problem.List
	if _, err := s.SetFacet(ctx, w.By("curator"), "application", api.FacetChange{RequiredFor: &kinds}); !errors.As(err, &wrong) {
		t.Errorf("for no kind: %v", err)
	}
}

// Contributors add terms to a facet that is open, and to no other.
func TestAnOpenFacet(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := labels.New(w.DB)
	term := api.NewLabel{Facet: "model", Term: "osprey-70", Title: "osprey-70"}
	var refused *entry.Refusal
	if _, err := s.Add(ctx, w.By("contributor"), term); !errors.As(err, &refused) {
		t.Errorf("before: %v", err)
	}
	if _, err := s.SetFacet(ctx, w.By("curator"), "model", api.FacetChange{Open: yes()}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Add(ctx, w.By("contributor"), term); err != nil {
		t.Errorf("afterwards: %v", err)
	}
	if _, err := s.Add(ctx, w.By("reader"), api.NewLabel{Facet: "model", Term: "mine", Title: "Mine"}); !errors.As(err, &refused) {
		t.Errorf("a reader: %v", err)
	}
	if _, err := s.Add(ctx, w.By("contributor"), api.NewLabel{Facet: "mood", Title: "Mood"}); !errors.As(err, &refused) {
		t.Errorf("a facet of their own: %v", err)
	}
}

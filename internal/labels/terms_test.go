package labels_test

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/index"
	"goldshelf/internal/labels"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/shelf"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// regions gives a world with a facet of regions: the north with a part, the south and the
// west, and three entries in them.
func regions(t *testing.T) (*testdb.World, *labels.Service) {
	t.Helper()
	w := databases.World(t, nil)
	s := labels.New(w.DB)
	for _, l := range []api.NewLabel{{Facet: "region", Title: "Region"}, {Facet: "region", Term: "north", Title: "North"}, {Facet: "region", Term: "moors", Title: "The moors"}, {Facet: "region", Term: "south", Title: "South"}, {Facet: "region", Term: "west", Title: "West"}} {
		if _, err := s.Add(t.Context(), w.By("curator"), l); err != nil {
			t.Fatal(err)
		}
	}
	under := "north"
	if _, err := s.SetTerm(t.Context(), w.By("curator"), "region", "moors", api.TermChange{Under: &under}); err != nil {
		t.Fatal(err)
	}
	for slug, terms := range map[string][]string{"one": {"north"}, "two": {"moors", "south"}, "three": {"south", "north"}} {
		in := testdb.Prompt(slug, "Write to {{area}} of "+slug+".\n")
		in.Labels["region"] = terms
		w.Publish(in)
	}
	return w, s
}

func labelsOf(t *testing.T, w *testdb.World) string {
	t.Helper()
	all, err := work.See(t.Context(), w.DB, func(v work.View) (out []string, err error) {
		for _, slug := range []string{"one", "two", "three"} {
			e, err := v.EntryBySlug(slug)
			if err != nil {
				return nil, err
			}
			labels, err := v.LabelsOf([]int64{e.ID})
			if err != nil {
				return nil, err
			}
			out = append(out, strings.Join(labels[e.ID]["region"], "+"))
		}
		return out, nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return strings.Join(all, " ")
}

func termsOf(t *testing.T, w *testdb.World) string {
	t.Helper()
	terms, err := work.Ask(t.Context(), w.DB, func(v work.View) ([]store.Term, error) { return v.Terms() })
	if err != nil {
		t.Fatal(err)
	}
	return fmt.Sprintf("%+v", terms)
}

func departments(t *testing.T, w *testdb.World) (all string) {
	t.Helper()
	people, err := work.Ask(t.Context(), w.DB, func(v work.View) ([]store.Person, error) { return v.People() })
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range people {
		all += p.Department + " "
	}
	return all
}

// A merge changes every entry at once, is one record, is undone as if it had not been, and
// its old name goes on leading to where the entries are.
func TestTermsAreMergedAndPartedAgain(t *testing.T) {
	t.Parallel()
	w, s := regions(t)
	ctx, curator := t.Context(), w.By("curator")
	finder := shelf.New(w.DB, texts.New(w.DB), index.New())
	before := labelsOf(t, w)
	events, terms := w.Rows()["events"], termsOf(t, w)
	merged, err := s.Merge(ctx, curator, "region", "north", "south")
	if err != nil || merged.Entries != 2 || merged.Undo == "" {
		t.Fatal(merged, err)
	}
	if got := labelsOf(t, w); strings.Contains(got, "north") || strings.Count(got, "south") != 3 {
		t.Errorf("the labels are %q", got)
	}
	if n := w.Rows()["events"] - events; n != 1 {
		t.Errorf("there are %d records of it", n)
	}
	// By an old link, and by the part that went with it.
	for _, term := range []string{"north", "south"} {
		list, err := finder.Shelf(ctx, work.Service(), shelf.Query{Labels: map[string][]string{"region": {term}}})
		if err != nil || list.Total != 3 {
			t.Errorf("of %s there are %d, %v", term, list.Total, err)
		}
	}
	if e, err := s.SetOf(ctx, curator, "one", map[string][]string{"region": {"north", "west"}}); err != nil || fmt.Sprint(e.Labels["region"]) != "[south west]" {
		t.Errorf("by its old name an entry is labelled %v, %v", e.Labels, err)
	}
	var gone *work.Missing
	if _, err := s.Undo(ctx, w.By("chief"), merged.Undo); !errors.As(err, &gone) {
		t.Errorf("undone by another curator: %v", err)
	}
	if _, err := s.SetOf(ctx, curator, "one", map[string][]string{"region": {"south"}}); err != nil {
		t.Fatal(err)
	}
	if back, err := s.Undo(ctx, curator, merged.Undo); err != nil || back.Entries != 2 {
		t.Fatal(back, err)
	}
	if got := labelsOf(t, w); got != before {
		t.Errorf("undone, the labels are %q, want %q", got, before)
	}
	if after := termsOf(t, w); after != terms {
		t.Errorf("undone, the terms are\n%s\nwant\n%s", after, terms)
	}
	if _, err := s.Undo(ctx, curator, merged.Undo); !errors.As(err, &gone) {
		t.Errorf("undone twice: %v", err)
	}
}

// What a merge has moved and somebody has changed since stays as they want it.
func TestUndoLeavesWhatChangedSince(t *testing.T) {
	t.Parallel()
	w, s := regions(t)
	ctx, curator := t.Context(), w.By("curator")
	merged, err := s.Merge(ctx, curator, "region", "north", "south")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.SetOf(ctx, curator, "one", map[string][]string{"region": {"west"}}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Undo(ctx, curator, merged.Undo); err != nil {
		t.Fatal(err)
	}
	e, err := shelf.New(w.DB, texts.New(w.DB), index.New()).Entry(ctx, curator, "one")
	if err != nil || fmt.Sprint(e.Labels["region"]) != "[west]" {
		t.Errorf("it is labelled %v, %v", e.Labels, err)
	}
	w.Clock.Pass(2 * time.Hour)
	var gone *work.Missing
	late, err := s.Merge(ctx, curator, "region", "moors", "south")
	if err != nil {
		t.Fatal(err)
	}
	w.Clock.Pass(2 * time.Hour)
	if _, err := s.Undo(ctx, curator, late.Undo); !errors.As(err, &gone) {
		t.Errorf("after two hours: %v", err)
	}
}

func TestMergesThatDoNotHold(t *testing.T) {
	t.Parallel()
	w, s := regions(t)
	for name, c := range map[string]struct{ term, into, want string }{
		"into itself":            {"north", "north", "part of itself"},
		"into its own part":      {"north", "moors", "moors is under north"},
		"into nothing":           {"north", "nowhere", `no term "nowhere"`},
		"what is not there":      {"nowhere", "north", `no term "nowhere"`},
		"into a term of another": {"north", "laboratory", `no term "laboratory"`},
	} {
		if _, err := s.Merge(t.Context(), w.By("curator"), "region", c.term, c.into); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for _, who := range []string{"reader", "reviewer"} {
		var refused *entry.Refusal
		if _, err := s.Merge(t.Context(), w.By(who), "region", "north", "south"); !errors.As(err, &refused) {
			t.Errorf("a %s: %v", who, err)
		}
	}
	moors, north := "moors", "north"
	for name, c := range map[string]struct{ term, under string }{"under itself": {"north", north}, "under its part": {"north", moors}, "under nothing": {"north", "nowhere"}} {
		var wrong problem.List
		if _, err := s.SetTerm(t.Context(), w.By("curator"), "region", c.term, api.TermChange{Under: &c.under}); !errors.As(err, &wrong) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Of two curators who merge at once one comes second, and nothing is half done.
func TestTwoMergeAtOnce(t *testing.T) {
	t.Parallel()
	w, s := regions(t)
	errs := testdb.Race(
		func() error {
			_, err := s.Merge(context.Background(), w.By("curator"), "region", "north", "south")
			return err
		},
		func() error {
			_, err := s.Merge(context.Background(), w.By("chief"), "region", "south", "north")
			return err
		},
		func() error {
			_, err := s.SetOf(context.Background(), w.By("contributor"), "one", map[string][]string{"region": {"north", "south"}})
			return err
		},
	)
	merged := 0
	for _, err := range errs[:2] {
		var gone *work.Missing
		var wrong problem.List
		if err == nil {
			merged++
		} else if !errors.As(err, &gone) && !errors.As(err, &wrong) {
			t.Error(err)
		}
	}
	if merged != 1 || errs[2] != nil {
		t.Errorf("%d were merged; labelled: %v", merged, errs[2])
	}
	if got := labelsOf(t, w); strings.Contains(got, "north") && strings.Contains(got, "south") {
		t.Errorf("the labels are %q", got)
	}
}

// With a department go its people, its entries and what the policy says of it; one from
// which an approval is awaited stays until it is given.
func TestADepartmentIsMergedWithAllThatIsIts(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, life := labels.New(w.DB), lifecycle.New(w.DB)
	curator := w.By("curator")
	policy := check.Policy{Review: entry.Reviewing{Rules: []entry.ReviewRule{{Departments: []string{"customer-care"}, Approvals: 1, From: []entry.From{{Department: "laboratory"}}}}}}
	if _, err := life.SetPolicy(ctx, curator, 0, policy); err != nil {
		t.Fatal(err)
	}
	w.Create(testdb.Prompt("notice", "Write to {{area}}.\n"))
	if _, err := life.Submit(ctx, w.By("contributor"), "notice", "First."); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Merge(ctx, curator, "department", "laboratory", "customer-care"); err == nil || !strings.Contains(err.Error(), "notice waits for an approval from laboratory") {
		t.Errorf("while one waits: %v", err)
	}
	if _, err := life.Withdraw(ctx, w.By("contributor"), "notice"); err != nil {
		t.Fatal(err)
	}
	merged, err := s.Merge(ctx, curator, "department", "laboratory", "customer-care")
	if err != nil {
		t.Fatal(err)
	}
	if got := departments(t, w); strings.Contains(got, "laboratory") {
		t.Errorf("someone is still of it: %s", got)
	}
	now, err := life.Policy(ctx)
	if want := []entry.From{{Department: "customer-care"}}; err != nil || !reflect.DeepEqual(now.Policy.Review.Rules[0].From, want) {
		t.Errorf("the policy asks for %v, %v", now.Policy.Review.Rules[0].From, err)
	}
	if _, err := s.Undo(ctx, curator, merged.Undo); err != nil {
		t.Fatal(err)
	}
	if now, err := life.Policy(ctx); err != nil || !reflect.DeepEqual(now.Policy.Review, policy.Review) {
		t.Errorf("undone, the policy is %+v, %v", now.Policy.Review, err)
	}
	if got := departments(t, w); !strings.Contains(got, "laboratory") {
		t.Errorf("undone, nobody is of it: %s", got)
	}
}

// Terms under others are found by them, and a retired one is chosen by nobody anew.
func TestPartsAndRetiredTerms(t *testing.T) {
	t.Parallel()
	w, s := regions(t)
	ctx, curator := t.Context(), w.By("curator")
	finder := shelf.New(w.DB, texts.New(w.DB), index.New())
	list, err := finder.Shelf(ctx, work.Service(), shelf.Query{Labels: map[string][]string{"region": {"north"}}})
	if err != nil || list.Total != 3 {
		t.Errorf("in the north, its parts included, there are %d, %v", list.Total, err)
	}
	for _, f := range list.Facets {
		for _, term := range f.Terms {
			if want := map[string]int{"north": 3, "moors": 1, "south": 2}[term.Name]; f.Name == "region" && term.Count != want {
				t.Errorf("%s counts %d, want %d", term.Name, term.Count, want)
			}
		}
	}
	yes := true
	if _, err := s.SetTerm(ctx, curator, "region", "south", api.TermChange{Retired: &yes}); err != nil {
		t.Fatal(err)
	}
	var wrong problem.List
	if _, err := s.SetOf(ctx, curator, "one", map[string][]string{"region": {"south"}}); !errors.As(err, &wrong) || !strings.Contains(err.Error(), "nobody chooses south") {
		t.Errorf("chosen anew: %v", err)
	}
	if _, err := s.SetOf(ctx, curator, "two", map[string][]string{"region": {"south", "west"}}); err != nil {
		t.Errorf("kept: %v", err)
	}
}

// Many are labelled as it was shown, or not at all.
func TestManyAreLabelledAtOnce(t *testing.T) {
	t.Parallel()
	w, s := regions(t)
	ctx, curator := t.Context(), w.By("curator")
	before := labelsOf(t, w)
	req := api.LabelMany{Slugs: []string{"one", "two", "three"}, Add: map[string][]string{"region": {"west"}}, Remove: map[string][]string{"region": {"north"}}}
	plan, err := s.PlanMany(ctx, curator, req)
	if err != nil || len(plan.Items) != 3 || fmt.Sprint(plan.Items[0].Labels["region"], plan.Items[0].Becomes["region"]) != "[north] [west]" {
		t.Fatalf("the plan: %+v, %v", plan, err)
	}
	if got := labelsOf(t, w); got != before {
		t.Errorf("the plan has changed something: %q", got)
	}
	req.Digest = plan.Digest
	if _, err := s.SetOf(ctx, w.By("contributor"), "two", map[string][]string{"region": {"moors"}}); err != nil {
		t.Fatal(err)
	}
	var outdated *work.Outdated
	if _, err := s.LabelMany(ctx, curator, req); !errors.As(err, &outdated) {
		t.Errorf("another plan by now: %v", err)
	}
	plan, err = s.PlanMany(ctx, curator, req)
	if err != nil {
		t.Fatal(err)
	}
	req.Digest = plan.Digest
	done, err := s.LabelMany(ctx, curator, req)
	if got := labelsOf(t, w); err != nil || done.Entries != 3 || strings.Contains(got, "north") || strings.Count(got, "west") != 3 {
		t.Errorf("%d are labelled %q, %v", done.Entries, got, err)
	}
	if _, err := s.SetOf(ctx, curator, "one", map[string][]string{"region": {"south"}}); err != nil {
		t.Fatal(err)
	}
	back, err := s.Undo(ctx, curator, done.Undo)
	if err != nil || back.Entries != 2 {
		t.Errorf("undone in %d, %v", back.Entries, err)
	}
	for name, c := range map[string]struct {
		req  api.LabelMany
		want string
	}{
		"none":               {api.LabelMany{Add: req.Add}, "there are none"},
		"nothing":            {api.LabelMany{Slugs: req.Slugs}, "which labels"},
		"what is not there":  {api.LabelMany{Slugs: []string{"one", "nowhere"}, Add: req.Add}, `no entry "nowhere"`},
		"a term that is not": {api.LabelMany{Slugs: req.Slugs, Add: map[string][]string{"region": {"east"}}}, `no term "east"`},
		"both":               {api.LabelMany{Slugs: req.Slugs, Add: req.Add, Remove: req.Add}, "added and removed"},
		"too many":           {api.LabelMany{Slugs: make([]string, 10_001), Add: req.Add}, "at most 10000"},
	} {
		if _, err := s.PlanMany(ctx, curator, c.req); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Whoever labels an entry in the moment of an undo has the last word, whichever comes
// first.
func TestUndoBesideALabeller(t *testing.T) {
	t.Parallel()
	w, s := regions(t)
	ctx, curator := context.Background(), w.By("curator")
	chosen := map[string][]string{"region": {"moors", "west"}}
	for round := range 12 {
		if _, err := s.SetOf(ctx, curator, "one", map[string][]string{"region": {"north"}}); err != nil {
			t.Fatal(err)
		}
		req := api.LabelMany{Slugs: []string{"one"}, Add: map[string][]string{"region": {"south"}}}
		plan, err := s.PlanMany(ctx, curator, req)
		if err != nil {
			t.Fatal(err)
		}
		req.Digest = plan.Digest
		done, err := s.LabelMany(ctx, curator, req)
		if err != nil {
			t.Fatal(err)
		}
		for _, err := range testdb.Race(
			func() error { _, err := s.Undo(ctx, curator, done.Undo); return err },
			func() error { _, err := s.SetOf(ctx, w.By("contributor"), "one", chosen); return err },
		) {
			if err != nil {
				t.Fatal(err)
			}
		}
		e, err := shelf.New(w.DB, texts.New(w.DB), index.New()).Entry(ctx, curator, "one")
		if err != nil || fmt.Sprint(e.Labels["region"]) != "[moors west]" {
			t.Fatalf("round %d: it is labelled %v, %v; want what was chosen", round, e.Labels["region"], err)
		}
	}
}

// So has whoever does it in the moment of a merge.
func TestMergeBesideALabeller(t *testing.T) {
	t.Parallel()
	w, s := regions(t)
	ctx, curator := context.Background(), w.By("curator")
	chosen := map[string][]string{"region": {"moors", "west"}}
	for round := range 12 {
		if _, err := s.SetOf(ctx, curator, "one", map[string][]string{"region": {"north"}}); err != nil {
			t.Fatal(err)
		}
		var merged api.LabelsChanged
		for _, err := range testdb.Race(
			func() (err error) { merged, err = s.Merge(ctx, curator, "region", "north", "south"); return err },
			func() error { _, err := s.SetOf(ctx, w.By("contributor"), "one", chosen); return err },
		) {
			if err != nil {
				t.Fatal(err)
			}
		}
		e, err := shelf.New(w.DB, texts.New(w.DB), index.New()).Entry(ctx, curator, "one")
		if err != nil || fmt.Sprint(e.Labels["region"]) != "[moors west]" {
			t.Fatalf("round %d: it is labelled %v, %v; want what was chosen", round, e.Labels["region"], err)
		}
		if _, err := s.Undo(ctx, curator, merged.Undo); err != nil {
			t.Fatal(err)
		}
	}
}

// Thousands of entries are labelled at once while somebody relabels some of them: each way
// round all of them have what was shown, or nothing of it was done.
func TestThousandsAreLabelledWhileSomeoneRelabels(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	w.Publish(testdb.Prompt("one", "Write to {{area}} when the water comes back, and not before.\n"))
	w.Large(2_999, 60)
	s, other := labels.New(w.DB), labels.New(w.Second())
	ctx, curator := t.Context(), w.By("curator")
	for _, l := range []api.NewLabel{{Facet: "season", Title: "Season"}, {Facet: "season", Term: "winter", Title: "Winter"}, {Facet: "season", Term: "summer", Title: "Summer"}, {Facet: "season", Term: "autumn", Title: "Autumn"}, {Facet: "season", Term: "spring", Title: "Spring"}} {
		if _, err := s.Add(ctx, curator, l); err != nil {
			t.Fatal(err)
		}
	}
	var slugs []string
	w.Select(&slugs, `select slug from entries order by slug`)
	for n, later := range []time.Duration{0, 100 * time.Millisecond} {
		term, mine := []string{"winter", "spring"}[n], []string{"summer", "autumn"}[n]
		req := api.LabelMany{Slugs: slugs, Add: map[string][]string{"season": {term}}, Remove: map[string][]string{"season": {"summer"}}}
		plan, err := s.PlanMany(ctx, curator, req)
		if err != nil {
			t.Fatal(err)
		}
		req.Digest = plan.Digest
		var relabels []func() error
		for _, slug := range slugs[1_000:1_010] {
			relabels = append(relabels, func() error {
				time.Sleep(later)
				_, err := other.SetOf(ctx, w.By("chief"), slug, map[string][]string{"season": {mine}})
				return err
			})
		}
		errs := testdb.Race(append(relabels, func() error { _, err := s.LabelMany(ctx, curator, req); return err })...)
		for _, err := range errs[:len(relabels)] {
			if err != nil {
				t.Error(err)
			}
		}
		err = errs[len(relabels)]
		var outdated *work.Outdated
		many, few := w.Count("labels where term = '"+term+"'"), w.Count("labels where term = '"+mine+"'")
		switch {
		case few != len(relabels), err == nil && many+few != len(slugs), errors.As(err, &outdated) && many != 0, err != nil && !errors.As(err, &outdated):
			t.Errorf("it ends with %v, %d %s and %d %s", err, many, term, few, mine)
		}
	}
	// Each record is sealed with the one before it, which is not looked for among all.
	var read []int
	w.Select(&read, `select seq_tup_read from pg_stat_user_tables where relname = 'events'`)
	if read[0] > 100_000 {
		t.Errorf("%d records were read to write %d", read[0], w.Count("events"))
	}
}

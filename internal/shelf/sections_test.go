package shelf_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/index"
	"goldshelf/internal/shelf"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// A section is a search or picked by hand, in an order, and shows what is on the shelf.
func TestSections(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, curator := shelf.New(w.DB, texts.New(w.DB), index.New()), w.By("curator")
	for i := range 6 {
		w.Publish(testdb.Prompt(fmt.Sprintf("notice-%d", i), "Write to {{area}}.\n"))
	}
	w.Create(testdb.Prompt("draft", "Write to {{area}}.\n"))
	starter := testdb.Prompt("", "Write to {{area}}.\n").Content
	found, err := s.SetSection(ctx, curator, "letters", api.SectionChange{Title: "Letters", Introduction: "What we send.", Query: "notice department:customer-care", Starter: &starter})
	if err != nil || found.Total != 6 || len(found.Items) != 4 || found.Number != 1 || found.Next == "" {
		t.Fatalf("of a search: %+v, %v", found, err)
	}
	picked, err := s.SetSection(ctx, curator, "first", api.SectionChange{Title: "First", Entries: []string{"notice-4", "draft", "notice-1"}})
	if err != nil || picked.Total != 2 || picked.Items[0].Slug != "notice-4" || picked.Items[1].Slug != "notice-1" || len(picked.Entries) != 3 {
		t.Fatalf("picked by hand: %+v, %v", picked, err)
	}
	if rest, err := s.Section(ctx, "letters", shelf.Query{Limit: 4, Cursor: found.Next}); err != nil || len(rest.Items) != 2 {
		t.Errorf("the second page: %d, %v", len(rest.Items), err)
	}
	page, err := s.Section(ctx, "first", shelf.Query{Limit: 1})
	if err != nil || page.Next == "" {
		t.Fatalf("a page: %+v, %v", page, err)
	}
	if rest, err := s.Section(ctx, "first", shelf.Query{Limit: 1, Cursor: page.Next}); err != nil || len(rest.Items) != 1 || rest.Items[0].Slug != "notice-1" {
		t.Errorf("the next page: %+v, %v", rest.Items, err)
	}
	if err := s.OrderSections(ctx, curator, []string{"first", "letters"}); err != nil {
		t.Fatal(err)
	}
	all, err := s.Sections(ctx)
	if err != nil || len(all.Items) != 2 || all.Items[0].Name != "first" || all.Items[1].Total != 6 {
		t.Errorf("in order: %+v, %v", all.Items, err)
	}
	begins, err := writing.New(w.DB).Starters(ctx)
	if err != nil || len(begins.Starters) != 1 || begins.Starters[0].Section != "letters" {
		t.Errorf("starters: %+v, %v", begins.Starters, err)
	}
	// What was renamed stays in it, and what is taken off the shelf is not shown.
	if _, err := writing.New(w.DB).Rename(ctx, curator, "notice-4", "burst"); err != nil {
		t.Fatal(err)
	}
	if one, err := s.Section(ctx, "first", shelf.Query{}); err != nil || one.Items[0].Slug != "burst" {
		t.Errorf("renamed: %+v, %v", one.Items, err)
	}
	errs := testdb.Race(
		func() error {
			_, err := s.SetSection(ctx, curator, "letters", api.SectionChange{Title: "A", Query: "notice", Number: 1})
			return err
		},
		func() error {
			_, err := s.SetSection(ctx, w.By("chief"), "letters", api.SectionChange{Title: "B", Query: "notice", Number: 1})
			return err
		},
	)
	var newer *work.Outdated
	if (errs[0] == nil) == (errs[1] == nil) || !errors.As(errors.Join(errs...), &newer) {
		t.Errorf("two at once: %v", errs)
	}
	if err := s.DeleteSection(ctx, curator, "first"); err != nil {
		t.Error(err)
	}
	if _, err := s.Section(ctx, "first", shelf.Query{}); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("one that was taken away: %v", err)
	}
}

func TestSectionsThatDoNotHold(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, curator := shelf.New(w.DB, texts.New(w.DB), index.New()), w.By("curator")
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	var wrong problem.List
	for name, in := range map[string]api.SectionChange{
		"nothing in it":     {Title: "T"},
		"both":              {Title: "T", Query: "notice", Entries: []string{"notice"}},
		"without a title":   {Query: "notice"},
		"no such label":     {Title: "T", Query: "department:zoo"},
		"no such entry":     {Title: "T", Entries: []string{"nowhere"}},
		"far too long":      {Title: "T", Query: strings.Repeat("a ", 9000)},
		"a broken starter":  {Title: "T", Query: "notice", Starter: &entry.Content{Kind: "poem"}},
		"a title of a line": {Title: "T\nT", Query: "notice"},
	} {
		if _, err := s.SetSection(ctx, curator, "one", in); !errors.As(err, &wrong) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := s.SetSection(ctx, curator, "Not a name", api.SectionChange{Title: "T", Query: "notice"}); !errors.As(err, &wrong) {
		t.Errorf("a name: %v", err)
	}
	var refused *entry.Refusal
	if _, err := s.SetSection(ctx, w.By("reviewer"), "one", api.SectionChange{Title: "T", Query: "notice"}); !errors.As(err, &refused) {
		t.Errorf("a reviewer: %v", err)
	}
	if _, err := s.SetSection(ctx, curator, "one", api.SectionChange{Title: "T", Query: "label:weir-mail notice application:weir-mail"}); err != nil {
		t.Fatal(err)
	}
	var taken *work.Taken
	if _, err := s.SetSection(ctx, curator, "one", api.SectionChange{Title: "T", Query: "notice"}); !errors.As(err, &taken) {
		t.Errorf("the name again: %v", err)
	}
	// A search that finds nothing whole says so, and the others are shown all the same.
	if _, err := s.SetSection(ctx, curator, "two", api.SectionChange{Title: "Two", Query: "notice submarine"}); err != nil {
		t.Fatal(err)
	}
	all, err := s.Sections(ctx)
	if err != nil || len(all.Items) != 2 || all.Items[1].Total != 0 || all.Items[1].Note.IsZero() {
		t.Errorf("one that finds nothing: %+v, %v", all.Items, err)
	}
	if err := s.OrderSections(ctx, curator, []string{"two"}); !errors.As(err, &wrong) {
		t.Errorf("an order without one: %v", err)
	}
}

// Labels are proposed from what reads alike: not those that the entry has, and none from
// what has little to do with it.
func TestProposeLabels(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := shelf.New(w.DB, texts.New(w.DB), index.New())
	for i := range 3 {
		like := testdb.Prompt(fmt.Sprintf("burst-%d", i), "Write to {{area}}.\n")
		like.Title, like.Summary = fmt.Sprintf("Notice of a burst main %d", i), "Tells households about the burst main."
		other := testdb.Prompt(fmt.Sprintf("taste-%d", i), "Write to {{area}}.\n")
		other.Title, other.Summary = fmt.Sprintf("Complaint of taste %d", i), "Answers who complains of taste."
		other.Labels = map[string][]string{"department": {"laboratory"}}
		w.Publish(like, other)
	}
	bare := testdb.Prompt("bare", "Write to {{area}}.\n")
	bare.Title, bare.Summary = "Burst main in the night", "Tells households of a main that burst."
	bare.Labels = map[string][]string{"model": {"heron-2"}}
	w.Create(bare)
	got, err := s.ProposeLabels(ctx, w.By("contributor"), "bare")
	if err != nil {
		t.Fatal(err)
	}
	all := ""
	for _, p := range got.Items {
		all += p.Facet + "/" + p.Term + " "
	}
	if all != "application/weir-mail department/customer-care " || len(got.Items[0].From) != 3 {
		t.Errorf("proposed: %q, %+v", all, got.Items)
	}
	if _, err := s.ProposeLabels(ctx, w.By("second"), "bare"); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("of a draft that is not to be seen: %v", err)
	}
}

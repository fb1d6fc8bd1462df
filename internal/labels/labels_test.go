package labels_test

import (
	"errors"
	"fmt"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/index"
	"goldshelf/internal/jobs"
	"goldshelf/internal/labels"
	"goldshelf/internal/shelf"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// A term is renamed, and an entry labelled otherwise, without a new version, whatever
// state its open one is in; both are found by the new words.
func TestLabelsMakeNoVersion(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, finder := labels.New(w.DB), shelf.New(w.DB, texts.New(w.DB), index.New())
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	w.Publish(in)
	in.Labels, in.Body = nil, "Write kindly to {{area}}.\n"
	w.Save("notice", in)
	w.Review("notice") // version 2 is approved: its text is locked
	before := w.Rows()["versions"]
	renamed := "People in the open"
	facets, err := s.SetTerm(ctx, w.By("curator"), "department", "customer-care", api.TermChange{Title: &renamed})
	if err != nil || titleOf(facets, "customer-care") != "People in the open" {
		t.Errorf("renamed: %+v, %v", facets, err)
	}
	e, err := s.SetOf(ctx, w.By("contributor"), "notice", map[string][]string{"department": {"customer-care", "laboratory"}})
	if err != nil || e.Version != 2 || e.State != entry.Approved || fmt.Sprint(e.Labels) != "map[department:[customer-care laboratory]]" {
		t.Errorf("labelled: version %d, %s, %v, %v", e.Version, e.State, e.Labels, err)
	}
	if after := w.Rows()["versions"]; after != before {
		t.Errorf("%d versions were made", after-before)
	}
	if _, err := jobs.Index(ctx, w.DB); err != nil {
		t.Fatal(err)
	}
	for _, q := range []shelf.Query{{Text: "people open"}, {Labels: map[string][]string{"department": {"laboratory"}}}} {
		if list, err := finder.Shelf(ctx, work.Service(), q); err != nil || list.Total != 1 {
			t.Errorf("%+v finds %d, %v", q, list.Total, err)
		}
	}
	var refused *entry.Refusal
	if _, err := s.SetOf(ctx, w.By("second"), "notice", nil); !errors.As(err, &refused) {
		t.Errorf("by someone who does not look after it: %v", err)
	}
	if _, err := s.SetTerm(ctx, w.By("reviewer"), "department", "customer-care", api.TermChange{Title: &renamed}); !errors.As(err, &refused) {
		t.Errorf("renamed by a reviewer: %v", err)
	}
}

func titleOf(f api.Facets, term string) string {
	for _, facet := range f.Items {
		for _, t := range facet.Terms {
			if t.Name == term {
				return t.Title
			}
		}
	}
	return ""
}

// Of two who add one term at once one does, and a table can be read again.
func TestTermsAreAddedOnce(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, other := labels.New(w.DB), labels.New(w.Second())
	add := func(s *labels.Service) func() error {
		return func() error {
			_, err := s.Add(ctx, w.By("curator"), api.NewLabel{Facet: "department", Term: "field", Title: "Field"})
			return err
		}
	}
	errs := testdb.Race(add(s), add(other))
	var taken *work.Taken
	if (errs[0] == nil) == (errs[1] == nil) || !errors.As(errors.Join(errs...), &taken) {
		t.Errorf("one term, twice: %v", errs)
	}
	table := []byte("facet,term,title\nregion,north,The north\nregion,,Region\ndepartment,field,Another title\ndepartment,office,\n")
	for range 2 {
		facets, err := s.Import(ctx, w.By("curator"), table)
		if err != nil || titleOf(facets, "north") != "The north" || titleOf(facets, "field") != "Field" {
			t.Fatalf("got %+v, %v", facets, err)
		}
	}
	var wrong problem.List
	if _, err := s.Import(ctx, w.By("curator"), []byte("facet,term,title\nBig Region,x,y\nkind,z,w\n,a,b\n")); !errors.As(err, &wrong) || len(wrong) < 3 {
		t.Errorf("a bad table: %v", err)
	}
}

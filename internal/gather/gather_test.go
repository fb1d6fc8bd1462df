package gather_test

import (
	"errors"
	"fmt"
	"testing"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/gather"
	"goldshelf/internal/index"
	"goldshelf/internal/shelf"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

func zipOf(t *testing.T, n int) []byte {
	t.Helper()
	files := map[string][]byte{}
	for i := range n {
		files[fmt.Sprintf("brought-%d.md", i)] = fmt.Appendf(nil, "---\nkind: snippet\ntitle: Brought %d\nsummary: A part.\n---\nText number %d, with words of its own: %d%d.\n", i, i, i*7, i*13)
	}
	data, err := bundle.WriteZip(files)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// One plan applied by two at once makes its entries once; what has changed since it was
// planned is not applied.
func TestAPlanIsAppliedOnce(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, other, curator := gather.New(w.DB), gather.New(w.Second()), w.By("curator")
	plan, err := s.Create(ctx, curator, "brought.zip", zipOf(t, 20), bundle.Reading{}, "")
	if err != nil || len(plan.Items) != 20 || !plan.Items[0].Selected {
		t.Fatalf("the plan: %+v, %v", plan, err)
	}
	apply := func(s *gather.Service) func() error {
		return func() error {
			_, err := s.Apply(ctx, curator, plan.ID, api.ApplyRequest{Digest: plan.Digest})
			return err
		}
	}
	errs := testdb.Race(apply(s), apply(other))
	if (errs[0] == nil) == (errs[1] == nil) {
		t.Errorf("applied twice at once: %v", errs)
	}
	if rows := w.Rows(); rows["entries"] != 20 || rows["versions"] != 20 {
		t.Errorf("there are %v", rows)
	}

	stale, err := s.Create(ctx, curator, "more.zip", zipOf(t, 21), bundle.Reading{}, "")
	if err != nil {
		t.Fatal(err)
	}
	w.Create(testdb.Part(entry.Snippet, "brought-20", "Somebody was faster.\n"))
	before := w.Rows()
	if _, err := s.Apply(ctx, curator, stale.ID, api.ApplyRequest{Digest: stale.Digest}); err == nil {
		t.Error("a plan that no longer holds was applied")
	}
	if after := w.Rows(); fmt.Sprint(after) != fmt.Sprint(before) {
		t.Errorf("rows were %v, now %v", before, after)
	}
}

// A plan is its maker's alone; who lost the role in between applies nothing.
func TestWhoMayApply(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := gather.New(w.DB)
	plan, err := s.Create(ctx, w.By("curator"), "brought.zip", zipOf(t, 2), bundle.Reading{}, "")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Plan(ctx, w.By("chief"), plan.ID); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("another curator's plan: %v", err)
	}
	was := w.By("curator")
	was.Role = entry.Contributor
	var refused *entry.Refusal
	if _, err := s.Apply(ctx, was, plan.ID, api.ApplyRequest{Digest: plan.Digest}); !errors.As(err, &refused) {
		t.Errorf("by one who is no curator any more: %v", err)
	}
	if _, err := s.Create(ctx, w.By("reviewer"), "brought.zip", zipOf(t, 2), bundle.Reading{}, ""); !errors.As(err, &refused) {
		t.Errorf("planned by a reviewer: %v", err)
	}
	if err := s.Delete(ctx, w.By("curator"), plan.ID); err != nil {
		t.Error(err)
	}
	if _, err := s.Plan(ctx, w.By("curator"), plan.ID); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("a plan that was deleted: %v", err)
	}
}

// What was brought and never applied does not pile up: the oldest goes for the newest.
func TestImportsDoNotPileUp(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := gather.New(w.DB)
	var ids []string
	for range 12 {
		plan, err := s.Create(ctx, w.By("curator"), "brought.zip", zipOf(t, 1), bundle.Reading{}, "")
		if err != nil {
			t.Fatal(err)
		}
		ids = append(ids, plan.ID)
	}
	for i, id := range ids {
		if _, err := s.Plan(ctx, w.By("curator"), id); errors.Is(err, work.ErrNotFound) != (i < 2) {
			t.Errorf("import %d of 12: %v", i+1, err)
		}
	}
}

// Renditions go out and come in as such, in a folder and in a library of one file; one
// whose base is nowhere is not taken in.
func TestRenditionsTravel(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	write := writing.New(w.DB)
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	welsh := testdb.Prompt("notice-cy", "Ysgrifennwch at {{area}}.\n")
	welsh.RenditionOf, welsh.Language = "notice", "cy"
	if _, err := write.Create(ctx, w.By("contributor"), welsh); err != nil {
		t.Fatal(err)
	}
	out := shelf.New(w.DB, texts.New(w.DB), index.New())
	for _, format := range []bundle.Format{bundle.Folder, bundle.JSON} {
		data, err := out.Export(ctx, w.By("curator"), shelf.Outgoing{Format: format})
		if err != nil {
			t.Fatal(err)
		}
		other := databases.World(t, nil)
		s, curator := gather.New(other.DB), other.By("curator")
		plan, err := s.Create(ctx, curator, "moved", data, bundle.Reading{}, "")
		if err != nil {
			t.Fatal(err)
		}
		if _, err := s.Apply(ctx, curator, plan.ID, api.ApplyRequest{Digest: plan.Digest}); err != nil {
			t.Fatal(err)
		}
		e, err := shelf.New(other.DB, texts.New(other.DB), index.New()).Entry(ctx, curator, "notice-cy")
		if err != nil || e.RenditionOf != "notice" {
			t.Errorf("as %s: %+v, %v", format, e.Origin, err)
		}
	}
	lost, err := bundle.WriteZip(map[string][]byte{"lost.md": []byte("---\nkind: snippet\ntitle: Lost\nsummary: A part.\nrendition_of: nowhere\n---\nText.\n")})
	if err != nil {
		t.Fatal(err)
	}
	s := gather.New(w.DB)
	plan, err := s.Create(ctx, w.By("curator"), "lost.zip", lost, bundle.Reading{}, "")
	if err != nil {
		t.Fatal(err)
	}
	var wrong problem.List
	if _, err := s.Apply(ctx, w.By("curator"), plan.ID, api.ApplyRequest{Digest: plan.Digest}); !errors.As(err, &wrong) || wrong[0].Code != "missing" {
		t.Errorf("a rendition of nothing: %v", err)
	}
}

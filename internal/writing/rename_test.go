package writing_test

import (
	"errors"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/index"
	"goldshelf/internal/shelf"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// A renamed entry answers to every slug that it had: to who reads it, to texts that include
// it, to who labels, saves and counts it. No other entry gets them.
func TestRename(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, curator := writing.New(w.DB), w.By("curator")
	on := shelf.New(w.DB, texts.New(w.DB), index.New())
	in := testdb.Prompt("notice", "Write to {{area}}.\n{{include close}}\n")
	in.Persona = "officer"
	w.Publish(testdb.Part(entry.Snippet, "close", "Yours, the care team.\n"), testdb.Part(entry.Persona, "officer", "You are on duty.\n"), in)
	filled := func(slug string) string {
		t.Helper()
		got, err := on.Fill(ctx, w.By("reader"), slug, 0, api.FillRequest{Values: fill.Values{"area": fill.Single("Mill Lane")}})
		if err != nil {
			t.Fatal(err)
		}
		return got.Text
	}
	before := filled("notice")
	for _, r := range [][2]string{{"close", "ending"}, {"officer", "duty"}, {"notice", "burst"}, {"burst", "burst-notice"}} {
		if e, err := s.Rename(ctx, curator, r[0], r[1]); err != nil || e.Slug != r[1] {
			t.Fatal(e.Slug, err)
		}
	}
	for _, slug := range []string{"notice", "burst", "burst-notice"} {
		if got := filled(slug); got != before {
			t.Errorf("filled in by %s: %q, before it was %q", slug, got, before)
		}
	}
	var renamed *texts.Renamed
	if _, err := on.OnShelf(ctx, w.By("reader"), "notice", 0); !errors.As(err, &renamed) || renamed.Now != "burst-notice" {
		t.Errorf("read by the first name: %v", err)
	}
	if e, err := on.OnShelf(ctx, w.By("reader"), "burst-notice", 0); err != nil || strings.Join(e.Formerly, " ") != "burst notice" {
		t.Errorf("it had the names %v, %v", e.Formerly, err)
	}
	if uses, err := on.Uses(ctx, w.By("reader"), "close"); err != nil || len(uses.Items) != 1 || uses.Items[0].Slug != "burst-notice" {
		t.Errorf("what uses it: %+v, %v", uses.Items, err)
	}
	if list, err := on.Shelf(ctx, work.Service(), shelf.Query{Text: "burst"}); err != nil || list.Total != 1 {
		t.Errorf("found by an old name: %d, %v", list.Total, err)
	}
	// Saved and published by its first name, from a text that includes by the first name.
	in.Body = "Write again to {{area}}.\n{{include close}}\n"
	w.Save("notice", in)
	w.Review("burst-notice")
	w.PublishNow("notice")
	if got := filled("burst"); !strings.Contains(got, "again") || !strings.Contains(got, "care team") {
		t.Errorf("after the next version: %q", got)
	}
	var taken *work.Taken
	if _, err := s.Create(ctx, w.By("contributor"), testdb.Prompt("notice", "Other.\n")); !errors.As(err, &taken) {
		t.Errorf("an old name for a new entry: %v", err)
	}
	w.Create(testdb.Prompt("other", "Other.\n"))
	if _, err := s.Rename(ctx, w.By("contributor"), "other", "burst"); !errors.As(err, &taken) {
		t.Errorf("another's old name: %v", err)
	}
	if e, err := s.Rename(ctx, curator, "burst-notice", "notice"); err != nil || e.Slug != "notice" {
		t.Errorf("back to a name of its own: %v", err)
	}
	if err := w.AsService("delete from names"); err == nil {
		t.Error("names can be taken away")
	}
}

func TestWhoRenames(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := writing.New(w.DB)
	w.Create(testdb.Prompt("draft", "Write to {{area}}.\n"))
	var refused *entry.Refusal
	if _, err := s.Rename(ctx, w.By("second"), "draft", "mine"); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("somebody else's draft: %v", err)
	}
	if _, err := s.Rename(ctx, w.By("contributor"), "draft", "first"); err != nil {
		t.Errorf("one's own draft: %v", err)
	}
	w.Review("first")
	w.PublishNow("first")
	if _, err := s.Rename(ctx, w.By("contributor"), "first", "second"); !errors.As(err, &refused) {
		t.Errorf("one's own on the shelf: %v", err)
	}
	if _, err := s.Rename(ctx, w.By("curator"), "first", "Not A Slug"); err == nil {
		t.Error("any text is a slug")
	}
	if _, err := s.Rename(ctx, w.By("reader"), "nowhere", "somewhere"); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("what is not there: %v", err)
	}
}

// Of two who want one slug at the same moment one gets it, whether they make, rename or
// take what another has just let go of.
func TestOneSlugForTwo(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := writing.New(w.DB)
	w.Create(testdb.Prompt("one", "One.\n"), testdb.Prompt("two", "Two.\n"), testdb.Prompt("three", "Three.\n"))
	create := func(slug string) func() error {
		return func() error { _, err := s.Create(ctx, w.By("contributor"), testdb.Prompt(slug, "New.\n")); return err }
	}
	rename := func(from, to string) func() error {
		return func() error { _, err := s.Rename(ctx, w.By("curator"), from, to); return err }
	}
	errs := testdb.Race(rename("one", "wanted"), rename("two", "wanted"), create("wanted"), rename("three", "free"), create("three"))
	got := 0
	for _, err := range errs[:3] {
		var taken *work.Taken
		if err == nil {
			got++
		} else if !errors.As(err, &taken) {
			t.Error(err)
		}
	}
	if got != 1 || errs[3] != nil || errs[4] == nil {
		t.Errorf("%d got the slug; let go of: %v, %v", got, errs[3], errs[4])
	}
	now, err := work.Ask(ctx, w.DB, func(v work.View) (map[string]string, error) { return v.SlugsNow([]string{"three"}) })
	if err != nil || now["three"] != "free" {
		t.Errorf("the old name means %q, %v", now["three"], err)
	}
}

// A short code that a later version gave up goes on meaning its entry.
func TestOldCodesAnswer(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	in.Code = "bmn"
	w.Publish(in)
	in.Code = "bm2"
	w.Save("notice", in)
	w.Review("notice")
	w.PublishNow("notice")
	for _, code := range []string{"bmn", "bm2"} {
		id, err := work.Ask(ctx, w.DB, func(v work.View) (int64, error) { return v.ShelvedID(code, 0) })
		if err != nil || id == 0 {
			t.Errorf("%s means %d, %v", code, id, err)
		}
	}
	other := testdb.Prompt("other", "Other to {{area}}.\n")
	other.Code = "bmn"
	if _, err := writing.New(w.DB).Create(ctx, w.By("contributor"), other); err == nil || !strings.Contains(err.Error(), "notice has the short code bmn") {
		t.Errorf("an old code for another: %v", err)
	}
	if _, err := work.Ask(ctx, w.DB, func(v work.View) (int64, error) { return v.ShelvedID("bm3", 0) }); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a code that nobody had: %v", err)
	}
}

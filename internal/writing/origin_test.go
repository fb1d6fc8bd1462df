package writing_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/merge"
	"goldshelf/core/problem"
	"goldshelf/internal/desk"
	"goldshelf/internal/index"
	"goldshelf/internal/labels"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/shelf"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

func newShelf(w *testdb.World) *shelf.Service { return shelf.New(w.DB, texts.New(w.DB), index.New()) }

// changed publishes another text of an entry.
func changed(w *testdb.World, slug, body string) {
	w.Save(slug, testdb.Prompt(slug, body))
	w.Review(slug)
	w.PublishNow(slug)
}

// What somebody adapts is theirs alone, whatever is asked, until it is shared; the guard is
// in the database.
func TestAnAdaptationIsItsOwnersAlone(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, on := writing.New(w.DB), newShelf(w)
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	own, err := s.Adapt(ctx, w.By("second"), "notice", api.NewAdaptation{Purpose: "open day", Department: "laboratory"})
	if err != nil || own.Slug != "prompt-notice-for-open-day" || !own.Private || own.Origin == nil || own.Origin.Version != 1 || own.Labels["department"][0] != "laboratory" {
		t.Fatalf("%+v, %v", own, err)
	}
	for _, name := range []string{"reader", "contributor", "reviewer", "curator", "chief"} {
		if _, err := on.Entry(ctx, w.By(name), own.Slug); !errors.Is(err, work.ErrNotFound) {
			t.Errorf("%s reads it: %v", name, err)
		}
		if list, err := on.Entries(ctx, w.By(name), shelf.Query{Text: "open day"}); err != nil || list.Total > 0 && !list.Partial {
			t.Errorf("%s finds %d, %v", name, list.Total, err)
		}
		if _, err := s.SaveDraft(ctx, w.By(name), own.Slug, texts.Revision{Version: 1, Revision: 1}, testdb.Prompt(own.Slug, "Mine.\n")); !errors.Is(err, work.ErrNotFound) {
			t.Errorf("%s saves it: %v", name, err)
		}
		if all, err := s.Adaptations(ctx, w.By(name), "notice"); err != nil || len(all.Items) != 0 {
			t.Errorf("%s sees %v, %v", name, all.Items, err)
		}
		if _, err := s.Share(ctx, w.By(name), own.Slug); !errors.Is(err, work.ErrNotFound) {
			t.Errorf("%s shares it: %v", name, err)
		}
	}
	if list, err := on.Entries(ctx, w.By("second"), shelf.Query{Mine: true}); err != nil || list.Total != 1 || list.Items[0].Slug != own.Slug {
		t.Errorf("its owner lists %+v, %v", list.Items, err)
	}
	d, err := s.Draft(ctx, w.By("second"), own.Slug)
	if err != nil {
		t.Fatal(err)
	}
	mine := testdb.Prompt("", "Write to the visitors of {{area}}.\n")
	mine.Labels = nil
	if _, err := s.SaveDraft(ctx, w.By("second"), own.Slug, d.Revision, mine); err != nil {
		t.Errorf("its owner saves it: %v", err)
	}
	if err := w.AsService("update versions set state = 'in-review', note = 'x' where entry_id = (select entry_id from names where name = '" + own.Slug + "')"); err == nil || !strings.Contains(err.Error(), "shared before it is reviewed") {
		t.Errorf("the database lets it be reviewed: %v", err)
	}
	if e, err := s.Share(ctx, w.By("second"), own.Slug); err != nil || e.Private {
		t.Fatalf("shared: %v, %v", e.Private, err)
	}
	if all, err := s.Adaptations(ctx, w.By("curator"), "notice"); err != nil || len(all.Items) != 1 || all.Items[0].Purpose != "open day" {
		t.Errorf("once it is shared: %v, %v", all.Items, err)
	}
	if _, err := on.Entry(ctx, w.By("reviewer"), own.Slug); err != nil {
		t.Errorf("a reviewer reads it: %v", err)
	}
}

// To ask for a review is to share.
func TestSubmittingShares(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := writing.New(w.DB)
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	own, err := s.Adapt(ctx, w.By("second"), "notice", api.NewAdaptation{Slug: "mine"})
	if err != nil {
		t.Fatal(err)
	}
	e, err := lifecycle.New(w.DB).Submit(ctx, w.By("second"), own.Slug, "For us.")
	if err != nil || e.Private {
		t.Fatal(e.Private, err)
	}
	// The writers of what it came from are among its own: they do not approve it.
	w.Exec("update people set role = 'reviewer' where name = 'contributor'")
	by := w.By("contributor")
	by.Role = entry.Reviewer
	if _, err := lifecycle.New(w.DB).Approve(ctx, by, own.Slug, e.Seen, ""); !errors.Is(err, entry.ErrOwnWork) {
		t.Errorf("a writer of the origin approves: %v", err)
	}
}

const longer = "One.\nTwo.\nThree.\nFour to {{area}}.\nFive.\n"

// What changed where an entry came from is on its owner's desk, shown beside their own, and
// taken over; a conflict is decided first.
func TestTakingOverFromTheOrigin(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, second := writing.New(w.DB), w.By("second")
	w.Publish(testdb.Prompt("notice", longer))
	own, err := s.Adapt(ctx, second, "notice", api.NewAdaptation{Slug: "mine"})
	if err != nil {
		t.Fatal(err)
	}
	d, err := s.Draft(ctx, second, "mine")
	if err != nil {
		t.Fatal(err)
	}
	mine := own.Content
	mine.Body = strings.Replace(strings.Replace(longer, "Three.", "Three of ours.", 1), "Five.", "Five of ours.", 1)
	if d, err = s.SaveDraft(ctx, second, "mine", d.Revision, api.NewEntry{Content: mine}); err != nil {
		t.Fatal(err)
	}
	changed(w, "notice", strings.Replace(strings.Replace(longer, "One.", "One of theirs.", 1), "Five.", "Five of theirs.", 1))
	waiting, err := desk.New(w.DB).Desk(ctx, second, 0, "")
	if err != nil || len(waiting.Items) != 2 || waiting.Items[0].Action != entry.Compare || waiting.Items[0].Slug != "mine" {
		t.Errorf("on the desk: %+v, %v", waiting.Items, err)
	}
	m, err := s.Origin(ctx, second, "mine")
	if err != nil || m.Version != 1 || m.Now != 2 || !m.Draft || len(m.Hunks) != 5 || m.Hunks[4].Outcome != merge.Conflict {
		t.Fatalf("beside each other: %+v, %v", m, err)
	}
	var wrong problem.List
	if _, err := s.TakeOver(ctx, second, "mine", d.Revision, api.TakeOver{Version: 2}); !errors.As(err, &wrong) || wrong[0].Field != "/hunks/4" {
		t.Errorf("with a conflict: %v", err)
	}
	if _, err := s.TakeOver(ctx, second, "mine", d.Revision, api.TakeOver{Version: 1}); !errors.As(err, &wrong) || wrong[0].Field != "/version" {
		t.Errorf("up to an older version: %v", err)
	}
	choices := merge.Choices{Hunks: map[int]merge.Side{4: merge.TakeBoth}}
	var clash *writing.Clash
	if _, err := s.TakeOver(ctx, second, "mine", texts.Revision{}, api.TakeOver{Version: 2, Choices: choices}); !errors.As(err, &clash) {
		t.Errorf("on a draft that was not seen: %v", err)
	}
	taken, err := s.TakeOver(ctx, second, "mine", d.Revision, api.TakeOver{Version: 2, Choices: choices})
	if want := "One of theirs.\nTwo.\nThree of ours.\nFour to {{area}}.\nFive of ours.\nFive of theirs.\n"; err != nil || taken.Entry.Body != want || taken.Entry.Origin.Version != 2 || taken.Entry.Labels["department"] == nil {
		t.Fatalf("taken over: %q, %v", taken.Entry.Body, err)
	}
	if m, err := s.Origin(ctx, second, "mine"); err != nil || m.Moved() {
		t.Errorf("afterwards: %+v, %v", m.Hunks, err)
	}
	// Two at once, or sent twice: it is taken over once.
	changed(w, "notice", strings.Replace(strings.Replace(longer, "One.", "One of theirs.", 1), "Five.", "Five of theirs.\nSix.", 1))
	errs := testdb.Race(
		func() error {
			_, err := s.TakeOver(ctx, second, "mine", taken.Revision, api.TakeOver{Version: 3})
			return err
		},
		func() error {
			_, err := s.TakeOver(ctx, second, "mine", taken.Revision, api.TakeOver{Version: 3})
			return err
		},
	)
	now, err := s.Draft(ctx, second, "mine")
	if err != nil || errs[0] != nil && errs[1] != nil || strings.Count(now.Entry.Body, "Six.") != 1 || now.Entry.Origin.Version != 3 {
		t.Errorf("two at once: %v; the draft is %q, %v", errs, now.Entry.Body, err)
	}
	changed(w, "notice", longer)
	if e, err := s.FollowOrigin(ctx, second, "mine", 4); err != nil || e.Origin.Version != 4 {
		t.Errorf("looked at, and nothing taken: %+v, %v", e.Origin, err)
	}
	if _, err := s.FollowOrigin(ctx, w.By("contributor"), "mine", 4); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("by somebody else: %v", err)
	}
}

// What several adaptations changed alike is offered where they came from.
func TestWhatManyChangedAlike(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := writing.New(w.DB)
	w.Publish(testdb.Prompt("notice", longer))
	for i, name := range []string{"second", "second", "reviewer", "tester"} {
		slug := fmt.Sprintf("mine-%d", i)
		own, err := s.Adapt(ctx, w.By(name), "notice", api.NewAdaptation{Slug: slug})
		if err != nil {
			t.Fatal(err)
		}
		c := own.Content
		c.Body = strings.Replace(longer, "Three.", "Three, kindly.", 1) + fmt.Sprintf("Number %d.\n", i)
		d, err := s.Draft(ctx, w.By(name), slug)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := s.SaveDraft(ctx, w.By(name), slug, d.Revision, api.NewEntry{Content: c}); err != nil {
			t.Fatal(err)
		}
		if i < 3 {
			if _, err := s.Share(ctx, w.By(name), slug); err != nil {
				t.Fatal(err)
			}
		}
	}
	all, err := s.Adaptations(ctx, w.By("curator"), "notice")
	if err != nil || len(all.Items) != 3 || len(all.Alike) != 1 || all.Alike[0].After != "Three, kindly.\n" || len(all.Alike[0].In) != 3 {
		t.Errorf("%+v, %v", all, err)
	}
	if all, err := s.Adaptations(ctx, w.By("reader"), "notice"); err != nil || len(all.Items) != 0 {
		t.Errorf("a reader sees %+v, %v", all, err)
	}
}

func TestWhatCannotBeAdapted(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := writing.New(w.DB)
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"), testdb.Prompt("old", "Write to {{area}}.\n"))
	w.Create(testdb.Prompt("draft", "Write to {{area}}.\n"))
	if _, err := lifecycle.New(w.DB).Retire(ctx, w.By("curator"), "old", api.Retirement{Because: "Old.", Instead: "notice"}); err != nil {
		t.Fatal(err)
	}
	var gone *texts.Gone
	if _, err := s.Adapt(ctx, w.By("second"), "old", api.NewAdaptation{}); !errors.As(err, &gone) {
		t.Errorf("what is retired: %v", err)
	}
	if _, err := s.Adapt(ctx, w.By("contributor"), "draft", api.NewAdaptation{}); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("what is not on the shelf: %v", err)
	}
	var refused *entry.Refusal
	if _, err := s.Adapt(ctx, w.By("reader"), "notice", api.NewAdaptation{}); !errors.As(err, &refused) {
		t.Errorf("a reader: %v", err)
	}
	var wrong problem.List
	if _, err := s.Adapt(ctx, w.By("second"), "notice", api.NewAdaptation{Department: "zoo"}); !errors.As(err, &wrong) {
		t.Errorf("for no department: %v", err)
	}
	if _, err := s.Origin(ctx, w.By("curator"), "notice"); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("what came of none: %v", err)
	}
}

// The base's slug answers with the rendition that suits, and says which there are; a number
// and an include never switch, and what was used names what went in.
func TestRenditions(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, on := writing.New(w.DB), newShelf(w)
	w.Publish(testdb.Part(entry.Snippet, "close", "Kind regards.\n"), testdb.Prompt("notice", "Write to {{area}}.\n{{include close}}\n"))
	for _, of := range []string{"notice", "close"} {
		r, err := s.Render(ctx, w.By("contributor"), of, api.NewRendition{Language: "cy"})
		if err != nil || r.Slug != of+"-cy" || r.RenditionOf != of || r.Private {
			t.Fatalf("%+v, %v", r, err)
		}
		in := api.NewEntry{Content: r.Content}
		in.Body = strings.NewReplacer("Write to", "Ysgrifennwch at", "Kind regards", "Cofion").Replace(in.Body)
		in.Labels = nil
		w.Save(r.Slug, in)
		w.Review(r.Slug)
		w.PublishNow(r.Slug)
	}
	filled := func(ref string, number int, req api.FillRequest) (string, string) {
		t.Helper()
		req.Values = fill.Values{"area": fill.Single("Mill Lane")}
		got, err := on.Fill(ctx, w.By("reader"), ref, number, req)
		if err != nil {
			t.Fatal(err)
		}
		return got.Text, got.Layers[len(got.Layers)-1].Entry
	}
	for name, c := range map[string]struct {
		ref    string
		number int
		req    api.FillRequest
		want   string
	}{
		"nothing preferred": {"notice", 0, api.FillRequest{}, "notice"},
		"Welsh preferred":   {"notice", 0, api.FillRequest{Languages: "cy-GB,en"}, "notice-cy"},
		"English preferred": {"notice", 0, api.FillRequest{Languages: "en,cy"}, "notice"},
		"by number":         {"notice", 1, api.FillRequest{Languages: "cy"}, "notice"},
		"the base itself":   {"notice", 0, api.FillRequest{Languages: "cy", Base: true}, "notice"},
		"by its own name":   {"notice-cy", 0, api.FillRequest{Languages: "en"}, "notice-cy"},
	} {
		text, from := filled(c.ref, c.number, c.req)
		if from != c.want {
			t.Errorf("%s: from %s, want %s", name, from, c.want)
		}
		if strings.Contains(text, "Cofion") {
			t.Errorf("%s: an include switched: %q", name, text)
		}
	}
	e, err := on.Fitting(ctx, w.By("reader"), "notice", 0, texts.Stack{Languages: "cy"})
	if err != nil || e.Slug != "notice-cy" || len(e.Renditions) != 2 || !e.Renditions[0].Base || e.Renditions[0].Slug != "notice" {
		t.Errorf("read: %+v, %v", e.Renditions, err)
	}
	changed(w, "notice", "Write at once to {{area}}.\n")
	waiting, err := desk.New(w.DB).Desk(ctx, w.By("contributor"), 0, "")
	if err != nil || len(waiting.Items) != 1 || waiting.Items[0].Slug != "notice-cy" {
		t.Errorf("on the desk once the base has moved on: %+v, %v", waiting.Items, err)
	}

	var wrong problem.List
	for name, in := range map[string]api.NewRendition{"for nobody else": {}, "no language": {Language: "?"}, "the same application": {Application: "weir-mail"}} {
		if _, err := s.Render(ctx, w.By("contributor"), "notice", in); !errors.As(err, &wrong) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := s.Render(ctx, w.By("contributor"), "notice-cy", api.NewRendition{Language: "fr"}); !errors.As(err, &wrong) {
		t.Errorf("of a rendition: %v", err)
	}
	brought := testdb.Prompt("notice-fr", "Écrivez à {{area}}.\n")
	brought.RenditionOf, brought.Language = "notice", "fr"
	if e, err := s.Create(ctx, w.By("contributor"), brought); err != nil || e.RenditionOf != "notice" {
		t.Errorf("brought as a rendition: %+v, %v", e.Origin, err)
	}
	brought.RenditionOf = "nowhere"
	if _, err := s.Create(ctx, w.By("contributor"), brought); !errors.As(err, &wrong) || wrong[0].Field != "/rendition_of" {
		t.Errorf("of nothing: %v", err)
	}
}

// What is filled from memory follows labels and names, at once here and soon at another service:
// a rendition that is another application's by now is not given to the first any more.
func TestFillsFollowLabelsAndNames(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := writing.New(w.DB)
	if err := w.Store.Change(ctx, w.Clock.Now(), func(tx store.Tx) error {
		return tx.AddTerm(store.Term{Facet: "application", Name: "reed-notes", Title: "Reed Notes"})
	}); err != nil {
		t.Fatal(err)
	}
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	r, err := s.Render(ctx, w.By("contributor"), "notice", api.NewRendition{Application: "reed-notes"})
	if err != nil {
		t.Fatal(err)
	}
	in := api.NewEntry{Content: r.Content}
	in.Labels = map[string][]string{"department": {"customer-care"}, "application": {"reed-notes"}}
	w.Save(r.Slug, in)
	w.Review(r.Slug)
	w.PublishNow(r.Slug)
	second := w.Second()
	own, other := newShelf(w), shelf.New(second, texts.New(second), index.New())
	gives := func(want string) {
		t.Helper()
		for name, on := range map[string]*shelf.Service{"this service": own, "another": other} {
			var from string
			for end := time.Now().Add(3 * time.Second); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
				got, err := on.Fill(ctx, w.By("reader"), "notice", 0, api.FillRequest{For: "reed-notes", Values: fill.Values{"area": fill.Single("Mill Lane")}})
				if err != nil {
					t.Fatal(err)
				}
				if from = got.Layers[len(got.Layers)-1].Entry; from == want || on == own {
					break
				}
			}
			if from != want {
				t.Errorf("%s gives %s, not %s", name, from, want)
			}
		}
	}
	gives(r.Slug)
	if _, err := labels.New(w.DB).SetOf(ctx, w.By("curator"), r.Slug, map[string][]string{"application": {"weir-mail"}}); err != nil {
		t.Fatal(err)
	}
	gives("notice")
	if _, err := s.Rename(ctx, w.By("curator"), "notice", "letter"); err != nil {
		t.Fatal(err)
	}
	gives("letter")
}

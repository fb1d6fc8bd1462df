package similar_test

import (
	"errors"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/jobs"
	"goldshelf/internal/similar"
	"goldshelf/internal/testdb"
	"goldshelf/internal/writing"
)

// A text is held against what is there, and a search for it writes nothing: what drafts
// are found by is kept by the save and a job.
func TestSimilar(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := similar.New(w.DB)
	const text = "Tell the households in {{area}} that water is back, thank them in a sentence, and say that cloudy water is air and clears within two minutes.\n"
	w.Publish(testdb.Prompt("all-clear", text))
	w.Create(testdb.Prompt("all-clear-again", text+"Be kind about it.\n"))
	if _, err := jobs.Index(ctx, w.DB); err != nil {
		t.Fatal(err)
	}
	w.Exec("create table untouched as select id, xmin::text as was from versions")
	found, err := s.To(ctx, w.By("contributor"), api.TextOf{Body: text})
	if err != nil || len(found.Items) != 2 || found.Items[0].Slug != "all-clear" || found.Items[0].Likeness != 100 {
		t.Fatalf("found: %+v, %v", found.Items, err)
	}
	if seen, err := s.To(ctx, w.By("second"), api.TextOf{Body: text}); err != nil || len(seen.Items) != 1 {
		t.Errorf("one who may not see the draft finds %d, %v", len(seen.Items), err)
	}
	groups, err := s.Groups(ctx, w.By("curator"))
	if err != nil || len(groups.Groups) != 1 || len(groups.Groups[0].Items) != 2 {
		t.Errorf("groups: %+v, %v", groups, err)
	}
	w.Exec(`do $$ begin
		if exists (select from versions v join untouched u using (id) where v.xmin::text <> u.was) then raise exception 'a search wrote'; end if;
	end $$`)
}

// What the library says more than once is told with the words that saying it once would save,
// and what was adapted with those that its origin has said since.
func TestRepetition(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	const sentence = "Write for someone who reads it once, on a phone and in a hurry."
	text := func(slug, more string) api.NewEntry {
		return testdb.Prompt(slug, "Write to {{area}} about "+slug+".\n\n"+sentence+"\n\n"+more)
	}
	const same = "Say that the water is back, thank them for their patience in one sentence, and that cloudy water is only air which clears in two minutes.\n"
	w.Publish(text("first", "Be brief and kind to the households of the valley today.\n"), text("second", same), text("third", same+"Close it kindly, with the number of the office.\n"))
	if _, err := writing.New(w.DB).Adapt(ctx, w.By("contributor"), "first", api.NewAdaptation{Slug: "own"}); err != nil {
		t.Fatal(err)
	}
	w.Save("first", text("first", "Be brief and kind to the households of the valley today. Name the three farms first.\n"))
	w.Review("first")
	w.PublishNow("first")
	look := func() api.Repetition {
		if _, err := jobs.Index(ctx, w.DB); err != nil {
			t.Fatal(err)
		}
		out, err := similar.New(w.DB).Repetition(ctx, w.By("curator"))
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	out := look()
	if len(out.Drifted) != 0 {
		t.Errorf("shown is what is somebody's alone: %+v", out.Drifted)
	}
	if len(out.Groups) != 1 || len(out.Groups[0].Items) != 2 || out.Groups[0].Items[1].Slug != "third" || out.Groups[0].Saves < 35 || out.Groups[0].Saves > 42 {
		t.Errorf("the groups are %+v; want second and third, which share nearly all of 42 words", out.Groups)
	}
	if len(out.Passages) != 1 || out.Passages[0].Words != 14 || out.Passages[0].Saves != 28 {
		t.Errorf("the passages are %+v; want 14 words in three entries", out.Passages)
	}
	if _, err := writing.New(w.DB).Share(ctx, w.By("contributor"), "own"); err != nil {
		t.Fatal(err)
	}
	out = look()
	if d := out.Drifted; len(d) != 1 || d[0].Slug != "own" || d[0].Of != "first" || d[0].From != 1 || d[0].Now != 2 || d[0].Saves < 3 || d[0].Saves > 10 || d[0].Likeness < 50 {
		t.Errorf("drifted are %+v; want own, five words behind", d)
	}
	var refused *entry.Refusal
	if _, err := similar.New(w.DB).Repetition(ctx, w.By("reviewer")); !errors.As(err, &refused) {
		t.Errorf("a reviewer: %v", err)
	}
}

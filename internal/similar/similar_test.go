package similar_test

import (
	"testing"

	"goldshelf/api"
	"goldshelf/internal/jobs"
	"goldshelf/internal/similar"
	"goldshelf/internal/testdb"
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

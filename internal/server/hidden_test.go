package server

import (
	"net/http"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/internal/testdb"
)

// What is said of a draft by the way (in a text that includes it, a file that it would
// stand in, a count, a code, a list of what is like it) is said to those who may see it,
// and to others as if it were not there.
func TestHiddenDraftsShowNowhere(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	w.publish(snippet("seen", "Kind regards to all of the street.\n"))
	const text = "Tell the households of the night plan, {{secret_name}}, and of nothing that comes after it in the month of May.\n"
	hidden := testdb.Part(entry.Snippet, "hidden-plan", text)
	hidden.Code = "hp7"
	step[api.Entry](t, "create")(w.as("contributor").Create(ctx, hidden))
	w.indexed()
	same := func(what string, who, path, of, without string) {
		t.Helper()
		is, none := w.call(who, http.MethodPost, path, of), w.call(who, http.MethodPost, path, strings.ReplaceAll(of, "hidden-plan", "never-there"))
		if want := strings.ReplaceAll(none.body, "never-there", "hidden-plan"); is.status != none.status || is.body != want || strings.Contains(is.body, without) {
			t.Errorf("%s as %s: %d %s\nand of what is not there: %d %s", what, who, is.status, is.body, none.status, want)
		}
	}
	content := `{"kind": "prompt", "title": "T", "summary": "S", "labels": {}, "blanks": [], "body": "{{include hidden-plan}}\n"}`
	for _, who := range []string{"reader", "second"} {
		same("a check of what includes it", who, "/api/v1/check", content, "secret_name")
		same("a preview", who, "/api/v1/preview", `{"body": "{{include hidden-plan}}\n", "blanks": [], "values": {}}`, "secret_name")
		same("what is like it", who, "/api/v1/similar", `{"slug": "hidden-plan", "body": "nothing of the kind"}`, "secret_name")
		if found := step[api.SimilarList](t, "similar")(w.as(who).Similar(ctx, api.TextOf{Body: text})); len(found.Items) != 0 {
			t.Errorf("%s finds what is like it: %+v", who, found.Items)
		}
		list := step[api.List](t, "entries")(w.as(who).Entries(ctx, client.Query{}))
		if list.Total != 1 || strings.Contains(list.Items[0].Slug, "hidden") {
			t.Errorf("%s lists %d", who, list.Total)
		}
		people := step[api.People](t, "people")(w.as(who).People(ctx))
		for _, p := range people.Items {
			if p.Name == "contributor" && p.Owns != 1 {
				t.Errorf("%s is told that the contributor owns %d, want 1", who, p.Owns)
			}
		}
		_, is := w.as(who).Export(ctx, bundle.Folder, []string{"hidden-plan"}, client.Query{})
		_, none := w.as(who).Export(ctx, bundle.Folder, []string{"never-there"}, client.Query{})
		if is == nil || none == nil || is.Error() != strings.ReplaceAll(none.Error(), "never-there", "hidden-plan") {
			t.Errorf("%s takes it out: %v; and what is not there: %v", who, is, none)
		}
	}
	other := testdb.Part(entry.Snippet, "other-plan", "Another text.\n")
	other.Code = "hp7"
	if _, err := w.as("second").Create(ctx, other); err != nil {
		t.Errorf("a short code that only a hidden draft claims: %v", err)
	}

	// What was said in a review stays among those who may see drafts.
	step[api.Entry](t, "submit")(w.as("contributor").Submit(ctx, "hidden-plan", "First."))
	step[api.Entry](t, "return")(giveBack(w.as("reviewer"), "hidden-plan", "Far too blunt."))
	step[api.Entry](t, "submit")(w.as("contributor").Submit(ctx, "hidden-plan", "First."))
	step[api.Entry](t, "approve")(approve(w.as("reviewer"), "hidden-plan", "Just about."))
	step[api.Entry](t, "publish")(publish(w.as("curator"), "hidden-plan"))
	for who, sees := range map[string]bool{"reader": false, "second": false, "contributor": true, "reviewer": true} {
		e := step[api.Entry](t, "read")(w.as(who).ShelfEntry(ctx, "hidden-plan"))
		if (e.Returned != "") != sees || (e.Approvals[0].Comment != "") != sees || e.Approvals[0].By != "Reviewer" {
			t.Errorf("%s reads of the review: %q, %+v", who, e.Returned, e.Approvals)
		}
	}

	// News of drafts end with the role by which they came.
	if err := w.as("second").Follow(ctx, api.Follow{What: "entry", Name: "hidden-plan"}, true); err != nil {
		t.Fatal(err)
	}
	if err := w.as("tester").Follow(ctx, api.Follow{What: "entry", Name: "hidden-plan"}, true); err != nil {
		t.Fatal(err)
	}
	step[api.Entry](t, "next")(next(w, "hidden-plan", text+"More.\n"))
	step[api.Entry](t, "submit")(w.as("contributor").Submit(ctx, "hidden-plan", "Second."))
	step[api.Entry](t, "return")(giveBack(w.as("reviewer"), "hidden-plan", "Blunter still."))
	heard := func(who string) int {
		return len(step[api.News](t, "news")(w.as(who).News(ctx, 0, "")).Items)
	}
	if a, b := heard("tester"), heard("second"); a != 1 || b != 0 {
		t.Errorf("a reviewer has %d news, and a contributor %d", a, b)
	}
	w.Exec(`update people set role = 'reader' where name = 'tester'`)
	w.Clock.Pass(2e9)
	if n := heard("tester"); n != 0 {
		t.Errorf("a reviewer who became a reader still has %d news", n)
	}
}

// next saves the next version of an entry.
func next(w *world, slug, body string) (api.Entry, error) {
	e, _, err := w.as("contributor").SaveDraft(w.t.Context(), slug, "", testdb.Part(entry.Snippet, slug, body))
	return e, err
}

// What is somebody's alone is nowhere in what the service answers to others, whatever is
// asked: curators and reviewers included. The record says that something was made, and no
// more.
func TestWhatIsOnesOwnShowsNowhere(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	const text = "Tell the households of {{area}} that water is back, thank them in a sentence, and say that cloudy water is air and clears within two minutes.\n"
	w.publish(testdb.Prompt("notice", text))
	own := step[api.Entry](t, "adapt")(w.as("second").Adapt(ctx, "notice", api.NewAdaptation{Slug: "mine-alone", Title: "Zanzibar"}))
	in := own.Content
	in.Body, in.Summary, in.Code = text+"Of Zanzibar.\n", "Zanzibar.", "zz9"
	_, tag, err := w.as("second").Draft(ctx, "mine-alone")
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := w.as("second").SaveDraft(ctx, "mine-alone", tag, api.NewEntry{Content: in}); err != nil {
		t.Fatal(err)
	}
	w.indexed()
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	asked := 0
	for path, item := range doc.Paths.Map() {
		if item.Get == nil || strings.HasPrefix(path, "/feeds") {
			continue
		}
		for _, slug := range []string{"notice", "mine-alone"} {
			at := strings.NewReplacer("{slug}", slug, "{ref}", slug, "{user}", slug, "{number}", "1", "{id}", "1", "{name}", "one").Replace(path)
			for _, query := range []string{"", "?q=zanzibar&mine=false", "?format=json", "?slug=mine-alone&format=csv"} {
				for _, who := range []string{"curator", "reviewer", "contributor"} {
					got := w.call(who, http.MethodGet, "/api/v1"+at+query, "")
					asked++
					record := strings.HasPrefix(path, "/audit")
					if got.status >= 500 || strings.Contains(strings.ToLower(strings.ReplaceAll(got.body, "q=zanzibar", "")), "zanzibar") || !record && slug == "notice" && strings.Contains(got.body, "mine-alone") && !strings.Contains(query, "mine-alone") {
						t.Errorf("%s as %s: %d %.300s", at+query, who, got.status, got.body)
					}
				}
			}
		}
	}
	if asked < 500 {
		t.Errorf("only %d things were asked", asked)
	}
}

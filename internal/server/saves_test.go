package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/fill"
)

// saved counts the saves in the record of an entry.
func (w *world) saved(slug string) int {
	w.t.Helper()
	return len(step[api.Audit](w.t, "audit")(w.as("curator").Audit(context.Background(), client.AuditQuery{Entry: slug, Action: "save"})).Items)
}

func TestAHundredPeopleSaveOneDraft(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	author := w.as("contributor")
	step[api.Entry](t, "create")(author.Create(ctx, snippet("crowded", "Nobody's yet.\n")))
	_, etag, err := author.Draft(ctx, "crowded")
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	got := make([]answered, 100)
	for n := range got {
		body, err := json.Marshal(snippet("crowded", fmt.Sprintf("This is number %d's.\n", n)))
		if err != nil {
			t.Fatal(err)
		}
		text := strings.ReplaceAll(strings.ReplaceAll(string(body), `"blanks":null`, `"blanks":[]`), `"labels":null`, `"labels":{}`)
		wg.Go(func() {
			got[n] = w.call("contributor", http.MethodPut, "/api/v1/entries/crowded/draft", text, "If-Match", etag)
		})
	}
	wg.Wait()
	won := ""
	for n, a := range got {
		var e api.Entry
		switch {
		case a.status == http.StatusOK && won == "":
			if err := json.Unmarshal([]byte(a.body), &e); err != nil {
				t.Fatal(err)
			}
			won = e.Body
		case a.status != http.StatusPreconditionFailed:
			t.Errorf("number %d: status %d, %s", n, a.status, a.body)
		}
	}
	if now := step[api.Entry](t, "read")(author.Entry(ctx, "crowded")); won == "" || now.Body != won {
		t.Errorf("the draft says %q, and %q was answered as saved", now.Body, won)
	}
	if n := w.saved("crowded"); n != 1 {
		t.Errorf("the record has %d saves, want 1", n)
	}
}

// Many save drafts of their own at once: each is saved, each is recorded, and what
// comes back is what is there.
func TestManySaveAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	author := w.as("contributor")
	const writers, each = 8, 10
	var wg sync.WaitGroup
	// Others search meanwhile, which works through what was saved.
	searching, stop := context.WithCancel(ctx)
	var searchers sync.WaitGroup
	for range 3 {
		searchers.Go(func() {
			for searching.Err() == nil {
				if _, err := author.Entries(ctx, client.Query{Words: "text"}); err != nil {
					t.Error(err)
				}
			}
		})
	}
	for n := range writers {
		wg.Go(func() {
			slug := fmt.Sprintf("many-%d", n)
			in := snippet(slug, "Text 0 of {{hours}}.\n", fill.Blank{Name: "hours"})
			if _, err := author.Create(ctx, in); err != nil {
				t.Error(err)
				return
			}
			_, etag, err := author.Draft(ctx, slug)
			for k := 1; k <= each && err == nil; k++ {
				if in.Body = fmt.Sprintf("Text %d of {{hours}}.\n", k); k == 5 {
					in.Blanks[0].Ask = "How many hours?" // not the text alone
				}
				var e api.Entry
				if e, etag, err = author.SaveDraft(ctx, slug, etag, in); err == nil && (e.Body != in.Body || e.SavedBy != "contributor" || e.Blanks[0].Ask != in.Blanks[0].Ask) {
					t.Errorf("%s: saved %q, and got %q by %s", slug, in.Body, e.Body, e.SavedBy)
				}
			}
			now, tag, readErr := author.Draft(ctx, slug)
			if err != nil || readErr != nil || now.Body != in.Body || tag != etag || now.Blanks[0].Ask != "How many hours?" {
				t.Errorf("%s: %v, %v; the draft says %q under %s, want %q under %s", slug, err, readErr, now.Body, tag, in.Body, etag)
			}
			if again, sameTag, err := author.SaveDraft(ctx, slug, etag, in); err != nil || sameTag != etag || again.Body != in.Body {
				t.Errorf("%s: saving what is there gives %s (%v), want %s", slug, sameTag, err, etag)
			}
		})
	}
	wg.Wait()
	stop()
	searchers.Wait()
	for n := range writers {
		if got := w.saved(fmt.Sprintf("many-%d", n)); got != each {
			t.Errorf("the record has %d saves of many-%d, want %d", got, n, each)
		}
	}
	// Found by what it says now, once it is indexed.
	w.indexed()
	if list := step[api.List](t, "find")(author.Entries(ctx, client.Query{Words: "Text 10"})); list.Total != writers {
		t.Errorf("by their words %d drafts are found, want %d", list.Total, writers)
	}
	// Records that are written together are links of the same chain.
	files := map[string][]byte{}
	for n := range 300 {
		files[fmt.Sprintf("in-%d.md", n)] = fmt.Appendf(nil, "---\nkind: snippet\ntitle: In %d\n---\nNumber %d of those that came in.\n", n, n)
	}
	data, err := bundle.WriteZip(files)
	if err != nil {
		t.Fatal(err)
	}
	plan := step[api.Plan](t, "bring")(w.as("curator").CreateImport(ctx, "in.zip", data, bundle.Reading{}, ""))
	var choices []api.Choice
	for i := range plan.Items {
		choices = append(choices, api.Choice{Number: i, Do: api.Import})
	}
	step[api.Applied](t, "take")(w.as("curator").ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest, Choices: choices}))
	if v := step[api.Verified](t, "verify")(w.as("curator").VerifyAudit(ctx, "")); v.Broken != 0 || v.Records < 300+writers*(each+1) {
		t.Errorf("the record: %+v", v)
	}
}

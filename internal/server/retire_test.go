package server

import (
	"context"
	"net/http"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/check"
	"goldshelf/core/entry"
)

func TestRetireAndRestore(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	curator, reader, author := w.as("curator"), w.as("reader"), w.as("contributor")
	w.publish(snippet("close-old", "Yours.\n"))
	w.publish(snippet("close-new", "Kind regards.\n"))
	user := notice("Say it.\n{{include close-old}}\n")
	w.publish(user)

	why := api.Retirement{Because: "Too cold.", Instead: "close-new"}
	_, err := author.Retire(ctx, "close-old", why)
	refused(t, "a contributor retires", err, http.StatusForbidden, "only a curator may retire")
	_, err = curator.Retire(ctx, "close-old", why)
	refused(t, "retiring what is in use", err, http.StatusConflict, "burst-main-notice@1", "includes it")
	_, err = curator.Restore(ctx, "close-old")
	refused(t, "restoring what is on the shelf", err, http.StatusConflict, "close-old is published", "retire")
	for name, bad := range map[string]struct {
		how  api.Retirement
		says string
	}{
		"no reason":          {api.Retirement{}, "the reason is missing"},
		"nothing instead":    {api.Retirement{Because: "x", Instead: "gone"}, `no entry "gone" on the shelf`},
		"itself instead":     {api.Retirement{Because: "x", Instead: "close-old"}, "cannot take its own place"},
		"another kind":       {api.Retirement{Because: "x", Instead: "burst-main-notice"}, "is a prompt"},
		"a reason with NULs": {api.Retirement{Because: "x\x00"}, "NUL"},
	} {
		_, err := curator.Retire(ctx, "close-old", bad.how)
		refused(t, name, err, http.StatusUnprocessableEntity, bad.says)
	}

	// Moved to the replacement, the old one can go.
	user.Body = strings.ReplaceAll(user.Body, "close-old", "close-new")
	w.publish(user)
	old := step[api.Entry](t, "retire")(curator.Retire(ctx, "close-old", why))
	if old.State != entry.Retired || old.Published != 0 || old.Retired == nil || old.Retired.Instead != "close-new" || old.Retired.By != "Curator" {
		t.Errorf("got %+v (%+v), want it retired in favour of close-new", old.State, old.Retired)
	}
	if len(old.Actions) == 0 || old.Actions[len(old.Actions)-1] != entry.Restore {
		t.Errorf("got the actions %v, want restore among them", old.Actions)
	}
	_, err = curator.Retire(ctx, "close-old", why)
	refused(t, "retiring twice", err, http.StatusConflict, "close-old is retired")

	// The old slug answers, says so, and leads on; nothing new is made with it.
	seen := step[api.Entry](t, "read")(reader.ShelfEntry(ctx, "close-old"))
	if seen.State != entry.Retired || seen.Retired.Because != "Too cold." || seen.Body != "Yours.\n" {
		t.Errorf("got %v, %+v, %q; want the retired text and why", seen.State, seen.Retired, seen.Body)
	}
	_, err = reader.Fill(ctx, "close-old", nil)
	refused(t, "filling it", err, http.StatusGone, "was retired", "Too cold.", "use close-new instead")
	if again := step[api.Filled](t, "fill by number")(reader.Fill(ctx, "close-old@1", nil)); again.Text != "Yours.\n" {
		t.Errorf("its version 1 fills as %q", again.Text)
	}
	list := step[api.List](t, "shelf")(reader.Shelf(ctx, client.Query{Words: "close"}))
	for _, it := range list.Items {
		if it.Slug == "close-old" {
			t.Error("it is still found on the shelf")
		}
	}
	draft := notice("{{include close-old}}\n")
	draft.Slug = "another"
	draft.Title = "Another"
	step[api.Entry](t, "create")(author.Create(ctx, draft))
	_, err = author.Submit(ctx, "another", "Ready.")
	if !client.StoppedByChecks(err) || !strings.Contains(err.Error(), "use close-new instead") {
		t.Errorf("submitting an include of it: got %v, want the checks to name the replacement", err)
	}

	back := step[api.Entry](t, "restore")(curator.Restore(ctx, "close-old"))
	if back.State != entry.Published || back.Retired != nil || back.Published != 1 {
		t.Errorf("got %v, %v, %d after restoring", back.State, back.Retired, back.Published)
	}
	_, err = curator.Retire(ctx, "another", api.Retirement{Because: "x"})
	refused(t, "retiring what was never published", err, http.StatusConflict, "another was never published")

	// A new version brings a retired entry back too.
	step[api.Entry](t, "retire again")(curator.Retire(ctx, "close-old", api.Retirement{Because: "Once more."}))
	w.publish(snippet("close-old", "Yours, warmly.\n"))
	if seen := step[api.Entry](t, "read")(reader.ShelfEntry(ctx, "close-old")); seen.State != entry.Published || seen.Retired != nil || seen.Version != 2 {
		t.Errorf("after publishing version 2: %v, %v, %d", seen.State, seen.Retired, seen.Version)
	}
}

func TestKindsAndRules(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	reader, ctx := w.as("reader"), context.Background()
	kinds := step[[]api.KindOutline](t, "kinds")(reader.Kinds(ctx))
	if len(kinds) != len(entry.Kinds()) || kinds[1].Kind != entry.Persona || kinds[1].Outline[0].Title != "Who" || kinds[3].Outline == nil {
		t.Errorf("got the kinds %+v", kinds)
	}
	rules := step[[]api.Rule](t, "rules")(reader.Rules(ctx))
	if len(rules) != len(check.Rules()) || rules[0].ID != "title-missing" || rules[0].Severity != check.Stop || rules[0].About.String() == "" {
		t.Errorf("got %d rules, the first %+v", len(rules), rules[0])
	}
}

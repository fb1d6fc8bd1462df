package server

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/fill"
)

func TestDiff(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer, reader := w.as("contributor"), w.as("reader")
	w.publish(snippet("close", "Yours.\n"))
	one := notice("Write to {{area}}: water is back in {{hours}} hours.\n\n{{include close}}\n")
	w.publish(one)
	_, err := reader.Diff(ctx, one.Slug, 0, 0)
	refused(t, "one version alone", err, http.StatusNotFound, "no version before that one")

	two := one
	most := 48.0
	two.Title = "Notice of a burst"
	two.Blanks = []fill.Blank{one.Blanks[0], {Name: "hours", Ask: "In how many hours?", Type: fill.Number, Max: &most, Sample: fill.Single("4")}}
	two.Body = "Be kind.\nWrite to {{area}}: your water is back in {{hours}} hours.\n\n{{include close}}\n"
	w.publish(two)
	got := step[api.Diff](t, "diff")(reader.Diff(ctx, one.Slug, 0, 0))
	if got.From != 1 || got.To != 2 {
		t.Errorf("compared %d with %d, want 1 with 2", got.From, got.To)
	}
	if says := fmt.Sprint(got.Fields); !strings.Contains(says, "title: Notice of a burst, was Notice of a burst main") || !strings.Contains(says, "blank hours: at most 48, was 72; another sample") {
		t.Errorf("besides the text it says %s", says)
	}
	if l := got.Lines; len(l) != 4 || l[0].Op != change.Added || l[1].Op != change.Changed || l[1].Old != 1 || l[1].New != 2 {
		t.Errorf("the text differs as %+v", got.Lines)
	}
	if text := fmt.Sprint(got.Filled); !strings.Contains(text, "is back in 4 hours") || !strings.Contains(text, "Yours.") || strings.Contains(text, "in 6 hours") {
		t.Errorf("filled with the same values it differs as %s", text)
	}

	// An open version is held against the shelf by those who may see it alone.
	three := two
	three.Body += "More.\n"
	step[api.Entry](t, "begin")(first(writer.SaveDraft(ctx, one.Slug, "", three)))
	if d := step[api.Diff](t, "diff")(writer.Diff(ctx, one.Slug, 0, 0)); d.From != 2 || d.To != 3 || d.Lines[len(d.Lines)-1].Op != change.Added {
		t.Errorf("its writer sees %d against %d: %+v", d.To, d.From, d.Lines)
	}
	if d := step[api.Diff](t, "diff")(reader.Diff(ctx, one.Slug, 0, 0)); d.To != 2 {
		t.Errorf("a reader sees version %d", d.To)
	}
	_, err = reader.Diff(ctx, one.Slug, 1, 3)
	refused(t, "somebody else's draft", err, http.StatusNotFound, "no version 3 that you may see")
	if same := step[api.Diff](t, "the same")(writer.Diff(ctx, one.Slug, 2, 2)); len(same.Fields) != 0 || same.Lines[0].Op != change.Same {
		t.Errorf("a version differs from itself: %+v", same)
	}
	if got := w.call("reader", http.MethodGet, "/api/v1/entries/burst-main-notice/diff?from=x&to=0", ""); got.status != http.StatusUnprocessableEntity || len(got.Problems) != 2 {
		t.Errorf("wrong numbers: %d, %+v", got.status, got.Problems)
	}
}

package server

import (
	"net/http"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/places"
)

const longText = "Tell households in the street when their water will be back, what to do until then, and whom to call. Say it in three sentences at most. Begin with the time, then say what to run first, and end with the number of the control room.\n"

func TestReadAndTurn(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer := w.as("contributor")
	w.publish(of(entry.Prompt, "burst", longText))
	text := "You are calm. Please " + strings.ToLower(longText[:1]) + longText[1:] + "Streets: [Street Name], by <hour>; `[code]` stays."
	read := step[api.TextRead](t, "read")(writer.ReadText(ctx, api.TextOf{Body: text}))
	if read.Title != "Tell households in the street when their water will be…" || !strings.HasPrefix(read.Summary, "Tell households") {
		t.Errorf("suggested %q and %q", read.Title, read.Summary)
	}
	if len(read.Places) != 2 || read.Places[0].Name != "street_name" || read.Places[1].Notation != "<name>" {
		t.Fatalf("got the places %+v", read.Places)
	}
	if len(read.Alike) != 1 || read.Alike[0].Slug != "burst" || read.Alike[0].Contains < 90 {
		t.Errorf("got the look-alikes %+v", read.Alike)
	}
	turned := step[api.Turned](t, "turn")(writer.Turn(ctx, api.TurnRequest{Body: text, Places: read.Places[:1]}))
	if !strings.Contains(turned.Body, "Streets: {{street_name}}, by <hour>; `[code]` stays.") || len(turned.Blanks) != 1 {
		t.Errorf("turned into %q with %+v", turned.Body, turned.Blanks)
	}
	wrong := []places.Place{{Start: 3, End: 2, Text: "x", Name: "a"}, {Start: 4, End: 7, Text: "are", Name: "Bad Name"}}
	_, err := writer.Turn(ctx, api.TurnRequest{Body: text, Places: wrong})
	refused(t, "places that are not there", err, http.StatusUnprocessableEntity, `does not have "x" from byte 3 to 2`, `"Bad Name" cannot be the name`)
	_, err = writer.ReadText(ctx, api.TextOf{Body: "a\x00"})
	refused(t, "a text with NUL", err, http.StatusUnprocessableEntity, "NUL")
}

func TestAlike(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer, second, reviewer, curator := w.as("contributor"), w.as("second"), w.as("reviewer"), w.as("curator")
	w.publish(of(entry.Prompt, "first", longText))
	w.publish(of(entry.Snippet, "part", "Begin with the time, then say what to run first, and end with the number of the control room.\n"))
	w.publish(of(entry.Prompt, "unlike", "Compare two tenders by price and by time, and put them in a table with one row for each bidder.\n"))
	step[api.Entry](t, "create")(writer.Create(ctx, of(entry.Prompt, "draft-of-mine", strings.Replace(longText, "three", "four", 1))))

	slugs := func(who string, body string) string {
		t.Helper()
		got := step[api.Alike](t, "alike")(w.as(who).Alike(ctx, api.TextOf{Slug: "first", Body: body}))
		var all []string
		for _, it := range got.Items {
			all = append(all, it.Slug)
		}
		return strings.Join(all, " ")
	}
	if got := slugs("contributor", longText); got != "part draft-of-mine" {
		t.Errorf("their writer sees %q", got)
	}
	if got := slugs("second", longText); got != "part" {
		t.Errorf("someone else sees %q; the draft is not theirs to see", got)
	}
	if got := slugs("reviewer", strings.ToUpper(longText)); got != "part draft-of-mine" {
		t.Errorf("a reviewer sees %q for the same words in capitals", got)
	}
	if got := slugs("reviewer", "Nothing like any of it at all, I should say."); got != "" {
		t.Errorf("another text has the look-alikes %q", got)
	}
	near := step[api.Alike](t, "alike")(reviewer.Alike(ctx, api.TextOf{Body: longText})).Items
	if near[0].Slug != "first" || near[0].Likeness != 100 || len(near[0].Passages) != 1 || near[0].Passages[0].Start != 0 {
		t.Errorf("the same text is told as %+v", near[0])
	}

	// A save is known at once, and so is what is no longer there.
	draft, etag, err := writer.Draft(ctx, "draft-of-mine")
	if err != nil {
		t.Fatal(err)
	}
	draft.Body = "Something else altogether, about meters and their readings in the spring.\n"
	step[api.Entry](t, "save")(first(writer.SaveDraft(ctx, "draft-of-mine", etag, api.NewEntry{Content: draft.Content})))
	if got := slugs("contributor", longText); got != "part" {
		t.Errorf("after the draft was changed its writer sees %q", got)
	}
	w.publish(of(entry.Prompt, "unlike", longText))
	if got := slugs("second", longText); got != "part unlike" && got != "unlike part" {
		t.Errorf("after publishing someone sees %q", got)
	}

	_, err = second.Groups(ctx)
	refused(t, "groups for a contributor", err, http.StatusForbidden, "only a curator")
	groups := step[api.Groups](t, "groups")(curator.Groups(ctx))
	if len(groups.Groups) != 1 || len(groups.Groups[0].Items) != 2 || groups.Groups[0].Items[1].Likeness != 100 {
		t.Errorf("got the groups %+v", groups)
	}
	_, err = reviewer.Recurring(ctx)
	refused(t, "passages for a reviewer", err, http.StatusForbidden, "only a curator")
	passages := step[api.Recurring](t, "passages")(curator.Recurring(ctx)).Passages
	if len(passages) != 1 || len(passages[0].In) != 3 || !strings.HasPrefix(passages[0].Text, "Begin with the time") {
		t.Errorf("got the passages %+v", passages)
	}
}

package server

import (
	"context"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/entry"
)

func TestCommentsFollowTheirPassage(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	author, reviewer := w.as("contributor"), w.as("reviewer")
	in := snippet("wording", "Say where.\nBoil it for one minute before you drink it.\nGrüße.\n")
	w.submitted(in)
	at := strings.Index(in.Body, "one minute")
	said := step[api.Comment](t, "comment")(reviewer.AddComment(ctx, "wording", api.NewComment{Text: "Is that enough?", Start: at, End: at + len("one minute")}))
	if said.Passage == nil || said.Passage.Exact != "one minute" || said.Passage.Now != change.Same || said.ByName != "Reviewer" {
		t.Errorf("said: %+v", said)
	}
	whole := step[api.Comment](t, "comment")(reviewer.AddComment(ctx, "wording", api.NewComment{Text: "Good otherwise."}))
	same(t, "the author's desk", waits(t, author), "commented:wording")
	umlaut := strings.Index(in.Body, "ü")
	for name, bad := range map[string]struct {
		in   api.NewComment
		says string
	}{
		"nothing said":             {api.NewComment{}, "the comment is missing"},
		"past the end":             {api.NewComment{Text: "x", Start: 5, End: 500}, "no passage from 5 to 500"},
		"backwards":                {api.NewComment{Text: "x", Start: 9, End: 5}, "no passage"},
		"within a character":       {api.NewComment{Text: "x", Start: umlaut + 1, End: umlaut + 3}, "within a character"},
		"too long":                 {api.NewComment{Text: strings.Repeat("x", 4001)}, "at most 4000"},
		"with NUL":                 {api.NewComment{Text: "a\x00b"}, "NUL"},
		"an answer to nothing":     {api.NewComment{Text: "x", AnswerTo: 99}, "no comment 99"},
		"an answer with a passage": {api.NewComment{Text: "x", AnswerTo: said.ID, Start: 1, End: 2}, "leave start and end out"},
	} {
		_, err := reviewer.AddComment(ctx, "wording", bad.in)
		refused(t, name, err, http.StatusUnprocessableEntity, bad.says)
	}
	_, err := w.as("second").AddComment(ctx, "wording", api.NewComment{Text: "x"})
	refused(t, "by someone who may not see it", err, http.StatusNotFound)
	_, err = reviewer.AddComment(ctx, "wording", api.NewComment{Text: "x", Version: 4})
	refused(t, "on a version that is not there", err, http.StatusNotFound, "no version 4")

	answer := step[api.Comment](t, "answer")(author.AddComment(ctx, "wording", api.NewComment{Text: "Three, then.", AnswerTo: said.ID}))
	_, err = reviewer.AddComment(ctx, "wording", api.NewComment{Text: "x", AnswerTo: answer.ID})
	refused(t, "an answer to an answer", err, http.StatusUnprocessableEntity, "no comment")
	step[api.Comment](t, "settle")(author.SettleComment(ctx, "wording", whole.ID, true))
	if got := waits(t, author); len(got) > 0 {
		t.Errorf("answered and settled, the author's desk has %v", got)
	}

	// The text changes, and then the next version; the comment follows its passage.
	step[api.Entry](t, "return")(giveBack(reviewer, "wording", "See the comments."))
	in.Body = "New first line.\n" + strings.ReplaceAll(in.Body, "one minute", "three minutes")
	draft, etag, err := author.Draft(ctx, "wording")
	if err != nil || draft.Returned == "" {
		t.Fatal(err, draft.Returned)
	}
	if _, _, err := author.SaveDraft(ctx, "wording", etag, in); err != nil {
		t.Fatal(err)
	}
	now := step[api.Comments](t, "comments")(author.Comments(ctx, "wording", 0))
	p := now.Items[0].Passage
	if len(now.Items) != 2 || p.Now != change.Changed || in.Body[p.Start:p.End] != "three minutes" || len(now.Items[0].Answers) != 1 {
		t.Errorf("after the change: %+v, the passage %+v", now.Items, p)
	}
	step[api.Entry](t, "submit")(author.Submit(ctx, "wording", "Three minutes."))
	step[api.Entry](t, "approve")(approve(reviewer, "wording", ""))
	step[api.Entry](t, "publish")(publish(w.as("curator"), "wording"))
	_, err = w.as("second").Comments(ctx, "wording", 0)
	refused(t, "read by a colleague", err, http.StatusForbidden, "only reviewers")
	in.Body = "New first line.\n"
	if _, _, err := author.SaveDraft(ctx, "wording", "", in); err != nil {
		t.Fatal(err)
	}
	now = step[api.Comments](t, "comments")(author.Comments(ctx, "wording", 0))
	if now.Version != 2 || now.Items[0].Passage.Now != change.Removed || now.Items[0].Version != 1 {
		t.Errorf("in version 2: %+v", now.Items[0])
	}
	if open := step[api.Comment](t, "reopen")(author.SettleComment(ctx, "wording", whole.ID, false)); open.SettledAt != nil {
		t.Errorf("reopened: %+v", open)
	}
	_, err = author.SettleComment(ctx, "wording", answer.ID, true)
	refused(t, "settle an answer", err, http.StatusNotFound, "begins a thread")
}

func TestWhoWroteEachLine(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	in := snippet("wording", "One line that stays.\nTwo.\n")
	w.publish(in)
	in.Body = "New on top.\nOne line that stays.\nTwo, with more.\n"
	w.publish(in)
	in.Body += "Only in the draft.\n"
	if _, _, err := w.as("contributor").SaveDraft(ctx, "wording", "", in); err != nil {
		t.Fatal(err)
	}
	from := func(who string, number int) []int {
		t.Helper()
		var all []int
		for _, l := range step[api.Annotated](t, "lines")(w.as(who).Annotate(ctx, "wording", number)).Items {
			all = append(all, l.Version)
		}
		return all
	}
	for _, c := range []struct {
		who    string
		number int
		want   []int
	}{{"reader", 1, []int{1, 1}}, {"reader", 2, []int{2, 1, 2}}, {"contributor", 3, []int{2, 1, 2, 3}}} {
		if got := from(c.who, c.number); !slices.Equal(got, c.want) {
			t.Errorf("version %d: lines from %v, want %v", c.number, got, c.want)
		}
	}
	lines := step[api.Annotated](t, "lines")(w.as("reader").Annotate(ctx, "wording", 2))
	if l := lines.Items[0]; l.Text != "New on top." || l.Author != "Contributor" || l.Note != "Ready." {
		t.Errorf("the first line: %+v", l)
	}
	_, err := w.as("reader").Annotate(ctx, "wording", 3)
	refused(t, "the lines of a draft", err, http.StatusNotFound, "no version 3")
	if e := step[api.Entry](t, "read")(w.as("reader").ShelfEntry(ctx, "wording")); e.State != entry.Published {
		t.Errorf("on the shelf it is %s", e.State)
	}
}

func TestALongHistoryComesInPages(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	in := snippet("long", "Text 0.\n")
	for n := range 53 {
		in.Body = strings.ReplaceAll(in.Body, strconv.Itoa(n), strconv.Itoa(n+1))
		w.publish(in)
	}
	page := step[api.Versions](t, "a page")(w.as("reader").VersionsPage(ctx, "long", ""))
	if len(page.Items) != 50 || page.Items[0].Version != 53 || page.Items[49].Version != 4 || page.Next == "" {
		t.Fatalf("the first page has %d versions, then %q", len(page.Items), page.Next)
	}
	all := step[api.Versions](t, "all")(w.as("reader").Versions(ctx, "long"))
	if len(all.Items) != 53 || all.Items[52].Version != 1 || all.Next != "" {
		t.Errorf("all %d versions, the last %d", len(all.Items), all.Items[len(all.Items)-1].Version)
	}
	_, err := w.as("reader").VersionsPage(ctx, "long", "x")
	refused(t, "a cursor that is none", err, http.StatusUnprocessableEntity, "cursor")
	if d := step[api.Diff](t, "diff")(w.as("reader").Diff(ctx, "long", 1, 53)); d.From != 1 || d.To != 53 {
		t.Errorf("compared: %d with %d", d.From, d.To)
	}
}

package talks_test

import (
	"errors"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/history"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// helping is a world with a helper that is given a draft's text and one thing besides.
func helping(t *testing.T) *world {
	t.Helper()
	w := newWorld(t, nil)
	helper := testdb.Prompt("improve", "Write this prompt again, {{how}}:\n\n---\n{{text}}\n---\n")
	helper.Blanks = []fill.Blank{{Name: "text", Ask: "Which?", Type: fill.LongText}, {Name: "how", Ask: "How?"}}
	w.Publish(helper)
	if _, err := writing.New(w.DB).SetHelper(t.Context(), w.By("curator"), "improve", api.Helper{Helps: "editing"}); err != nil {
		t.Fatal(err)
	}
	w.Create(testdb.Prompt("mine", "Say that the main is mended.\n"))
	return w
}

func proposal(how string) api.NewProposal {
	return api.NewProposal{Helper: "improve", Model: "heron-2", Values: fill.Values{"how": fill.Single(how)}}
}

// A model proposes how a draft could read. Nothing changes by itself; what is taken, the
// draft's history says.
func TestAProposal(t *testing.T) {
	t.Parallel()
	w := helping(t)
	by := w.By("contributor")
	talk, err := w.talks.Propose(t.Context(), by, "mine", proposal("shorter"))
	if err != nil {
		t.Fatal(err)
	}
	sent := talk.Replies[0].Messages[0].Text
	if talk.Slug != "mine" || talk.Replies[0].Title != "improve@1" || !strings.Contains(sent, "Say that the main is mended.") || !strings.Contains(sent, "again, shorter:") {
		t.Errorf("%+v", talk)
	}
	in := proposal("shorter")
	in.Text = "Not saved yet."
	if talk, err := w.talks.Propose(t.Context(), by, "mine", in); err != nil || !strings.Contains(talk.Replies[0].Messages[0].Text, "Not saved yet.") {
		t.Errorf("as it stands in the editor: %v", err)
	}
	id := talk.Replies[0].ID
	if err := w.talks.TakeProposal(t.Context(), by, id); !hasCode(err, "not-done") {
		t.Errorf("taken before it has come: %v", err)
	}
	testdb.AskDue(t, w.Asking)
	for range 2 {
		if err := w.talks.TakeProposal(t.Context(), by, id); err != nil {
			t.Fatal(err)
		}
	}
	versions, err := history.New(w.DB).Versions(t.Context(), by, "mine", 0, "")
	if err != nil || len(versions.Helped) != 1 || versions.Helped[0].Model != "heron-2" || versions.Helped[0].Helper != "improve@1" || versions.Helped[0].By != by.FullName {
		t.Errorf("%+v, %v", versions.Helped, err)
	}
	if versions.Items[0].Body != "Say that the main is mended.\n" {
		t.Errorf("the draft reads %q", versions.Items[0].Body)
	}
}

func hasCode(err error, code string) bool {
	var wrong problem.List
	return errors.As(err, &wrong) && len(wrong) > 0 && wrong[0].Code == code
}

func TestWhoMayHaveAProposal(t *testing.T) {
	t.Parallel()
	w := helping(t)
	var refused *entry.Refusal
	var missing *work.Missing
	if _, err := w.talks.Propose(t.Context(), w.By("reviewer"), "mine", proposal("x")); !errors.As(err, &refused) {
		t.Errorf("by somebody who does not write it: %v", err)
	}
	if _, err := w.talks.Propose(t.Context(), w.By("reader"), "mine", proposal("x")); !errors.As(err, &missing) {
		t.Errorf("by somebody who does not see it: %v", err)
	}
	by := w.By("contributor")
	in := proposal("x")
	in.Helper = "notice"
	if _, err := w.talks.Propose(t.Context(), by, "mine", in); !hasCode(err, "unknown") {
		t.Errorf("by a prompt that nobody marked: %v", err)
	}
	in = proposal("x")
	in.Values = nil
	if _, err := w.talks.Propose(t.Context(), by, "mine", in); !hasCode(err, "missing") {
		t.Errorf("without what the helper asks: %v", err)
	}
	in = proposal("x")
	in.For = "nowhere"
	if _, err := w.talks.Propose(t.Context(), by, "mine", in); err == nil {
		t.Error("for an application that has no layout")
	}
	// A colleague's proposal is nobody else's to take, and an ordinary reply is none.
	talk, err := w.talks.Propose(t.Context(), by, "mine", proposal("x"))
	if err != nil {
		t.Fatal(err)
	}
	tried := w.try(t, trying())
	testdb.AskDue(t, w.Asking)
	if err := w.talks.TakeProposal(t.Context(), w.By("curator"), talk.Replies[0].ID); !errors.As(err, &missing) {
		t.Errorf("a colleague's: %v", err)
	}
	if err := w.talks.TakeProposal(t.Context(), w.By("reader"), tried.Replies[0].ID); !hasCode(err, "proposal") {
		t.Errorf("an ordinary reply: %v", err)
	}
	// Once it is being reviewed, nothing goes into it.
	w.Review("mine")
	if err := w.talks.TakeProposal(t.Context(), by, talk.Replies[0].ID); !errors.As(err, &refused) {
		t.Errorf("after it was submitted: %v", err)
	}
}

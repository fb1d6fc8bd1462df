package talks_test

import (
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/entry"
	"goldshelf/internal/testdb"
)

// A connection for the entries of one department is sent nothing of another's, whichever part
// of the stack it comes from, nor an earlier reply that it went into.
func TestEveryPartOfTheStackMayGoToTheConnection(t *testing.T) {
	t.Parallel()
	w := newWorld(t, func(c *endpoint.Spec) { c.Departments = []string{"customer-care"} })
	for _, kind := range []entry.Kind{entry.Snippet, entry.Persona, entry.Style, entry.Sheet} {
		e := testdb.Part(kind, "lab-"+string(kind), "Only the laboratory knows of the "+string(kind)+".\n")
		e.Labels = map[string][]string{"department": {"laboratory"}}
		w.Publish(e)
	}
	including := testdb.Prompt("including", "Write about {{area}}.\n{{include lab-snippet}}\n")
	through := testdb.Prompt("through", "Write about {{area}}.\n{{include passage}}\n")
	passage := testdb.Part(entry.Snippet, "passage", "{{include lab-snippet}}\n")
	passage.Labels = map[string][]string{"department": {"customer-care"}}
	w.Publish(including, passage, through)
	for part, change := range map[string]func(*api.TryRequest){
		"":              func(*api.TryRequest) {},
		"lab-snippet":   func(in *api.TryRequest) { in.Ref = "including" },
		"lab-snippet ":  func(in *api.TryRequest) { in.Ref = "through" },
		"lab-persona":   func(in *api.TryRequest) { in.Persona = "lab-persona" },
		"lab-persona  ": func(in *api.TryRequest) { in.Columns[0].Persona = "lab-persona" },
		"lab-style":     func(in *api.TryRequest) { in.Style = "lab-style" },
		"lab-sheet":     func(in *api.TryRequest) { in.Sheets = []string{"lab-sheet"} },
	} {
		in := trying()
		in.Persona = "none"
		change(&in)
		_, err := w.talks.Try(t.Context(), w.By("reader"), in)
		if part == "" && err != nil || part != "" && (err == nil || !strings.Contains(err.Error(), strings.TrimSpace(part)+" is in it, and it is for the entries of customer-care")) {
			t.Errorf("with %q: %v", part, err)
		}
	}

	// What was asked where it might be is not sent on where it may not.
	w.Exec(`update connections set details = jsonb_set(details, '{departments}', '["customer-care", "laboratory"]')`)
	in := trying()
	in.Persona = "lab-persona"
	talk := w.try(t, in)
	testdb.AskDue(t, w.Asking)
	w.Exec(`update connections set details = jsonb_set(details, '{departments}', '["customer-care"]')`)
	if _, err := w.talks.FollowUp(t.Context(), w.By("reader"), talk.ID, api.FollowUp{After: talk.Replies[0].ID, Text: "Shorter."}); err == nil || !strings.Contains(err.Error(), "lab-persona is in it") {
		t.Errorf("a follow-up: %v", err)
	}
}

package entry

import (
	"strings"
	"testing"
	"unicode/utf8"

	"goldshelf/test/intime"
)

func TestSuggest(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct{ body, title, summary string }{
		{"Write a notice for [street]: water is off. Be short.", "Write a notice for [street]", ""},
		{"You are a lab assistant. Please explain this result to a customer in plain words, and say what they should do next with it. Be kind.",
			"Explain this result to a customer in plain words, and say…", "Explain this result to a customer in plain words, and say what they should do next with it."},
		{"# Reply to a meter dispute\n\nAnswer the letter below. Stay calm.", "Reply to a meter dispute", "Answer the letter below."},
		{"## Role\nYou are the shift lead.\n\n## Task\nTurn **notes** into a handover for {{crew}}.", "Turn notes into a handover for", ""},
		{"```\ncode\n```\nsum up the `log`", "Sum up the log", ""},
		{"1. Read [the order](https://a.example/x)\n2. Answer", "Read the order", ""},
		{"You are a helper", "You are a helper", ""},
		{"", "", ""},
		{"…\n\n***\n", "", ""},
	} {
		title, summary := Suggest(tt.body)
		if title != tt.title || summary != tt.summary {
			t.Errorf("Suggest(%q) gives %q and %q, want %q and %q", tt.body, title, summary, tt.title, tt.summary)
		}
	}
}

func FuzzSuggest(f *testing.F) {
	f.Add("You are. Do it: now!\n# x")
	f.Add(strings.Repeat("é", 300))
	f.Fuzz(func(t *testing.T, body string) {
		intime.Do(t, len(body), func() { Suggest(body) })
		title, summary := Suggest(body)
		c := Content{Kind: Prompt, Title: title, Summary: summary}
		if utf8.ValidString(body) && !strings.ContainsRune(body, 0) {
			if bad := c.Problems(); bad != nil {
				t.Fatalf("%q gives %q and %q, which cannot be saved: %v", body, title, summary, bad)
			}
		}
	})
}

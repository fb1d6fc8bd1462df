package standin

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"

	"goldshelf/core/check"
	"goldshelf/core/endpoint"
)

const notice = `## Who
You are the duty officer of a water company.

## Guide
Sentences of about twelve words.

## Avoid
“Unfortunately”, “please be advised”.

## Task
Write a notice about a burst main for households in Mill Lane and Ferry Row. We expect water back within 6 hours.
End with this line: Call 0900 555 0100.

## Limits
No more than 60 words. Never "we apologise for any inconvenience".
`

func ask(t *testing.T, model, text string, seed int64) endpoint.Reply {
	t.Helper()
	m, ok := ModelNamed(model)
	if !ok {
		t.Fatalf("there is no %s", model)
	}
	r, err := m.Reply(endpoint.Request{Model: model, Messages: []endpoint.ModelMessage{{Role: endpoint.User, Text: text}}, Settings: endpoint.Settings{Seed: &seed}})
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestRulesAreRead(t *testing.T) {
	t.Parallel()
	b := read([]endpoint.ModelMessage{{Role: endpoint.User, Text: notice}})
	var got []string
	for _, r := range b.rules {
		got = append(got, fmt.Sprint(r.kind, r.n, r.text))
	}
	const want = "[6 0Unfortunately 6 0please be advised 7 0Call 0900 555 0100. 0 60 6 0we apologise for any inconvenience]"
	if fmt.Sprint(got) != want || !b.persona || !b.style || b.places != "Mill Lane and Ferry Row" || b.when != "within 6 hours" {
		t.Errorf("got %v of %+v", got, b)
	}
	b = read([]endpoint.ModelMessage{{Role: endpoint.User, Text: "List them as JSON with the keys name, price_eur and note. Then draw it as a table with the columns Who, What. Give three points. Answer yes or no."}})
	if len(b.rules) != 3 || strings.Join(b.rules[0].names, "|") != "name|price_eur|note" || strings.Join(b.rules[1].names, "|") != "Who|What" || b.rules[2].n != 3 || !b.yesNo {
		t.Errorf("got %+v", b)
	}
}

// Each model keeps what is asked about as often as its habits say, whatever the seed.
func TestHabits(t *testing.T) {
	t.Parallel()
	const runs = 400
	rate := func(model, text string, holds func(string) bool) float64 {
		n := 0
		for seed := range int64(runs) {
			if holds(ask(t, model, text, seed).Text) {
				n++
			}
		}
		return float64(n) / runs
	}
	short := func(text string) bool { return check.Words(text) <= 60 }
	ends := func(text string) bool { return strings.HasSuffix(text, "Call 0900 555 0100.") }
	isJSON := func(text string) bool { return json.Valid([]byte(text)) }
	const sections = "Write about the tender, under the headings \"What was found\" and \"What to do\"."
	underBoth := func(text string) bool {
		return strings.HasPrefix(text, "## What was found\n\n") && strings.Contains(text, "\n\n## What to do\n\n")
	}
	const form = "Sum up the bids of the tender as JSON with the keys price and delivery."
	for _, c := range []struct {
		name, model, text string
		holds             func(string) bool
		from, to          float64
	}{
		{"keeps its limit", "heron-2", notice, short, 0.93, 0.99},
		{"forgets one in five", "heron-2-mini", notice, short, 0.72, 0.87},
		{"ends as it is asked", "heron-2-mini", notice, ends, 0.74, 0.86},
		{"drops what comes last", "marsh-local", "Write about the burst main in Mill Lane. End with this line: Call us.", func(s string) bool { return strings.HasSuffix(s, "Call us.") }, 0.69, 0.82},
		{"makes JSON", "osprey-70", form, isJSON, 0.97, 1},
		{"talks around it", "heron-2-mini", form, isJSON, 0.68, 0.82},
		{"writes under headings", "heron-2", sections, underBoth, 0.88, 0.98},
		{"leaves one out", "heron-2-mini", sections, underBoth, 0.68, 0.82},
		{"makes up a number", "heron-2-mini", notice, func(s string) bool { return strings.Contains(s, "homes have noticed") }, 0.05, 0.12},
		{"makes up none", "heron-2", notice, func(s string) bool { return strings.Contains(s, "homes have noticed") }, 0, 0},
		{"is stiff by itself", "osprey-70", "Write about the meter reading.", func(s string) bool {
			return strings.Contains(s, "It should be") || strings.Contains(s, "It is noted") || strings.Contains(s, "avoidance of doubt")
		}, 1, 1},
		{"is not as somebody", "osprey-70", "You are the front desk.\n\nWrite about the meter reading.", func(s string) bool { return strings.Contains(s, "It should be") }, 0, 0},
		{"says yes", "heron-2", "Is this polite? Answer yes or no.\n---\nThank you.\n---\n", func(s string) bool { return s == "Yes." }, 0.95, 1},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			if got := rate(c.model, c.text, c.holds); got < c.from || got > c.to {
				t.Errorf("%s: in %.3f of %d, want %.2f to %.2f; such as:\n%s", c.model, got, runs, c.from, c.to, ask(t, c.model, c.text, 1).Text)
			}
		})
	}
}

func TestReply(t *testing.T) {
	t.Parallel()
	one, again, other := ask(t, "heron-2", notice, 1), ask(t, "heron-2", notice, 1), ask(t, "heron-2", notice, 2)
	if one != again || one == other || one.Tokens.In < 50 || one.Tokens.Out < 10 || !strings.Contains(one.Text, "Mill Lane and Ferry Row") {
		t.Errorf("got %+v, %+v and %+v", one, again, other)
	}
	if r := ask(t, "heron-2", "Good morning. Answer in one sentence.", 1); strings.Count(r.Text, ".") != 1 {
		t.Errorf("in one sentence: %q", r.Text)
	}
	questions := "Answer these questions from the notes:\n\n---\nhouseholds: How many households? (number)\nchannels: How are they written to? (line)\nfarms: How many farms? (number)\n---\n\nThe notes:\n\n---\nThere are 412000 households. They are written to by post.\n---\n\nA line for each question.\n"
	if r := ask(t, "osprey-70", questions, 1); r.Text != "households: 412000\nchannels: They are written to by post" {
		t.Errorf("answers to questions: %q", r.Text)
	}
	m, _ := ModelNamed("marsh-local")
	var long *TooLong
	if _, err := m.Reply(endpoint.Request{Messages: []endpoint.ModelMessage{{Text: strings.Repeat("word ", 9000)}}}); !errors.As(err, &long) {
		t.Errorf("a text beyond its window: %v", err)
	}
	m, _ = ModelNamed("heron-2")
	if r, _ := m.Reply(endpoint.Request{Messages: []endpoint.ModelMessage{{Text: notice}}, Settings: endpoint.Settings{MaxTokens: 10}}); r.Reason != endpoint.Length || r.Tokens.Out > 10 || r.Text == "" {
		t.Errorf("cut to 10 tokens: %+v", r)
	}
	talk := []endpoint.ModelMessage{{Role: endpoint.User, Text: notice}, {Role: endpoint.Assistant, Text: "One. Two. Three. Four."}, {Role: endpoint.User, Text: "Make it shorter."}}
	if r, _ := m.Reply(endpoint.Request{Messages: talk}); r.Text != "One. Two." {
		t.Errorf("shorter: %q", r.Text)
	}
	talk[2].Text = "Warmer, please."
	if r, _ := m.Reply(endpoint.Request{Messages: talk}); !strings.Contains(r.Text, "One. Two. Three. Four.") || !strings.Contains(r.Text, "Thank you") {
		t.Errorf("warmer: %q", r.Text)
	}
	if got := strings.Join(Pieces("One two.\n\nThree "), ""); got != "One two.\n\nThree " {
		t.Errorf("pieces are %q", got)
	}
	for _, text := range []string{"", "\n", "JSON", "Write a prompt about leaks.", "as a table", "Never \"\".", "in 0 sentences", "99999999999999999999 words at most"} {
		for _, model := range Models() {
			if r := ask(t, model.Name, text, 3); strings.TrimSpace(r.Text) == "" {
				t.Errorf("%s says nothing to %q", model.Name, text)
			}
		}
	}
}

func FuzzReply(f *testing.F) {
	f.Add(notice, "shorter", int64(1))
	f.Add("as JSON with the keys a, b", "", int64(2))
	f.Fuzz(func(t *testing.T, text, then string, seed int64) {
		messages := []endpoint.ModelMessage{{Role: endpoint.User, Text: text}}
		if then != "" {
			messages = append(messages, endpoint.ModelMessage{Role: endpoint.Assistant, Text: text}, endpoint.ModelMessage{Role: endpoint.User, Text: then})
		}
		for _, m := range Models() {
			r := endpoint.Request{Messages: messages, Settings: endpoint.Settings{Seed: &seed}}
			one, err := m.Reply(r)
			if again, _ := m.Reply(r); err == nil && one != again {
				t.Errorf("%q and then %q", one.Text, again.Text)
			}
		}
	})
}

package layout

import (
	"reflect"
	"strings"
	"testing"

	"goldshelf/core/entry"
)

var stack = []Layer{
	{Kind: entry.Persona, Title: "Duty officer", Text: "## Who\r\nYou are on duty.\r\n\r\n## Speaks\r\n  Plainly.\r\n### At night\r\nBriefly.\r\n"},
	{Kind: entry.Sheet, Title: "Farms", Text: "## Facts\n- Households: 7\n\nBesides.\n", Answers: "## Facts\n- Households: 7\n\n", JSON: "{\n  \"households\": 7\n}\n"},
	{Kind: entry.Prompt, Title: "Notice", Text: "Before all.\n\n## Task\nWrite </task> it.\n```\n## no heading\n```\n\n## Limits\n"},
}

func take(layer entry.Kind, parts ...string) Take { return Take{layer, parts} }

func TestDeliver(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		name string
		l    Layout
		want []string
		left []string
	}{
		{"one text is what it was", Layout{As: Text, Boxes: []Box{{Takes: []Take{take(entry.Persona), take(entry.Style), take(entry.Sheet), take(entry.Prompt)}}}},
			[]string{"## Who\r\nYou are on duty.\r\n\r\n## Speaks\r\n  Plainly.\r\n### At night\r\nBriefly.\n\n## Facts\n- Households: 7\n\nBesides.\n\nBefore all.\n\n## Task\nWrite </task> it.\n```\n## no heading\n```\n\n## Limits\n"}, nil},
		{"two boxes, renamed, in another order", Layout{As: Boxes, Rename: map[string]string{"who": "About us", "Task": "What to do"}, Boxes: []Box{
			{Title: "How to answer", Takes: []Take{take(entry.Prompt, "limits", "Task"), take(entry.Persona)}},
			{Title: "About us", Takes: []Take{take(entry.Persona, "Who"), take(entry.Sheet)}},
		}}, []string{
			"## Limits\n## What to do\nWrite </task> it.\n```\n## no heading\n```\n\n## Speaks\r\n  Plainly.\r\n### At night\r\nBriefly.\r\n",
			"## About us\r\nYou are on duty.\n\n## Facts\n- Households: 7\n\nBesides.\n",
		}, []string{"of Notice, the prompt, this is in no box: what stands before its first heading"}},
		{"tags", Layout{As: Text, Headings: Tags, Boxes: []Box{{Takes: []Take{take(entry.Prompt)}}}},
			[]string{"Before all.\n\n<task_>\nWrite </task> it.\n```\n## no heading\n```\n</task_>\n\n<limits>\n</limits>\n"},
			[]string{"Duty officer, the persona, is in no box", "Farms, the sheet, is in no box"}},
		{"plain lines", Layout{As: Text, Headings: Plain, Boxes: []Box{{Takes: []Take{take(entry.Persona), take(entry.Prompt)}}}},
			[]string{"Who\r\nYou are on duty.\r\n\r\nSpeaks\r\n  Plainly.\r\nAt night\r\nBriefly.\n\nBefore all.\n\nTask\nWrite </task> it.\n```\n## no heading\n```\n\nLimits\n"},
			[]string{"Farms, the sheet, is in no box"}},
		{"sheets as JSON, and what is said besides", Layout{As: Text, Sheets: "json", Boxes: []Box{{Takes: []Take{take(entry.Sheet)}}}},
			[]string{"{\n  \"households\": 7\n}\nBesides.\n"},
			[]string{"Duty officer, the persona, is in no box", "Notice, the prompt, is in no box"}},
		{"messages that say something", Layout{As: Messages, Boxes: []Box{
			{Role: "system", Takes: []Take{take(entry.Persona, "Who")}}, {Role: "assistant", Takes: []Take{take(entry.Style)}}, {Role: "user", Takes: []Take{take(entry.Prompt, "Task")}},
		}}, []string{"## Who\r\nYou are on duty.\r\n\r\n", "## Task\nWrite </task> it.\n```\n## no heading\n```\n\n"},
			[]string{"of Duty officer, the persona, this is in no box: Speaks", "Farms, the sheet, is in no box", "of Notice, the prompt, this is in no box: what stands before its first heading, Limits"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			if wrong := c.l.Problems(); wrong != nil {
				t.Fatal(wrong)
			}
			boxes, left := c.l.Plan().Deliver(stack)
			var got []string
			for _, b := range boxes {
				got = append(got, b.Text)
			}
			if !reflect.DeepEqual(got, c.want) {
				t.Errorf("got  %q\nwant %q", got, c.want)
			}
			if !reflect.DeepEqual(left, c.left) {
				t.Errorf("left %q, want %q", left, c.left)
			}
		})
	}
}

// A box over its limit says so, with what is longest in it; characters are counted, not
// bytes.
func TestLimits(t *testing.T) {
	t.Parallel()
	l := Layout{As: Boxes, Boxes: []Box{{Title: "All", Limit: 20, Takes: []Take{take(entry.Prompt)}}}}
	boxes, _ := l.Plan().Deliver([]Layer{{Kind: entry.Snippet, Title: "S", Text: "## Kurz\nä\n## Lang\nüüüüüüüü\n"}})
	want := []Length{{entry.Snippet, "S", "Lang", 17}, {entry.Snippet, "S", "Kurz", 10}}
	if b := boxes[0]; b.Length != 27 || !b.Over() || !reflect.DeepEqual(b.Longest, want) {
		t.Errorf("got %+v", b)
	}
	l.Boxes[0].Limit = 27
	if boxes, _ := l.Plan().Deliver([]Layer{{Kind: entry.Prompt, Text: strings.Repeat("ä", 27)}}); boxes[0].Over() || boxes[0].Longest != nil {
		t.Errorf("just within: %+v", boxes[0])
	}
}

func TestProblems(t *testing.T) {
	t.Parallel()
	all := []Take{take(entry.Persona), take(entry.Style), take(entry.Sheet), take(entry.Prompt)}
	for _, c := range []struct {
		name string
		l    Layout
		want []string
	}{
		{"nothing", Layout{}, []string{"/as", "/boxes"}},
		{"no box", Layout{As: Boxes}, []string{"/boxes"}},
		{"two boxes of one text", Layout{As: Text, Boxes: []Box{{Title: "a", Takes: all}, {Title: "b", Takes: []Take{take(entry.Prompt, "x")}}}}, []string{"/boxes"}},
		{"no titles, twice the same", Layout{As: Boxes, Boxes: []Box{{Takes: all}, {Title: "b", Takes: []Take{take(entry.Persona)}}, {Title: "b"}}},
			[]string{"/boxes/0/title", "/boxes/1/takes/0/layer", "/boxes/2/title", "/boxes/2/takes"}},
		{"a part in two boxes", Layout{As: Boxes, Boxes: []Box{{Title: "a", Takes: []Take{take(entry.Prompt, "Task")}}, {Title: "b", Takes: []Take{take(entry.Prompt, "task", " ")}}}},
			[]string{"/boxes/1/takes/0/parts/0", "/boxes/1/takes/0/parts/1"}},
		{"what there is not", Layout{As: Messages, Headings: "x", Sheets: "y", Rename: map[string]string{"": "x"}, Boxes: []Box{{Role: "boss", Limit: -1, Takes: []Take{take("relay")}}}},
			[]string{"/headings", "/rename/", "/sheets", "/boxes/0/role", "/boxes/0/limit", "/boxes/0/takes/0/layer"}},
		{"a role of no message", Layout{As: Text, Boxes: []Box{{Role: "user", Takes: all}}}, []string{"/boxes/0/role"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			var got []string
			for _, p := range c.l.Problems() {
				got = append(got, p.Field)
			}
			if !reflect.DeepEqual(got, c.want) {
				t.Errorf("got %q, want %q: %v", got, c.want, c.l.Problems())
			}
		})
	}
}

func TestWarnings(t *testing.T) {
	t.Parallel()
	l := Layout{As: Boxes, Boxes: []Box{{Title: "a", Takes: []Take{take(entry.Persona, "Who"), take(entry.Prompt), take(entry.Sheet)}}}}
	want := []string{"of a persona, parts that no box names are left out", "the style is left out: no box takes it"}
	if got := l.Warnings(); !reflect.DeepEqual(got, want) {
		t.Errorf("got %q", got)
	}
}

// Whatever a text holds, a layout that takes everything as it is loses nothing of it.
func FuzzDeliver(f *testing.F) {
	f.Add("## Who\r\nx\n```\n## y\n```\n", "Before\n\n## Task\n")
	f.Fuzz(func(t *testing.T, persona, prompt string) {
		l := Layout{As: Text, Boxes: []Box{{Takes: []Take{take(entry.Persona), take(entry.Prompt)}}}}
		boxes, left := l.Plan().Deliver([]Layer{{Kind: entry.Persona, Text: persona}, {Kind: entry.Prompt, Text: prompt}})
		want := strings.TrimRight(persona, "\r\n") + "\n\n" + prompt
		switch {
		case persona == "":
			want = prompt
		case prompt == "":
			want = persona
		}
		if boxes[0].Text != want || left != nil {
			t.Errorf("got %q, left %q, want %q", boxes[0].Text, left, want)
		}
		for _, h := range []Headings{Tags, Plain} {
			l.Headings = h
			l.Plan().Deliver([]Layer{{Kind: entry.Persona, Text: persona}})
		}
	})
}

func BenchmarkDeliver(b *testing.B) {
	l := Layout{As: Boxes, Headings: Tags, Rename: map[string]string{"Who": "About us"}, Boxes: []Box{
		{Title: "About us", Limit: 1500, Takes: []Take{take(entry.Persona, "Who"), take(entry.Sheet)}}, {Title: "How", Takes: []Take{take(entry.Persona), take(entry.Style), take(entry.Prompt)}},
	}}
	plan := l.Plan()
	for b.Loop() {
		plan.Deliver(stack)
	}
}

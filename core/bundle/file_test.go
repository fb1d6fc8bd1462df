package bundle

import (
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
)

const notice = `---
kind: prompt
title: Notice of a burst main
summary: Tells households in an area what happened, what to do now and when water is back.
owner: care-lead
labels:
  application: [weir-mail]
  department: [customer-care, communications]
code: bmn
persona: duty-officer
sheets: [farm-customers]
source:
  place: Team notes
  date: 2026-03-02
blanks:
  - name: area
    ask: Which streets or postcodes?
  - name: hours
    ask: "In how many hours: at most?"
    type: number
    sample: 6.50
    min: 1
    max: 72
  - name: topics
    type: pick-many
    options: [leak, "a, b"]
    default: [leak]
    optional: true
---
## Task
Write a notice for {{area}} …
`

func TestReadWrite(t *testing.T) {
	t.Parallel()
	f, err := Read([]byte(notice))
	if err != nil {
		t.Fatal(err)
	}
	one, most := 1.0, 72.0
	want := entry.Content{
		Kind: "prompt", Title: "Notice of a burst main", Code: "bmn", Persona: "duty-officer", Sheets: []string{"farm-customers"},
		Summary: "Tells households in an area what happened, what to do now and when water is back.",
		Labels:  map[string][]string{"department": {"customer-care", "communications"}, "application": {"weir-mail"}},
		Source:  &entry.Source{Place: "Team notes", Date: "2026-03-02"},
		Blanks: []fill.Blank{
			{Name: "area", Ask: "Which streets or postcodes?"},
			{Name: "hours", Ask: "In how many hours: at most?", Type: fill.Number, Sample: fill.Single("6.50"), Min: &one, Max: &most},
			{Name: "topics", Type: fill.PickMany, Options: []string{"leak", "a, b"}, Default: fill.List("leak"), Optional: true},
		},
		Body: "## Task\nWrite a notice for {{area}} …\n",
	}
	if !reflect.DeepEqual(f.Content, want) {
		t.Errorf("got  %+v\nwant %+v", f.Content, want)
	}
	if f.BodyLine() != 30 {
		t.Errorf("the text begins on line %d, want 30", f.BodyLine())
	}
	if f.Owner != "care-lead" {
		t.Errorf("got owner %q", f.Owner)
	}
	for name, file := range map[string]File{"as read": f, "made anew": {Content: f.Content, Owner: f.Owner}} {
		if got := string(file.Bytes()); got != notice {
			t.Errorf("%s: got\n%s\nwant\n%s", name, got, notice)
		}
	}
}

// What a person has written by hand comes back as they wrote it.
func TestStepsComeBack(t *testing.T) {
	t.Parallel()
	const relay = `---
kind: relay
title: Comparison
steps:
  - name: facts
    use: tender-facts@2
    with:
      tender: "{{tender}}"
    model: heron-2
    temperature: 0.2
    max_tokens: 800
    within: 60
  - name: plain
    use: plain-words
    over:
      step: facts
      sections: all
---
Notes.
`
	f, err := Read([]byte(relay))
	if err != nil || len(f.Steps) != 2 || *f.Steps[0].Temperature != 0.2 || f.Steps[0].MaxTokens != 800 || f.Steps[0].Within != 60 {
		t.Fatalf("%+v, %v", f.Steps, err)
	}
	if got := string(File{Content: f.Content}.Bytes()); got != relay {
		t.Errorf("got\n%s", got)
	}
	if _, err := Read([]byte(strings.Replace(relay, "within: 60", "within: 6.5", 1))); err == nil || !strings.Contains(err.Error(), "whole number") {
		t.Errorf("half a second: %v", err)
	}
}

func TestHandWrittenHeadersComeBack(t *testing.T) {
	t.Parallel()
	for _, src := range []string{
		"---\n# a comment\ntitle:   \"x\"\nkind: snippet\n---\n",
		"---\r\nkind: snippet\r\n---\r\na\r\n",
		"---\nkind: prompt\ntitle: |\n  two\n---\nno line end",
		"---\nkind: prompt\n---  \n---\nbody with markers\n---\n",
		"---\nkind: prompt\nlabels: {department: laboratory}\n---\n\n\n",
	} {
		f, err := Read([]byte(src))
		if err != nil {
			t.Errorf("%q: %v", src, err)
			continue
		}
		if got := string(f.Bytes()); got != src {
			t.Errorf("got %q, want %q", got, src)
		}
		f.Title = "changed"
		again, err := Read(f.Bytes())
		if err != nil || again.Title != "changed" || again.Body != f.Body {
			t.Errorf("changed %q: got %+v, %v", src, again, err)
		}
	}
}

func TestReadProblems(t *testing.T) {
	t.Parallel()
	tests := []struct {
		name, src string
		want      []string
	}{
		{"empty", "", []string{"1:1  an entry file begins"}},
		{"no header", "# Title\n", []string{"1:1  an entry file begins"}},
		{"header never ends", "---\nkind: prompt\n", []string{"1:1  an entry file begins"}},
		{"NUL", "---\nkind: prompt\n---\na\x00", []string{"4:2  the text holds the character NUL"}},
		{"not UTF-8", "---\nkind: prompt\n---\n\xe9", []string{"4:1  the byte 0xE9 is not UTF-8"}},
		{"unknown fields, all at once", "---\nkind: prompt\ncolour: red\nblanks:\n  - name: a\n    typ: line\n---\n",
			[]string{"3:9 /colour there is no field colour", "6:10 /blanks/0/typ there is no field typ"}},
		{"twice", "---\nkind: prompt\nkind: style\n---\n", []string{"3:1 /kind kind stands twice"}},
		{"wrong types", "---\ntitle: [a]\nblanks: 3\nlabels: x\nplain: maybe\n---\n", []string{
			"2:8 /title found a list where a text", "3:9 /blanks found a single value where a list", "4:9 /labels found a single value where fields", "5:8 /plain this is true or false"}},
		{"min is no number", "---\nblanks:\n  - name: a\n    min: few\n---\n", []string{"4:10 /blanks/0/min this is a number"}},
		{"anchors", "---\ntitle: &a x\nsummary: *a\n---\n", []string{"2:8 /title found an anchor", "3:10 /summary found an anchor"}},
		{"no YAML", "---\ntitle: \"x\n---\n", []string{"2:8  the header is no YAML"}},
		{"tabs", "---\nlabels:\n\tdepartment: x\n---\n", []string{"3:1  the header is no YAML"}},
		{"huge", "---\ntitle: " + strings.Repeat("x", MaxHeader) + "\n---\n", []string{"1:1  the header is longer"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			_, err := Read([]byte(tt.src))
			var list problem.List
			if !errors.As(err, &list) || len(list) != len(tt.want) {
				t.Fatalf("got %v, want %d problems", err, len(tt.want))
			}
			for i, p := range list {
				if got := fmt.Sprintf("%d:%d %s %s", p.Line, p.Column, p.Field, p.Message); !strings.HasPrefix(got, tt.want[i]) {
					t.Errorf("problem %d: got %s, want %s", i, got, tt.want[i])
				}
			}
		})
	}
}

// Whatever is written reads back as the same, and writes the same bytes.
func FuzzWriteRead(f *testing.F) {
	for _, s := range []string{"a", "yes: no", " x", "- a", "a #b", "\"q\"", "null", "é, ü", "1e3", "a\nb", "{x}", "\u2028", "0x1F", "@a", "'", "a:", "?", "\x85", "\u200b"} {
		f.Add(s, s)
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		if problem.Text("", a) != nil || problem.Text("", b) != nil || len(a)+len(b) > 1000 {
			return
		}
		in := File{Owner: a, Content: entry.Content{
			Kind: "prompt", Title: a, Summary: b, Labels: map[string][]string{"department": {a, "x"}},
			Blanks: []fill.Blank{{Name: "n", Ask: b, Options: []string{b, a}, Sample: fill.Single(a)}}, Body: b,
		}}
		data := in.Bytes()
		out, err := Read(data)
		if err != nil {
			t.Fatalf("read %q: %v", data, err)
		}
		if out.Title != a || out.Summary != b || out.Body != b || out.Owner != a || out.Blanks[0].Ask != b ||
			out.Labels["department"][0] != a || out.Blanks[0].Options[1] != a || out.Blanks[0].Sample.String() != a {
			t.Fatalf("wrote %q and %q as\n%s\nread %+v", a, b, data, out)
		}
		out.header = ""
		if again := out.Bytes(); string(again) != string(data) {
			t.Fatalf("wrote\n%s\nthen\n%s", data, again)
		}
	})
}

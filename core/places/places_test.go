package places

import (
	"fmt"
	"strings"
	"testing"

	"goldshelf/core/fill"
	"goldshelf/test/intime"
)

func TestFind(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct {
		name, src string
		want      string // notation=name of each
	}{
		{"every way", "[topic] <audience> {tone} {{ Due Date }} ${amount} %city% __region__ {{{raw}}} STREET NAME HERE, INSERT METER NUMBER",
			"[name]=topic <name>=audience {name}=tone {{ name }}=due_date ${name}=amount %name%=city __name__=region {{{name}}}=raw NAME HERE=street_name INSERT NAME=meter_number"},
		{"the same words twice", "[Street Name] and [street_name] and {street name}", "[name]=street_name [name]=street_name {name}=street_name"},
		{"a line to write on", "Name: ____\nSigned _____ on ______", "____=name ____=signed ____=on"},
		{"lines without labels", "- ____\n- ____", "____=blank ____=blank_2"},
		{"our own marks", `{{area}} {{include house-tone}} {{# [note] }}{{if urgent}}now{{end}}`, ""},
		{"dotted names", "{{customer.name}} {{ customer.street_1 }}", "{{ name }}=customer_name {{ name }}=customer_street_1"},
		{"words that are reserved", "[end] [not]", "[name]=end_text [name]=not_text"},
		{"other alphabets", "[Überschrift] [街]", "[name]=berschrift [name]=blank"},

		{"links", "[text](https://a.example) ![alt](x.png) [text][ref] and [ref]\n\n[ref]: https://b.example", ""},
		{"notes and tasks", "as shown [1], [12], [^3]\n- [ ] open\n- [x] done\n* [X] done", ""},
		{"JSON", "Answer as {\"topic\": \"water\", \"n\": [1, 2]} or {\n  \"a\": {}\n} or []", ""},
		{"JSON with names in it", `{"topic": "[topic]", "tone": "{tone}"}`, "[name]=topic {name}=tone"},
		{"code", "Run `echo {name} <file>` and\n```\nfor [i] in <list>\n```\n\nthen [topic]", "[name]=topic"},
		{"a fence that is never closed", "```\n[topic]", ""},
		{"HTML", "<b>bold</b> <br> <div class=\"x\">text</div> <p> <h2>", ""},
		{"tags that may be places", "at <time>, <title>; <details>x</details>", "<name>=time <name>=title"},
		{"tags of a prompt", "<context>\n[facts]\n</context>\n<answer_form>short</answer_form>", "[name]=facts"},
		{"addresses", "<https://a.example/x> <care@larkfen.example>", ""},
		{"formulas", `\frac{a}{b} and \text{rate}`, ""},
		{"escaped", `\[topic] \{tone}`, ""},
		{"bold words", "__Very important__ and **[topic]**", "[name]=topic"},
		{"shouting", "PLEASE CALL HERE AND NOW. DO NOT WAIT.", "NAME HERE=please_call"},
		{"nothing", "", ""},
		{"long", "[" + strings.Repeat("x", 80) + "]", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			var got []string
			for _, p := range Find(tt.src) {
				got = append(got, p.Notation+"="+p.Name)
				if tt.src[p.Start:p.End] != p.Text || strings.Count(tt.src[:p.Start], "\n")+1 != p.Line {
					t.Errorf("%q stands at %d to %d, line %d", p.Text, p.Start, p.End, p.Line)
				}
			}
			if strings.Join(got, " ") != tt.want {
				t.Errorf("%q: got %s, want %s", tt.src, got, tt.want)
			}
		})
	}
}

func TestMakeBlanks(t *testing.T) {
	t.Parallel()
	src := "Write to [Street Name] about <topic>.\r\n[Street Name] waits, `[code]` stays.\n"
	found := Find(src)
	body, blanks := MakeBlanks(src, found)
	if want := "Write to {{street_name}} about {{topic}}.\r\n{{street_name}} waits, `[code]` stays.\n"; body != want {
		t.Errorf("got %q, want %q", body, want)
	}
	if got := fmt.Sprintln(len(blanks), blanks[0].Name, blanks[1].Name); got != "2 street_name topic\n" {
		t.Errorf("got the blanks %s", got)
	}
	if body, blanks := MakeBlanks(src, nil); body != src || blanks != nil {
		t.Errorf("with nothing chosen the text becomes %q with %v", body, blanks)
	}
	found[1].Name = "subject"
	if body, blanks := MakeBlanks(src, found[1:2]); !strings.Contains(body, "Write to [Street Name] about {{subject}}.") || blanks[0].Hint != "topic" {
		t.Errorf("one under another name: %q, %+v", body, blanks)
	}
}

// A long text takes no longer than its length asks for.
func BenchmarkFind256KiB(b *testing.B) {
	for name, unit := range map[string]string{
		"plain": "Write plainly, and say what happened. ", "brackets": "[a%d] ", "tags": "<a%d> ", "lines": "____ ", "marks": "{{a%d}} ",
	} {
		b.Run(name, func(b *testing.B) {
			var text strings.Builder
			for i := 0; text.Len() < 256<<10; i++ {
				text.WriteString(strings.ReplaceAll(unit, "%d", fmt.Sprint(i)))
			}
			b.SetBytes(int64(text.Len()))
			for b.Loop() {
				Find(text.String())
			}
		})
	}
}

// Whatever the text, what is turned can be filled, and with each blank given
// what stood there the text comes back.
func FuzzMakeBlanks(f *testing.F) {
	for _, seed := range []string{"[a] <b> {c}", "____", "{{ A b }}", "\\[a]", "```\n[a]", "${x} %y% __z__", "[é]", "{{{a}}}", "{{[a]}}"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, src string) {
		intime.Do(t, len(src), func() { MakeBlanks(src, Find(src)) })
		found := Find(src)
		end := 0
		for _, p := range found {
			if p.Start < end || p.End <= p.Start || p.End > len(src) {
				t.Fatalf("%q has the place %+v after %d", src, p, end)
			}
			if !fill.IsName(p.Name) {
				t.Fatalf("%q has the name %q", src, p.Name)
			}
			end = p.End
		}
		body, _ := MakeBlanks(src, found)
		if strings.Contains(src, "{{") {
			return // it may hold marks of its own, or broken ones
		}
		text, err := fill.Parse(body)
		if err != nil {
			t.Fatalf("%q becomes %q, which cannot be read: %v", src, body, err)
		}
		marks := 0
		text.Walk(func(n fill.Node) {
			if _, is := n.(*fill.Hole); is {
				marks++
			}
		})
		if marks != len(found) {
			t.Fatalf("%q has %d places and becomes %q with %d marks", src, len(found), body, marks)
		}
	})
}

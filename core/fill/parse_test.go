package fill

import (
	"errors"
	"strings"
	"testing"

	"goldshelf/core/problem"
	"goldshelf/test/intime"
)

func TestParseErrors(t *testing.T) {
	t.Parallel()
	long := strings.Repeat("n", MaxName+1)
	tests := []struct {
		name, text string
		want       []string // "line:column part of the message"
	}{
		{"unclosed", "a\nb {{name\nc}}", []string{`1:1 `, `2:9 the end of the line`}[1:]},
		{"unclosed at the end", "{{", []string{"1:1 no }}"}},
		{"unclosed comment", "{{# never\n}}", []string{"1:1 no }}"}},
		{"empty mark", "é {{ }}", []string{"1:3 empty mark"}},
		{"nested", "{{a {{b}} c}} {{d}}", []string{"1:5 a mark inside a mark"}},
		{"unknown word opens nothing twice", "{{unless x}}\ny\n{{end}}", []string{`1:10 "x" where the mark should end`}},
		{"capital letters", "{{Guest}}", []string{`1:3 "Guest" as a name`}},
		{"name too long", "{{" + long + "}}", []string{"1:3 40 letters"}},
		{"very long name is cut", "{{" + strings.Repeat("n", 90000) + "}}", []string{"1:3 (90000 letters)"}},
		{"reserved as blank", "{{has}}", []string{`1:3 "has"`}},
		{"reserved as item", "{{each topics as end}}{{end}}", []string{`1:18 meaning of its own`}},
		{"or without string", "{{a or b}}", []string{`1:8 "b" after "or"`}},
		{"bad escape", `{{"a\x"}}`, []string{`1:5 after a backslash`}},
		{"unclosed string", "{{\"abc}}\n", []string{"1:3 closing quotation mark"}},
		{"include nothing", "{{include}}", []string{"1:10 name the entry"}},
		{"include bad slug", "{{include ../etc}}", []string{`1:11 "." after include`}},
		{"include upper case", "{{include House}}", []string{`1:11 a slug has`}},
		{"include version zero", "{{include ab@0}}", []string{"1:14 whole number from 1"}},
		{"include no version", "{{include ab@x}}", []string{`1:14 "x" after @`}},
		{"include without equals", "{{include ab c}}", []string{"1:15 after c; give it a value"}},
		{"include a name twice", `{{include ab c="1" c="2"}}`, []string{"1:20 given twice"}},
		{"include without value", "{{include ab c=}}", []string{"1:16 after c="}},
		{"if nothing", "{{if}}x{{end}}", []string{"1:5 name the blank"}},
		{"if too much", "{{if a b}}x{{else}}y{{end}}", []string{`1:8 "b" after the condition`}},
		{"if is number", "{{if a is 3}}x{{end}}", []string{`1:11 "3" after "is"`}},
		{"if without end", "a\n{{if b}}", []string{"2:1 no {{end}} for this if"}},
		{"each without end", "{{each b as c}}", []string{"1:1 no {{end}} for this each"}},
		{"each without as", "{{each b}}{{end}}", []string{"1:9 each b as item"}},
		{"each as itself", "{{each b as b}}{{end}}", []string{"1:1 one name"}},
		{"end without if", "a {{end}}", []string{"1:3 end without an if"}},
		{"else without if", "{{else}}", []string{"1:1 else without an if"}},
		{"else in each", "{{each b as c}}{{else}}{{end}}", []string{"1:16 else without an if"}},
		{"two else", "{{if a}}{{else}}{{else}}{{end}}", []string{"1:17 second else"}},
		{"end with more", "{{if a}}{{end if}}{{end}}", []string{`1:15 "if" after end`}},
		{"from nothing", "{{from}}", []string{"1:7 name the step"}},
		{"odd sign", "{{$a}}", []string{`1:3 "$"`}},
		{"a dot", "{{.Name}}", []string{`1:3 "."`}},
		{"all at once", "{{A}}\n{{b or}}\n{{end}}\n{{c", []string{`1:3 "A"`, `2:7 the end of the mark after "or"`, "4:4 the end of the text"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			_, err := Parse(tt.text)
			wantProblems(t, err, tt.want)
		})
	}
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{
		"", "a", "{{a}}", `{{"{{"}}`, "{{# c }}\n", "{{if a}}\nb\n{{else}}\nc\n{{end}}\n", "{{each a as b}}{{b}}{{end}}",
		"  {{include ab@3 c=\"d\" e=f}}\n", "{{from x}}", "{{a or \"b\"}}", "{{", "}}", "{{a {{b}}", "{{if}}{{end}}", "{{é}}", "\xff{{a}}",
	} {
		f.Add(seed, "value")
	}
	f.Fuzz(func(t *testing.T, text, value string) {
		intime.Do(t, len(text), func() { _, _ = Parse(text) })
		parsed, err := Parse(text)
		if err != nil {
			var list problem.List
			if !errors.As(err, &list) || len(list) == 0 {
				t.Fatalf("Parse(%q) failed with %T", text, err)
			}
			return
		}
		if got := parsed.String(); got != text {
			t.Fatalf("Parse(%q) prints %q", text, got)
		}
		form, err := Compile(shelf{}.lookup, Source{Text: parsed})
		if err != nil {
			return
		}
		values := Values{}
		for _, b := range form.Blanks() {
			values[b.Name] = Single(value)
		}
		got, err := form.Fill(values)
		if err != nil {
			return
		}
		checkSpans(t, got)
		if !strings.Contains(text, "{{") && got.Text != text {
			t.Fatalf("text without marks %q became %q", text, got.Text)
		}
	})
}

package fill

import (
	"reflect"
	"slices"
	"testing"
)

// sheetOf is a sheet that has answered two questions of three.
func sheetOf(t testing.TB, slug string, version int) Source {
	src := source(t, slug, version, "Besides. {{include gone}}")
	src.Asks = []string{"households", "channels", "hours"}
	src.Answers = map[string]Value{"households": Single("412,000 {{area}}"), "channels": List("post", "web", "radio")}
	return src
}

func TestFacts(t *testing.T) {
	t.Parallel()
	lib := shelf{
		"facts": sheetOf(t, "facts", 4), "facts@2": sheetOf(t, "facts", 2),
		"free": source(t, "free", 1, "words"), "close": source(t, "close", 3, "By {{fact facts channels}}\n"),
	}
	french := source(t, "own", 1, "  {{fact facts channels}}\n{{fact facts@2 households}} at {{area}}.\n{{include close}}")
	french.Language = "fr"
	got, err := fillText(t, french, lib, Values{"area": Single("the fens")})
	if err != nil {
		t.Fatal(err)
	}
	if want := "  post, web et radio\n412,000 {{area}} at the fens.\nBy post, web and radio"; got.Text != want {
		t.Errorf("got %q, want %q", got.Text, want)
	}
	if want := []Ref{{"own", 1}, {"facts", 4}, {"facts", 2}, {"close", 3}}; !reflect.DeepEqual(got.Used, want) {
		t.Errorf("used %v, want %v", got.Used, want)
	}
	if !slices.ContainsFunc(got.Spans, func(s Span) bool { return *s.From == From{Entry: "facts", Version: 2, Fact: "households"} }) {
		t.Errorf("no span of the fact in %v", got.Spans)
	}
	// A line end that an answer ends with is the answer's, not the entry's own last one.
	lines := sheetOf(t, "lines", 1)
	lines.Answers["hours"] = Single("8 to 6\n")
	lib["lines"], lib["last"] = lines, source(t, "last", 1, "{{fact lines hours}}")
	if got, err := fillText(t, source(t, "own", 1, "{{include last}}|"), lib, nil); err != nil || got.Text != "8 to 6\n|" {
		t.Errorf("got %q, %v", got.Text, err)
	}
	// As a name alone, fact is a blank.
	if got, err := fillText(t, source(t, "own", 1, `{{fact}} {{ fact or "none" }}`), lib, Values{"fact": Single("so")}); err != nil || got.Text != "so so" {
		t.Errorf("got %q, %v", got.Text, err)
	}

	for _, tt := range []struct{ name, text, want string }{
		{"not answered", "a {{fact facts hours}}", "1:3 facts@4 has not answered hours"},
		{"no such question", "{{fact facts wealth}}", "1:1 facts@4 asks no question wealth; it asks households, channels, hours"},
		{"no question set", "{{fact free households}}", "1:1 free is no sheet that answers a question set"},
		{"no such sheet", "{{fact gone households}}", "1:1 no published entry gone"},
		{"inside an include", "x\n{{include broken}}", "2:1 in broken@1, line 1, column 5: facts@4 has not answered hours"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			lib["broken"] = source(t, "broken", 1, "and {{fact facts hours}}")
			_, err := Compile(lib.lookup, source(t, "own", 1, tt.text))
			wantProblems(t, err, []string{tt.want})
		})
	}
	for _, tt := range []struct{ text, want string }{
		{"{{fact facts}}", "1:13 name the question that it answers, as in {{fact facts households}}"},
		{"{{fact Facts households}}", `1:8 found "Facts" after fact; a slug has`},
		{"{{fact facts@x households}}", "1:14 a version is a whole number from 1, as in {{fact facts@3}}"},
		{"{{fact facts if}}", "1:14"},
		{"{{fact facts households more}}", "1:25 a mark ends with }}"},
		{`{{fact "x"}}`, "1:8 name a sheet and a question"},
	} {
		t.Run(tt.text, func(t *testing.T) {
			_, err := Parse(tt.text)
			wantProblems(t, err, []string{tt.want})
		})
	}
	text := "{{fact facts@2 households}} {{ fact  facts hours }}"
	parsed, err := Parse(text)
	if err != nil || parsed.String() != text || len(parsed.Facts()) != 2 || parsed.Facts()[0] != (Fact{Slug: "facts", Version: 2, Question: "households"}) {
		t.Errorf("%q reads as %q with %v, %v", text, parsed, parsed.Facts(), err)
	}
	if after := parsed.After("Before.\n"); after.String() != text {
		t.Errorf("with words before it, it prints %q", after)
	}
}

package relay

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
)

func with(name string, with map[string]string) entry.Step {
	return entry.Step{Name: name, Use: "prompt", With: with}
}

func TestWhatStepsAreGiven(t *testing.T) {
	t.Parallel()
	steps := []entry.Step{
		with("facts", map[string]string{"tender": "{{tender}}", "points": "{{points}}"}),
		with("table", map[string]string{"facts": "So far: {{from facts}}", "about": "{{tender}}, {{if note}}{{note}}{{else}}no note{{end}}"}),
		over("plain", "table", "all"),
	}
	declared := []fill.Blank{{Name: "points", Type: fill.PickMany, Options: []string{"price", "time"}}, {Name: "note", Optional: true}, {Name: "unused"}}
	r, err := Read(steps, declared, "en")
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, b := range r.Blanks() {
		names = append(names, b.Name)
	}
	slices.Sort(names)
	if got := strings.Join(names, " "); got != "note points tender unused" {
		t.Errorf("it asks for %s", got)
	}
	values := fill.Values{"tender": fill.Single("Two pumps"), "points": fill.List("price", "time"), "unused": fill.Single("x")}
	if wrong := r.Wrong(values); wrong != nil {
		t.Error(wrong)
	}
	given, err := r.Given(0, values, nil)
	if items, many := given["points"].Items(); err != nil || !many || len(items) != 2 || given["tender"].String() != "Two pumps" {
		t.Errorf("a blank alone goes on as it is: %v, %v", given, err)
	}
	given, err = r.Given(1, values, map[string]string{"facts": "One {{tender}}.\nTwo."})
	if err != nil || given["facts"].String() != "So far: One {{tender}}.\nTwo." || given["about"].String() != "Two pumps, no note" {
		t.Errorf("marks of a reply are text: %v, %v", given, err)
	}
	if given, err = r.Given(1, values, nil); err != nil || given["facts"].String() != "So far: …" {
		t.Errorf("a reply that is not there yet: %v, %v", given, err)
	}
	if !r.Later(1, "facts") || r.Later(1, "about") || !r.Later(2, SectionText) || r.Later(0, "tender") {
		t.Error("what is known only later")
	}
	wrong := r.Wrong(fill.Values{"points": fill.List("colour"), "zoo": fill.Single("x")})
	for _, field := range []string{"/values/tender", "/values/zoo", "/values/points/0"} {
		if !slices.ContainsFunc(wrong, func(p problem.Problem) bool { return p.Field == field }) {
			t.Errorf("nothing at %s: %v", field, wrong)
		}
	}
}

func TestWhatCannotBeRead(t *testing.T) {
	t.Parallel()
	_, err := Read([]entry.Step{
		with("a", map[string]string{"x": "{{from", "y": "{{include letter-close}}"}),
		{Name: "b", Use: "prompt", Within: 4000, MaxTokens: -1},
	}, nil, "")
	var wrong problem.List
	if !errors.As(err, &wrong) {
		t.Fatal(err)
	}
	for _, part := range []string{"a, x: ", "include it in the prompt that the step uses", "1 to 3,600", "1,000,000 tokens"} {
		if !strings.Contains(err.Error(), part) {
			t.Errorf("%q is not in %v", part, err)
		}
	}
}

// What a relay does not declare, and gives on as it is, is what the step's prompt declares.
func TestInheritedBlanks(t *testing.T) {
	t.Parallel()
	steps := []entry.Step{with("a", map[string]string{"text": "{{tender}}", "n": "{{count}}", "more": "About {{place}}"})}
	all := Inherit(steps, []fill.Blank{{Name: "count", Type: fill.Line}}, [][]fill.Blank{{
		{Name: "text", Ask: "Which tender?", Type: fill.LongText}, {Name: "n", Type: fill.Number}, {Name: "more", Type: fill.LongText}, {Name: "other"},
	}})
	if len(all) != 2 || all[1].Name != "tender" || all[1].Type != fill.LongText || all[1].Ask != "Which tender?" || all[0].Type != fill.Line {
		t.Errorf("%+v", all)
	}
}

func TestFilesOfRuns(t *testing.T) {
	t.Parallel()
	seed := int64(7)
	f := File{Relay: "tender-comparison@2", Model: "heron-2", Seed: &seed, Values: fill.Values{"tender": fill.Single("---\n# One: \"two\"\n"), "points": fill.List("price", "time")},
		Steps: []FileStep{{Name: "facts", Use: "tender-facts@1", Model: "heron-2", Reply: "---\nDone.\n"}}}
	for name, write := range map[string]func() ([]byte, error){"Markdown": f.Markdown, "JSON": f.JSON} {
		data, err := write()
		if err != nil || !strings.Contains(string(data), "Done.") {
			t.Fatalf("%s: %s, %v", name, data, err)
		}
		got, err := ReadFile(data)
		if err != nil || got.Relay != f.Relay || !got.Values["tender"].Equal(f.Values["tender"]) || !got.Values["points"].Equal(f.Values["points"]) || *got.Seed != 7 {
			t.Errorf("%s: %+v, %v of\n%s", name, got, err, data)
		}
	}
	for name, text := range map[string]string{
		"nothing": "", "no run": "{}", "another field": `{"relay": "a", "colour": "blue"}`, "no end": "---\nrelay: a\n", "no YAML": "---\n: [\n---\n", "a NUL": "{\"relay\": \"\x00\"}",
		"huge": strings.Repeat("x", MaxFile+1),
	} {
		var wrong problem.List
		if _, err := ReadFile([]byte(text)); !errors.As(err, &wrong) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

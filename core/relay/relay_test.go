package relay

import (
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"goldshelf/core/entry"
	"goldshelf/core/problem"
)

func step(name string, takes ...string) entry.Step {
	s := entry.Step{Name: name, Use: "prompt", With: map[string]string{}}
	for i, from := range takes {
		s.With[fmt.Sprint("b", i)] = "As said: {{from " + from + "}}"
	}
	return s
}

func over(name, of, sections string) entry.Step {
	return entry.Step{Name: name, Use: "plain", Over: &entry.Over{Step: of, Sections: sections}}
}

func TestOrder(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		steps []entry.Step
		want  [][]int
		wrong string
	}{
		"one":            {[]entry.Step{step("a")}, [][]int{{0}}, ""},
		"side by side":   {[]entry.Step{step("table", "facts", "dates"), step("facts"), step("dates"), over("plain", "table", "all")}, [][]int{{1, 2}, {0}, {3}}, ""},
		"twice the one":  {[]entry.Step{step("b", "a", "a"), step("a")}, [][]int{{1}, {0}}, ""},
		"none":           {nil, nil, "at least one step"},
		"a circle":       {[]entry.Step{step("a", "c"), step("b", "a"), step("c", "b"), step("d")}, nil, "a, c, b, a"},
		"itself":         {[]entry.Step{step("a", "a")}, nil, "a, a"},
		"after a circle": {[]entry.Step{step("x", "a"), step("a", "b"), step("b", "a")}, nil, "a, b, a"},
		"names":          {[]entry.Step{step("A"), step("b"), step("b"), step("c", "nowhere"), over("d", "b", " ")}, nil, "no name of a step; both called; no such step; which sections"},
		"too many":       {slices.Repeat([]entry.Step{step("a")}, 21), nil, "20 at most"},
	} {
		got, err := Order(c.steps)
		var wrong problem.List
		if c.wrong == "" && (err != nil || !reflect.DeepEqual(got, c.want)) {
			t.Errorf("%s: %v, %v", name, got, err)
		}
		for _, part := range strings.Split(c.wrong, "; ") {
			if part != "" && (!errors.As(err, &wrong) || !strings.Contains(err.Error(), part)) {
				t.Errorf("%s: %v, want %q", name, err, part)
			}
		}
	}
}

func TestAfter(t *testing.T) {
	t.Parallel()
	steps := []entry.Step{step("facts"), step("table", "facts"), over("plain", "table", "all"), step("dates"), step("page", "dates", "plain")}
	for at, want := range [][]int{{1, 2, 4}, {2, 4}, {4}, {4}, nil} {
		if got := After(steps, at); !slices.Equal(got, want) {
			t.Errorf("after %s: %v, want %v", steps[at].Name, got, want)
		}
	}
}

const reply = "Before.\n\n## First\n\nOne.\nTwo.\n\n```\n## no heading\n```\n\n## Second\nThree.\n### Deeper\nFour.\n\n## Third\n"

func TestAPassOverSections(t *testing.T) {
	t.Parallel()
	r := Apart(reply)
	if len(r.Sections) != 3 || r.Before != "Before.\n\n" || r.Sections[1].Text != "Three.\n### Deeper\nFour.\n\n" || !strings.Contains(r.Sections[0].Text, "## no heading") {
		t.Fatalf("%+v", r)
	}
	if got := r.With(nil); got != reply {
		t.Errorf("put together again it is %q", got)
	}
	for sections, want := range map[string][]int{"all": {0, 1, 2}, "first": {0}, "last": {2}, "second": {1}, " Second ": {1}, "Fourth": nil} {
		if got, err := r.Chosen(sections); !slices.Equal(got, want) || (err == nil) != (want != nil) {
			t.Errorf("%q: %v, %v", sections, got, err)
		}
	}
	got := r.With(map[int]string{0: "\nUno.\n", 1: "## Second\nTres.", 2: "Quattro."})
	if want := "Before.\n\n## First\n\nUno.\n\n## Second\nTres.\n\n## Third\nQuattro.\n"; got != want {
		t.Errorf("%q, want %q", got, want)
	}
	if _, err := Apart("no section").Chosen("all"); err == nil {
		t.Error("sections of a reply that has none")
	}
	if _, err := Apart(strings.Repeat("## S\nx\n", 51)).Chosen("all"); err == nil {
		t.Error("51 sections")
	}
}

func FuzzSections(f *testing.F) {
	f.Add(reply)
	f.Add("## \n##  x\r\n## y")
	f.Fuzz(func(t *testing.T, text string) {
		if got := Apart(text).With(nil); got != text {
			t.Errorf("%q became %q", text, got)
		}
	})
}

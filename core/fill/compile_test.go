package fill

import (
	"errors"
	"fmt"
	"testing"
)

func TestCompileErrors(t *testing.T) {
	t.Parallel()
	lib := shelf{
		"aa":      source(t, "aa", 1, "{{include bb}}"),
		"bb":      source(t, "bb", 1, "{{include cc}}"),
		"cc":      source(t, "cc", 1, "{{include dd}}"),
		"dd":      source(t, "dd", 1, "{{include ee}}"),
		"ee":      source(t, "ee", 1, "x\n{{include aa}}"),
		"close":   source(t, "close", 2, "{{signed}}", Blank{Name: "signed", Type: Pick, Options: []string{"Care"}}),
		"broken":  source(t, "broken", 1, "one\ntwo {{include gone}}"),
		"step":    source(t, "step", 1, "{{from facts}}"),
		"numeric": source(t, "numeric", 1, "{{topics}}", Blank{Name: "topics", Type: Number}),
	}
	for i := range MaxDepth {
		text := fmt.Sprintf("{{include deep%d}}", i+1)
		if i == MaxDepth-1 {
			text = "bottom"
		}
		lib[fmt.Sprintf("deep%d", i)] = source(t, fmt.Sprintf("deep%d", i), 1, text)
	}
	tests := []struct {
		name, text string
		blanks     []Blank
		want       []string
	}{
		{"not there", "a {{include gone}}", nil, []string{"1:3 no published entry gone"}},
		{"version not there", "{{include close@9}}", nil, []string{"1:1 close@9"}},
		{"itself", "{{include itself}}", nil, []string{"1:1 itself → itself"}},
		{"a circle of five", "\n{{include aa}}", nil, []string{"2:1 in ee@1, line 2, column 1: includes go in a circle: aa → bb → cc → dd → ee → aa"}},
		{"a fault inside", "\n {{include broken}}", nil, []string{"2:2 in broken@1, line 2, column 5: there is no published entry gone"}},
		{"the same fault twice", "{{include gone}} {{include gone}}", nil, []string{"1:1 gone", "1:18 gone"}},
		{"seventeen deep", "{{include deep0}}", nil, []string{"1:1 17 deep"}},
		{"no such blank", `{{include close sined="x"}}`, nil, []string{"1:17 no blank named sined; it has signed"}},
		{"a value that does not hold", `{{include close signed="Cure"}}`, nil, []string{`1:1 no option "Cure"`}},
		{"from outside a relay", "{{from facts}}", nil, []string{"1:1 in none"}},
		{"each over a line", "{{each a as b}}{{end}}", []Blank{{Name: "a"}}, []string{"1:1 a is a line"}},
		{"each over the undeclared", "{{each a as b}}{{end}}", nil, []string{"1:1 a is not declared"}},
		{"has of a pick", `{{if a has "x"}}{{end}}`, []Blank{{Name: "a", Type: Pick, Options: []string{"x"}}}, []string{"1:1 a is a pick"}},
		{"item named as a blank", "{{each topics as a}}{{end}}", []Blank{topics, {Name: "a"}}, []string{"1:1 already means something"}},
		{"item outside its repeat", "{{each topics as a}}{{a}}{{end}}{{a}}", []Blank{topics}, []string{"1:33 nothing outside it"}},
		{"each over an item", "{{each topics as a}}{{each a as b}}{{end}}{{end}}", []Blank{topics}, []string{"1:21 a is a repeat's item"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			_, err := Compile(lib.lookup, source(t, "itself", 1, tt.text, tt.blanks...))
			wantProblems(t, err, tt.want)
		})
	}

	t.Run("what the lookup cannot answer", func(t *testing.T) {
		broken := errors.New("the connection was lost")
		asked := 0
		_, err := Compile(func(string, int) (Source, error) { asked++; return Source{}, broken }, source(t, "itself", 1, "{{include a1}} {{include a2}} {{include a1}}"))
		if err != broken || asked != 1 {
			t.Errorf("asked %d times, and got %v", asked, err)
		}
	})

	t.Run("sixteen deep is allowed", func(t *testing.T) {
		got, err := fillText(t, lib["deep0"], lib, nil)
		if err != nil || got.Text != "bottom" {
			t.Errorf("got %q, %v; want bottom", got.Text, err)
		}
	})
	t.Run("two declarations that disagree", func(t *testing.T) {
		form, err := Compile(lib.lookup, source(t, "itself", 1, "{{topics}}{{include numeric}}", topics))
		if err != nil {
			t.Fatal(err)
		}
		if got := fmt.Sprint(form.Conflicts()); got != "[{topics pick-many number {itself 1} {numeric 1}}]" {
			t.Errorf("got conflicts %s", got)
		}
	})
}

func TestBlanksOfIncludes(t *testing.T) {
	t.Parallel()
	lib := shelf{"close": source(t, "close", 1, "{{signed}} {{name}}", Blank{Name: "signed", Ask: "Who signs?"}, Blank{Name: "name", Type: Pick, Options: []string{"A"}})}
	form, err := Compile(lib.lookup, source(t, "it", 1, `{{area}}{{include close name=agent}}{{include close signed="x" name=agent}}`, Blank{Name: "area"}))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, b := range form.Blanks() {
		got = append(got, fmt.Sprintf("%s/%s/%s", b.Name, b.Kind(), b.Question()))
	}
	if want := "[area/line/Area agent/pick/Agent signed/line/Who signs?]"; fmt.Sprint(got) != want {
		t.Errorf("got %v, want %s", got, want)
	}
}

func TestLateDeclarationHolds(t *testing.T) {
	t.Parallel()
	lib := shelf{"hours": source(t, "hours", 1, "{{hours}}", Blank{Name: "hours", Max: num(3)})}
	_, err := fillText(t, source(t, "it", 1, "{{hours}} {{include hours}}"), lib, Values{"hours": Single("sixteen")})
	wantProblems(t, err, []string{"0:0 hours has 7 characters; the most is 3"})
}

package sheet

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"goldshelf/core/fill"
	"goldshelf/core/problem"
)

func number(n float64) *float64 { return &n }

func audience() Set {
	return Set{Name: "audience", Version: 2, Title: "An audience", Groups: []Group{
		{Title: "Who they are", Questions: []Question{
			{Name: "households", Ask: "How many households are there?", Type: fill.Number, Min: number(1)},
			{Name: "who", Ask: "Who are they, in a sentence?", Example: "Tenants in the fen villages."},
			{Name: "since", Type: fill.Date, Optional: true},
		}},
		{Title: "How to reach them", Questions: []Question{
			{Name: "channels", Ask: "By which channels?", Type: fill.PickMany, Options: []string{"post", "web", "town and parish boards"}},
			{Name: "best_time", Type: fill.Pick, Options: []string{"Morning", "Evening"}, Optional: true},
			{Name: "opted_in", Ask: "Did they agree to texts?", Type: fill.YesNo, Optional: true},
			{Name: "remarks", Type: fill.LongText, Optional: true},
		}},
	}}
}

var full = Answers{
	"households": fill.Single("412000"), "who": fill.Single("Homes on a meter: {{not a mark}}"),
	"channels": fill.List("post", "web", "town and parish boards"), "opted_in": fill.Single("yes"), "remarks": fill.Single("One.\nTwo.\n"),
}

func TestMarkdownMarksWhatIsNotAnswered(t *testing.T) {
	t.Parallel()
	want := `## Who they are
- Households: 412000
- Who: Homes on a meter: {{not a mark}}

## How to reach them
- Channels: post, web et town and parish boards
- Opted in: yes
- Remarks: 
  One.
  Two.
`
	if got := audience().Markdown(full, "fr"); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	want = "## Who they are\n- Households: (not answered)\n- Who: (not answered)\n\n## How to reach them\n- Channels: (not answered)\n"
	if got := audience().Markdown(nil, ""); got != want {
		t.Errorf("of no answers: got\n%s\nwant\n%s", got, want)
	}
}

// What is written as JSON holds by the set's own schema, answered or not; what the set
// would not take does not.
func TestJSONHoldsByItsSchema(t *testing.T) {
	t.Parallel()
	s := audience()
	c := jsonschema.NewCompiler()
	doc, err := jsonschema.UnmarshalJSON(strings.NewReader(string(s.Schema())))
	if err != nil {
		t.Fatal(err)
	}
	if err := c.AddResource("set.json", doc); err != nil {
		t.Fatal(err)
	}
	schema, err := c.Compile("set.json")
	if err != nil {
		t.Fatal(err)
	}
	holds := func(data string) error {
		v, err := jsonschema.UnmarshalJSON(strings.NewReader(data))
		if err != nil {
			t.Fatalf("%s: %v", data, err)
		}
		return schema.Validate(v)
	}
	got := string(s.JSON(full))
	for _, part := range []string{`"households": 412000`, `"channels": ["post", "web", "town and parish boards"]`, `"opted_in": true`, `"who": "Homes on a meter: {{not a mark}}"`} {
		if !strings.Contains(got, part) {
			t.Errorf("%s is not in %s", part, got)
		}
	}
	if err := holds(got); err != nil {
		t.Errorf("%s: %v", got, err)
	}
	if got := string(s.JSON(nil)); holds(got) != nil || !strings.Contains(got, `"households": null`) || strings.Contains(got, "since") {
		t.Errorf("of no answers: %s", got)
	}
	for _, bad := range []string{`{"households": 0, "who": "x", "channels": []}`, `{"households": 1, "who": "x", "channels": ["pigeon"]}`, `{"households": 1}`, `{"households": 1, "who": "x", "channels": [], "more": 1}`} {
		if holds(bad) == nil {
			t.Errorf("%s holds", bad)
		}
	}
}

func TestHold(t *testing.T) {
	t.Parallel()
	held, wrong := audience().Hold(Answers{"households": fill.Single("0"), "who": fill.Single(""), "channels": fill.List("pigeon"), "wealth": fill.Single("x"), "opted_in": fill.Single("true")})
	var codes []string
	for _, p := range wrong {
		codes = append(codes, p.Field+" "+p.Code)
	}
	if want := []string{"/answers/households min", "/answers/channels/0 option", "/answers/wealth unknown"}; !reflect.DeepEqual(codes, want) {
		t.Errorf("got %q, want %q", codes, want)
	}
	if held["opted_in"].String() != "yes" || len(held) != 3 {
		t.Errorf("held %v", held)
	}
	if _, wrong := audience().Hold(full); wrong != nil {
		t.Error(wrong)
	}
	wanted, optional := audience().Missing(Answers{"who": fill.Single("x")})
	if len(wanted) != 2 || len(optional) != 4 {
		t.Errorf("missing %d and %d", len(wanted), len(optional))
	}
}

func TestSince(t *testing.T) {
	t.Parallel()
	newer := audience()
	newer.Version = 3
	newer.Groups[0].Questions = []Question{{Name: "households", Ask: "How many?", Type: fill.Number}, {Name: "income"}, {Name: "who", Ask: "Put otherwise"}}
	m := newer.Since(audience())
	names := func(all []Question) (s string) {
		for _, q := range all {
			s += q.Name + " "
		}
		return s
	}
	if got := fmt.Sprint(names(m.Added), "| ", names(m.Removed), "| ", names(m.Changed)); got != "income | since | households " {
		t.Errorf("got %s", got)
	}
}

// Questions are found however they are written, and what was written reads back.
func TestRead(t *testing.T) {
	t.Parallel()
	written := audience().Markdown(full, "")
	for _, c := range []struct {
		name, in, want, problems string
	}{
		{"our own Markdown", written, `{"channels":["post","web","town and parish boards"],"households":"412000","opted_in":"yes","remarks":"One.\nTwo.","who":"Homes on a meter: {{not a mark}}"}`, ""},
		{"our own JSON", string(audience().JSON(full)), `{"channels":["post","web","town and parish boards"],"households":"412000","opted_in":"yes","remarks":"One.\nTwo.","who":"Homes on a meter: {{not a mark}}"}`, ""},
		{"questions as they are asked", "How many households are there? 412,000\nWho are they, in a sentence?\nTenants.\nMostly.\n\nBy which channels?: Web and POST\n", `{"channels":["web","post"],"households":"412000","who":"Tenants.\nMostly."}`, "/answers/who type"},
		{"bold labels", "**Households:** 5\n* **Who**: them\n", `{"households":"5","who":"them"}`, ""},
		{"a table", "question,answer\r\nhouseholds,\"1,200\"\r\nBest time,evening\r\n", `{"best_time":"Evening","households":"1200"}`, ""},
		{"a table with semicolons", "Households;7\nWho;\"a; b\"\n", `{"households":"7","who":"a; b"}`, ""},
		{"not answered is no answer", "Households: (not answered)\nWho: x\n", `{"who":"x"}`, ""},
		{"unknown questions", "Households: 7\nIncome: high\n", `{"households":"7"}`, "2 unknown"},
		{"an answer twice", "Households: 7\nhouseholds: 8\n", `{"households":"7"}`, "2 twice"},
		{"words before", "Dear all\nHouseholds: 7\n", `{"households":"7"}`, "1 unknown"},
		{"nothing", " \n", `null`, "0 missing"},
		{"bytes", "\xff\xfe", `null`, "0 utf-8"},
		{"broken JSON", `{"households": 7,,}`, `{}`, "0 json"},
		{"a number that is none", "Households: many\n", `{"households":"many"}`, "/answers/households type"},
	} {
		t.Run(c.name, func(t *testing.T) {
			answers, err := audience().Read([]byte(c.in))
			got, _ := json.Marshal(answers)
			if string(got) != c.want {
				t.Errorf("got %s, want %s", got, c.want)
			}
			var says []string
			if list, is := err.(problem.List); is {
				for _, p := range list {
					if p.Field != "" {
						says = append(says, p.Field+" "+p.Code)
					} else {
						says = append(says, fmt.Sprint(p.Line, " ", p.Code))
					}
				}
			}
			if strings.Join(says, "; ") != c.problems {
				t.Errorf("said %v, want %s", err, c.problems)
			}
		})
	}
}

func TestProblemsOfASet(t *testing.T) {
	t.Parallel()
	if wrong := audience().Problems(); wrong != nil {
		t.Fatal(wrong)
	}
	bad := Set{Name: "A!", Groups: []Group{{}, {Title: "x", Questions: []Question{{Name: "a"}, {Name: "a"}, {Name: "if"}, {Name: "p", Type: fill.Pick}, {Name: "l", Ask: strings.Repeat("x", 1001)}}}}}
	var got []string
	for _, p := range bad.Problems() {
		got = append(got, p.Field)
	}
	want := []string{"/name", "/title", "/groups/0/title", "/groups/0/questions", "/groups/1/questions/1/name", "/groups/1/questions/2/name", "/groups/1/questions/3/options", "/groups/1/questions/4/ask"}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got %q\nwant %q", got, want)
	}
	if (Set{Name: "empty", Title: "x"}).Problems() == nil {
		t.Error("a set without a question may be")
	}
}

func FuzzRead(f *testing.F) {
	f.Add(audience().Markdown(full, ""))
	f.Add(`{"households": 1}`)
	f.Add("question,answer\nhouseholds,5\n")
	f.Fuzz(func(t *testing.T, in string) {
		answers, err := audience().Read([]byte(in))
		if err != nil {
			return
		}
		// What was read without a word reads back from what is written of it.
		again, err := audience().Read(audience().JSON(answers))
		if err != nil || !reflect.DeepEqual(text(answers), text(again)) {
			t.Errorf("%q read as %v, and that as %v, %v", in, answers, again, err)
		}
	})
}

func text(a Answers) string { data, _ := json.Marshal(a); return string(data) }

// A set that was written reads back; what is wrong with a file is said by its place.
func TestFiles(t *testing.T) {
	t.Parallel()
	data, err := audience().YAML()
	if err != nil {
		t.Fatal(err)
	}
	got, err := ReadSet(data)
	want := audience()
	want.Version = 0
	if err != nil || !reflect.DeepEqual(got, want) {
		t.Errorf("%s\nreads back as %+v, %v", data, got, err)
	}
	for in, says := range map[string]string{
		"name: a\n\ttitle: b":                     "line 2",
		"name: audience\ntitle: T\ngroups: {}\n":  "groups is an object",
		"name: audience\ntitle: T\nquestions: 1":  "no field",
		"name: audience\ntitle: T\ngroups: []\n":  "groups: the set has no question",
		"":                                        "",
		strings.Repeat("x", MaxFile+1):            "at most",
		"name: audience\ntitle: \"\\0\"\ngroups:": "cannot be read",
	} {
		if _, err := ReadSet([]byte(in)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%.60q: %v, want %q", in, err, says)
		}
	}
}

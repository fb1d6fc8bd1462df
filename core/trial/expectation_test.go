package trial

import (
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"testing"

	"goldshelf/core/message"

	"goldshelf/core/problem"
	"goldshelf/core/voice"
)

func most(n float64) *float64 { return &n }

func schema(t *testing.T, text string) (s any) {
	t.Helper()
	if err := json.Unmarshal([]byte(text), &s); err != nil {
		t.Fatal(err)
	}
	return s
}

func one(t *testing.T, e Expectation, reply string, given Given, avoid ...string) Observation {
	t.Helper()
	j, err := NewJudge([]Expectation{e}, avoid)
	if err != nil {
		t.Fatal(err)
	}
	return j.Outcomes(reply, given)[0]
}

const letter = "# Water is back\n\nDear Mill Lane,\n\n## What to do\n- Run the cold tap.\n- Wait 2 minutes.\n  - or three\n\n- Call us.\n\n| a | b |\n|---|---|\n| 1 | 2 |\n\nWe are here from 7:00.\n"

func TestExpectations(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		e     Expectation
		reply string
		want  State
		note  string
		at    []string // the parts that are pointed at
	}{
		"holds, capitals aside":     {Expectation{Kind: Holds, Text: "MILL lane"}, letter, Met, "it is there", []string{"Mill Lane"}},
		"holds not":                 {Expectation{Kind: Holds, Text: "zebra"}, letter, Missed, "it is not there", nil},
		"does not hold":             {Expectation{Kind: Holds, Not: true, Text: "cold tap"}, letter, Missed, "it is there", []string{"cold tap"}},
		"a text with signs":         {Expectation{Kind: Holds, Text: "(a+"}, "x (a+ y", Met, "", []string{"(a+"}},
		"matches":                   {Expectation{Kind: Matches, Text: `\d+ minutes`}, letter, Met, "", []string{"2 minutes"}},
		"matches nothing at all":    {Expectation{Kind: Matches, Text: `^`}, "", Met, "", []string{""}},
		"does not match":            {Expectation{Kind: Matches, Not: true, Text: `\bsorry\b`}, letter, Met, "", nil},
		"words":                     {Expectation{Kind: Words, Most: most(3)}, "one two three", Met, "3 words", nil},
		"too many":                  {Expectation{Kind: Words, Most: most(2)}, "one two three", Missed, "3 words", nil},
		"too few":                   {Expectation{Kind: Words, Least: most(4), Most: most(9)}, "one two three", Missed, "", nil},
		"headings":                  {Expectation{Kind: Headings}, letter, Met, "2 headings", []string{"# Water is back", "## What to do"}},
		"no headings":               {Expectation{Kind: Headings, Not: true}, letter, Missed, "2 headings", []string{"# Water is back", "## What to do"}},
		"so many":                   {Expectation{Kind: Headings, Least: most(3)}, letter, Missed, "2 headings", nil},
		"by title":                  {Expectation{Kind: Headings, Text: "## what to do\nWater is back\n"}, letter, Met, "they are all there", nil},
		"one is missing":            {Expectation{Kind: Headings, Text: "What to do\nWhom to call"}, letter, Missed, "not there: Whom to call", nil},
		"a heading in code is none": {Expectation{Kind: Headings}, "```\n# no\n```\n", Missed, "0 headings", nil},
		"a list":                    {Expectation{Kind: List, Least: most(3), Most: most(3)}, letter, Met, "a list of 3", []string{"- Run the cold tap.", "- Wait 2 minutes.", "- Call us."}},
		"two lists are not one":     {Expectation{Kind: List, Most: most(2)}, "1. a\n2. b\n\nThen:\n\n1. c\n2. d\n", Met, "a list of 2", nil},
		"no list":                   {Expectation{Kind: List, Not: true}, "None - at all.\n", Met, "no list", nil},
		"a table":                   {Expectation{Kind: Table}, letter, Met, "there is a table", []string{"| a | b |\n|---|---|\n| 1 | 2 |"}},
		"two tables":                {Expectation{Kind: Table}, "a|b\n-|-\n\nc|d\n-|-\n", Met, "", []string{"a|b\n-|-", "c|d\n-|-"}},
		"bars alone are none":       {Expectation{Kind: Table}, "a | b\nc | d\n", Missed, "there is no table", nil},
		"no table":                  {Expectation{Kind: Table, Not: true}, letter, Missed, "", nil},
		"JSON":                      {Expectation{Kind: JSON}, " {\"a\": 1} ", Met, "it is JSON", nil},
		"JSON with words":           {Expectation{Kind: JSON}, "Here it is: {\"a\": 1}", Missed, "other text before", nil},
		"half a JSON":               {Expectation{Kind: JSON}, `{"a": `, Missed, "it is no JSON", nil},
		"two JSONs":                 {Expectation{Kind: JSON}, `{"a": 1} {"b": 2}`, Missed, "it is no JSON", nil},
		"fits a schema":             {Expectation{Kind: JSON, Schema: schema(t, `{"required": ["who"]}`)}, `{"who": "Joss"}`, Met, "it fits the schema", nil},
		"does not":                  {Expectation{Kind: JSON, Schema: schema(t, `{"properties": {"n": {"type": "number"}}}`)}, `{"n": "six"}`, Missed, "/n does not fit", nil},
		"numbers":                   {Expectation{Kind: Numbers}, "In 6 hours, 1200 homes, at 7:00, in two weeks.", Met, "every number was given", nil},
		"numbers that are new":      {Expectation{Kind: Numbers}, "In 8 hours, at 7.5 bar. In 8 days.", Missed, "not given: 8, 7.5", []string{"8", "7.5", "8"}},
		"what numbers a list":       {Expectation{Kind: Numbers}, "1. First.\n2) Second.\n3. In 6 hours.\n", Met, "", nil},
		"a number in words":         {Expectation{Kind: Numbers}, "Within 3 days.", Met, "", nil},
		"reads easily":              {Expectation{Kind: Grade, Most: most(5)}, "Run the tap. Wait a bit. Call us.", Met, "grade", nil},
		"reads hard":                {Expectation{Kind: Grade, Most: most(5)}, "Reinstatement of the carriageway necessitates coordination with neighbouring infrastructure undertakings.", Missed, "", nil},
		"nothing to read":           {Expectation{Kind: Grade, Most: most(5)}, "123\n", Missed, "", nil},
		"a word to avoid":           {Expectation{Kind: Avoided}, "Unfortunately, going forward.", Missed, "going forward, unfortunately", []string{"going forward", "Unfortunately"}},
		"part of a word":            {Expectation{Kind: Avoided}, "Misunfortunately.", Met, "none of the words", nil},
		"by a prompt":               {Expectation{Kind: ByPrompt, Text: "judge"}, letter, Unknown, "", nil},
		"by people":                 {Expectation{Kind: ByPerson, Text: "Good?"}, letter, Unknown, "", nil},
	} {
		got := one(t, c.e, c.reply, Given{Sent: "6 hours, 1,200 homes, 07:00 or 7:00, three days, 2"}, "unfortunately", " going forward ", "")
		if got.State != c.want || !strings.Contains(got.Note.String(), c.note) {
			t.Errorf("%s: %+v", name, got)
		}
		var at []string
		for _, s := range got.At {
			at = append(at, c.reply[s.Start:s.End])
		}
		if c.at != nil && !slices.Equal(at, c.at) {
			t.Errorf("%s points at %q, want %q", name, at, c.at)
		}
	}
}

func TestNearToAStyle(t *testing.T) {
	t.Parallel()
	e := Expectation{Kind: Style, Text: "plain"}
	fit := func(near voice.Nearness) func(string, string) (voice.Fit, bool) {
		return func(slug, _ string) (voice.Fit, bool) {
			return voice.Fit{Near: near, Distance: 1.5, Own: 1.2, Note: message.Say("too short"), Stands: []voice.StandsOut{{Start: 2, End: 6}}}, slug == "plain"
		}
	}
	for near, want := range map[voice.Nearness]State{voice.Near: Met, voice.Off: Missed, voice.Far: Missed, voice.Unknown: Unknown} {
		got := one(t, e, "Some text.", Given{Styles: fit(near)})
		if got.State != want || (want == Missed) != (len(got.At) == 1) {
			t.Errorf("%s: %+v", near, got)
		}
	}
	if got := one(t, Expectation{Kind: Style, Text: "gone"}, "x", Given{Styles: fit(voice.Near)}); got.State != Unknown || !strings.Contains(got.Note.String(), "no such style") {
		t.Errorf("%+v", got)
	}
	if got := one(t, e, "x", Given{}); got.State != Unknown {
		t.Errorf("%+v", got)
	}
}

// What a reply has a hundred thousand of is looked through once: else this ends never.
func TestLongReplies(t *testing.T) {
	t.Parallel()
	all := []Expectation{{Kind: Holds, Text: "a"}, {Kind: Matches, Text: `(a+)+$`}, {Kind: Words, Most: most(1)}, {Kind: Headings}, {Kind: List}, {Kind: Table}, {Kind: JSON}, {Kind: Numbers}, {Kind: Avoided}}
	j, err := NewJudge(all, []string{"a"})
	if err != nil {
		t.Fatal(err)
	}
	const times = 200_000
	for name, reply := range map[string]string{
		"letters": strings.Repeat("a", 8*times), "items": strings.Repeat("- a\n", times), "rules": strings.Repeat("|-|\n", times), "ordinals": strings.Repeat("1. 2\n", times),
		"numbers": strings.Repeat("77 ", times), "headings": strings.Repeat("# a\n", times), "brackets": strings.Repeat("[", times),
	} {
		for i, o := range j.Outcomes(reply, Given{Sent: "2"}) {
			if len(o.At) > mostSpans || len(o.Note.String()) > 2000 {
				t.Errorf("%s, %s: %d places, a note of %d bytes", name, all[i].Kind, len(o.At), len(o.Note.String()))
			}
		}
	}
}

func TestWhatExpectationsSay(t *testing.T) {
	t.Parallel()
	for want, e := range map[string]Expectation{
		"holds “Mill Lane”":                        {Kind: Holds, Text: "Mill Lane"},
		"does not hold “sorry”":                    {Kind: Holds, Not: true, Text: "sorry"},
		`matches \d+`:                              {Kind: Matches, Text: `\d+`},
		`does not match \d+`:                       {Kind: Matches, Not: true, Text: `\d+`},
		"keeps to 120 words at most":               {Kind: Words, Most: most(120)},
		"keeps to 80 words at least":               {Kind: Words, Least: most(80)},
		"keeps to 80 to 120 words":                 {Kind: Words, Least: most(80), Most: most(120)},
		"has headings":                             {Kind: Headings},
		"has no headings":                          {Kind: Headings, Not: true},
		"has 3 headings":                           {Kind: Headings, Least: most(3), Most: most(3)},
		"has the headings What, When":              {Kind: Headings, Text: "What\nWhen\n"},
		"has a list":                               {Kind: List},
		"has no list":                              {Kind: List, Not: true},
		"has a list of 3 to 5 items":               {Kind: List, Least: most(3), Most: most(5)},
		"has a table":                              {Kind: Table},
		"has no table":                             {Kind: Table, Not: true},
		"is JSON":                                  {Kind: JSON},
		"is JSON that fits the schema":             {Kind: JSON, Schema: map[string]any{}},
		"gives no number that was not given":       {Kind: Numbers},
		"reads at grade 8 at most":                 {Kind: Grade, Most: most(8)},
		"is near to plain-river":                   {Kind: Style, Text: "plain-river"},
		"has no word to avoid":                     {Kind: Avoided},
		"is answered yes by judge":                 {Kind: ByPrompt, Text: "judge"},
		"is marked yes: Would you send it?":        {Kind: ByPerson, Text: "Would you send it?"},
		"holds “" + strings.Repeat("x", 59) + "…”": {Kind: Holds, Text: strings.Repeat("x", 80)},
	} {
		if got := e.Says().String(); got != want {
			t.Errorf("%+v says %q, want %q", e, got, want)
		}
	}
}

func TestExpectationProblems(t *testing.T) {
	t.Parallel()
	nan := 0.0
	nan /= nan
	for name, c := range map[string]struct {
		e     Expectation
		field string
	}{
		"no kind":               {Expectation{}, "/expectations/0/kind"},
		"another kind":          {Expectation{Kind: "magic"}, "/expectations/0/kind"},
		"no text":               {Expectation{Kind: Holds, Text: " "}, "/expectations/0/text"},
		"no prompt":             {Expectation{Kind: ByPrompt}, "/expectations/0/text"},
		"no question":           {Expectation{Kind: ByPerson}, "/expectations/0/text"},
		"a NUL":                 {Expectation{Kind: Holds, Text: "a\x00"}, "/expectations/0/text"},
		"a long text":           {Expectation{Kind: Holds, Text: strings.Repeat("x", 2001)}, "/expectations/0/text"},
		"no pattern":            {Expectation{Kind: Matches, Text: "(?=x)"}, "/expectations/0/text"},
		"no limit":              {Expectation{Kind: Words}, "/expectations/0/most"},
		"least above most":      {Expectation{Kind: Words, Least: most(9), Most: most(3)}, "/expectations/0/most"},
		"no number":             {Expectation{Kind: Grade, Most: &nan}, "/expectations/0/most"},
		"far too many":          {Expectation{Kind: Words, Least: most(1e9)}, "/expectations/0/least"},
		"a schema of elsewhere": {Expectation{Kind: JSON, Schema: map[string]any{"$ref": "file:///etc/passwd"}}, "/expectations/0/schema"},
		"a long schema":         {Expectation{Kind: JSON, Schema: map[string]any{"title": strings.Repeat("x", 70<<10)}}, "/expectations/0/schema"},
	} {
		var wrong problem.List
		if err := Problems([]Expectation{c.e}).Err(); !errors.As(err, &wrong) || wrong[0].Field != c.field {
			t.Errorf("%s: %v", name, err)
		}
		if _, err := NewJudge([]Expectation{c.e}, nil); err == nil {
			t.Errorf("%s is judged by", name)
		}
	}
	if Problems(slices.Repeat([]Expectation{{Kind: Table}}, 21)) == nil {
		t.Error("21 expectations")
	}
}

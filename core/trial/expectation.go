package trial

import (
	"bytes"
	"encoding/json"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Kind is what an expectation looks at.
type Kind string

// The kinds.
const (
	Holds    Kind = "holds"    // a text
	Matches  Kind = "matches"  // a pattern
	Words    Kind = "words"    // so many
	Headings Kind = "headings" // by these titles, or so many
	List     Kind = "list"     // of so many
	Table    Kind = "table"
	JSON     Kind = "json"    // that fits a schema, if there is one
	Numbers  Kind = "numbers" // none that was not given
	Grade    Kind = "grade"   // of reading
	Style    Kind = "style"   // it is near to
	Avoided  Kind = "avoided" // no word that the house avoids
	ByPrompt Kind = "verdict" // of a prompt that answers yes or no
	ByPerson Kind = "mark"    // a person's
)

// Kinds gives all of them.
func Kinds() []Kind {
	return []Kind{Holds, Matches, Words, Headings, List, Table, JSON, Numbers, Grade, Style, Avoided, ByPrompt, ByPerson}
}

// Expectation is something that a reply must hold to.
type Expectation struct {
	Kind   Kind     `json:"kind"`
	Not    bool     `json:"not,omitempty"`    // holds, matches, headings, list, table: it must not
	Text   string   `json:"text,omitempty"`   // holds: the text; matches: an expression of RE2; headings: titles, a line each; style, verdict: the slug; mark: what is asked
	Model  string   `json:"model,omitempty"`  // verdict: which is asked; empty is the set-up's
	Least  *float64 `json:"least,omitempty"`  // words, headings, list, grade
	Most   *float64 `json:"most,omitempty"`   // the same
	Schema any      `json:"schema,omitempty"` // json: a JSON Schema
}

// State is whether an expectation is met.
type State string

// The states.
const (
	Met     State = "met"
	Missed  State = "missed"
	Unknown State = "unknown"
)

// Extent is a part of a reply, in bytes.
type Extent struct {
	Start int `json:"start"`
	End   int `json:"end"`
}

// Observation is what came of an expectation.
type Observation struct {
	State State        `json:"state"`
	Note  message.Text `json:"note,omitzero"` // what was found
	At    []Extent     `json:"at,omitempty"`  // where
}

// Limits of expectations.
const (
	MostExpectations = 20
	mostText         = 2_000 // characters
	mostSchema       = 64 << 10
	mostSpans        = 20
)

// Problems says what is wrong with expectations, all at once.
func Problems(all []Expectation) (wrong problem.List) {
	if len(all) > MostExpectations {
		wrong.Add("/expectations", "many", "there are %d expectations; a trial has 20 at most", len(all))
		return wrong // none of so many is looked at
	}
	for i, e := range all {
		at := problem.Pointer("expectations", i)
		for _, p := range e.problems() {
			p.Field = at + p.Field
			wrong = append(wrong, p)
		}
	}
	return wrong
}

func (e Expectation) problems() (wrong problem.List) {
	if !slices.Contains(Kinds(), e.Kind) {
		wrong.Add("/kind", "kind", "%.40q is no kind of expectation; there are %s", string(e.Kind), kindNames())
		return wrong
	}
	wrong = append(wrong, problem.Text("/text", e.Text)...)
	if n := utf8.RuneCountInString(e.Text); n > mostText {
		wrong.Add("/text", "length", "it has %d characters; 2,000 are possible", n)
		return wrong
	}
	switch e.Kind {
	case Holds, Matches, Style, ByPrompt, ByPerson:
		if strings.TrimSpace(e.Text) == "" {
			wrong.Add("/text", "required", "say %s", map[Kind]string{
				Holds: "which text it holds", Matches: "which pattern it matches", Style: "which style it is near to",
				ByPrompt: "which prompt says yes or no", ByPerson: "what people are asked about it"}[e.Kind])
		}
	}
	if e.Kind == Matches {
		if _, _, err := compilePattern(e.Text); err != nil {
			wrong.Add("/text", "pattern", "the pattern cannot be read: %s; it is an expression of RE2", strings.TrimPrefix(err.Error(), "error parsing regexp: "))
		}
	}
	for _, n := range []struct {
		field string
		value *float64
	}{{"/least", e.Least}, {"/most", e.Most}} {
		if n.value != nil && (math.IsNaN(*n.value) || *n.value < -20 || *n.value > 1e6) {
			wrong.Add(n.field, "range", "%v is too little or too much", *n.value)
		}
	}
	if e.Least != nil && e.Most != nil && *e.Least > *e.Most {
		wrong.Add("/most", "range", "it is less than the least")
	}
	if (e.Kind == Words || e.Kind == Grade) && e.Least == nil && e.Most == nil {
		wrong.Add("/most", "required", "say how many at least or at most")
	}
	if e.Schema != nil {
		if _, _, err := compile(e.Schema); err != nil {
			wrong.Add("/schema", "schema", "%s", err.Error())
		}
	}
	return wrong
}

func kindNames() string {
	var all []string
	for _, k := range Kinds() {
		all = append(all, string(k))
	}
	return strings.Join(all, ", ")
}

// compile reads a schema. It reaches for no other.
// It returns how many schemas one value may meet, too.
func compile(schema any) (*jsonschema.Schema, int, error) {
	text, err := json.Marshal(schema)
	if err != nil || len(text) > mostSchema {
		return nil, 0, message.Errorf("the schema is too long; 64 KiB are possible")
	}
	read, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	if err != nil {
		return nil, 0, message.Errorf("the schema is no JSON: %w", err)
	}
	cost, err := schemaCost(read)
	if err != nil {
		return nil, 0, err
	}
	c := jsonschema.NewCompiler()
	c.UseRegexpEngine(func(expr string) (jsonschema.Regexp, error) {
		re, _, err := compilePattern(expr)
		return re, err
	})
	c.UseLoader(nowhere{})
	const name = "https://schema.invalid/expectation" // an address, or notes would show a path of the machine
	if err := c.AddResource(name, read); err != nil {
		return nil, 0, message.Errorf("the schema cannot be read: %w", err)
	}
	s, err := c.Compile(name)
	if err != nil {
		return nil, 0, message.Errorf("the schema cannot be used: %s", strings.NewReplacer("\n", " ", `"`+name+`#"`, "it", name+"#", "the schema").Replace(strings.TrimPrefix(err.Error(), "jsonschema: ")))
	}
	return s, cost, nil
}

// nowhere loads no schema.
type nowhere struct{}

func (nowhere) Load(url string) (any, error) {
	return nil, message.Errorf("it names another schema, which is not looked for")
}

// Says is what a reply does that holds to the expectation, as "keeps to 120 words at most".
func (e Expectation) Says() message.Text {
	some := e.Least != nil || e.Most != nil
	not := func(is, isNot message.Text) message.Text {
		if e.Not {
			return isNot
		}
		return is
	}
	switch e.Kind {
	case Holds:
		return not(message.Say("holds “%s”", shortened(e.Text)), message.Say("does not hold “%s”", shortened(e.Text)))
	case Matches:
		return not(message.Say("matches %s", shortened(e.Text)), message.Say("does not match %s", shortened(e.Text)))
	case Words:
		return message.Say("keeps to %s", e.limits("%s words"))
	case Headings:
		titles := strings.Join(strings.FieldsFunc(e.Text, func(r rune) bool { return r == '\n' || r == '\r' }), ", ")
		switch {
		case titles != "":
			return not(message.Say("has the headings %s", shortened(titles)), message.Say("has not the headings %s", shortened(titles)))
		case some:
			return not(message.Say("has %s", e.limits("%s headings")), message.Say("has not %s", e.limits("%s headings")))
		}
		return not(message.Say("has headings"), message.Say("has no headings"))
	case List:
		if some {
			return not(message.Say("has a list of %s", e.limits("%s items")), message.Say("has no list of %s", e.limits("%s items")))
		}
		return not(message.Say("has a list"), message.Say("has no list"))
	case Table:
		return not(message.Say("has a table"), message.Say("has no table"))
	case JSON:
		if e.Schema != nil {
			return message.Say("is JSON that fits the schema")
		}
		return message.Say("is JSON")
	case Numbers:
		return message.Say("gives no number that was not given")
	case Grade:
		return message.Say("reads at grade %s", e.limits("%s"))
	case Style:
		return message.Say("is near to %s", e.Text)
	case Avoided:
		return message.Say("has no word to avoid")
	case ByPrompt:
		return message.Say("is answered yes by %s", e.Text)
	case ByPerson:
		return message.Say("is marked yes: %s", shortened(e.Text))
	}
	return message.Plain(string(e.Kind))
}

// limits says how many there are to be of what the format counts.
func (e Expectation) limits(format string) message.Text {
	number := func(f *float64) string { return strconv.FormatFloat(*f, 'f', -1, 64) }
	several := func(f *float64) message.Text { return message.Say(format, number(f)) }
	switch {
	case e.Least != nil && e.Most != nil && *e.Least == *e.Most:
		return several(e.Least)
	case e.Least != nil && e.Most != nil:
		return message.Say("%s to %s", number(e.Least), several(e.Most))
	case e.Least != nil:
		return message.Say("%s at least", several(e.Least))
	case e.Most != nil:
		return message.Say("%s at most", several(e.Most))
	}
	return message.Text{}
}

// EverySays is what a reply does that holds to all expectations.
func EverySays() message.Text { return message.Say("meets every expectation") }

func shortened(text string) string {
	if r := []rune(text); len(r) > 60 {
		return string(r[:59]) + "…"
	}
	return text
}

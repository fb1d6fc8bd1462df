package relay

import (
	"errors"
	"slices"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// What the prompt of a pass is given of each section.
const (
	SectionTitle = "section_title"
	SectionText  = "section_text"
)

// Relay is steps with what they are given, read once. It may be used by several goroutines.
type Relay struct {
	Steps []entry.Step
	Waves [][]int // as [Order] gives them

	whole *fill.Form // of all that the steps are given, one after the other
	given []map[string]given
}

// given is what one blank of a step's prompt gets.
type given struct {
	name string // the relay's own blank, where it is that alone: its value goes on as it is
	form *fill.Form
}

// Read reads what steps are given, with the relay's own declarations of blanks. Its error is a
// [problem.List] with all that keeps them from running.
func Read(steps []entry.Step, declared []fill.Blank, language string) (*Relay, error) {
	waves, err := Order(steps)
	var wrong problem.List
	if !asList(err, &wrong) {
		return nil, err
	}
	r := &Relay{Steps: steps, Waves: waves, given: make([]map[string]given, len(steps))}
	var all []fill.Source
	for i, s := range steps {
		r.given[i] = map[string]given{}
		for name, text := range s.With {
			at := problem.Pointer("steps", i, "with", name)
			parsed, err := fill.Parse(text)
			if err != nil {
				wrong = append(wrong, under(at, s.Name+", "+name, err)...)
				continue
			}
			src := fill.Source{Ref: fill.Ref{Entry: s.Name}, Text: parsed, Blanks: declared, Language: language, Step: true}
			form, err := fill.Compile(nothingIncluded, src)
			if err != nil {
				wrong = append(wrong, under(at, s.Name+", "+name, err)...)
				continue
			}
			all = append(all, src)
			r.given[i][name] = given{alone(parsed), form}
		}
	}
	if wrong != nil {
		return nil, wrong
	}
	r.whole, err = fill.Compile(nothingIncluded, all...)
	return r, err
}

func nothingIncluded(string, int) (fill.Source, error) {
	return fill.Source{}, fill.Absent{Why: message.Say("what a step is given holds blanks and earlier replies alone; include it in the prompt that the step uses")}
}

// asList says whether an error is none, or a list, which it adds.
func asList(err error, to *problem.List) bool {
	if err == nil {
		return true
	}
	var list problem.List
	if errors.As(err, &list) {
		*to = append(*to, list...)
		return true
	}
	return false
}

// under puts an error at a field, and says whose it is.
func under(at, whose string, err error) (wrong problem.List) {
	var list problem.List
	if !errors.As(err, &list) {
		list = problem.List{{Code: "language", Message: message.Of(err)}}
	}
	for _, p := range list {
		p.Field, p.Message = at, message.Say("%s: %s", whose, p.Message)
		wrong = append(wrong, p)
	}
	return wrong
}

// alone gives the name of the blank that a text consists of, or "".
func alone(t *fill.Text) (name string) {
	nodes := 0
	t.Walk(func(n fill.Node) {
		nodes++
		if hole, is := n.(*fill.Hole); is && !hole.HasOr {
			name = hole.Name
		}
	})
	if nodes != 1 {
		return ""
	}
	return name
}

// Inherit adds declarations of blanks that a relay gives to a step's prompt just as they are,
// and does not declare itself: they are what that prompt's are. Asked has the blanks of each
// step's prompt.
func Inherit(steps []entry.Step, declared []fill.Blank, asked [][]fill.Blank) []fill.Blank {
	all := slices.Clone(declared)
	for i, s := range steps {
		for _, b := range asked[i] {
			t, err := fill.Parse(s.With[b.Name])
			if err != nil {
				continue // told of when they are read
			}
			if own := alone(t); own != "" && !slices.ContainsFunc(all, func(d fill.Blank) bool { return d.Name == own }) {
				b.Name = own
				all = append(all, b)
			}
		}
	}
	return all
}

// Blanks gives what a relay asks for.
func (r *Relay) Blanks() (all []fill.Blank) {
	for _, b := range r.whole.Blanks() {
		if fill.IsName(b.Name) {
			all = append(all, b)
		}
	}
	return all
}

// Wrong says what is missing of the relay's own values, or does not fit.
func (r *Relay) Wrong(values fill.Values) (wrong problem.List) {
	_, _, wrong, err := r.whole.Sketch(r.with(values, nil))
	if err != nil {
		asList(err, &wrong)
	}
	return wrong
}

// with gives values together with replies; one that is not there yet is three dots.
func (r *Relay) with(values fill.Values, replies map[string]string) fill.Values {
	all := fill.Values{}
	for name, v := range values {
		all[name] = v
	}
	for _, b := range r.whole.Blanks() {
		if fill.IsName(b.Name) {
			continue
		}
		text, there := replies[strings.TrimPrefix(b.Name, fill.EarlierName(""))]
		if !there || strings.TrimSpace(text) == "" {
			text = "…"
		}
		all[b.Name] = fill.Single(text)
	}
	return all
}

// Given gives the values for the prompt of a step, by its place: of the relay's own values, and
// of earlier steps' replies, by their names. Replies that are not there yet are three dots: so
// it can be said beforehand what the prompt lacks. Its error is a [problem.List].
func (r *Relay) Given(step int, values fill.Values, replies map[string]string) (fill.Values, error) {
	all, out := r.with(values, replies), fill.Values{}
	var wrong problem.List
	for name, g := range r.given[step] {
		own := fill.Values{}
		blanks := g.form.Blanks()
		for _, b := range blanks {
			if v, there := all[b.Name]; there {
				own[b.Name] = v
			}
		}
		if g.name != "" {
			v := own[g.name]
			if v.IsEmpty() {
				v = blanks[0].Default
			}
			if !v.IsEmpty() {
				out[name] = v
			}
			continue
		}
		got, err := g.form.Fill(own)
		if err != nil {
			wrong = append(wrong, under(problem.Pointer("steps", step, "with", name), r.Steps[step].Name+", "+name, err)...)
			continue
		}
		out[name] = fill.Single(got.Text)
	}
	return out, wrong.Err()
}

// Later says whether what a blank of a step's prompt gets is known only once another step has
// run.
func (r *Relay) Later(step int, name string) bool {
	if s := r.Steps[step]; s.Over != nil && (name == SectionTitle || name == SectionText) {
		return true
	}
	g, there := r.given[step][name]
	return there && slices.ContainsFunc(g.form.Blanks(), func(b fill.Blank) bool { return !fill.IsName(b.Name) })
}

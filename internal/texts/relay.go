package texts

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/relay"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// AskedRelay is a relay with the prompts that its steps use, each in the version that it uses
// now.
type AskedRelay struct {
	Of      fill.Ref
	Entry   store.Entry
	Content entry.Content
	Relay   *relay.Relay
	Steps   []Asked
}

// AskRelay reads a relay. Its error is a [problem.List] with what its steps cannot use.
func (t *Texts) AskRelay(ctx context.Context, by work.Caller, ref string, open bool) (r AskedRelay, err error) {
	slug, number, err := ParseRef("/ref", ref)
	if err != nil {
		return r, err
	}
	whole, err := t.Ask(ctx, by, Question{Slug: slug, Number: number, Open: open, Stack: Stack{Persona: "none", Style: "none", Sheets: []string{"none"}}})
	if err != nil {
		return r, err
	}
	if whole.Content.Kind != entry.Relay {
		return r, work.Wrong("/ref", "kind", "%s is a %s; relays are run, and others tried", slug, whole.Content.Kind)
	}
	r.Of, r.Entry, r.Content = whole.Of, whole.Entry, whole.Content
	steps := slices.Clone(whole.Content.Steps)
	var wrong problem.List
	asked := make([][]fill.Blank, len(steps))
	for i := range steps {
		a, err := t.StepPrompt(ctx, by, steps[i].Use)
		if err != nil {
			if wrong, err = AddStepProblems(wrong, problem.Pointer("steps", i, "use"), steps[i].Name, err); err != nil {
				return r, err
			}
		} else {
			steps[i].Use = fmt.Sprintf("%s@%d", a.Of.Entry, a.Of.Version)
			asked[i] = a.Form.Blanks()
		}
		r.Steps = append(r.Steps, a)
	}
	if wrong == nil {
		r.Relay, err = relay.Read(steps, relay.Inherit(steps, whole.Content.Blanks, asked), whole.Content.Language)
		return r, err
	}
	return r, wrong
}

// AddStepProblems adds what is wrong with a step to a list, or gives an error that is no fault
// of its.
func AddStepProblems(wrong problem.List, at, step string, err error) (problem.List, error) {
	var list problem.List
	var missing *work.Missing
	var gone *Gone
	switch {
	case errors.As(err, &list):
	case errors.As(err, &missing), errors.As(err, &gone):
		list = problem.List{{Code: "missing", Message: message.Of(err)}}
	default:
		return wrong, err
	}
	for _, p := range list {
		p.Field, p.Message = at, message.Say("step %s: %s", step, p.Message)
		if len(wrong) < 50 && !slices.Contains(wrong, p) {
			wrong = append(wrong, p)
		}
	}
	return wrong, nil
}

// StepPrompt composes what a step uses, as it is on the shelf or was published.
func (t *Texts) StepPrompt(ctx context.Context, by work.Caller, use string) (Asked, error) {
	slug, number, err := ParseRef("", use)
	if err != nil {
		return Asked{}, err
	}
	return t.Ask(ctx, by, Question{Slug: slug, Number: number})
}

// Lacks says what keeps a relay from running with values, all at once: of any step, before
// anything is asked. A model is asked for the steps that name none.
func (r AskedRelay) Lacks(values fill.Values, model string) (problem.List, error) {
	wrong := r.Relay.Wrong(values)
	for i, step := range r.Relay.Steps {
		if step.Model == "" && model == "" {
			wrong.Add("/model", "required", "say which model is asked: step %s names none", step.Name)
		}
		more, err := r.lacks(i, values)
		if err != nil {
			return nil, err
		}
		wrong = append(wrong, more...)
	}
	return wrong.Once(), nil
}

// Plan is what a run of it does.
func (r AskedRelay) Plan(values fill.Values, model string, seed *int64) store.RunPlan {
	if values == nil {
		values = fill.Values{}
	}
	return store.RunPlan{Steps: r.Relay.Steps, Blanks: r.Relay.Blanks(), Language: r.Content.Language, Values: values, Model: model, Seed: seed}
}

// lacks says what a step's prompt would still lack, and what it is given and has no blank for.
// What is known only once another step has run is not held against it.
func (r AskedRelay) lacks(step int, values fill.Values) (wrong problem.List, err error) {
	given, err := r.Relay.Given(step, values, nil)
	if err != nil {
		return nil, nil //nolint:nilerr // it is told of with the relay's own values
	}
	s, form := r.Relay.Steps[step], r.Steps[step].Form
	if s.Over != nil {
		if !slices.ContainsFunc(form.Blanks(), func(b fill.Blank) bool { return b.Name == relay.SectionText }) {
			wrong.Add(problem.Pointer("steps", step, "use"), "blank", "step %s goes over sections, and %s has no blank section_text for them", s.Name, s.Use)
		}
		given = WithSection(form, given, relay.Section{Title: "…", Text: "…"})
	}
	_, _, found, err := form.Sketch(given)
	if err != nil {
		return AddStepProblems(wrong, problem.Pointer("steps", step), s.Name, err)
	}
	for _, f := range found {
		name := strings.TrimPrefix(f.Field, "/values/")
		_, isGiven := s.With[name]
		if isGiven && f.Code == "missing" || r.Relay.Later(step, name) && f.Code != "unknown" {
			continue // the relay's own value is missing, and that is told; or nobody can know yet
		}
		wrong.Add(problem.Pointer("steps", step, "with", name), f.Code, "step %s: %s", s.Name, f.Message)
	}
	return wrong, nil
}

// WithSection adds a section to values for a prompt that has blanks for it.
func WithSection(form *fill.Form, given fill.Values, section relay.Section) fill.Values {
	all := fill.Values{}
	for name, v := range given {
		all[name] = v
	}
	for _, b := range form.Blanks() {
		switch b.Name {
		case relay.SectionTitle:
			all[b.Name] = fill.Single(section.Title)
		case relay.SectionText:
			all[b.Name] = fill.Single(strings.Trim(section.Text, "\r\n"))
		}
	}
	return all
}

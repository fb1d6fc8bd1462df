package relays

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/core/relay"
	"goldshelf/internal/asking"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// reading is a relay with the prompts that its steps use.
type reading struct {
	of      fill.Ref
	entry   store.Entry
	content entry.Content
	relay   *relay.Relay
	asked   []texts.Asked // by step
}

// read reads a relay, each of whose steps uses the version that it uses now.
func (s *Service) read(ctx context.Context, by work.Caller, ref string, open bool) (r reading, err error) {
	slug, number, err := texts.ParseRef("/ref", ref)
	if err != nil {
		return r, err
	}
	whole, err := s.texts.Ask(ctx, by, texts.Question{Slug: slug, Number: number, Open: open, Stack: texts.Stack{Persona: "none", Style: "none", Sheets: []string{"none"}}})
	if err != nil {
		return r, err
	}
	if whole.Content.Kind != entry.Relay {
		return r, work.Wrong("/ref", "kind", "%s is a %s; relays are run, and others tried", slug, whole.Content.Kind)
	}
	r.of, r.entry, r.content = whole.Of, whole.Entry, whole.Content
	steps := slices.Clone(whole.Content.Steps)
	var wrong problem.List
	asked := make([][]fill.Blank, len(steps))
	for i := range steps {
		a, err := s.prompt(ctx, by, steps[i].Use)
		if err != nil {
			if wrong, err = add(wrong, problem.Pointer("steps", i, "use"), steps[i].Name, err); err != nil {
				return r, err
			}
		} else {
			steps[i].Use = fmt.Sprintf("%s@%d", a.Of.Entry, a.Of.Version)
			asked[i] = a.Form.Blanks()
		}
		r.asked = append(r.asked, a)
	}
	if wrong == nil {
		r.relay, err = relay.Read(steps, relay.Inherit(steps, whole.Content.Blanks, asked), whole.Content.Language)
		return r, err
	}
	return r, wrong
}

// add adds what is wrong with a step to a list, or gives an error that is no fault of its.
func add(wrong problem.List, at, step string, err error) (problem.List, error) {
	var list problem.List
	var missing *work.Missing
	var gone *texts.Gone
	switch {
	case errors.As(err, &list):
	case errors.As(err, &missing), errors.As(err, &gone):
		list = problem.List{{Code: "missing", Message: err.Error()}}
	default:
		return wrong, err
	}
	for _, p := range list {
		p.Field, p.Message = at, "step "+step+": "+p.Message
		if len(wrong) < 50 && !slices.Contains(wrong, p) {
			wrong = append(wrong, p)
		}
	}
	return wrong, nil
}

// prompt composes what a step uses, as it is on the shelf or was published.
func (s *Service) prompt(ctx context.Context, by work.Caller, use string) (texts.Asked, error) {
	slug, number, err := texts.ParseRef("", use)
	if err != nil {
		return texts.Asked{}, err
	}
	return s.texts.Ask(ctx, by, texts.Question{Slug: slug, Number: number})
}

// planned is a run that could begin.
type planned struct {
	reading
	plan  store.RunPlan
	first []stepAsks
}

func (s *Service) planOf(ctx context.Context, by work.Caller, in api.NewRun) (p planned, err error) {
	if p.reading, err = s.read(ctx, by, in.Ref, in.Open); err != nil {
		return p, err
	}
	wrong := p.relay.Wrong(in.Values)
	for i, step := range p.relay.Steps {
		if step.Model == "" && in.Model == "" {
			wrong.Add("/model", "required", "say which model is asked: step %s names none", step.Name)
		}
		more, err := p.lacks(i, in.Values)
		if err != nil {
			return p, err
		}
		wrong = append(wrong, more...)
	}
	if wrong != nil {
		return p, wrong.Once()
	}
	p.plan = store.RunPlan{Steps: p.relay.Steps, Blanks: p.relay.Blanks(), Language: p.content.Language, Values: in.Values, Model: in.Model, Seed: in.Seed}
	if p.plan.Values == nil {
		p.plan.Values = fill.Values{}
	}
	begun := progress{relay: p.relay, steps: make([]store.RunStep, len(p.relay.Steps))}
	begun.run.Plan.V = p.plan
	for i := range begun.steps {
		begun.steps[i].Place = i
	}
	for _, i := range p.relay.Waves[0] {
		asks, err := s.compose(ctx, by, begun, i)
		if err != nil {
			return p, err
		}
		p.first = append(p.first, asks)
	}
	return p, nil
}

// lacks says what a step's prompt would still lack, and what it is given and has no blank for.
// What is known only once another step has run is not held against it.
func (r reading) lacks(step int, values fill.Values) (wrong problem.List, err error) {
	given, err := r.relay.Given(step, values, nil)
	if err != nil {
		return nil, nil //nolint:nilerr // it is told of with the relay's own values
	}
	s, form := r.relay.Steps[step], r.asked[step].Form
	if s.Over != nil {
		if !slices.ContainsFunc(form.Blanks(), func(b fill.Blank) bool { return b.Name == relay.SectionText }) {
			wrong.Add(problem.Pointer("steps", step, "use"), "blank", "step %s goes over sections, and %s has no blank section_text for them", s.Name, s.Use)
		}
		given = withSection(form, given, relay.Section{Title: "…", Text: "…"})
	}
	_, _, found, err := form.Sketch(given)
	if err != nil {
		return add(wrong, problem.Pointer("steps", step), s.Name, err)
	}
	for _, f := range found {
		name := strings.TrimPrefix(f.Field, "/values/")
		_, isGiven := s.With[name]
		if isGiven && f.Code == "missing" || r.relay.Later(step, name) && f.Code != "unknown" {
			continue // the relay's own value is missing, and that is told; or nobody can know yet
		}
		wrong.Add(problem.Pointer("steps", step, "with", name), f.Code, "step %s: %s", s.Name, f.Message)
	}
	return wrong, nil
}

// withSection adds a section to values for a prompt that has blanks for it.
func withSection(form *fill.Form, given fill.Values, section relay.Section) fill.Values {
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

// progress is a run with how far its steps are.
type progress struct {
	run   store.Run
	relay *relay.Relay
	steps []store.RunStep

	left    bool  // whoever began it is here no longer
	settled []int // those that have ended since it was read
}

func progressOf(r store.Reader, id string) (p progress, err error) {
	if p.run, err = r.Run(id); err != nil {
		return p, err
	}
	if p.steps, err = r.RunSteps(id); err != nil {
		return p, err
	}
	plan := p.run.Plan.V
	p.relay, err = relay.Read(plan.Steps, plan.Blanks, plan.Language)
	return p, err
}

// needs gives the steps whose replies one takes, by their places.
func (p progress) needs(step int) (all []int) {
	for _, name := range relay.Needs(p.relay.Steps[step]) {
		all = append(all, slices.IndexFunc(p.relay.Steps, func(s entry.Step) bool { return s.Name == name }))
	}
	return all
}

// replies gives what steps that are done have produced, by their names.
func (p progress) replies() map[string]string {
	all := map[string]string{}
	for i, s := range p.steps {
		if s.State == store.StepDone {
			all[p.relay.Steps[i].Name] = s.Text
		}
	}
	return all
}

// stepAsks is what a step asks of a model.
type stepAsks struct {
	step    store.RunStep // as it will be
	replies []store.StepReply
}

// compose fills in what a step asks. Its error is a [problem.List] with what does not fit.
func (s *Service) compose(ctx context.Context, by work.Caller, p progress, step int) (out stepAsks, err error) {
	plan, st := p.run.Plan.V, p.relay.Steps[step]
	out.step = store.RunStep{Place: step, State: store.StepAsked, Round: p.steps[step].Round + 1, Text: p.steps[step].Text}
	a, err := s.prompt(ctx, by, st.Use)
	if err != nil {
		return out, under(step, st.Name, err)
	}
	replies := p.replies()
	given, err := p.relay.Given(step, plan.Values, replies)
	if err != nil {
		return out, err
	}
	settings := relay.Settings(st)
	settings.Seed = plan.Seed
	model := st.Model
	if model == "" {
		model = plan.Model
	}
	sections := []int{-1}
	var over relay.Reply
	if st.Over != nil {
		over = relay.Apart(replies[st.Over.Step])
		if sections, err = over.Chosen(st.Over.Sections); err != nil {
			return out, under(step, st.Name, err)
		}
	}
	for _, n := range sections {
		values, title := given, st.Name
		if n >= 0 {
			values, title = withSection(a.Form, given, over.Sections[n]), over.Sections[n].Title
		}
		messages, used, err := a.Sent(values)
		if err != nil {
			return out, under(step, st.Name, err)
		}
		r := store.StepReply{Step: step, Round: out.step.Round, Section: n}
		r.ID, r.Title, r.Model, r.Used.V = newID(), title, model, used
		r.Sent.V = store.Sent{Messages: messages, Settings: settings, Within: st.Within}
		out.replies = append(out.replies, r)
	}
	return out, nil
}

func under(step int, name string, err error) error {
	wrong, err := add(nil, problem.Pointer("steps", step), name, err)
	if err != nil {
		return err
	}
	return wrong.Err()
}

// ask has models be asked for steps of a run that is being changed.
func (s *Service) ask(u *work.Unit, person int64, run string, about store.Entry, all []stepAsks) error {
	places, err := asking.PlacesOf(u.Reader)
	if err != nil {
		return err
	}
	var wrong problem.List
	for _, a := range all {
		if err := u.SetRunStep(run, a.step); err != nil {
			return err
		}
		for _, r := range a.replies {
			c, err := places.Serving(r.Model, about, r.Sent.V.Messages, "/model")
			if err != nil {
				if wrong, err = add(wrong, "/model", r.Title, err); err != nil {
					return err
				}
				continue
			}
			r.ConnectionID = c.ID
			if err := u.AddStepReply(run, r); err != nil {
				return err
			}
		}
	}
	if wrong != nil {
		return wrong
	}
	return s.asking.Asked(u, person)
}

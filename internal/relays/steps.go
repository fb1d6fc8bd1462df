package relays

import (
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/relay"
	"goldshelf/internal/asking"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// planned is a run that could begin.
type planned struct {
	texts.AskedRelay
	plan  store.RunPlan
	first []stepAsks
}

func (s *Service) planOf(ctx context.Context, by work.Caller, in api.NewRun) (p planned, err error) {
	if p.AskedRelay, err = s.texts.AskRelay(ctx, by, in.Ref, in.Open); err != nil {
		return p, err
	}
	wrong, err := p.Lacks(in.Values, in.Model)
	if err == nil {
		err = wrong.Err()
	}
	if err != nil {
		return p, err
	}
	p.plan = p.Plan(in.Values, in.Model, in.Seed)
	begun := progress{relay: p.Relay, steps: make([]store.RunStep, len(p.Relay.Steps))}
	begun.run.Plan.V = p.plan
	for i := range begun.steps {
		begun.steps[i].Place = i
	}
	for _, i := range p.Relay.Waves[0] {
		asks, err := s.compose(ctx, by, begun, i)
		if err != nil {
			return p, err
		}
		p.first = append(p.first, asks)
	}
	return p, nil
}

// progress is a run with how far its steps are.
type progress struct {
	run   store.Run
	relay *relay.Relay
	steps []store.RunStep

	stopped message.Text // why nothing more is asked, if so
	settled []int        // steps that have ended since it was read
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

// takes gives the steps whose replies one takes, directly and through others.
func (p progress) takes(step int) (all []int) {
	for next := p.needs(step); len(next) > 0; {
		one := next[0]
		next = next[1:]
		if !slices.Contains(all, one) {
			all = append(all, one)
			next = append(next, p.needs(one)...)
		}
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
	prompt  store.Entry
	takes   []int // the steps whose replies it takes, directly and through others
	replies []store.StepReply
}

// compose fills in what a step asks. Its error is a [problem.List] with what does not fit.
func (s *Service) compose(ctx context.Context, by work.Caller, p progress, step int) (out stepAsks, err error) {
	plan, st := p.run.Plan.V, p.relay.Steps[step]
	out.step = store.RunStep{Place: step, State: store.StepAsked, Round: p.steps[step].Round + 1, Text: p.steps[step].Text}
	a, err := s.texts.StepPrompt(ctx, by, st.Use)
	if err != nil {
		return out, under(step, st.Name, err)
	}
	out.prompt, out.takes = a.Entry, p.takes(step)
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
			values, title = texts.WithSection(a.Form, given, over.Sections[n]), over.Sections[n].Title
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
	wrong, err := texts.AddStepProblems(nil, problem.Pointer("steps", step), name, err)
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
	earlier, err := u.RunReplies(run)
	if err != nil {
		return err
	}
	var wrong problem.List
	for _, a := range all {
		var sources []fill.Ref // what went into the replies that it takes
		for _, r := range earlier {
			if slices.Contains(a.takes, r.Step) {
				sources = append(sources, r.Used.V...)
			}
		}
		if err := u.SetRunStep(run, a.step); err != nil {
			return err
		}
		for _, r := range a.replies {
			c, err := places.Serving(asking.Sending{
				Model: r.Model, Messages: r.Sent.V.Messages, About: []store.Entry{about, a.prompt}, Used: slices.Concat(r.Used.V, sources),
			}, "/model")
			if err != nil {
				if wrong, err = texts.AddStepProblems(wrong, "/model", r.Title, err); err != nil {
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

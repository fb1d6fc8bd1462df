package relays

import (
	"context"
	"errors"
	"slices"

	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/relay"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const runsAtOnce = 20

// GoOn takes what steps have produced, and has those be asked that waited for it. It gives of
// how many runs it did.
func (s *Service) GoOn(ctx context.Context) (int, error) {
	ids, err := work.See(ctx, s.db, func(v work.View) ([]string, error) {
		if err := v.LookAtAll(); err != nil {
			return nil, err
		}
		return v.RunsToGoOn(runsAtOnce)
	})
	if err != nil {
		return 0, err
	}
	return work.Each(ctx, s.db, "relays", ids, func(id string) string { return id }, s.goOn)
}

// goOn is one unit of it. Where the run has changed since it was read, somebody else has gone
// on with it, or its person has done something: that counts.
func (s *Service) goOn(ctx context.Context, id string) error {
	var by work.Caller
	p, err := work.See(ctx, s.db, func(v work.View) (progress, error) {
		if err := v.LookAtAll(); err != nil {
			return progress{}, err
		}
		p, err := progressOf(v.Reader, id)
		if err != nil {
			return p, err
		}
		person, err := v.PersonByID(p.run.Person)
		if err != nil {
			return p, err
		}
		if by = work.CallerOf(person, work.Service().Via); !person.Active {
			p.stopped = message.Say("whoever began the run has left")
		}
		if p.run.Trial != "" && !p.run.Awaited {
			p.stopped = message.Say("the trial was stopped")
		}
		replies, err := v.RunReplies(id)
		p.settle(replies)
		return p, err
	})
	if errors.Is(err, store.ErrNotFound) {
		return nil // it was deleted
	}
	if err != nil {
		return err
	}
	if !p.stopped.IsZero() {
		p.stopRest()
	}
	var next []stepAsks
	for i, step := range p.steps {
		if step.State != store.StepWaiting || !p.ready(i) {
			continue
		}
		asks, err := s.compose(ctx, by, p, i)
		if err = p.failedBy(i, err); err != nil {
			return err
		}
		if p.steps[i].State == store.StepWaiting {
			next = append(next, asks)
		}
	}
	err = work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		if err := u.LookAtAll(); err != nil {
			return err
		}
		if err := u.ChangeRun(id, p.run.Number); err != nil {
			return err
		}
		e, err := u.EntryBySlug(p.run.Slug)
		if err != nil {
			return err
		}
		p := p.copied() // the unit may run again
		for _, asks := range next {
			err := u.Try(func() error { return s.ask(u, p.run.Person, id, e, []stepAsks{asks}) })
			if err = p.failedBy(asks.step.Place, err); err != nil {
				return err
			}
		}
		for _, i := range p.settled {
			if err := u.SetRunStep(id, p.steps[i]); err != nil {
				return err
			}
		}
		if p.run.Trial == "" {
			return nil
		}
		return p.endTrialReply(u)
	})
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	return err
}

// copied is a progress that can be changed without the other.
func (p progress) copied() progress {
	p.steps, p.settled = slices.Clone(p.steps), slices.Clone(p.settled)
	return p
}

// endTrialReply ends the reply of a trial that a run brings, once the run has ended: what the
// last step has produced.
func (p progress) endTrialReply(u *work.Unit) error {
	last := p.steps[len(p.steps)-1]
	switch state(p.steps) {
	case "done":
		return u.EndByRun(p.run.ID, store.ReplyDone, last.Text, message.Text{})
	case "failed":
		for i, s := range p.steps {
			if s.State == store.StepFailed {
				return u.EndByRun(p.run.ID, store.ReplyFailed, "", message.Say("%s: %s", p.relay.Steps[i].Name, s.Problem.Text))
			}
		}
	case "stopped":
		return u.EndByRun(p.run.ID, store.ReplyStopped, "", p.stopped)
	}
	return nil
}

// failedBy has a step have failed where the error is one of its own, and gives any other.
func (p *progress) failedBy(step int, err error) error {
	var wrong problem.List
	if err == nil || !errors.As(err, &wrong) {
		return err
	}
	var why []message.Text
	for _, w := range wrong {
		why = append(why, w.Message)
	}
	p.end(step, store.StepFailed, "", message.Joined("; ", why...))
	return nil
}

func (p *progress) end(step int, state, text string, why message.Text) {
	s := &p.steps[step]
	if state == store.StepDone {
		s.Text = text
	}
	s.State, s.Problem.Text = state, why
	p.settled = append(p.settled, step)
}

// stopRest has a run ask for nothing more.
func (p *progress) stopRest() {
	for i, s := range p.steps {
		if s.State == store.StepWaiting {
			p.end(i, store.StepStopped, "", p.stopped)
		}
	}
}

func (p progress) ready(step int) bool {
	for _, need := range p.needs(step) {
		if p.steps[need].State != store.StepDone {
			return false
		}
	}
	return true
}

// settle ends the steps of which nothing is awaited any longer.
func (p *progress) settle(replies []store.StepReply) {
	for i, step := range p.steps {
		if step.State != store.StepAsked {
			continue
		}
		var own []store.StepReply
		awaited := false
		for _, r := range replies {
			if r.Step == i && r.Round == step.Round {
				own = append(own, r)
				awaited = awaited || !r.Ended()
			}
		}
		if !awaited {
			p.take(i, own)
		}
	}
}

// take takes what a step has produced.
func (p *progress) take(step int, own []store.StepReply) {
	var why []message.Text
	stopped := false
	texts := map[int]string{}
	for _, r := range own {
		switch r.State {
		case store.ReplyDone:
			texts[r.Section] = r.Text
		case store.ReplyStopped:
			stopped = true
		default:
			if r.Section >= 0 {
				r.Problem.Text = message.Say("%s: %s", r.Title, r.Problem.Text)
			}
			why = append(why, r.Problem.Text)
		}
	}
	over := p.relay.Steps[step].Over
	switch {
	case why != nil:
		p.end(step, store.StepFailed, "", message.Joined("; ", why...))
	case stopped:
		p.end(step, store.StepStopped, "", message.Text{})
	case over != nil:
		p.end(step, store.StepDone, relay.Apart(p.replies()[over.Step]).With(texts), message.Text{})
	default:
		p.end(step, store.StepDone, texts[-1], message.Text{})
	}
}

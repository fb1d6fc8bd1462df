package relays

import (
	"context"
	"errors"
	"strings"

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
	for _, id := range ids {
		if err := s.goOn(ctx, id); err != nil {
			return 0, err
		}
	}
	return len(ids), err
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
			p.stopped = "whoever began the run has left"
		}
		if p.run.Trial != "" && !p.run.Awaited {
			p.stopped = "the trial was stopped"
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
	if p.stopped != "" {
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

// endTrialReply ends the reply of a trial that a run brings, once the run has ended: what the
// last step has produced.
func (p progress) endTrialReply(u *work.Unit) error {
	last := p.steps[len(p.steps)-1]
	switch state(p.steps) {
	case "done":
		return u.EndByRun(p.run.ID, store.ReplyDone, last.Text, "")
	case "failed":
		for i, s := range p.steps {
			if s.State == store.StepFailed {
				return u.EndByRun(p.run.ID, store.ReplyFailed, "", p.relay.Steps[i].Name+": "+s.Problem)
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
	var why []string
	for _, w := range wrong {
		why = append(why, w.Message.String())
	}
	p.end(step, store.StepFailed, "", strings.Join(why, "; "))
	return nil
}

func (p *progress) end(step int, state, text, why string) {
	s := &p.steps[step]
	if state == store.StepDone {
		s.Text = text
	}
	s.State, s.Problem = state, why
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
	var why []string
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
				r.Problem = r.Title + ": " + r.Problem
			}
			why = append(why, r.Problem)
		}
	}
	over := p.relay.Steps[step].Over
	switch {
	case why != nil:
		p.end(step, store.StepFailed, "", strings.Join(why, "; "))
	case stopped:
		p.end(step, store.StepStopped, "", "")
	case over != nil:
		p.end(step, store.StepDone, relay.Apart(p.replies()[over.Step]).With(texts), "")
	default:
		p.end(step, store.StepDone, texts[-1], "")
	}
}

package relays

import (
	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/fill"
	"goldshelf/internal/access"
	"goldshelf/internal/asking"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// shown is a run that the caller may see.
func shown(r store.Reader, by work.Caller, id string) (api.Run, error) {
	if _, err := access.Run(r, by, id); err != nil {
		return api.Run{}, err
	}
	p, err := progressOf(r, id)
	if err != nil {
		return api.Run{}, err
	}
	replies, err := r.RunReplies(id)
	if err != nil {
		return api.Run{}, err
	}
	plan := p.run.Plan.V
	out := api.Run{
		ID: id, Ref: fill.Ref{Entry: p.run.Slug, Version: p.run.Version}, Title: p.run.Title, State: state(p.steps), Blanks: append([]fill.Blank{}, plan.Blanks...),
		Values: plan.Values, Model: plan.Model, Seed: plan.Seed, Kept: p.run.Kept, At: p.run.At.UTC(), Cost: costOf(replies), Trial: p.run.Trial,
	}
	done := p.replies()
	for i, l := range layout(p.relay) {
		s := p.steps[i]
		step := api.RunStep{RunLayout: l, State: s.State, Round: s.Round, Text: s.Text, Problem: s.Problem.Text, EndedAt: texts.UTC(s.EndedAt), Replies: []api.StepReply{}, Before: []api.StepReply{}}
		for _, need := range p.needs(i) {
			was := p.steps[need].EndedAt
			step.Stale = step.Stale || s.EndedAt != nil && (was == nil || was.After(*s.EndedAt))
		}
		for _, reply := range replies {
			switch {
			case reply.Step != i:
			case reply.Round == s.Round:
				step.Replies = append(step.Replies, shownReply(reply))
			default:
				step.Before = append(step.Before, shownReply(reply))
			}
		}
		if l.Over != nil && s.State == store.StepDone {
			step.Changes = append([]change.Line{}, change.Texts(done[l.Over.Step], s.Text)...)
		}
		out.Steps = append(out.Steps, step)
	}
	return out, nil
}

func shownReply(r store.StepReply) api.StepReply {
	out := api.StepReply{TalkReply: asking.Shown(r.Reply), Round: r.Round}
	if r.Section >= 0 {
		out.Section = r.Title
	}
	return out
}

// costOf is what replies have cost; nothing where that is not known of one.
func costOf(replies []store.StepReply) *float64 {
	var all float64
	for _, r := range replies {
		if r.Cost == nil && r.State == store.ReplyDone {
			return nil
		}
		if r.Cost != nil {
			all += *r.Cost
		}
	}
	return &all
}

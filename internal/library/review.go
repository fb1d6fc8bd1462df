package library

import (
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/store"
)

// Submit asks for a review of a draft, with a note that says what has changed
// and why; without one, the note that the draft has already. It returns a [problem.List] if
// the note does not hold, and [Stopped] if checks stop the draft.
func (l *Library) Submit(ctx context.Context, by Caller, slug, note string) (api.Entry, error) {
	return l.change(ctx, by, slug, entry.Submit, map[string]any{"note": note}, func(tx store.Tx, v store.Version) error {
		if note == "" {
			note = v.Note // said before: with the text that came in, or on an earlier submission
		}
		if err := entry.Note("/note", "the change note", note, true).Err(); err != nil {
			return err
		}
		if err := l.pass(ctx, tx, v, entry.Submit); err != nil {
			return err
		}
		p, err := policy(ctx, tx.Reader)
		if err != nil {
			return err
		}
		asked, err := toAsk(ctx, tx.Reader, p.Review, v)
		if err != nil {
			return err
		}
		need := p.Review.Need(entry.Kind(v.Kind), v.Department, v.Labels.V)
		return tx.SubmitVersion(ctx, v.ID, note, by.ID, l.now(), need.Approvals, asked)
	})
}

// Withdraw takes a version back out of review.
func (l *Library) Withdraw(ctx context.Context, by Caller, slug string) (api.Entry, error) {
	return l.change(ctx, by, slug, entry.Withdraw, nil, func(tx store.Tx, v store.Version) error {
		return tx.ReopenVersion(ctx, v.ID, "")
	})
}

// toAsk gives the reviewers to ask, in turn: those of the departments that the
// policy wants an approval from, and then those of the entry's own. None stands
// for all reviewers.
func toAsk(ctx context.Context, r store.Reader, rules entry.Reviewing, v store.Version) ([]int64, error) {
	people, err := r.People(ctx)
	if err != nil {
		return nil, err
	}
	turn := func(names []string) ([]int64, error) {
		var ids []int64
		for _, name := range names {
			for _, p := range people {
				if p.Name == name && p.Active && entry.Role(p.Role).Includes(entry.Reviewer) && !slices.Contains(v.Writers.V, p.ID) {
					ids = append(ids, p.ID)
				}
			}
		}
		last, err := r.LastAsked(ctx, ids)
		return entry.Turn(ids, last), err
	}
	var first []string
	for _, f := range rules.Need(entry.Kind(v.Kind), v.Department, v.Labels.V).From {
		first = append(first, rules.Ask[f.Department]...)
	}
	wanted, err := turn(first)
	if err != nil {
		return nil, err
	}
	own, err := turn(rules.Ask[v.Department])
	return entry.Turn(append(wanted, own...), nil), err
}

// Approve records one reviewer's approval of the version under review, which is
// approved once as many have as it needs. It returns an [entry.Refusal] of kind
// entry.ErrOwnWork if the reviewer wrote any of its text, and of kind
// entry.ErrWrongState if it is not in review or they have approved it already.
func (l *Library) Approve(ctx context.Context, by Caller, slug, comment string) (api.Entry, error) {
	return l.change(ctx, by, slug, entry.Approve, map[string]any{"comment": comment}, func(tx store.Tx, v store.Version) error {
		if err := entry.Note("/comment", "the comment", comment, false).Err(); err != nil {
			return err
		}
		if err := tx.AddApproval(ctx, v.ID, by.ID, comment, l.now()); err != nil {
			return err
		}
		p, err := policy(ctx, tx.Reader)
		if err != nil {
			return err
		}
		given := []entry.Approver{{ID: by.ID, Role: by.Role, Department: by.Department}}
		for _, a := range v.Approvals.V {
			given = append(given, entry.Approver{ID: a.ID, Role: entry.Role(a.Role), Department: a.Department})
		}
		need := p.Review.Need(entry.Kind(v.Kind), v.Department, v.Labels.V)
		need.Approvals = max(need.Approvals, v.Needed) // as many as it was told on submission, or more by now
		if more, _ := need.Wanting(given); more > 0 {
			return tx.SetNeeded(ctx, v.ID, len(given)+more)
		}
		return tx.ApproveVersion(ctx, v.ID)
	})
}

// Return gives a version back to its writer with a reason.
func (l *Library) Return(ctx context.Context, by Caller, slug, because string) (api.Entry, error) {
	return l.change(ctx, by, slug, entry.Return, map[string]any{"because": because}, func(tx store.Tx, v store.Version) error {
		if err := entry.Note("/because", "the reason", because, true).Err(); err != nil {
			return err
		}
		if err := tx.Unschedule(ctx, v.ID, v.Slug+", which was to be published with it, was returned"); err != nil {
			return err
		}
		return tx.ReopenVersion(ctx, v.ID, because)
	})
}

package library

import (
	"context"
	"errors"
	"fmt"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
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
		return tx.SubmitVersion(ctx, v.ID, note, by.ID, l.now())
	})
}

// Withdraw takes a version back out of review.
func (l *Library) Withdraw(ctx context.Context, by Caller, slug string) (api.Entry, error) {
	return l.change(ctx, by, slug, entry.Withdraw, nil, func(tx store.Tx, v store.Version) error {
		return tx.ReopenVersion(ctx, v.ID, "")
	})
}

// Approve records one reviewer's approval of the version under review. It
// returns an [entry.Refusal] of kind entry.ErrOwnWork if the reviewer wrote
// any of its text, and of kind entry.ErrWrongState if it is not in review.
func (l *Library) Approve(ctx context.Context, by Caller, slug, comment string) (api.Entry, error) {
	return l.change(ctx, by, slug, entry.Approve, map[string]any{"comment": comment}, func(tx store.Tx, v store.Version) error {
		if err := entry.Note("/comment", "the comment", comment, false).Err(); err != nil {
			return err
		}
		if err := tx.AddApproval(ctx, v.ID, by.ID, comment, l.now()); err != nil {
			return err
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
		return tx.ReopenVersion(ctx, v.ID, because)
	})
}

// Publish puts an approved version on the shelf, in the place of the one that
// is there. It returns [Stopped] if checks stop it, as where it includes what is
// not published, and a [problem.List] if another entry has its short code.
func (l *Library) Publish(ctx context.Context, by Caller, slug string) (api.Entry, error) {
	return l.change(ctx, by, slug, entry.Publish, nil, func(tx store.Tx, v store.Version) error {
		if err := l.pass(ctx, tx, v, entry.Publish); err != nil {
			return err
		}
		err := tx.PublishVersion(ctx, v.EntryID, v.ID, by.ID, l.now())
		if errors.Is(err, store.ErrTaken) {
			return problem.List{{Field: "/code", Code: "taken", Message: fmt.Sprintf("another entry has the short code %s; return this version and choose another", v.Code)}}
		}
		return err
	})
}

// Desk gives what waits for the caller, oldest first, each with the one action
// that it needs.
func (l *Library) Desk(ctx context.Context, by Caller) (api.Desk, error) {
	rows, err := l.db.Waiting(ctx, by.ID, by.Role.Includes(entry.Reviewer), by.Role == entry.Curator)
	if err != nil {
		return api.Desk{}, err
	}
	desk := api.Desk{Items: []api.DeskItem{}}
	for _, w := range rows {
		if it, waits := deskItem(by, w); waits {
			desk.Items = append(desk.Items, it)
		}
	}
	return desk, nil
}

// deskItem says what the caller has to do with an open version, if anything.
func deskItem(by Caller, w store.Waiting) (api.DeskItem, bool) {
	v := w.Version
	it := api.DeskItem{
		Item: api.Item{
			Slug: v.Slug, Kind: entry.Kind(v.Kind), Title: v.Title, Summary: v.Summary, Labels: v.Labels.V, Code: v.Code,
			Owner: v.Owner, OwnerName: v.OwnerName, Version: v.Number, State: entry.State(v.State), SavedAt: v.SavedAt.UTC(),
		},
		Since: v.SavedAt.UTC(), By: v.SaverName,
	}
	can := map[entry.Action]bool{}
	for _, a := range entry.Actions(by.actor(), entry.Standing{
		Slug: v.Slug, Version: v.Number, State: entry.State(v.State), Owner: v.OwnerID, Deputy: v.DeputyID, Writers: v.Writers.V,
	}) {
		can[a] = true
	}
	switch {
	case can[entry.Publish]:
		it.Action, it.Why, it.By = entry.Publish, "approved, and waits to be published", v.Submitter
	case can[entry.Approve]:
		it.Action, it.Why, it.By = entry.Approve, "asks for a review: "+v.Note, v.Submitter
	case can[entry.Save] && w.Mine && v.Returned != "":
		it.Action, it.Why = entry.Submit, "returned: "+v.Returned
	case can[entry.Save] && w.Mine:
		it.Action, it.Why = entry.Submit, "a draft of yours, not yet submitted"
	default:
		return it, false
	}
	if v.SubmittedAt != nil && it.Action != entry.Submit {
		it.Since = v.SubmittedAt.UTC()
	}
	return it, true
}

package library

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// untouchedFor is after how long a draft counts as left lying.
const untouchedFor = 30 * 24 * time.Hour

// StillGood says that what is on the shelf was looked at again and stays as it
// is, for as long as the policy lets it.
func (l *Library) StillGood(ctx context.Context, by Caller, slug, note string) (api.Entry, error) {
	return l.change(ctx, by, slug, entry.StillGood, map[string]any{"note": note}, func(tx store.Tx, v store.Version) error {
		if err := entry.Note("/note", "the note", note, false).Err(); err != nil {
			return err
		}
		p, err := policy(ctx, tx.Reader)
		if err != nil {
			return err
		}
		return tx.SetReviewBy(ctx, v.EntryID, p.Review.ReviewBy(l.now()))
	})
}

// TakeBack undoes a publication that was a mistake, within entry.TakeBackWithin:
// the version before is on the shelf again, and the history keeps both. The first
// version of an entry, with none before it, is retired instead; it returns [InUse]
// if published entries use that one by now.
func (l *Library) TakeBack(ctx context.Context, by Caller, slug, because string) (api.Entry, error) {
	return l.change(ctx, by, slug, entry.TakeBack, map[string]any{"because": because}, func(tx store.Tx, v store.Version) error {
		if err := entry.Note("/because", "the reason", because, true).Err(); err != nil {
			return err
		}
		before, err := tx.Before(ctx, v.EntryID)
		if errors.Is(err, store.ErrNotFound) {
			if err := inUse(ctx, tx, v.Slug); err != nil {
				return err
			}
			return tx.Retire(ctx, v.EntryID, by.ID, l.now(), because, 0)
		}
		if err != nil {
			return err
		}
		p, err := policy(ctx, tx.Reader)
		if err != nil {
			return err
		}
		err = tx.TakeBack(ctx, v.EntryID, v.ID, before, by.ID, l.now(), because, p.Review.ReviewBy(l.now()))
		if errors.Is(err, store.ErrTaken) {
			return &Taken{fmt.Sprintf("another entry has the short code of the version of %s before this one by now; free it there first", v.Slug)}
		}
		return err
	})
}

// BringBack begins the next version of an entry with the text of an old one.
// History is not rewritten.
func (l *Library) BringBack(ctx context.Context, by Caller, slug string, number int) (back api.Entry, err error) {
	err = l.db.Change(ctx, func(tx store.Tx) error {
		e, err := l.locked(ctx, tx, by, slug)
		if err != nil {
			return err
		}
		v, err := tx.Version(ctx, e.ID, number)
		if err != nil {
			return found(err, &Missing{fmt.Sprintf("%s has no version %d; see its history", slug, number)})
		}
		if err := l.beginNext(ctx, tx, by, e, v.Content()); err != nil {
			return err
		}
		next, err := tx.Version(ctx, e.ID, e.Newest+1)
		if err != nil {
			return err
		}
		if err := tx.SetNote(ctx, next.ID, fmt.Sprintf("The text of version %d again.", number)); err != nil {
			return err
		}
		if back, err = l.read(ctx, tx.Reader, by, slug, next.Number); err != nil {
			return err
		}
		return l.record(ctx, tx, by, string(entry.Begin), e.ID, next.Number, map[string]any{"from": number})
	})
	return back, err
}

// policy gives the policy in force.
func policy(ctx context.Context, r store.Reader) (api.Policy, error) {
	p, err := r.Policy(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return api.Policy{}, nil
	}
	return api.Policy{Policy: p.Policy.V, Number: p.Number, SetBy: p.By, SetAt: utc(&p.At)}, err
}

// deskLimit is how many things a page of a desk has unless another number is asked for.
const deskLimit = 50

// Desk gives what waits for the caller, in the order of need and then the oldest
// first, each with the one action that it needs, and how much there is of each.
func (l *Library) Desk(ctx context.Context, by Caller, limit int, cursor string) (api.Desk, error) {
	p, err := policy(ctx, l.db.Reader)
	if err != nil {
		return api.Desk{}, err
	}
	now := l.now()
	viewer := store.Viewer{
		ID: by.ID, Makes: by.Role.Includes(entry.Contributor), Reviews: by.Role.Includes(entry.Reviewer), Curates: by.Role == entry.Curator,
		Now: now, Patience: p.Review.Patience(), Overdue: p.Review.OverdueBefore(now), Untouched: now.Add(-untouchedFor), Limit: deskLimit,
		DeskCursor: store.DeskCursor{Rank: -1, Since: time.Unix(0, 0)},
	}
	if limit > 0 {
		viewer.Limit = min(limit, mostLimit)
	}
	if cursor != "" {
		data, err := base64.RawURLEncoding.DecodeString(cursor)
		if err != nil || json.Unmarshal(data, &viewer.DeskCursor) != nil {
			return api.Desk{}, problem.List{{Field: "/cursor", Code: "cursor", Message: "the cursor is none that a page of the desk gave; leave it out for the first page"}}
		}
	}
	rows, counts, err := l.db.Desk(ctx, viewer)
	if err != nil {
		return api.Desk{}, err
	}
	desk := api.Desk{Items: []api.DeskItem{}, Counts: counts}
	if desk.Unread, err = l.db.Unread(ctx, by.ID); err != nil {
		return desk, err
	}
	for _, n := range counts {
		desk.Total += n
	}
	if n := len(rows); n == viewer.Limit {
		data, err := json.Marshal(rows[n-1].DeskCursor)
		if err != nil {
			return desk, err
		}
		desk.Next = base64.RawURLEncoding.EncodeToString(data)
	}
	ids := make([]int64, len(rows))
	for i, w := range rows {
		ids[i] = w.VersionID
	}
	versions, err := l.db.Heads(ctx, ids)
	if err != nil {
		return desk, err
	}
	for _, w := range rows {
		i := slices.IndexFunc(versions, func(v store.Version) bool { return v.ID == w.VersionID })
		if i >= 0 { // it was not removed meanwhile
			desk.Items = append(desk.Items, deskItem(versions[i], w))
		}
	}
	return desk, nil
}

// deskItem says in words why something waits, and what it needs.
func deskItem(v store.Version, w store.Waiting) api.DeskItem {
	it := api.DeskItem{
		Item: api.Item{
			Slug: v.Slug, Kind: entry.Kind(v.Kind), Title: v.Title, Summary: v.Summary, Labels: v.Labels.V, Code: v.Code,
			Owner: v.Owner, OwnerName: v.OwnerName, Version: v.Number, State: entry.State(v.State), SavedAt: v.SavedAt.UTC(), PublishedAt: utc(v.PublishedAt),
		},
		Waits: w.Why, Since: w.Since.UTC(), By: v.SaverName,
	}
	switch w.Why {
	case store.WhyFailed:
		it.Action, it.Why, it.By = entry.Publish, "could not be published at its time: "+w.What, v.Submitter
	case store.WhyOffered:
		it.Action, it.Why, it.By = entry.Accept, w.What+" asks whether you will answer for it from now on", w.What
	case store.WhyOverdue:
		it.Action, it.Why, it.By = entry.Approve, "has waited long for a review: "+v.Note, v.Submitter
	case store.WhyReview:
		it.Action, it.Why, it.By = entry.Approve, "asks for a review: "+v.Note, v.Submitter
	case store.WhyReturned:
		it.Action, it.Why = entry.Submit, "returned: "+w.What
	case store.WhyCommented:
		it.Action, it.Why = entry.Answer, "one comment waits for an answer"
		if w.What != "1" {
			it.Why = w.What + " comments wait for an answer"
		}
	case store.WhyApproved:
		it.Action, it.Why, it.By = entry.Publish, "approved, and waits to be published", v.Submitter
	case store.WhyLost:
		it.Action, it.Why, it.By = entry.Begin, "on the shelf, but uses "+w.What+", which is not", v.Publisher
	case store.WhyOrphan:
		it.Action, it.Why, it.By = entry.HandOver, "its owner, "+w.What+", has left", w.What
	case store.WhyStale:
		it.Action, it.Why, it.By = entry.StillGood, "was to be looked at again", v.Publisher
	case store.WhyUntouched:
		it.Action, it.Why = entry.Submit, "a draft that nobody has touched for a month"
	default:
		it.Action, it.Why = entry.Submit, "a draft of yours, not yet submitted"
	}
	return it
}

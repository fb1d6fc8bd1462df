// Package desk has what waits for whom, in the order of need.
package desk

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"slices"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct{ db *work.DB }

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db} }

const (
	// untouchedFor is after how long a draft counts as left lying.
	untouchedFor = 30 * 24 * time.Hour

	usualLimit = 50 // things on a page
	mostLimit  = 200
)

// Desk gives a page of what waits for the caller, in the order of need and then the
// oldest first, each with the one action that it needs, and how much there is of each.
func (s *Service) Desk(ctx context.Context, by work.Caller, limit int, cursor string) (api.Desk, error) {
	at := store.DeskCursor{Rank: -1, Since: time.Unix(0, 0)}
	if cursor != "" {
		data, err := base64.RawURLEncoding.DecodeString(cursor)
		if err != nil || json.Unmarshal(data, &at) != nil || at.Rank > 100 {
			return api.Desk{}, work.Wrong("/cursor", "cursor", "the cursor is none that a page of the desk gave; leave it out for the first page")
		}
	}
	if limit <= 0 {
		limit = usualLimit
	}
	limit = min(limit, mostLimit)
	return work.See(ctx, s.db, func(v work.View) (api.Desk, error) {
		if by.Role.Includes(entry.Contributor) {
			if err := v.Look(by.ID); err != nil {
				return api.Desk{}, err
			}
		}
		p, err := texts.Policy(v.Reader)
		if err != nil {
			return api.Desk{}, err
		}
		rows, counts, err := v.Desk(store.Viewer{
			ID: by.ID, Makes: by.Role.Includes(entry.Contributor), Reviews: by.Role.Includes(entry.Reviewer), Curates: by.Role == entry.Curator,
			Patience: p.Review.Patience(), Overdue: p.Review.OverdueBefore(v.Now()), Untouched: v.Now().Add(-untouchedFor),
			DeskCursor: at, Limit: limit,
		})
		if err != nil {
			return api.Desk{}, err
		}
		return page(v.Reader, by, rows, counts, limit)
	})
}

func page(r store.Reader, by work.Caller, rows []store.Waiting, counts map[string]int, limit int) (api.Desk, error) {
	desk := api.Desk{Items: []api.DeskItem{}, Counts: counts}
	for _, n := range counts {
		desk.Total += n
	}
	var err error
	if desk.Unread, err = r.Unread(by.ID, by.Sight()); err != nil {
		return desk, err
	}
	if n := len(rows); n == limit {
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
	versions, err := r.Heads(ids)
	if err != nil {
		return desk, err
	}
	for _, w := range rows {
		i := slices.IndexFunc(versions, func(v store.Version) bool { return v.ID == w.VersionID })
		if i >= 0 { // a version without a text of its own has no head
			desk.Items = append(desk.Items, item(versions[i], w))
		}
	}
	return desk, nil
}

// item says in words why something waits, and what it needs.
func item(v store.Version, w store.Waiting) api.DeskItem {
	it := api.DeskItem{Item: texts.Item(v), Waits: w.Why, Since: w.Since.UTC(), By: v.SaverName}
	switch w.Why {
	case store.WhyFailed:
		it.Action, it.Why, it.By = entry.Publish, message.Say("could not be published at its time: %s", store.ReadSaid(w.What)), v.Submitter
	case store.WhyOffered:
		it.Action, it.Why, it.By = entry.Accept, message.Say("%s asks whether you will answer for it from now on", w.What), w.What
	case store.WhyOverdue:
		it.Action, it.Why, it.By = entry.Approve, message.Say("has waited long for a review: %s", v.Note), v.Submitter
	case store.WhyReview:
		it.Action, it.Why, it.By = entry.Approve, message.Say("asks for a review: %s", v.Note), v.Submitter
	case store.WhyReturned:
		it.Action, it.Why = entry.Submit, message.Say("returned: %s", w.What)
	case store.WhyCommented:
		it.Action, it.Why = entry.Answer, message.Say("one comment waits for an answer")
		if w.What != "1" {
			it.Why = message.Say("%s comments wait for an answer", w.What)
		}
	case store.WhyReported:
		it.Action, it.Why = entry.AnswerReport, message.Say("somebody says that it fell short")
		if w.What != "1" {
			it.Why = message.Say("%s reports say that it fell short", w.What)
		}
	case store.WhyApproved:
		it.Action, it.Why, it.By = entry.Publish, message.Say("approved, and waits to be published"), v.Submitter
	case store.WhyLost:
		it.Action, it.Why, it.By = entry.Begin, message.Say("on the shelf, but uses %s, which is not", w.What), v.Publisher
	case store.WhyOrphan:
		it.Action, it.Why, it.By = entry.Transfer, message.Say("its owner, %s, has left", w.What), w.What
	case store.WhyMoved:
		it.Action, it.Why, it.By = entry.Compare, message.Say("%s, which it came from, has moved on", w.What), v.Publisher
	case store.WhyGone:
		it.Action, it.Why, it.By = entry.Begin, message.Say("is for %s, which is gone: label it for another, or look at it again", w.What), v.Publisher
	case store.WhyAsked:
		it.Action, it.Why = entry.Begin, message.Say("its question set has moved on to %s", w.What)
	case store.WhyStale:
		it.Action, it.Why, it.By = entry.Renew, message.Say("was to be looked at again"), v.Publisher
	case store.WhyUntouched:
		it.Action, it.Why = entry.Submit, message.Say("a draft that nobody has touched for a month")
	default:
		it.Action, it.Why = entry.Submit, message.Say("a draft of yours, not yet submitted")
	}
	if it.Action == entry.Approve || it.Action == entry.Publish {
		it.Seen = entry.Digest(v.Seen)
	}
	return it
}

package demo

import (
	"context"
	"fmt"
	"slices"

	"goldshelf/api"
	"goldshelf/core/fill"
	"goldshelf/internal/library"
	"goldshelf/internal/store"
)

// talked is what somebody has asked of a model about an entry, with its sample values.
type talked struct {
	by, slug string
	columns  []api.TryColumn
	then     api.FollowUp // of the first reply, once that is there
	kept     bool
	sharedTo string
}

func talks() []talked {
	return []talked{
		{by: "reader", slug: "meter-dispute-reply", columns: []api.TryColumn{{Model: "heron-2"}, {Model: "osprey-70"}}, then: api.FollowUp{Refinement: "make-it-shorter"}},
		{by: "reader", slug: "reading-reminder", columns: []api.TryColumn{{Model: "heron-2-mini"}}, then: api.FollowUp{Text: "Add that a neighbour may read the meter too."}},
		{by: "contributor", slug: "burst-main-notice", columns: []api.TryColumn{{Model: "heron-2"}, {Model: "heron-2", Persona: "none"}}, then: api.FollowUp{Refinement: "make-it-plainer"}},
		{by: "curator", slug: "minutes-to-actions", columns: []api.TryColumn{{Model: "osprey-70"}}, kept: true, sharedTo: "contributor"},
	}
}

// talk has colleagues talk with models, once, and go on as soon as the first replies have come.
// It gives whether nothing is left to do.
func talk(ctx context.Context, lib *library.Library) (done bool, err error) {
	done = true
	for _, t := range talks() {
		over, err := talkOnce(ctx, lib, t)
		if err != nil {
			return false, fmt.Errorf("%s talks about %s: %w", t.by, t.slug, err)
		}
		done = done && over
	}
	return done, nil
}

func talkOnce(ctx context.Context, lib *library.Library, t talked) (over bool, err error) {
	by, err := personOf(ctx, lib, t.by)
	if err != nil {
		return false, err
	}
	mine, err := lib.Talks.Talks(ctx, by, "")
	if err != nil {
		return false, err
	}
	at := slices.IndexFunc(mine.Items, func(it api.TalkItem) bool { return it.Slug == t.slug })
	if at < 0 {
		e, err := lib.Shelf.OnShelf(ctx, by, t.slug, 0)
		if err != nil {
			return false, err
		}
		in := api.TryRequest{Ref: t.slug, Values: fill.Values{}, Columns: t.columns}
		for _, b := range e.Asks {
			if !b.Sample.IsZero() {
				in.Values[b.Name] = b.Sample
			}
		}
		if len(e.SheetOf) > 0 {
			in.Sheets = []string{"household-customers"}
		}
		begun, err := lib.Talks.Try(ctx, by, in)
		if err == nil && t.kept {
			_, err = lib.Talks.Keep(ctx, by, begun.ID, true)
		}
		if err == nil && t.sharedTo != "" {
			_, err = lib.Talks.Share(ctx, by, begun.ID, t.sharedTo, true)
		}
		return false, err
	}
	so, err := lib.Talks.Talk(ctx, by, mine.Items[at].ID)
	if err != nil {
		return false, err
	}
	if slices.ContainsFunc(so.Replies, func(r api.TalkReply) bool {
		return r.State == store.ReplyWaiting || r.State == store.ReplyRunning
	}) {
		return false, nil
	}
	if t.then == (api.FollowUp{}) || len(so.Replies) > len(t.columns) {
		return true, nil
	}
	t.then.After = so.Replies[0].ID
	_, err = lib.Talks.FollowUp(ctx, by, so.ID, t.then)
	return false, err
}

// tryUsers has a curator try what a snippet in review would change, once.
func tryUsers(ctx context.Context, lib *library.Library, slug string) (done bool, err error) {
	by, err := personOf(ctx, lib, "curator")
	if err != nil {
		return false, err
	}
	users, err := lib.Trials.Users(ctx, by, slug)
	if err != nil {
		return false, err
	}
	tried := slices.IndexFunc(users.Items, func(u api.UserTrial) bool { return u.Trial != nil })
	if users.Of.Version == 0 || tried >= 0 {
		return tried < 0 || users.Items[tried].Trial.State == "ended", nil
	}
	_, err = lib.Trials.StartUsers(ctx, by, slug, api.NewUserTrials{Model: "heron-2", Times: 2})
	return false, err
}

package lifecycle

import (
	"context"
	"errors"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// mostInBulk is how many entries one action is taken on at once at most.
const mostInBulk = 500

// BulkActions are those that can be taken on many entries at once, each with the one that
// undoes it. A text is approved and returned by somebody who has read it, one by one.
func BulkActions() []api.BulkAction {
	return []api.BulkAction{
		{Action: entry.Submit, Undo: entry.Withdraw},
		{Action: entry.Withdraw, Undo: entry.Submit},
		{Action: entry.Publish, Undo: entry.Unpublish},
		{Action: entry.Unpublish},
		{Action: entry.Retire, Undo: entry.Restore},
		{Action: entry.Restore, Undo: entry.Retire},
		{Action: entry.Renew},
	}
}

// PlanBulk shows what taking an action on many entries would do: on which it can be taken,
// and why not on the others. It changes nothing. Its digest stands for what it shows.
func (s *Service) PlanBulk(ctx context.Context, by work.Caller, req api.Bulk) (api.BulkPlan, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (plan api.BulkPlan, err error) {
		shown := errors.New("it was only to be shown")
		err = u.Try(func() error {
			if plan, err = takeOnAll(u, req); err != nil {
				return err
			}
			return shown
		})
		if errors.Is(err, shown) {
			err = nil
		}
		return plan, err
	})
}

// ApplyBulk takes an action on many entries as PlanBulk has shown it: on all on which it can
// be taken, or on none. It returns [work.Outdated] if that would be something else by now.
func (s *Service) ApplyBulk(ctx context.Context, by work.Caller, req api.Bulk) (api.BulkDone, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.BulkDone, error) {
		plan, err := takeOnAll(u, req)
		if err != nil {
			return api.BulkDone{}, err
		}
		done := api.BulkDone{Done: []string{}, Left: plan.Left, Undo: bulkAction(req.Action).Undo}
		for _, it := range plan.Items {
			done.Done = append(done.Done, it.Slug)
		}
		return done, work.MustBeShown(req.Digest, plan.Digest)
	})
}

// takeOnAll takes an action on every entry on which it can be taken, and gives on which it
// was, and why not on the others, each in the order of their slugs.
func takeOnAll(u *work.Unit, req api.Bulk) (plan api.BulkPlan, err error) {
	if !u.By.Role.Includes(entry.Contributor) {
		return plan, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("many entries are changed at once by those who look after them; you are signed in as a %s", u.By.Role)}
	}
	if err := bulkProblems(req).Err(); err != nil {
		return plan, err
	}
	versions, err := inBulkOrder(u, req)
	if err != nil {
		return plan, err
	}
	ids := make([]int64, len(versions))
	for i, v := range versions {
		ids[i] = v.EntryID
	}
	titles, err := u.EntryTitles(ids)
	if err != nil {
		return plan, err
	}
	plan = api.BulkPlan{Items: []api.BulkItem{}, Left: []api.BulkLeft{}}
	for _, v := range versions {
		err := u.Try(func() error { return takeInBulk(u, req, v) })
		why, left := reason(err)
		switch {
		case err == nil:
			plan.Items = append(plan.Items, api.BulkItem{Slug: v.Slug, Title: v.Title, Version: v.Number, State: entry.State(v.State), Seen: texts.Digest(v)})
		case left:
			plan.Left = append(plan.Left, api.BulkLeft{Slug: v.Slug, Title: titles[v.EntryID], Why: why})
		default:
			return plan, err
		}
	}
	slices.SortFunc(plan.Items, func(a, b api.BulkItem) int { return strings.Compare(a.Slug, b.Slug) })
	slices.SortFunc(plan.Left, func(a, b api.BulkLeft) int { return strings.Compare(a.Slug, b.Slug) })
	plan.Digest, err = work.PlanDigest(req.Action, req.Note, req.Because, req.Instead, plan.Items)
	return plan, err
}

func bulkAction(action entry.Action) (one api.BulkAction) {
	for _, a := range BulkActions() {
		if a.Action == action {
			one = a
		}
	}
	return one
}

func bulkProblems(req api.Bulk) problem.List {
	wrong := texts.ManyProblems(req.Slugs, mostInBulk)
	switch req.Action {
	case entry.Submit:
		wrong = append(wrong, entry.Note("/note", "the change note", req.Note, false)...)
	case entry.Renew:
		wrong = append(wrong, entry.Note("/note", "the note", req.Note, false)...)
	case entry.Retire, entry.Unpublish:
		wrong = append(wrong, entry.Note("/because", "the reason", req.Because, true)...)
	case entry.Approve, entry.Return:
		wrong.Add("/action", "one-by-one", "a text is approved or returned by somebody who has read it; do it one by one")
	default:
		if bulkAction(req.Action).Action == "" {
			var can []entry.Action
			for _, a := range BulkActions() {
				can = append(can, a.Action)
			}
			wrong.Add("/action", "unknown", "there is no action %q on many entries; there are %s", req.Action, message.And(can))
		}
	}
	return wrong
}

// inBulkOrder locks entries, and what they name, and gives of each the version that an
// action is on, in the order in which it is taken: what others name comes on the shelf
// before them, and leaves it after them.
func inBulkOrder(u *work.Unit, req api.Bulk) ([]store.Version, error) {
	beside, err := namedByAll(u.Reader, req)
	if err != nil {
		return nil, err
	}
	entries, err := texts.LockBeside(u, beside, req.Slugs...)
	if err != nil {
		return nil, err
	}
	versions := make([]store.Version, len(entries))
	for i, e := range entries {
		if versions[i], err = subject(u.Reader, e, req.Action); err != nil {
			return nil, err
		}
	}
	slices.SortFunc(versions, func(a, b store.Version) int { return strings.Compare(a.Slug, b.Slug) })
	versions, err = inOrder(u.Reader, versions)
	if req.Action == entry.Retire || req.Action == entry.Unpublish {
		slices.Reverse(versions)
	}
	return versions, err
}

// namedByAll gives what is named by the versions that an action is on.
func namedByAll(r store.Reader, req api.Bulk) (slugs []string, err error) {
	for _, slug := range req.Slugs {
		e, err := r.EntryBySlug(slug)
		if errors.Is(err, store.ErrNotFound) {
			continue // it is told of when it is to be locked
		}
		if err != nil {
			return nil, err
		}
		v, err := subject(r, e, req.Action)
		if err != nil {
			return nil, err
		}
		slugs = append(slugs, named(v)...)
	}
	return slugs, nil
}

// takeInBulk takes an action on one of many.
func takeInBulk(u *work.Unit, req api.Bulk, v store.Version) error {
	e, err := u.EntryBySlug(v.Slug)
	if err != nil {
		return err
	}
	detail := map[string]any{}
	return take(u, e, req.Action, detail, func(v store.Version) error {
		switch req.Action {
		case entry.Submit:
			return submit(u, v, req.Note, nil, detail)
		case entry.Withdraw:
			return u.ReopenVersion(v.ID, "")
		case entry.Publish:
			detail["text"] = texts.Digest(v)
			return publishAll(u, []store.Version{v})
		case entry.Unpublish:
			return unpublish(u, v, req.Because, detail)
		case entry.Retire:
			return retire(u, v, api.Retirement{Because: req.Because, Instead: req.Instead}, detail)
		case entry.Restore:
			return restore(u, v)
		default:
			return renew(u, v, req.Note, detail)
		}
	})
}

// reason gives why something was not done, if that was for what it is and not for a fault of
// the service.
func reason(err error) (why message.Text, is bool) {
	var stopped *texts.Stopped
	var refused *entry.Refusal
	var used *InUse
	var taken *work.Taken
	var list problem.List
	switch {
	case errors.As(err, &list) && len(list) > 1:
		return message.Say("%s, and %d more", list[0].Message, len(list)-1), true
	case errors.As(err, &list):
		return list[0].Message, true
	case errors.As(err, &stopped), errors.As(err, &refused), errors.As(err, &used), errors.As(err, &taken), errors.Is(err, work.ErrNotFound):
		return message.Of(err), true
	}
	return why, false
}

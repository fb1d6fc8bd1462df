package library

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// mostTogether is how many entries can be published as one.
const mostTogether = 100

// Publish puts an approved version on the shelf, in the place of the one that
// is there. It returns [Stopped] if checks stop it, as where it includes what is
// not published, and a [problem.List] if another entry has its short code.
func (l *Library) Publish(ctx context.Context, by Caller, slug string) (api.Entry, error) {
	out, err := l.PublishTogether(ctx, by, []string{slug}, nil)
	if err != nil {
		return api.Entry{}, err
	}
	return out.Items[0], nil
}

// PublishAt is Publish at a later time.
func (l *Library) PublishAt(ctx context.Context, by Caller, slug string, at time.Time) (api.Entry, error) {
	out, err := l.PublishTogether(ctx, by, []string{slug}, &at)
	if err != nil {
		return api.Entry{}, err
	}
	return out.Items[0], nil
}

// PublishTogether publishes approved versions as one: all of them or none, those
// that others include first. With a time it is done then; the versions are looked
// at now as well, but only what they are at that time counts. Its errors are those
// of Publish.
func (l *Library) PublishTogether(ctx context.Context, by Caller, slugs []string, at *time.Time) (out api.Published, err error) {
	slugs = slices.Compact(slices.Sorted(slices.Values(slugs)))
	if len(slugs) == 0 || len(slugs) > mostTogether {
		return out, problem.List{{Field: "/slugs", Code: "range", Message: fmt.Sprintf("%d entries are to be published together; it takes 1 to %d", len(slugs), mostTogether)}}
	}
	if at != nil {
		if wrong := entry.Scheduled(*at, l.now()); wrong != nil {
			return out, wrong
		}
	}
	if err := l.derive(ctx); err != nil { // what goes on the shelf is found there at once
		return out, err
	}
	err = l.db.Change(ctx, func(tx store.Tx) error {
		versions, err := l.approved(ctx, tx, by, slugs)
		if err != nil {
			return err
		}
		if at == nil {
			if err := l.publishAll(ctx, tx, by, versions); err != nil {
				return err
			}
		} else if out.ID, err = l.schedule(ctx, tx, by, versions, *at); err != nil {
			return err
		}
		out.At = utc(at)
		for _, v := range versions {
			e, err := l.read(ctx, tx.Reader, by, v.Slug, v.Number)
			if err != nil {
				return err
			}
			out.Items = append(out.Items, e)
		}
		action, detail := string(entry.Publish), map[string]any{}
		if len(versions) > 1 {
			detail["together"] = slugs
		}
		if at != nil {
			action, detail["at"] = "schedule", at.UTC()
		}
		return l.recordAll(ctx, tx, by, action, versions, detail)
	})
	return out, err
}

// recordAll records what was done with several versions.
func (l *Library) recordAll(ctx context.Context, tx store.Tx, by Caller, action string, versions []store.Version, detail map[string]any) error {
	for _, v := range versions {
		if err := l.record(ctx, tx, by, action, v.EntryID, v.Number, detail); err != nil {
			return err
		}
	}
	return nil
}

// approved locks entries in the order of their slugs and gives their approved versions.
func (l *Library) approved(ctx context.Context, tx store.Tx, by Caller, slugs []string) ([]store.Version, error) {
	versions := make([]store.Version, len(slugs))
	for i, slug := range slugs {
		e, err := l.locked(ctx, tx, by, slug)
		if err != nil {
			return nil, err
		}
		if _, err := entry.Take(entry.Publish, by.actor(), standing(e, nil)); err != nil {
			return nil, err
		}
		if versions[i], err = tx.Version(ctx, e.ID, e.Open); err != nil {
			return nil, err
		}
	}
	return versions, nil
}

// publishAll publishes versions, each after those of the others that it names.
func (l *Library) publishAll(ctx context.Context, tx store.Tx, by Caller, versions []store.Version) error {
	p, err := policy(ctx, tx.Reader)
	if err != nil {
		return err
	}
	now := l.now()
	for _, v := range inOrder(versions) {
		if err := l.pass(ctx, tx, v, entry.Publish); err != nil {
			return about(v.Slug, len(versions), err)
		}
		err := tx.PublishVersion(ctx, v.EntryID, v.ID, by.ID, now, p.Review.ReviewBy(now))
		if errors.Is(err, store.ErrTaken) {
			return problem.List{{Field: "/code", Code: "taken", Message: fmt.Sprintf("another entry has the short code %s; return version %d of %s and choose another", v.Code, v.Number, v.Slug)}}
		}
		if err != nil {
			return err
		}
		if err := tx.Unschedule(ctx, v.ID, v.Slug+", which was to be published with it, was published before"); err != nil {
			return err
		}
	}
	return nil
}

// about says of which entry a problem is, where there are several.
func about(slug string, of int, err error) error {
	var stopped *Stopped
	if of == 1 || !errors.As(err, &stopped) {
		return err
	}
	for i := range stopped.Problems {
		stopped.Problems[i].Message = slug + ": " + stopped.Problems[i].Message
	}
	return stopped
}

// inOrder puts versions that others of them name before those others. What goes
// in a circle stays in the order that it has; the checks stop it.
func inOrder(versions []store.Version) []store.Version {
	var order []store.Version
	seen := map[string]bool{}
	var visit func(v store.Version)
	visit = func(v store.Version) {
		if seen[v.Slug] {
			return
		}
		seen[v.Slug] = true
		for _, m := range mentions(v.Content()) {
			for _, other := range versions {
				if other.Slug == m.Slug {
					visit(other)
				}
			}
		}
		order = append(order, v)
	}
	for _, v := range versions {
		visit(v)
	}
	return order
}

// schedule sets versions to be published at a time and gives the publication's id.
func (l *Library) schedule(ctx context.Context, tx store.Tx, by Caller, versions []store.Version, at time.Time) (string, error) {
	ids := make([]int64, len(versions))
	for i, v := range versions {
		if v.PublishAt != nil {
			if err := tx.Unschedule(ctx, v.ID, v.Slug+", which was to be published with it, was set for another time"); err != nil {
				return "", err
			}
		}
		ids[i] = v.ID
	}
	id := uuid.NewString()
	return id, tx.AddPublication(ctx, id, ids, by.ID, at, l.now())
}

// Publications gives what waits for its time, and what failed at it. It returns an
// [entry.Refusal] to all but curators.
func (l *Library) Publications(ctx context.Context, by Caller) (api.Publications, error) {
	out := api.Publications{Items: []api.Publication{}}
	if by.Role != entry.Curator {
		return out, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may see what is to be published when; you are signed in as a " + string(by.Role)}
	}
	rows, err := l.db.Publications(ctx)
	for _, r := range rows {
		out.Items = append(out.Items, api.Publication{ID: r.ID, At: r.At.UTC(), Slugs: r.Slugs.V, SetBy: r.SetBy, SetAt: r.SetAt.UTC(), Failed: r.Failed})
	}
	return out, err
}

// DropPublication has what was set for a time wait for a curator's word again.
func (l *Library) DropPublication(ctx context.Context, by Caller, id string) error {
	if by.Role != entry.Curator {
		return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may change what is published when; you are signed in as a " + string(by.Role)}
	}
	missing := &Missing{"there is no publication with this id that waits for its time; it may be done"}
	if _, err := uuid.Parse(id); err != nil {
		return missing
	}
	return l.db.Change(ctx, func(tx store.Tx) error {
		if err := tx.DropPublication(ctx, id); err != nil {
			return found(err, missing)
		}
		return l.record(ctx, tx, by, "unschedule", 0, 0, map[string]any{"publication": id})
	})
}

// PublishDue publishes what is due, each publication on its own, and gives how
// many there were. One that cannot be published is kept with the reason.
func (l *Library) PublishDue(ctx context.Context) (done int, err error) {
	if err := l.derive(ctx); err != nil {
		return 0, err
	}
	for {
		one, err := l.publishNext(ctx)
		if err != nil || !one {
			return done, err
		}
		done++
	}
}

func (l *Library) publishNext(ctx context.Context) (one bool, err error) {
	err = l.db.Change(ctx, func(tx store.Tx) error {
		due, err := tx.DuePublication(ctx, l.now())
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		one = true
		by := Caller{ID: due.By, Name: due.Name, FullName: due.FullName, Role: entry.Role(due.Role), Via: "service"}
		why, err := l.publishSet(ctx, tx, by, due)
		if err != nil || why == "" {
			return err
		}
		if err := tx.FailPublication(ctx, due.ID, why); err != nil {
			return err
		}
		return l.record(ctx, tx, by, "publish-failed", 0, 0, map[string]any{"slugs": due.Slugs.V, "because": why})
	})
	return one, err
}

// publishSet publishes what was set for now, or gives why it could not be and
// leaves everything as it was.
func (l *Library) publishSet(ctx context.Context, tx store.Tx, by Caller, due store.Due) (why string, err error) {
	if !due.Active || by.Role != entry.Curator {
		return due.FullName + ", who set the time, is no curator any more", nil
	}
	err = tx.Try(ctx, func() error {
		versions, err := l.approved(ctx, tx, by, due.Slugs.V)
		if err != nil {
			return err
		}
		if err := l.publishAll(ctx, tx, by, versions); err != nil {
			return err
		}
		detail := map[string]any{"scheduled": true}
		if len(versions) > 1 {
			detail["together"] = due.Slugs.V
		}
		return l.recordAll(ctx, tx, by, string(entry.Publish), versions, detail)
	})
	var stopped *Stopped
	var refused *entry.Refusal
	var list problem.List
	if errors.As(err, &stopped) || errors.As(err, &refused) || errors.As(err, &list) || errors.Is(err, ErrNotFound) {
		return err.Error(), nil
	}
	return "", err
}

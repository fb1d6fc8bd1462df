package lifecycle

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/likeness"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// mostTogether is how many entries can be published as one.
const mostTogether = 100

// Publish puts an approved version on the shelf, in the place of the one that is
// there, now or with a time then. It returns [texts.Stopped] if checks stop it, as
// where it includes what is not published, a problem.List if another entry has its
// short code, and [texts.OtherText] if it says something else than what was seen.
func (s *Service) Publish(ctx context.Context, by work.Caller, slug string, seen entry.Digest, at *time.Time) (api.Entry, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) {
		out, err := publishTogether(u, []api.SeenEntry{{Slug: slug, Seen: seen}}, at)
		if err != nil {
			return api.Entry{}, err
		}
		return out.Items[0], nil
	})
}

// PublishTogether publishes approved versions as one: all of them or none, those that
// others include first. With a time it is done then; the versions are looked at now as
// well, but only what they are at that time counts. Its errors are those of Publish.
func (s *Service) PublishTogether(ctx context.Context, by work.Caller, entries []api.SeenEntry, at *time.Time) (api.Published, error) {
	if err := by.MustCurate("publish"); err != nil {
		return api.Published{}, err
	}
	if len(entries) == 0 || len(entries) > mostTogether {
		return api.Published{}, work.Wrong("/entries", "range", "%d entries are to be published together; it takes 1 to %d", len(entries), mostTogether)
	}
	var wrong problem.List
	named := map[string]bool{}
	for i, e := range entries {
		wrong = append(wrong, problem.Text(problem.Pointer("entries", i, "slug"), e.Slug)...)
		if e.Seen == "" {
			wrong.Add(problem.Pointer("entries", i, "seen"), "missing", "say which text of %s you have read: the seen that reading it gave", e.Slug)
		}
		if named[e.Slug] {
			wrong.Add(problem.Pointer("entries", i, "slug"), "twice", "%s is named twice", e.Slug)
		}
		named[e.Slug] = true
	}
	if err := wrong.Err(); err != nil {
		return api.Published{}, err
	}
	entries = slices.SortedFunc(slices.Values(entries), func(a, b api.SeenEntry) int { return strings.Compare(a.Slug, b.Slug) })
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Published, error) { return publishTogether(u, entries, at) })
}

func publishTogether(u *work.Unit, entries []api.SeenEntry, at *time.Time) (out api.Published, err error) {
	slugs := make([]string, len(entries))
	for i, e := range entries {
		slugs[i] = e.Slug
	}
	if at != nil {
		if wrong := entry.Scheduled(*at, u.Now()); wrong != nil {
			return out, wrong
		}
	}
	versions, err := approved(u, slugs)
	if err != nil {
		return out, err
	}
	for i, v := range versions {
		if err := texts.MustBeSeen(v, entries[i].Seen); err != nil {
			return out, err
		}
	}
	if at == nil {
		if err := publishAll(u, versions); err != nil {
			return out, err
		}
	} else if out.ID, err = schedule(u, versions, *at); err != nil {
		return out, err
	}
	out.At = texts.UTC(at)
	for _, v := range versions {
		e, err := texts.ReadAgain(u.Reader, u.By, v.Slug, v.Number)
		if err != nil {
			return out, err
		}
		out.Items = append(out.Items, e)
	}
	action, detail := entry.Publish, map[string]any{}
	if len(versions) > 1 {
		detail["together"] = slugs
	}
	if at != nil {
		action, detail["at"] = "schedule", at.UTC()
	}
	recordAll(u, action, versions, detail)
	return out, nil
}

// recordAll records what was done with several versions, and with which texts.
func recordAll(u *work.Unit, action entry.Action, versions []store.Version, detail map[string]any) {
	for _, v := range versions {
		own := maps.Clone(detail)
		own["text"] = texts.Digest(v)
		u.Record(action, v.EntryID, v.Number, own)
	}
}

// approved locks entries, and what they name beside them, and gives their approved
// versions.
func approved(u *work.Unit, slugs []string) ([]store.Version, error) {
	// An approved text is locked, so what it names does not change in between. Should
	// it be another by then, that is found under the lock: a new one is no longer approved.
	var beside []string
	for _, slug := range slugs {
		if e, err := u.EntryBySlug(slug); err == nil && e.Open > 0 {
			v, err := u.Version(e.ID, e.Open)
			if err != nil {
				return nil, err
			}
			beside = append(beside, named(v)...)
		} else if err != nil && !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
	}
	entries, err := texts.LockBeside(u, beside, slugs...)
	if err != nil {
		return nil, err
	}
	versions := make([]store.Version, len(slugs))
	for i, e := range entries {
		if _, err := entry.Take(entry.Publish, u.By.Actor(), texts.Status(e)); err != nil {
			return nil, err
		}
		if versions[i], err = u.Version(e.ID, e.Open); err != nil {
			return nil, err
		}
		if err := stillApproved(versions[i]); err != nil {
			return nil, err
		}
	}
	return versions, nil
}

// named gives the slugs that a version names.
func named(v store.Version) []string {
	var slugs []string
	for _, m := range texts.Mentions(v.Content()) {
		slugs = append(slugs, m.Slug)
	}
	return slices.Compact(slices.Sorted(slices.Values(slugs)))
}

// publishAll publishes versions, each after those of the others that it names.
func publishAll(u *work.Unit, versions []store.Version) error {
	p, err := texts.Policy(u.Reader)
	if err != nil {
		return err
	}
	versions, err = inOrder(u.Reader, versions)
	if err != nil {
		return err
	}
	for _, v := range versions {
		if err := texts.Pass(u, p.Policy, v, entry.Publish); err != nil {
			return about(v.Slug, len(versions), err)
		}
		if err := factsKept(u, v, versions); err != nil {
			return about(v.Slug, len(versions), err)
		}
		// What goes on the shelf is found there at once.
		if err := u.Index([]store.Indexed{{ID: v.ID, Revision: v.Revision, Print: likeness.Read(v.Body).Print()}}); err != nil {
			return err
		}
		err := u.PublishVersion(v.EntryID, v.ID, u.By.ID, u.Now(), p.Review.KeepDays())
		if errors.Is(err, store.ErrTaken) {
			return work.Wrong("/code", "taken", "another entry has the short code %s; return version %d of %s and choose another", v.Code, v.Number, v.Slug)
		}
		if err != nil {
			return err
		}
		if err := u.SettleReports(v.EntryID, v.Number); err != nil {
			return err
		}
		if err := u.Unschedule(v.ID, message.Say("%s, which was to be published with it, was published before", v.Slug)); err != nil {
			return err
		}
	}
	return nil
}

// about says of which entry a problem is, where there are several.
func about(slug string, of int, err error) error {
	var stopped *texts.Stopped
	if of == 1 || !errors.As(err, &stopped) {
		return err
	}
	for i := range stopped.Problems {
		stopped.Problems[i].Message = message.Say("%s: %s", slug, stopped.Problems[i].Message)
	}
	return stopped
}

// inOrder puts versions that others of them name before those others. What goes in a
// circle stays in the order that it has; the checks stop it.
func inOrder(r store.Reader, versions []store.Version) ([]store.Version, error) {
	var all []string
	for _, v := range versions {
		all = append(all, named(v)...)
	}
	now, err := r.SlugsNow(all)
	if err != nil {
		return nil, err
	}
	var order []store.Version
	seen := map[string]bool{}
	var visit func(v store.Version)
	visit = func(v store.Version) {
		if seen[v.Slug] {
			return
		}
		seen[v.Slug] = true
		for _, slug := range named(v) {
			for _, other := range versions {
				if other.Slug == now[slug] {
					visit(other)
				}
			}
		}
		order = append(order, v)
	}
	for _, v := range versions {
		visit(v)
	}
	return order, nil
}

// schedule sets versions to be published at a time and gives the publication's id.
func schedule(u *work.Unit, versions []store.Version, at time.Time) (string, error) {
	ids := make([]int64, len(versions))
	for i, v := range versions {
		if v.PublishAt != nil {
			if err := u.Unschedule(v.ID, message.Say("%s, which was to be published with it, was set for another time", v.Slug)); err != nil {
				return "", err
			}
		}
		ids[i] = v.ID
	}
	id := uuid.NewString()
	return id, u.AddPublication(id, ids, u.By.ID, at, u.Now())
}

// Publications gives what waits for its time, and what failed at it. It returns an
// [entry.Refusal] to all but curators.
func (s *Service) Publications(ctx context.Context, by work.Caller) (api.Publications, error) {
	out := api.Publications{Items: []api.Publication{}}
	if err := by.MustCurate("see what is to be published when"); err != nil {
		return out, err
	}
	rows, err := work.Ask(ctx, s.db, func(v work.View) ([]store.Publication, error) { return v.Publications() })
	for _, r := range rows {
		out.Items = append(out.Items, api.Publication{ID: r.ID, At: r.At.UTC(), Slugs: r.Slugs.V, SetBy: r.SetBy, SetAt: r.SetAt.UTC(), Failed: r.Failed.Text})
	}
	return out, err
}

// CancelPublication has what was set for a time wait for a curator's word again.
func (s *Service) CancelPublication(ctx context.Context, by work.Caller, id string) error {
	if err := by.MustCurate("change what is published when"); err != nil {
		return err
	}
	missing := work.MissingF("there is no publication with this id that waits for its time; it may be done")
	if _, err := uuid.Parse(id); err != nil {
		return missing
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if err := u.DropPublication(id); err != nil {
			return work.Found(err, missing)
		}
		u.Record("unschedule", 0, 0, map[string]any{"publication": id})
		return nil
	})
}

// PublishDue publishes the first that is due, and says whether it did. One that cannot be published
// is kept with the reason; one where publishing itself fails is set aside, and the next one is due.
func (s *Service) PublishDue(ctx context.Context) (one bool, err error) {
	id, err := work.Ask(ctx, s.db, func(v work.View) (string, error) { return v.NextPublication() })
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	_, err = work.Each(ctx, s.db, "publications", []string{id}, func(id string) string { return id }, func(ctx context.Context, id string) (err error) {
		one, err = work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (bool, error) { return publishDue(u, id) })
		one = one || err != nil // the next one is due
		return err
	})
	return one, err
}

// publishDue is one unit of it. It gives false where somebody else is at work on it.
func publishDue(u *work.Unit, id string) (bool, error) {
	due, err := u.DuePublication(id)
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	u.By = work.Caller{ID: due.By, Name: due.Name, FullName: due.FullName, Role: entry.Role(due.Role), Via: "service"}
	why, err := publishSet(u, due)
	if err != nil || why.IsZero() {
		return true, err
	}
	u.Record("publish-failed", 0, 0, map[string]any{"slugs": due.Slugs.V, "because": why.String()})
	return true, u.FailPublication(due.ID, why)
}

// publishSet publishes what was set for now, or gives why it could not be and leaves
// everything as it was.
func publishSet(u *work.Unit, due store.Due) (why message.Text, err error) {
	if !due.Active || u.By.Role != entry.Curator {
		return message.Say("%s, who set the time, is no curator any more", due.FullName), nil
	}
	err = u.Try(func() error {
		versions, err := approved(u, due.Slugs.V)
		if err != nil {
			return err
		}
		if err := publishAll(u, versions); err != nil {
			return err
		}
		detail := map[string]any{"scheduled": true}
		if len(versions) > 1 {
			detail["together"] = due.Slugs.V
		}
		recordAll(u, entry.Publish, versions, detail)
		return nil
	})
	if _, is := reason(err); is {
		return message.Of(err), nil
	}
	return why, err
}

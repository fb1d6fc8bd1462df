package writing

import (
	"context"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/merge"
	"goldshelf/core/message"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Origin sets an entry beside where it came from, as that was when it was last taken into
// account and as it is now. It returns a [work.Missing] of an entry that came of none.
func (s *Service) Origin(ctx context.Context, by work.Caller, slug string) (api.OriginMerge, error) {
	return work.See(ctx, s.db, func(v work.View) (api.OriginMerge, error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return api.OriginMerge{}, err
		}
		m, err := mergeOf(v.Reader, by, e)
		if err != nil {
			return api.OriginMerge{}, err
		}
		return api.OriginMerge{Origin: *texts.View(v.Reader, by, e, m.version).Origin, Draft: m.version.Number == e.Open, Merge: merge.Contents(m.base, m.ours, m.theirs)}, nil
	})
}

// sides are three texts of an entry and of its origin, and the version that ours is.
type sides struct {
	base, ours, theirs entry.Content
	version            store.Version
	fromOrigin         int64 // the version that theirs is
}

func mergeOf(r store.Reader, by work.Caller, e store.Entry) (m sides, err error) {
	if e.OriginID == 0 {
		return m, work.MissingF("%s came of no other entry", e.Slug)
	}
	number := e.Published
	if e.Open > 0 && texts.MaySeeDrafts(by, e) {
		number = e.Open
	}
	now := e.OriginNow
	if now == 0 {
		now = e.OriginNumber // nothing of it is on the shelf
	}
	base, err := r.Version(e.OriginID, e.OriginNumber)
	if err != nil {
		return m, err
	}
	theirs, err := r.Version(e.OriginID, now)
	if err != nil {
		return m, err
	}
	if m.version, err = r.Version(e.ID, number); err != nil {
		return m, err
	}
	m.base, m.ours, m.theirs, m.fromOrigin = base.Content(), m.version.Content(), theirs.Content(), theirs.ID
	return m, nil
}

// TakeOver brings an entry's draft, begun where there is none, up to where it came from: as
// far as the choices say, which a conflict needs. On is the revision that the draft had
// when it was seen, or none where there was no draft. It returns a [problem.List] of the
// conflicts that nothing was said of, and [Clash] if the draft is another by now.
func (s *Service) TakeOver(ctx context.Context, by work.Caller, slug string, on texts.Revision, in api.TakeOver) (Draft, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (Draft, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return Draft{}, err
		}
		if err := mayFollow(by, e); err != nil {
			return Draft{}, err
		}
		m, err := mergeOf(u.Reader, by, e)
		if err != nil {
			return Draft{}, err
		}
		if err := isNow(e, in.Version); err != nil {
			return Draft{}, err
		}
		taken, err := merge.Take(m.base, m.ours, m.theirs, in.Choices)
		if err != nil {
			return Draft{}, err
		}
		taken.Labels = nil // they are the entry's
		if err := contentProblems(u, taken); err != nil {
			return Draft{}, err
		}
		d, err := saveOn(u, e, on, taken)
		if err != nil {
			return Draft{}, err
		}
		if err := u.SetOriginNumber(e.ID, in.Version); err != nil {
			return Draft{}, err
		}
		if e, err = u.EntryBySlug(e.Slug); err != nil {
			return Draft{}, err
		}
		open, err := u.Version(e.ID, e.Open)
		if err != nil {
			return Draft{}, err
		}
		if err := u.AddWritersOf(m.fromOrigin, open.ID); err != nil {
			return Draft{}, err
		}
		u.Record("take-over", e.ID, e.Open, map[string]any{"origin": e.OriginSlug, "number": in.Version})
		d.Entry = texts.View(u.Reader, by, e, open)
		d.Revision = texts.RevisionOf(open)
		return d, nil
	})
}

// FollowOrigin says that a version of where an entry came from was looked at, and that
// nothing of it is to be taken over.
func (s *Service) FollowOrigin(ctx context.Context, by work.Caller, slug string, version int) (api.Entry, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.Entry{}, err
		}
		if err := mayFollow(by, e); err != nil {
			return api.Entry{}, err
		}
		if e.OriginID == 0 {
			return api.Entry{}, work.MissingF("%s came of no other entry", e.Slug)
		}
		if err := isNow(e, version); err != nil {
			return api.Entry{}, err
		}
		if err := u.SetOriginNumber(e.ID, version); err != nil {
			return api.Entry{}, err
		}
		u.Record("follow-origin", e.ID, 0, map[string]any{"origin": e.OriginSlug, "number": version})
		number := e.Published
		if e.Open > 0 {
			number = e.Open
		}
		return texts.ReadAgain(u.Reader, by, e.Slug, number)
	})
}

func mayFollow(by work.Caller, e store.Entry) error {
	if entry.LooksAfter(by.Actor(), texts.Status(e)) {
		return nil
	}
	return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only its owner, its deputy or a curator brings %s up to where it came from", e.Slug), Possible: []entry.Action{}}
}

// isNow says whether a version is what an entry's origin has on the shelf: what somebody
// has seen may be from before.
func isNow(e store.Entry, version int) error {
	if version == e.OriginNow {
		return nil
	}
	return work.Wrong("/version", "version", "version %d of %s is not the one on the shelf, which is %d; look at what changed again", version, e.OriginSlug, e.OriginNow)
}

// alikeFrom is in how many adaptations a change is found before it is offered.
const alikeFrom = 3

// Adaptations gives the adaptations of an entry that are shared, and what several of them
// have changed alike, which the entry may want itself.
func (s *Service) Adaptations(ctx context.Context, by work.Caller, slug string) (api.Adaptations, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Adaptations, error) {
		out := api.Adaptations{Items: []api.Adaptation{}, Alike: []api.ChangeAlike{}}
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return out, err
		}
		rows, err := v.Adaptations(e.ID, by.Role.Includes(entry.Contributor))
		if err != nil {
			return out, err
		}
		keeps := entry.LooksAfter(by.Actor(), texts.Status(e)) // and may take over what others made of it
		at := map[merge.Change]int{}
		for _, r := range rows {
			open := entry.State(r.State) != entry.Published
			seen := keeps || entry.MaySeeDrafts(by.Actor(), entry.Status{Owner: r.OwnerID, Deputy: r.DeputyID, Private: r.Private})
			if r.Private || open && !seen {
				continue
			}
			out.Items = append(out.Items, api.Adaptation{Slug: r.Slug, Title: r.Title, OwnerName: r.OwnerName, Purpose: r.Purpose, State: r.State, Version: r.Of})
			for _, c := range merge.Changes(r.Base, r.Body) {
				n, known := at[c]
				if !known {
					n = len(out.Alike)
					at[c] = n
					out.Alike = append(out.Alike, api.ChangeAlike{Change: c})
				}
				out.Alike[n].In = append(out.Alike[n].In, r.Slug)
			}
		}
		several := []api.ChangeAlike{}
		for _, c := range out.Alike {
			if len(c.In) >= alikeFrom {
				several = append(several, c)
			}
		}
		out.Alike = several
		return out, nil
	})
}

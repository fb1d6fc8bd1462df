package lifecycle

import (
	"context"
	"errors"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// InUse means that published entries include or recommend the one that was to be
// retired, or follow answers that it was to leave out. Its problems name them.
type InUse struct {
	Slug     string
	Leaves   bool // it stays, and leaves out answers
	Problems problem.List
}

func (u *InUse) Error() string { return u.Said().String() }

// Said gives what it says.
func (u *InUse) Said() message.Text {
	switch {
	case u.Leaves && len(u.Problems) == 1:
		return message.Say("a published entry follows an answer of %s: %s", u.Slug, u.Problems[0].Message)
	case u.Leaves:
		return message.Say("published entries follow %d answers of %s that this version leaves out; answer them, or change those entries first", len(u.Problems), u.Slug)
	}
	if len(u.Problems) == 1 {
		return message.Say("one published entry uses %s: %s", u.Slug, u.Problems[0].Message)
	}
	return message.Say("%d published entries use %s; move each to a replacement first", len(u.Problems), u.Slug)
}

// Retire takes an entry off the shelf, with a reason and, unless it is empty, the slug
// of what to use instead. It returns [InUse] while published entries use it, and a
// problem.List if reason or replacement do not hold.
func (s *Service) Retire(ctx context.Context, by work.Caller, slug string, how api.Retirement) (api.Entry, error) {
	detail := map[string]any{}
	return s.step(ctx, by, slug, entry.Retire, detail, func(u *work.Unit, v store.Version) error {
		return retire(u, v, how, detail)
	})
}

func retire(u *work.Unit, v store.Version, how api.Retirement, detail map[string]any) error {
	detail["because"], detail["instead"] = how.Because, how.Instead
	wrong := entry.Note("/because", "the reason", how.Because, true)
	instead, err := replacement(u.Reader, v, how.Instead, &wrong)
	if err != nil {
		return err
	}
	if err := wrong.Err(); err != nil {
		return err
	}
	if err := unused(u.Reader, v.Slug); err != nil {
		return err
	}
	return u.Retire(v.EntryID, u.By.ID, u.Now(), how.Because, instead)
}

// replacement gives the id of what is to be used instead of a version's entry, or 0
// where nothing is named.
func replacement(r store.Reader, v store.Version, slug string, wrong *problem.List) (int64, error) {
	if slug == "" {
		return 0, nil
	}
	if bad := problem.Text("/instead", slug); bad != nil {
		*wrong = append(*wrong, bad...)
		return 0, nil
	}
	instead, err := r.EntryBySlug(slug)
	switch {
	case errors.Is(err, store.ErrNotFound), err == nil && instead.Shelf != string(entry.Published):
		wrong.Add("/instead", "missing", "there is no entry %q on the shelf to use instead; publish it first, or name another", slug)
	case err != nil:
		return 0, err
	case instead.ID == v.EntryID:
		wrong.Add("/instead", "circle", "%s cannot take its own place; name another entry", v.Slug)
	case instead.Kind != v.Kind:
		wrong.Add("/instead", "kind", "%s is a %s, and takes the place of a %s; name another", instead.Slug, instead.Kind, v.Kind)
	}
	return instead.ID, nil
}

// unused returns [InUse] where published entries name a slug themselves.
func unused(r store.Reader, slug string) error {
	users, err := r.UsersOf(slug, false)
	if err != nil {
		return err
	}
	used := &InUse{Slug: slug}
	for _, u := range users {
		if u.How == nil {
			continue // only through one of the others
		}
		how := map[string]string{"include": "includes it", "step": "runs it as a step", "fact": "has a fact of it"}[*u.How]
		if how == "" {
			how = "recommends it as its " + *u.How
		}
		used.Problems.Add(problem.Pointer("uses", u.Slug), "in-use", "%s (%s@%d, looked after by %s) %s", u.Title, u.Slug, u.Number, u.OwnerName, how)
	}
	if used.Problems != nil {
		return used
	}
	return nil
}

// Restore puts a retired entry back on the shelf. It returns [texts.Stopped] if what it
// includes or recommends is there no longer.
func (s *Service) Restore(ctx context.Context, by work.Caller, slug string) (api.Entry, error) {
	return s.step(ctx, by, slug, entry.Restore, nil, restore)
}

func restore(u *work.Unit, v store.Version) error {
	if err := stands(u, v, entry.Restore); err != nil {
		return err
	}
	return u.Restore(v.EntryID)
}

// stands is [texts.Stands], and keeps what the version names from changing.
func stands(u *work.Unit, v store.Version, step entry.Action) error {
	for _, slug := range named(v) {
		if err := u.ShareEntry(slug); err != nil {
			return err
		}
	}
	return texts.Stands(u.Reader, v, step)
}

// Renew says that what is on the shelf was looked at again and stays as it is, for as
// long as the policy lets it.
func (s *Service) Renew(ctx context.Context, by work.Caller, slug, note string) (api.Entry, error) {
	detail := map[string]any{}
	return s.step(ctx, by, slug, entry.Renew, detail, func(u *work.Unit, v store.Version) error {
		return renew(u, v, note, detail)
	})
}

func renew(u *work.Unit, v store.Version, note string, detail map[string]any) error {
	detail["note"] = note
	if err := entry.Note("/note", "the note", note, false).Err(); err != nil {
		return err
	}
	p, err := texts.Policy(u.Reader)
	if err != nil {
		return err
	}
	return u.SetReviewBy(v.EntryID, p.Review.KeepDays())
}

// Unpublish undoes a publication that was a mistake, within entry.UnpublishWithin: the
// version before is on the shelf again, and the history keeps both. The first version
// of an entry, with none before it, is retired instead; it returns [InUse] if published
// entries use that one by now.
func (s *Service) Unpublish(ctx context.Context, by work.Caller, slug, because string) (api.Entry, error) {
	detail := map[string]any{}
	return s.step(ctx, by, slug, entry.Unpublish, detail, func(u *work.Unit, v store.Version) error {
		return unpublish(u, v, because, detail)
	})
}

func unpublish(u *work.Unit, v store.Version, because string, detail map[string]any) error {
	detail["because"] = because
	if err := entry.Note("/because", "the reason", because, true).Err(); err != nil {
		return err
	}
	before, err := u.Before(v.EntryID)
	if errors.Is(err, store.ErrNotFound) {
		if err := unused(u.Reader, v.Slug); err != nil {
			return err
		}
		if err := u.TakeBack(v.ID, u.By.ID, because); err != nil {
			return err
		}
		return u.Retire(v.EntryID, u.By.ID, u.Now(), because, 0)
	}
	if err != nil {
		return err
	}
	rows, err := u.VersionsByID([]int64{before})
	if err != nil {
		return err
	}
	if err := stands(u, rows[0], entry.Unpublish); err != nil {
		return err
	}
	if err := factsKept(u, rows[0], nil); err != nil {
		return err
	}
	p, err := texts.Policy(u.Reader)
	if err != nil {
		return err
	}
	err = u.Unpublish(v.EntryID, v.ID, before, u.By.ID, because, p.Review.KeepDays())
	if errors.Is(err, store.ErrTaken) {
		return &work.Taken{What: message.Say("another entry has the short code of the version of %s before this one by now; free it there first", v.Slug)}
	}
	return err
}

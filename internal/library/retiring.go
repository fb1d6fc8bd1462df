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

// InUse means that published entries include or recommend the one that was to
// be retired. Its problems name them.
type InUse struct {
	Slug     string
	Problems problem.List
}

func (u *InUse) Error() string {
	if len(u.Problems) == 1 {
		return fmt.Sprintf("one published entry uses %s: %s", u.Slug, u.Problems[0].Message)
	}
	return fmt.Sprintf("%d published entries use %s; move each to a replacement first", len(u.Problems), u.Slug)
}

// Gone means that an entry was retired. Entry says why, and what to use instead.
type Gone struct{ Entry store.Entry }

func (g *Gone) Error() string {
	e := g.Entry
	instead := "find another with find"
	if e.Instead != "" {
		instead = "use " + e.Instead + " instead"
	}
	return fmt.Sprintf("%s was retired on %s: %s; %s", e.Slug, e.RetiredAt.UTC().Format("2 January 2006"), e.Because, instead)
}

// Retire takes an entry off the shelf, with a reason and, unless it is empty,
// the slug of what to use instead. It returns [InUse] while published entries
// use it, and a [problem.List] if reason or replacement do not hold.
func (l *Library) Retire(ctx context.Context, by Caller, slug string, how api.Retirement) (api.Entry, error) {
	detail := map[string]any{"because": how.Because, "instead": how.Instead}
	return l.change(ctx, by, slug, entry.Retire, detail, func(tx store.Tx, v store.Version) error {
		wrong := entry.Note("/because", "the reason", how.Because, true)
		var instead store.Entry
		if how.Instead != "" {
			var err error
			instead, err = tx.EntryBySlug(ctx, how.Instead)
			switch {
			case errors.Is(err, store.ErrNotFound), err == nil && instead.Shelf != string(entry.Published):
				wrong.Add("/instead", "missing", "there is no entry %q on the shelf to use instead; publish it first, or name another", how.Instead)
			case err != nil:
				return err
			case instead.ID == v.EntryID:
				wrong.Add("/instead", "circle", "%s cannot take its own place; name another entry", v.Slug)
			case instead.Kind != v.Kind:
				wrong.Add("/instead", "kind", "%s is a %s, and takes the place of a %s; name another", instead.Slug, instead.Kind, v.Kind)
			}
		}
		if err := wrong.Err(); err != nil {
			return err
		}
		if err := inUse(ctx, tx, v.Slug); err != nil {
			return err
		}
		return tx.Retire(ctx, v.EntryID, by.ID, l.now(), how.Because, instead.ID)
	})
}

// inUse returns [InUse] where published entries name a slug themselves.
func inUse(ctx context.Context, tx store.Tx, slug string) error {
	users, err := tx.UsersOf(ctx, slug, false)
	if err != nil {
		return err
	}
	used := &InUse{Slug: slug}
	for _, u := range users {
		if u.How == nil {
			continue // only through one of the others
		}
		how := map[string]string{"include": "includes it", "step": "runs it as a step"}[*u.How]
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

// Restore puts a retired entry back on the shelf.
func (l *Library) Restore(ctx context.Context, by Caller, slug string) (api.Entry, error) {
	return l.change(ctx, by, slug, entry.Restore, nil, func(tx store.Tx, v store.Version) error {
		return tx.Restore(ctx, v.EntryID)
	})
}

// offShelf is why a slug has nothing on the shelf: [Gone], or [Missing].
func offShelf(ctx context.Context, r store.Reader, err error, slug string, number int) error {
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if number == 0 {
		if e, err := r.EntryBySlug(ctx, slug); err == nil && e.RetiredAt != nil {
			return &Gone{e}
		}
		return &Missing{fmt.Sprintf("there is no entry %q on the shelf; look for it with find", slug)}
	}
	return &Missing{fmt.Sprintf("%s has no published version %d; leave the number out for the one on the shelf", slug, number)}
}

// notIncluded is why an include finds nothing, for the writer of the text.
func notIncluded(ctx context.Context, r store.Reader, slug string, number int) error {
	if number > 0 {
		return fmt.Errorf("%s has no published version %d; include one that its history shows as published", slug, number)
	}
	if e, err := r.EntryBySlug(ctx, slug); err == nil && e.RetiredAt != nil {
		return &Gone{e}
	}
	return fmt.Errorf("there is no published entry %s to include; correct the slug, or publish it first", slug)
}

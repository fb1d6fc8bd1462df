// Package shelf has the use cases of whoever looks for an entry and uses it: lists and
// searches, one entry, filled texts, and what uses what.
package shelf

import (
	"context"
	"errors"
	"sync/atomic"

	"goldshelf/api"
	"goldshelf/internal/index"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct {
	db    *work.DB
	texts *texts.Texts
	index *index.Index
	uses  uses
	best  atomic.Pointer[figures]
}

// New gives the use cases on a library.
func New(db *work.DB, t *texts.Texts, x *index.Index) *Service {
	return &Service{db: db, texts: t, index: x}
}

// Entry gives an entry by its open version if the caller may see one, and else by its
// published version. By a name that it had it gives [texts.Renamed], as OnShelf does.
func (s *Service) Entry(ctx context.Context, by work.Caller, slug string) (api.Entry, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Entry, error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return api.Entry{}, err
		}
		if err := texts.OldName(e, slug); err != nil {
			return api.Entry{}, err
		}
		number := e.Published
		if e.Open > 0 && texts.MaySeeDrafts(by, e) {
			number = e.Open
		}
		return texts.Read(v.Reader, by, e, number)
	})
}

// OnShelf gives the published version of an entry, by slug or short code, or with a
// number the version of that number if it was ever published. A retired entry answers
// with its last published version, and why it was retired.
func (s *Service) OnShelf(ctx context.Context, by work.Caller, slug string, number int) (api.Entry, error) {
	return s.Fitting(ctx, by, slug, number, texts.Stack{Base: true})
}

// Fitting is OnShelf for whoever prefers some languages or asks for an application, as the
// stack says: of an entry that has renditions it gives the one that suits.
func (s *Service) Fitting(ctx context.Context, by work.Caller, slug string, number int, ask texts.Stack) (api.Entry, error) {
	if err := s.within(ctx, by, slug); err != nil {
		return api.Entry{}, err
	}
	e, err := s.fitting(ctx, by, slug, number, ask)
	if err == nil && e.Slug != slug { // a rendition that suits better
		err = s.within(ctx, by, e.Slug)
	}
	if err != nil {
		return api.Entry{}, err
	}
	return e, nil
}

func (s *Service) fitting(ctx context.Context, by work.Caller, slug string, number int, ask texts.Stack) (api.Entry, error) {
	return work.SeeShelf(ctx, s.db, func(v work.View) (api.Entry, error) {
		if _, err := texts.Application(v.Reader, ask.For); err != nil {
			return api.Entry{}, err
		}
		layers, err := s.texts.Shelved(v, slug, number, ask)
		var gone *texts.Gone
		if errors.As(err, &gone) {
			if err := texts.OldName(gone.Entry, slug); err != nil {
				return api.Entry{}, err
			}
			return texts.Read(v.Reader, by, gone.Entry, gone.Entry.Published)
		}
		if err != nil {
			return api.Entry{}, err
		}
		rows, err := v.VersionsByID(layers[len(layers)-1:])
		if err != nil {
			return api.Entry{}, err
		}
		e, err := v.EntryBySlug(rows[0].Slug)
		if err != nil {
			return api.Entry{}, err
		}
		all, err := v.RenditionsOf(rows[0].ID)
		if err != nil {
			return api.Entry{}, err
		}
		if len(all) == 0 || all[0].EntryID == e.ID {
			// A rendition of what was asked for is called otherwise.
			if err := texts.OldName(e, slug); err != nil {
				return api.Entry{}, err
			}
		}
		c, err := s.texts.Compose(v, layers, nil)
		if err != nil {
			return api.Entry{}, err
		}
		out := texts.View(v.Reader, by, e, rows[0])
		out.Asks = c.Form.Blanks()
		for _, r := range all {
			out.Renditions = append(out.Renditions, api.Rendition{
				Slug: r.Slug, Title: r.Title, Base: r.Base, Language: r.Language, Applications: r.Applications.V, Models: r.Models.V,
			})
		}
		return out, nil
	})
}

// Labels gives every facet with its terms, counted over the shelf.
func (s *Service) Labels(ctx context.Context, by work.Caller) ([]api.Facet, error) {
	list, err := s.Shelf(ctx, by, Query{Limit: 1})
	return list.Facets, err
}

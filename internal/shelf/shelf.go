// Package shelf has the use cases of whoever looks for an entry and uses it: lists and
// searches, one entry, filled texts, and what uses what.
package shelf

import (
	"context"
	"errors"

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
}

// New gives the use cases on a library.
func New(db *work.DB, t *texts.Texts, x *index.Index) *Service { return &Service{db, t, x} }

// Entry gives an entry by its open version if the caller may see one, and else by its
// published version.
func (s *Service) Entry(ctx context.Context, by work.Caller, slug string) (api.Entry, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Entry, error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
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
	return work.See(ctx, s.db, func(v work.View) (api.Entry, error) {
		layers, err := s.texts.Shelved(v, slug, number)
		var gone *texts.Gone
		if errors.As(err, &gone) {
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
		c, err := s.texts.Compose(v, layers, nil)
		if err != nil {
			return api.Entry{}, err
		}
		out := texts.View(v.Reader, by, e, rows[0])
		out.Asks = c.Form.Blanks()
		return out, nil
	})
}

// Labels gives every facet with its terms, counted over the shelf.
func (s *Service) Labels(ctx context.Context) ([]api.Facet, error) {
	list, err := s.Shelf(ctx, Query{Limit: 1})
	return list.Facets, err
}

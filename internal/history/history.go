// Package history has the use cases of whoever wants to know how an entry came to be
// what it is: its versions, what differs between them, who wrote each line, and what
// was said about them.
package history

import (
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct{ db *work.DB }

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db} }

const (
	usualLimit = 50 // versions on a page
	mostLimit  = 200
)

// Versions gives a page of the versions that the caller may see, newest first: all of
// them to those who may see drafts, and to others those that were published.
func (s *Service) Versions(ctx context.Context, by work.Caller, slug string, limit int, cursor string) (api.Versions, error) {
	out := api.Versions{Items: []api.Entry{}}
	before, err := work.NumberCursor(cursor, entry.MaxVersion)
	if err != nil {
		return out, err
	}
	if limit <= 0 || limit > mostLimit {
		limit = usualLimit
	}
	return work.See(ctx, s.db, func(v work.View) (api.Versions, error) {
		out.Items = out.Items[:0] // the view may run again
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return out, err
		}
		rows, err := v.Versions(e.ID, texts.MaySeeDrafts(by, e), int(before), limit+1)
		if err != nil {
			return out, err
		}
		rows, out.Next = work.PageOf(rows, limit, func(v store.Version) int64 { return int64(v.Number) })
		for _, row := range rows {
			out.Items = append(out.Items, texts.View(v.Reader, by, e, row))
		}
		if out.Helped, err = helped(v.Reader, e.ID, out.Items); err != nil {
			return out, err
		}
		if before == 0 && texts.MaySeeDrafts(by, e) {
			out.Elsewhere, err = elsewhere(v.Reader, e)
		}
		return out, err
	})
}

// helped gives which models helped with versions that are shown.
func helped(r store.Reader, entryID int64, shown []api.Entry) (all []api.Helped, err error) {
	rows, err := r.Helped(entryID)
	for _, h := range rows {
		if slices.ContainsFunc(shown, func(v api.Entry) bool { return v.Version == h.Number }) {
			all = append(all, api.Helped{Version: h.Number, Model: h.Model, Helper: h.Helper, By: h.By, At: h.At.UTC()})
		}
	}
	return all, err
}

// elsewhere gives what an entry was in the library that it came from.
func elsewhere(r store.Reader, e store.Entry) (all []api.ElsewhereVersion, err error) {
	rows, err := r.Elsewhere(e.ID)
	for _, row := range rows {
		v := row.Life.V
		was := api.ElsewhereVersion{
			Version: row.Number, State: v.State, Note: v.Note, Author: v.Author, PublishedBy: v.PublishedBy, PublishedAt: texts.UTC(v.PublishedAt), SavedAt: v.SavedAt.UTC(),
		}
		for _, a := range v.Approvals {
			was.Approvals = append(was.Approvals, api.Approval{By: a.By, Comment: a.Comment, At: a.At.UTC()})
		}
		all = append(all, was)
	}
	return all, err
}

// Version gives one version that the caller may see.
func (s *Service) Version(ctx context.Context, by work.Caller, slug string, number int) (api.Entry, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Entry, error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return api.Entry{}, err
		}
		row, err := visible(v.Reader, by, e, number)
		return texts.View(v.Reader, by, e, row), err
	})
}

// visible gives one version of an entry, if the caller may see that.
func visible(r store.Reader, by work.Caller, e store.Entry, number int) (store.Version, error) {
	v, err := r.Version(e.ID, number)
	if err == nil && !v.ShownToReaders() && !texts.MaySeeDrafts(by, e) {
		err = store.ErrNotFound
	}
	return v, work.Found(err, texts.NoVersion(e.Slug, number))
}

// Diff compares two versions of an entry that the caller may see: their texts,
// everything else in its own terms, and what a colleague gets of either with the same
// values, those of the newer one's samples. A number of 0 stands for the newest version
// that the caller may see, and for the one on the shelf before it.
func (s *Service) Diff(ctx context.Context, by work.Caller, slug string, from, to int) (api.Diff, error) {
	type pair struct {
		old, now      store.Version
		before, after string
	}
	p, err := work.See(ctx, s.db, func(v work.View) (p pair, err error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return p, err
		}
		if p.now, p.old, err = compared(v.Reader, by, e, from, to); err != nil {
			return p, err
		}
		values := fill.Values{}
		for _, b := range append(append([]fill.Blank{}, p.old.Blanks.V...), p.now.Blanks.V...) {
			if !b.Sample.IsZero() {
				values[b.Name] = b.Sample
			}
		}
		if p.before, err = sample(v.Reader, by, p.old, values); err != nil {
			return p, err
		}
		p.after, err = sample(v.Reader, by, p.now, values)
		return p, err
	})
	if err != nil {
		return api.Diff{}, err
	}
	// The database is let go before what takes long.
	return api.Diff{
		Slug: slug, From: p.old.Number, To: p.now.Number, Fields: append([]change.Field{}, change.Fields(p.old.Content(), p.now.Content())...),
		Lines: change.Texts(p.old.Body, p.now.Body), Filled: change.Texts(p.before, p.after),
	}, nil
}

// compared gives the two versions that are to be compared, the newer first.
func compared(r store.Reader, by work.Caller, e store.Entry, from, to int) (now, old store.Version, err error) {
	if to == 0 {
		if to, err = r.NumberBefore(e.ID, texts.MaySeeDrafts(by, e), 0); err != nil {
			return now, old, err
		}
	}
	if now, err = visible(r, by, e, to); err != nil {
		return now, old, err
	}
	if from == 0 {
		if from, err = r.NumberBefore(e.ID, false, to); err != nil {
			return now, old, err
		}
		if from == 0 {
			return now, old, work.MissingF("%s has no version before that one to compare with", e.Slug)
		}
	}
	old, err = visible(r, by, e, from)
	return now, old, err
}

// sample fills a version with values as far as they go. A text that cannot be filled is
// told by what is wrong with it.
func sample(r store.Reader, by work.Caller, v store.Version, values fill.Values) (string, error) {
	src, err := v.Content().Parsed(v.Slug, v.Number)
	if err == nil {
		var lookup *texts.Included
		if lookup, err = texts.IncludedIn(r, src.Text, by.Sight()); err != nil {
			return "", err
		}
		var form *fill.Form
		if form, err = fill.Compile(lookup.Source, src); err == nil {
			own := fill.Values{}
			for _, b := range form.Blanks() {
				if value, given := values[b.Name]; given {
					own[b.Name] = value
				} else if !b.Sample.IsZero() {
					own[b.Name] = b.Sample
				}
			}
			got, _, _, err := form.Sketch(own)
			return got.Text, err
		}
	}
	if list, is := err.(problem.List); is {
		return list.Error(), nil
	}
	return "", err
}

// Annotate gives the text of a version line by line, each with the version in which it
// first stood as it is, of those that the caller may see.
func (s *Service) Annotate(ctx context.Context, by work.Caller, slug string, number int) (api.Annotated, error) {
	versions, err := work.See(ctx, s.db, func(v work.View) ([]store.Body, error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return nil, err
		}
		row, err := visible(v.Reader, by, e, number)
		if err != nil {
			return nil, err
		}
		return v.Bodies(e.ID, texts.MaySeeDrafts(by, e), row.Number)
	})
	if err != nil {
		return api.Annotated{}, err
	}
	bodies := make([]string, len(versions))
	for i, v := range versions {
		bodies[i] = v.Body
	}
	last := versions[len(versions)-1]
	out := api.Annotated{Version: last.Number, Items: []api.AnnotatedLine{}}
	lines := change.Lines(last.Body)
	for i, n := range change.Origins(bodies) {
		from := versions[n]
		out.Items = append(out.Items, api.AnnotatedLine{Text: lines[i], Version: from.Number, Author: from.Author, Note: from.Note, At: from.SavedAt.UTC()})
	}
	return out, nil
}

package library

import (
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// Export gives entries in an open format: all of them, or those that a query
// finds or slugs name. Curators get each entry's open version where it has one,
// and in a bundle all versions; others get what is on the shelf. The same library
// gives the same bytes.
func (l *Library) Export(ctx context.Context, by Caller, format bundle.Format, slugs []string, q Query) ([]byte, error) {
	if format == bundle.JSON && by.Role != entry.Curator {
		return nil, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may take out whole histories; you are signed in as a " + string(by.Role) + ". Take what is on the shelf out as csv or folder"}
	}
	slugs, err := l.selected(ctx, by, slugs, q)
	if err != nil {
		return nil, err
	}
	read := l.db.CurrentOf
	if format == bundle.JSON {
		read = l.db.VersionsOf
	}
	rows, err := read(ctx, slugs)
	if err != nil {
		return nil, err
	}
	if missing := absent(slugs, rows); missing != nil {
		return nil, missing
	}
	if format == bundle.JSON {
		return l.exportHistories(ctx, rows)
	}
	var all []bundle.Incoming
	for _, v := range rows {
		state := entry.State(v.State)
		if state == entry.Retired || state.Open() && by.Role != entry.Curator {
			continue
		}
		in := bundle.Incoming{Slug: v.Slug, File: bundle.File{Content: v.Content(), Owner: v.Owner, Deputy: v.Deputy}}
		if state.Open() {
			in.Note = v.Note
		}
		if n := len(all); n > 0 && all[n-1].Slug == v.Slug {
			if state.Open() {
				all[n-1] = in
			}
			continue
		}
		all = append(all, in)
	}
	switch format {
	case bundle.Folder:
		texts := make([][]byte, len(all))
		atOnce(len(all), func(i int) { texts[i] = all[i].Bytes() })
		files := map[string][]byte{}
		for i, in := range all {
			files[in.Slug+".md"] = texts[i]
		}
		return bundle.WriteZip(files)
	case bundle.CSV:
		terms, err := l.db.Terms(ctx)
		return orTable(all, terms, err)
	}
	return nil, problem.List{{Field: "/format", Code: "format", Message: "entries go out as folder, csv or bundle"}}
}

func orTable(all []bundle.Incoming, terms []store.Term, err error) ([]byte, error) {
	if err != nil {
		return nil, err
	}
	var facets []string
	for _, t := range terms {
		if !slices.Contains(facets, t.Facet) {
			facets = append(facets, t.Facet)
		}
	}
	return bundle.WriteTable(all, facets)
}

// selected gives the slugs that are meant: nil for all.
func (l *Library) selected(ctx context.Context, by Caller, slugs []string, q Query) ([]string, error) {
	if q.Text == "" && len(q.Labels) == 0 && q.State == "" {
		if by.Role == entry.Curator || len(slugs) > 0 {
			return slugs, nil
		}
	}
	slugs = append([]string{}, slugs...)
	q.Limit = mostLimit
	for {
		find := func(context.Context, Query) (api.List, error) { return l.Shelf(ctx, q) }
		if by.Role == entry.Curator {
			find = func(context.Context, Query) (api.List, error) { return l.Entries(ctx, by, q) }
		}
		list, err := find(ctx, q)
		if err != nil {
			return nil, err
		}
		for _, it := range list.Items {
			slugs = append(slugs, it.Slug)
		}
		if q.Cursor = list.Next; q.Cursor == "" {
			return slugs, nil
		}
	}
}

// absent says which slugs have no version that could go out.
func absent(slugs []string, rows []store.Version) error {
	var wrong problem.List
	for i, s := range slugs {
		if !slices.ContainsFunc(rows, func(v store.Version) bool { return v.Slug == s }) {
			wrong.Add(problem.Pointer("slugs", i), "missing", "there is no entry %q to take out", s)
		}
	}
	if wrong == nil {
		return nil
	}
	return wrong
}

func (l *Library) exportHistories(ctx context.Context, rows []store.Version) ([]byte, error) {
	retired, err := l.db.Retirements(ctx)
	if err != nil {
		return nil, err
	}
	terms, err := l.db.Terms(ctx)
	if err != nil {
		return nil, err
	}
	used := map[[2]string]bool{}
	var all []bundle.Whole
	for _, v := range rows {
		if n := len(all); n == 0 || all[n-1].Slug != v.Slug {
			all = append(all, bundle.Whole{Slug: v.Slug, Owner: v.Owner, Deputy: v.Deputy})
		}
		w := &all[len(all)-1]
		w.Versions = append(w.Versions, wholeVersion(v))
		for facet, names := range v.Labels.V {
			for _, name := range names {
				used[[2]string{facet, name}] = true
			}
		}
	}
	for _, r := range retired {
		if i := slices.IndexFunc(all, func(w bundle.Whole) bool { return w.Slug == r.Slug }); i >= 0 {
			all[i].Retired = &bundle.Retired{At: r.At.UTC(), Because: r.Because, Instead: r.Instead}
		}
	}
	facets := []bundle.Facet{}
	for _, t := range terms {
		if !used[[2]string{t.Facet, t.Name}] {
			continue
		}
		if n := len(facets); n == 0 || facets[n-1].Name != t.Facet {
			facets = append(facets, bundle.Facet{Name: t.Facet, Title: t.FacetTitle})
		}
		f := &facets[len(facets)-1]
		f.Terms = append(f.Terms, bundle.Term{Name: t.Name, Title: t.Title})
	}
	return bundle.WriteLibrary(facets, all)
}

func wholeVersion(v store.Version) bundle.Version {
	out := bundle.Version{
		Number: v.Number, State: entry.State(v.State), Note: v.Note, Author: v.Author, CreatedAt: v.CreatedAt.UTC(), SavedAt: v.SavedAt.UTC(),
		SubmittedBy: v.Submitter, SubmittedAt: utc(v.SubmittedAt), PublishedBy: v.Publisher, PublishedAt: utc(v.PublishedAt), Content: v.Content(),
	}
	for _, a := range v.Approvals.V {
		out.Approvals = append(out.Approvals, bundle.Approval{By: a.By, Comment: a.Comment, At: a.At.UTC()})
	}
	return out
}

package shelf

import (
	"context"
	"slices"

	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/core/search"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Export gives entries in an open format: all of them, or those that a query finds or
// slugs name. Curators get each entry's open version where it has one, and in a bundle
// all versions; others get what is on the shelf. The same library gives the same bytes.
func (s *Service) Export(ctx context.Context, by work.Caller, format bundle.Format, slugs []string, q Query) ([]byte, error) {
	if !slices.Contains([]bundle.Format{bundle.JSON, bundle.Folder, bundle.CSV}, format) {
		return nil, work.Wrong("/format", "format", "entries go out as folder, csv or bundle")
	}
	if format == bundle.JSON && by.Role != entry.Curator {
		return nil, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may take out whole histories; you are signed in as a " + string(by.Role) + ". Take what is on the shelf out as csv or folder"}
	}
	var wrong problem.List
	for i, slug := range slugs {
		wrong = append(wrong, problem.Text(problem.Pointer("slugs", i), slug)...)
	}
	if err := wrong.Err(); err != nil {
		return nil, err
	}
	return work.See(ctx, s.db, func(v work.View) ([]byte, error) {
		slugs, err := s.selected(v, by, slugs, q)
		if err != nil {
			return nil, err
		}
		if format == bundle.JSON {
			return exportHistories(v.Reader, slugs)
		}
		return exportCurrent(v.Reader, by, format, slugs)
	})
}

func exportCurrent(r store.Reader, by work.Caller, format bundle.Format, slugs []string) ([]byte, error) {
	rows, err := r.CurrentOf(slugs)
	if err != nil {
		return nil, err
	}
	// What the caller may not take out is as if it were not there.
	rows = slices.DeleteFunc(rows, func(v store.Version) bool {
		state := entry.State(v.State)
		return state == entry.Retired || state.Open() && by.Role != entry.Curator
	})
	if err := absent(slugs, rows); err != nil {
		return nil, err
	}
	var all []bundle.Incoming
	for _, v := range rows {
		state := entry.State(v.State)
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
	if format == bundle.CSV {
		return exportTable(r, all)
	}
	files := map[string][]byte{}
	for i, data := range work.AtOnce(all, bundle.Incoming.Bytes) {
		files[all[i].Slug+".md"] = data
	}
	return bundle.WriteZip(files)
}

func exportTable(r store.Reader, all []bundle.Incoming) ([]byte, error) {
	terms, err := r.Terms()
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
func (s *Service) selected(v work.View, by work.Caller, slugs []string, q Query) ([]string, error) {
	if q.Text == "" && len(q.Labels) == 0 && q.State == "" {
		if by.Role == entry.Curator || len(slugs) > 0 {
			return slugs, nil
		}
	}
	sight := search.Sight{Shelf: true}
	if by.Role == entry.Curator {
		sight = sightOf(by)
	}
	found, err := s.slugs(v, sight, q)
	return append(slices.Clip(slugs), found...), err
}

// absent says which slugs have no version that could go out.
func absent(slugs []string, rows []store.Version) error {
	there := map[string]bool{}
	for _, v := range rows {
		there[v.Slug] = true
	}
	var wrong problem.List
	for i, s := range slugs {
		if !there[s] {
			wrong.Add(problem.Pointer("slugs", i), "missing", "there is no entry %q to take out", s)
		}
	}
	return wrong.Err()
}

func exportHistories(r store.Reader, slugs []string) ([]byte, error) {
	rows, err := r.VersionsOf(slugs)
	if err != nil {
		return nil, err
	}
	if err := absent(slugs, rows); err != nil {
		return nil, err
	}
	retired, err := r.Retirements()
	if err != nil {
		return nil, err
	}
	terms, err := r.Terms()
	if err != nil {
		return nil, err
	}
	used := map[[2]string]bool{}
	var all []bundle.Whole
	at := map[string]int{}
	for _, v := range rows {
		if n := len(all); n == 0 || all[n-1].Slug != v.Slug {
			at[v.Slug] = n
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
		if i, is := at[r.Slug]; is {
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
		Number: v.Number, Content: v.Content(),
		Life: bundle.Life{
			State: entry.State(v.State), Note: v.Note, Author: v.Author, CreatedAt: v.CreatedAt.UTC(), SavedAt: v.SavedAt.UTC(),
			SubmittedBy: v.Submitter, SubmittedAt: texts.UTC(v.SubmittedAt), PublishedBy: v.Publisher, PublishedAt: texts.UTC(v.PublishedAt),
		},
	}
	for _, a := range v.Approvals.V {
		out.Approvals = append(out.Approvals, bundle.Approval{By: a.By, Comment: a.Comment, At: a.At.UTC()})
	}
	return out
}

package shelf

import (
	"context"
	"slices"
	"time"

	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/search"
	"goldshelf/core/sheet"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Outgoing is what is taken out, and how.
type Outgoing struct {
	Format  bundle.Format
	Slugs   []string // and what the query finds
	Query   Query
	Samples bool // of styles, in a bundle
}

// Export gives entries in an open format: all of them, or those that a query finds or
// slugs name. Curators get each entry's open version where it has one, and in a bundle
// all versions, with the samples of styles if these are asked for; others get what is on the
// shelf. The same library gives the same bytes.
func (s *Service) Export(ctx context.Context, by work.Caller, what Outgoing) ([]byte, error) {
	format, slugs, samples := what.Format, what.Slugs, what.Samples
	if samples && format != bundle.JSON {
		return nil, work.Wrong("/samples", "format", "samples go out in a bundle alone; take out format=bundle")
	}
	if !slices.Contains([]bundle.Format{bundle.JSON, bundle.Folder, bundle.CSV}, format) {
		return nil, work.Wrong("/format", "format", "entries go out as folder, csv or bundle")
	}
	if format == bundle.JSON && by.Role != entry.Curator {
		return nil, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only a curator may take out whole histories; you are signed in as a %s. Take what is on the shelf out as csv or folder", by.Role)}
	}
	var wrong problem.List
	for i, slug := range slugs {
		wrong = append(wrong, problem.Text(problem.Pointer("slugs", i), slug)...)
	}
	if err := wrong.Err(); err != nil {
		return nil, err
	}
	if err := s.index.Ready(ctx, s.db); err != nil {
		return nil, err
	}
	return work.See(ctx, s.db, func(v work.View) ([]byte, error) {
		slugs, err := s.selected(v, by, slugs, what.Query)
		if err != nil {
			return nil, err
		}
		if format == bundle.JSON {
			return exportHistories(v.Reader, slugs, samples)
		}
		return exportCurrent(v.Reader, by, format, slugs)
	})
}

func exportCurrent(r store.Reader, by work.Caller, format bundle.Format, slugs []string) ([]byte, error) {
	bases, err := r.RenditionBases()
	if err != nil {
		return nil, err
	}
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
		in := bundle.Incoming{Slug: v.Slug, File: bundle.File{Content: v.Content(), Owner: v.Owner, Deputy: v.Deputy, RenditionOf: bases[v.Slug]}}
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
	pictures, err := picturesIn(r, rows)
	if err != nil {
		return nil, err
	}
	for _, p := range pictures {
		files[bundle.PictureName(p.ID, p.Type)] = p.Large
	}
	sets, err := setsIn(r, rows)
	if err != nil {
		return nil, err
	}
	for _, s := range sets {
		name, data := bundle.SetFile(s)
		files[name] = data
	}
	return bundle.WriteZip(files)
}

// setsIn gives the question sets that versions answer.
func setsIn(r store.Reader, rows []store.Version) (sets []sheet.Set, err error) {
	var refs []string
	for _, v := range rows {
		if ref := v.Answering.V.Set; ref != "" && !slices.Contains(refs, ref) {
			refs = append(refs, ref)
		}
	}
	if len(refs) == 0 {
		return nil, nil
	}
	all, err := r.SetsByRef(refs)
	for _, s := range all {
		sets = append(sets, s.Set())
	}
	return sets, err
}

// picturesIn gives the pictures that versions name.
func picturesIn(r store.Reader, rows []store.Version) ([]store.Picture, error) {
	var ids []string
	for _, v := range rows {
		for _, p := range v.Pictures.V {
			ids = append(ids, p.ID)
		}
	}
	if len(ids) == 0 {
		return nil, nil
	}
	return r.PicturesOf(ids)
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

// samplesIn gives the samples of the styles among versions, by slug.
func samplesIn(r store.Reader, rows []store.Version) (map[string][]bundle.Sample, error) {
	slugs := map[int64]string{}
	var ids []int64
	for _, v := range rows {
		if entry.Kind(v.Kind) == entry.Style && slugs[v.EntryID] == "" {
			slugs[v.EntryID] = v.Slug
			ids = append(ids, v.EntryID)
		}
	}
	all, err := r.WholeSamples(ids)
	of := map[string][]bundle.Sample{}
	for _, s := range all {
		one := bundle.Sample{Name: s.Name, Weight: s.Weight, Text: s.Body}
		if s.Dated != nil {
			one.Dated = s.Dated.Format(time.DateOnly)
		}
		of[slugs[s.EntryID]] = append(of[slugs[s.EntryID]], one)
	}
	return of, err
}

func exportHistories(r store.Reader, slugs []string, samples bool) ([]byte, error) {
	bases, err := r.RenditionBases()
	if err != nil {
		return nil, err
	}
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
			all = append(all, bundle.Whole{Slug: v.Slug, Owner: v.Owner, Deputy: v.Deputy, RenditionOf: bases[v.Slug]})
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
	pictures, err := picturesIn(r, rows)
	if err != nil {
		return nil, err
	}
	brought := map[string][]byte{}
	for _, p := range pictures {
		brought[p.ID] = p.Large
	}
	sets, err := setsIn(r, rows)
	if err != nil {
		return nil, err
	}
	var beside map[string][]bundle.Sample
	if samples {
		if beside, err = samplesIn(r, rows); err != nil {
			return nil, err
		}
	}
	return bundle.WriteLibrary(facets, all, bundle.Beside{Sets: sets, Pictures: brought, Samples: beside})
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

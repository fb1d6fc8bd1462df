// Package labels has the use cases around facets and terms, and around which of them an
// entry has.
package labels

import (
	"cmp"
	"context"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/table"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct{ db *work.DB }

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db} }

// Limits of what labels there are.
const (
	mostTitle = 80     // characters
	mostRows  = 10_000 // of a table
)

// Add adds a facet or, where a term is named, a term to a facet, and gives all facets.
// It returns an entry.Refusal to all but curators and, of an open facet, contributors, a
// [problem.List] if it does not hold, and [work.Taken] where it is there already.
func (s *Service) Add(ctx context.Context, by work.Caller, req api.NewLabel) (api.Facets, error) {
	if !by.Role.Includes(entry.Contributor) {
		return api.Facets{}, by.MustCurate("add labels")
	}
	if err := labelProblems(req).Err(); err != nil {
		return api.Facets{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Facets, error) {
		if err := u.LockLabels(); err != nil {
			return api.Facets{}, err
		}
		terms, err := u.Terms()
		if err != nil {
			return api.Facets{}, err
		}
		if err := mayAdd(by, req, terms); err != nil {
			return api.Facets{}, err
		}
		if err := add(u, req); err != nil {
			return api.Facets{}, err
		}
		return all(u.Reader)
	})
}

func add(u *work.Unit, l api.NewLabel) error {
	detail := map[string]any{"facet": l.Facet, "title": l.Title}
	if l.Term == "" {
		if err := u.AddFacet(l.Facet, l.Title); err != nil {
			return work.TakenIf(err, "there is a facet %s already; add a term to it, or choose another name", l.Facet)
		}
		u.Record("add-facet", 0, 0, detail)
		return nil
	}
	terms, err := u.Terms()
	if err != nil {
		return err
	}
	if _, is := texts.Known(terms)[l.Facet]; !is {
		return work.Wrong("/facet", "missing", "there is no facet %q; add it first", l.Facet)
	}
	detail["term"] = l.Term
	if err := u.AddTerm(store.Term{Facet: l.Facet, Name: l.Term, Title: l.Title}); err != nil {
		return work.TakenIf(err, "%s has the term %s already; choose another name", l.Facet, l.Term)
	}
	u.Record("add-term", 0, 0, detail)
	return nil
}

// all gives every facet with its terms, not counted.
func all(r store.Reader) (api.Facets, error) {
	out := api.Facets{Items: []api.Facet{}}
	terms, err := r.Terms()
	for _, t := range terms {
		if n := len(out.Items); n == 0 || out.Items[n-1].Name != t.Facet {
			out.Items = append(out.Items, texts.Facet(t))
		}
		if f := &out.Items[len(out.Items)-1]; t.Name != "" {
			f.Terms = append(f.Terms, api.Term{Name: t.Name, Title: t.Title, Under: t.Under, Retired: t.Retired})
		}
	}
	return out, err
}

// Import adds facets and terms from a table with the columns facet, term and title: all
// of them or none. What is there already stays as it is. A row without a term names a
// facet; a facet that no row names is called like its name. It returns a [problem.List]
// with all that is wrong, row by row.
func (s *Service) Import(ctx context.Context, by work.Caller, data []byte) (api.Facets, error) {
	if err := by.MustCurate("add labels"); err != nil {
		return api.Facets{}, err
	}
	rows, err := readTable(data)
	if err != nil {
		return api.Facets{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Facets, error) {
		if err := u.LockLabels(); err != nil {
			return api.Facets{}, err
		}
		terms, err := u.Terms()
		if err != nil {
			return api.Facets{}, err
		}
		known := texts.Known(terms)
		for _, row := range withFacets(rows) {
			if have, is := known[row.Facet]; is && (row.Term == "" || slices.Contains(have, row.Term)) {
				continue
			}
			if err := add(u, row); err != nil {
				return api.Facets{}, err
			}
			known[row.Facet] = append(known[row.Facet], row.Term)
		}
		return all(u.Reader)
	})
}

// withFacets puts each facet before its terms.
func withFacets(rows []api.NewLabel) []api.NewLabel {
	titles := map[string]string{}
	for _, row := range rows {
		if row.Term == "" {
			titles[row.Facet] = row.Title
		}
	}
	var ordered []api.NewLabel
	seen := map[string]bool{}
	for _, row := range rows {
		if !seen[row.Facet] {
			seen[row.Facet] = true
			title, given := titles[row.Facet]
			if !given {
				title = strings.ToUpper(row.Facet[:1]) + strings.ReplaceAll(row.Facet[1:], "-", " ")
			}
			ordered = append(ordered, api.NewLabel{Facet: row.Facet, Title: title})
		}
		if row.Term != "" {
			ordered = append(ordered, row)
		}
	}
	return ordered
}

// readTable reads labels, and says of all rows what is wrong with them.
func readTable(data []byte) ([]api.NewLabel, error) {
	rows, err := table.Columns{Must: []string{"facet", "term", "title"}, Most: mostRows}.Read(data)
	if err != nil {
		return nil, err
	}
	var wrong problem.List
	labels := make([]api.NewLabel, len(rows))
	for i, row := range rows {
		l := api.NewLabel{Facet: row.Cell("facet"), Term: row.Cell("term"), Title: row.Cell("title")}
		l.Title = cmp.Or(l.Title, l.Term)
		wrong = append(wrong, row.Problems(labelProblems(l))...)
		labels[i] = l
	}
	return labels, wrong.Err()
}

var (
	facetName = regexp.MustCompile(`^[a-z][a-z0-9-]{0,39}$`)
	termName  = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,63}$`)
)

// reserved are words that a search knows in another meaning.
var reserved = []string{"kind", "q", "limit", "cursor", "state", "mine", "sort", "owner", "format", "slugs"}

func labelProblems(l api.NewLabel) problem.List {
	var found problem.List
	if !facetName.MatchString(l.Facet) {
		found.Add("/facet", "name", "the facet is %q; its name has 1 to 40 lower-case letters, digits and hyphens, and begins with a letter", l.Facet)
	} else if slices.Contains(reserved, l.Facet) {
		found.Add("/facet", "reserved", "%s means something else in a search; choose another name", l.Facet)
	}
	if l.Term != "" && !termName.MatchString(l.Term) {
		found.Add("/term", "name", "the term is %q; its name has 1 to 64 lower-case letters, digits and hyphens", l.Term)
	}
	return append(found, titleProblems(l.Title)...)
}

func titleProblems(title string) problem.List {
	found := problem.Line("/title", "the title", title)
	switch {
	case strings.TrimSpace(title) == "":
		found.Add("/title", "missing", "the title is missing: what people read")
	case utf8.RuneCountInString(title) > mostTitle:
		found.Add("/title", "size", "the title has %d characters; it has at most %d", utf8.RuneCountInString(title), mostTitle)
	}
	return found
}

// SetOf gives an entry these labels and no others. It makes no version of it, and what
// is under review stays so. It returns an [entry.Refusal] to all but curators and those
// who look after the entry.
func (s *Service) SetOf(ctx context.Context, by work.Caller, slug string, labels map[string][]string) (api.Entry, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.Entry{}, err
		}
		if !by.Role.Includes(entry.Contributor) || !entry.LooksAfter(by.Actor(), texts.Status(e)) {
			return api.Entry{}, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only its owner, its deputy or a curator may label %s", e.Slug)}
		}
		terms, err := u.Terms()
		if err != nil {
			return api.Entry{}, err
		}
		if labels, err = texts.CurrentLabels(u.Reader, labels, terms); err != nil {
			return api.Entry{}, err
		}
		wrong := entry.Content{Kind: entry.Kind(e.Kind), Labels: labels}.Problems()
		before, err := u.LabelsOf([]int64{e.ID})
		if err != nil {
			return api.Entry{}, err
		}
		wrong = append(wrong, retiredProblems(labels, before[e.ID], terms)...)
		if err := append(wrong, texts.LabellingProblems(labels, terms)...).Err(); err != nil {
			return api.Entry{}, err
		}
		if err := u.SetLabels([]store.Labels{{EntryID: e.ID, Labels: labels}}); err != nil {
			return api.Entry{}, err
		}
		u.Record("label", e.ID, 0, map[string]any{"labels": labels})
		number := e.Published
		if e.Open > 0 || number == 0 {
			number = e.Newest
		}
		return texts.ReadAgain(u.Reader, by, e.Slug, number)
	})
}

// retiredProblems says which terms of an entry's labels nobody chooses any more. What it
// has already stays.
func retiredProblems(labels, before map[string][]string, terms []store.Term) problem.List {
	var found problem.List
	for _, t := range terms {
		if at := slices.Index(labels[t.Facet], t.Name); t.Retired && at >= 0 && !slices.Contains(before[t.Facet], t.Name) {
			found.Add(problem.Pointer("labels", t.Facet, at), "retired", "nobody chooses %s any more; choose another term of %s", t.Name, t.FacetTitle)
		}
	}
	return found
}

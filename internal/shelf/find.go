package shelf

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"hash/fnv"
	"math"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/search"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Query narrows a list of entries.
type Query struct {
	Text   string              // what was typed, as [search.Parse] reads it
	Labels map[string][]string // by facet, "kind" included
	State  entry.State         // only entries in this state; empty for any
	Mine   bool                // only entries that the caller owns or stands in for
	Newest bool                // the newest first, not the best match
	Asks   bool                // items say which blanks they ask for; of Shelf only
	Limit  int                 // 0 for the usual number
	Cursor string              // where the page before ended

	within []string // departments beyond which the caller sees nothing; nil for none such
}

const (
	usualLimit = 24
	mostLimit  = 200
	mostTyped  = 10_000 // characters
)

// Shelf lists what is published, for everyone.
func (s *Service) Shelf(ctx context.Context, by work.Caller, q Query) (api.List, error) {
	list, err := see(ctx, s, func(v work.View) (api.List, error) {
		if by.Key != nil {
			terms, err := v.Terms()
			if err != nil {
				return api.List{}, err
			}
			if q.within, err = departmentsOf(v.Reader, by, terms); err != nil {
				return api.List{}, err
			}
		}
		return s.list(v, search.Sight{Shelf: true}, q)
	})
	if err != nil || !q.Asks {
		return list, err
	}
	for i := range list.Items {
		it := &list.Items[i]
		c, err := s.stack(ctx, by, it.Slug, 0, texts.Stack{Base: true, Sketch: true})
		switch {
		case err == nil:
			it.Asks = c.Form.Blanks()
		case !errors.Is(err, work.ErrNotFound) && !errors.As(err, new(*texts.Gone)) && !errors.As(err, new(problem.List)):
			return list, err // or else it was taken off meanwhile, or cannot be filled in
		}
	}
	return list, nil
}

// see sees what is on the shelf, and finds what is on it by then.
func see[T any](ctx context.Context, s *Service, do func(work.View) (T, error)) (out T, err error) {
	read := s.index.Ready
	if s.db.HasReplica() { // or else the index follows the view itself
		read = s.index.Read
	}
	if err := read(ctx, s.db); err != nil {
		return out, err
	}
	return work.SeeShelf(ctx, s.db, do)
}

// Entries lists every entry that the caller may see, each by its newest version that
// they may see.
func (s *Service) Entries(ctx context.Context, by work.Caller, q Query) (api.List, error) {
	if err := s.index.Ready(ctx, s.db); err != nil {
		return api.List{}, err
	}
	return work.See(ctx, s.db, func(v work.View) (api.List, error) {
		if err := lookOwn(v, by); err != nil {
			return api.List{}, err
		}
		return s.list(v, sightOf(by), q)
	})
}

// lookOwn has a view show what is the caller's alone too.
func lookOwn(v work.View, by work.Caller) error {
	if by.Sight().Own == 0 {
		return nil
	}
	return v.Look(by.ID)
}

func sightOf(by work.Caller) search.Sight {
	sight := by.Sight()
	return search.Sight{All: sight.All, Own: sight.Own}
}

// list gives a page of a list.
func (s *Service) list(v work.View, sight search.Sight, q Query) (api.List, error) {
	at, err := s.index.At(v)
	if err != nil {
		return api.List{}, err
	}
	terms := at.Terms()
	if q.Labels, err = texts.CurrentLabels(v.Reader, q.Labels, terms); err != nil {
		return api.List{}, err
	}
	ask, note, err := s.ask(sight, q, terms)
	if err != nil {
		return api.List{}, err
	}
	found, err := at.Find(ask)
	if err != nil {
		return api.List{}, err
	}
	items, err := items(v, found, len(ask.Words) > 0)
	if err != nil {
		return api.List{}, err
	}
	list := api.List{Items: items, Total: found.Total, Facets: facets(terms, found.Counts), Partial: found.Partial, Note: note}
	for _, i := range found.Instead {
		list.Instead = append(list.Instead, api.Instead{Typed: i.Typed, Taken: i.Taken})
	}
	if found.More {
		list.Next = writeCursor(cursor{queryHash(sight, q), found.Hits[len(found.Hits)-1].Place})
	}
	return list, nil
}

// slugs gives the slugs of all that a query finds.
func (s *Service) slugs(v work.View, sight search.Sight, q Query) ([]string, error) {
	at, err := s.index.At(v)
	if err != nil {
		return nil, err
	}
	terms := at.Terms()
	if q.Labels, err = texts.CurrentLabels(v.Reader, q.Labels, terms); err != nil {
		return nil, err
	}
	ask, _, err := s.ask(sight, q, terms)
	if err != nil {
		return nil, err
	}
	ask.Limit = math.MaxInt32
	found, err := at.Find(ask)
	slugs := make([]string, len(found.Hits))
	for i, h := range found.Hits {
		slugs[i] = h.Slug
	}
	return slugs, err
}

// ask gives the search that a query is, and what is to be said of it.
func (s *Service) ask(sight search.Sight, q Query, terms []store.Term) (ask search.Ask, note message.Text, err error) {
	if err := queryProblems(q, terms).Err(); err != nil {
		return ask, note, err
	}
	known := knownLabels(terms)
	ask = search.Ask{Sight: sight, Newest: q.Newest, Mine: q.Mine, Limit: q.Limit, Above: map[search.Label]search.Label{}}
	for _, t := range terms {
		if t.Under != "" {
			ask.Above[search.Label{Facet: t.Facet, Term: t.Name}] = search.Label{Facet: t.Facet, Term: t.Under}
		}
	}
	ask.Query = search.Parse(q.Text, func(name string) bool { return known[name] != nil || name == "owner" || name == "state" })
	if ask.Limit == 0 {
		ask.Limit = usualLimit
	}
	if q.Cursor != "" {
		c, err := readCursor(q.Cursor, queryHash(sight, q))
		if err != nil {
			return ask, note, err
		}
		ask.After = &c.Place
	}
	for facet, names := range q.Labels {
		ask.Choices = append(ask.Choices, search.Choice{Facet: facet, Terms: names})
	}
	if q.within != nil {
		ask.Choices = append(ask.Choices, search.Choice{Facet: "department", Terms: q.within, Always: true})
	}
	if q.State != "" {
		ask.Choices = append(ask.Choices, search.Choice{Facet: "state", Terms: []string{string(q.State)}})
	}
	choices, notes := typedChoices(ask.Filters, known)
	ask.Choices = append(ask.Choices, choices...)
	if ask.Cut {
		notes = append(notes, message.Say("only the first %d words were looked for", len(ask.Words)))
	}
	return ask, message.Joined("; ", notes...), nil
}

// knownLabels gives the terms of each facet, "kind" and "state" included.
func knownLabels(terms []store.Term) map[string][]store.Term {
	known := map[string][]store.Term{}
	for _, t := range terms {
		known[t.Facet] = append(known[t.Facet], t)
	}
	for _, k := range entry.Kinds() {
		known["kind"] = append(known["kind"], store.Term{Name: string(k), Title: string(k)})
	}
	for _, state := range entry.States() {
		known["state"] = append(known["state"], store.Term{Name: string(state), Title: strings.ReplaceAll(string(state), "-", " ")})
	}
	return known
}

// typedChoices reads what was typed as facet:term. Several of one facet are any of them.
// A term may be named by its title, or by the beginning of either; one that is none finds
// nothing, and is noted.
func typedChoices(filters []search.Filter, known map[string][]store.Term) (choices []search.Choice, notes []message.Text) {
	for _, f := range filters {
		names := []string{strings.ToLower(f.Value)}
		if f.Field != "owner" {
			if names = meant(f.Value, known[f.Field]); len(names) == 0 {
				notes = append(notes, message.Say("%s has no term “%s”", f.Field, f.Value))
			}
		}
		same := func(c search.Choice) bool { return c.Facet == f.Field && c.Not == f.Not }
		if at := slices.IndexFunc(choices, same); at >= 0 {
			choices[at].Terms = append(choices[at].Terms, names...)
			continue
		}
		choices = append(choices, search.Choice{Facet: f.Field, Terms: names, Not: f.Not})
	}
	return choices, notes
}

// meant gives the term of a name or title or, where there is none, those that begin so.
func meant(typed string, terms []store.Term) (names []string) {
	typed = strings.ToLower(typed)
	for _, t := range terms {
		name, title := strings.ToLower(t.Name), strings.ToLower(t.Title)
		if name == typed || title == typed {
			return []string{t.Name}
		}
		if t.Name != "" && (strings.HasPrefix(name, typed) || strings.HasPrefix(title, typed)) {
			names = append(names, t.Name)
		}
	}
	return names
}

func queryProblems(q Query, terms []store.Term) problem.List {
	found := problem.Text("/q", q.Text)
	if n := len([]rune(q.Text)); n > mostTyped {
		found.Add("/q", "size", "what you look for has %d characters; it has at most %d", n, mostTyped)
	}
	if q.Limit < 0 || q.Limit > mostLimit {
		found.Add("/limit", "range", "the limit is %d; it is 1 to %d", q.Limit, mostLimit)
	}
	if q.State != "" && !entry.IsState(q.State) {
		found.Add("/state", "state", "the state is %q; the states are draft, in-review, approved, published, superseded and retired", q.State)
	}
	known := texts.Known(terms)
	for _, k := range entry.Kinds() {
		known["kind"] = append(known["kind"], string(k))
	}
	for _, p := range texts.LabelProblems(q.Labels, known) {
		p.Field = strings.TrimPrefix(p.Field, "/labels")
		found = append(found, p)
	}
	return found
}

// items gives what was found as lists show it. What the view does not show any more, or
// not yet, is left out.
func items(v work.View, found search.Result, passages bool) ([]api.Item, error) {
	ids := make([]int64, len(found.Hits))
	for i, h := range found.Hits {
		ids[i] = h.ID
	}
	list := []api.Item{}
	if len(ids) == 0 {
		return list, nil
	}
	rows, err := v.FoundItems(ids, passages)
	if err != nil {
		return nil, err
	}
	byID := map[int64]store.FoundItem{}
	for _, row := range rows {
		byID[row.ID] = row
	}
	for _, h := range found.Hits {
		row, is := byID[h.ID]
		if !is || row.State != h.State {
			continue
		}
		it := item(row)
		if passages {
			it.Passage = found.Found.Passage(it.Title+" "+it.Summary, row.Body)
			it.Marks = found.Found.Marks(it.Title, it.Summary, it.Passage)
			it.Missing = h.Missing
		}
		list = append(list, it)
	}
	return list, nil
}

func item(it store.FoundItem) api.Item {
	return api.Item{
		Slug: it.Slug, Kind: entry.Kind(it.Kind), Title: it.Title, Summary: it.Summary, Labels: it.Labels.ByFacet(), Code: it.Code,
		Owner: it.Owner, OwnerName: it.OwnerName, Version: it.Number, State: entry.State(it.State),
		SavedAt: it.SavedAt.UTC(), PublishedAt: texts.UTC(it.PublishedAt), Picture: it.Picture.V,
	}
}

// facets puts counts to every term of the library, kinds first.
func facets(terms []store.Term, counts map[search.Label]int) []api.Facet {
	kinds := api.Facet{Name: "kind", Title: "Kind"}
	for _, k := range entry.Kinds() {
		title := strings.ToUpper(string(k)[:1]) + string(k)[1:]
		kinds.Terms = append(kinds.Terms, api.Term{Name: string(k), Title: title, Count: counts[search.Label{Facet: "kind", Term: string(k)}]})
	}
	all := []api.Facet{kinds}
	for _, t := range terms {
		if all[len(all)-1].Name != t.Facet {
			all = append(all, texts.Facet(t))
		}
		if f := &all[len(all)-1]; t.Name != "" {
			f.Terms = append(f.Terms, api.Term{Name: t.Name, Title: t.Title, Count: counts[search.Label{Facet: t.Facet, Term: t.Name}], Under: t.Under, Retired: t.Retired})
		}
	}
	return all
}

// cursor is where a page ended, of which search.
type cursor struct {
	Of uint32 `json:"q"`
	search.Place
}

func queryHash(sight search.Sight, q Query) uint32 {
	q.Cursor, q.Limit, q.Asks = "", 0, false
	text, _ := json.Marshal([]any{sight.Shelf, q}) // texts always marshal
	h := fnv.New32a()
	h.Write(text)
	return h.Sum32()
}

func writeCursor(c cursor) string {
	data, _ := json.Marshal(c) // numbers and a string always marshal
	return base64.RawURLEncoding.EncodeToString(data)
}

func readCursor(s string, of uint32) (*cursor, error) {
	var c cursor
	data, err := base64.RawURLEncoding.DecodeString(s)
	if err == nil {
		err = json.Unmarshal(data, &c)
	}
	if err != nil || problem.Text("", c.Title) != nil {
		return nil, work.Wrong("/cursor", "cursor", "the cursor is none of ours; take the one that the page before gave as next")
	}
	if c.Of != of {
		return nil, work.Wrong("/cursor", "cursor", "the cursor is of another search; take the one that the page before of this one gave as next")
	}
	return &c, nil
}

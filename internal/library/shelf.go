package library

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// Query narrows a list of entries.
type Query struct {
	Text   string              // words that must all occur
	Labels map[string][]string // by facet, "kind" included
	State  entry.State         // only entries in this state; empty for any
	Mine   bool                // only entries that the caller owns or stands in for
	Newest bool                // the newest first, not the best match
	Limit  int                 // 0 for the usual number
	Cursor string              // where the page before ended
}

const (
	usualLimit = 24
	mostLimit  = 200
	mostWords  = 12
)

// Shelf lists what is published, for everyone.
func (l *Library) Shelf(ctx context.Context, q Query) (api.List, error) {
	return l.find(ctx, q, store.Query{})
}

// Entries lists every entry that the caller may see, each by its newest version
// that they may see.
func (l *Library) Entries(ctx context.Context, by Caller, q Query) (api.List, error) {
	return l.find(ctx, q, store.Query{
		All: true, Drafts: by.Role.Includes(entry.Reviewer), Viewer: by.ID, State: string(q.State), Mine: q.Mine,
	})
}

func (l *Library) find(ctx context.Context, q Query, sq store.Query) (api.List, error) {
	terms, err := l.db.Terms(ctx)
	if err != nil {
		return api.List{}, err
	}
	if err := queryProblems(q, terms).Err(); err != nil {
		return api.List{}, err
	}
	if q.Cursor != "" {
		if sq.After, err = readCursor(q.Cursor); err != nil {
			return api.List{}, err
		}
	}
	limit := q.Limit
	if limit == 0 {
		limit = usualLimit
	}
	sq.Words, sq.Labels, sq.Newest, sq.Limit = words(q.Text), q.Labels, q.Newest, limit+1
	if sq.All && len(sq.Words) > 0 {
		if err := l.derive(ctx); err != nil {
			return api.List{}, err
		}
	}
	got, err := l.db.Find(ctx, sq)
	if err != nil {
		return api.List{}, err
	}
	list := api.List{Items: []api.Item{}, Total: got.Total, Facets: facets(terms, got.Terms)}
	for i, it := range got.Items {
		if i == limit {
			last := got.Items[i-1]
			list.Next = writeCursor(store.Place{Rank: last.Rank, Title: last.Title, ID: last.ID})
			break
		}
		item := item(it)
		item.Passage = passage(it.Title+" "+it.Summary, it.Body, sq.Words)
		list.Items = append(list.Items, item)
	}
	return list, nil
}

func queryProblems(q Query, terms []store.Term) problem.List {
	found := problem.Text("/q", q.Text)
	if q.Limit < 0 || q.Limit > mostLimit {
		found.Add("/limit", "range", "the limit is %d; it is 1 to %d", q.Limit, mostLimit)
	}
	known := map[string][]string{"kind": nil}
	for _, k := range entry.Kinds() {
		known["kind"] = append(known["kind"], string(k))
	}
	for _, t := range terms {
		known[t.Facet] = append(known[t.Facet], t.Name)
	}
	for _, p := range unknownLabels(q.Labels, known) {
		p.Field = strings.TrimPrefix(p.Field, "/labels")
		found = append(found, p)
	}
	return found
}

// unknownLabels says which facets and terms are not known.
func unknownLabels(labels, known map[string][]string) problem.List {
	var found problem.List
	for _, facet := range slices.Sorted(maps.Keys(labels)) {
		terms, ok := known[facet]
		if !ok {
			found.Add(problem.Pointer("labels", facet), "label", "there is no facet %q; the facets are %s", facet, strings.Join(slices.Sorted(maps.Keys(known)), ", "))
			continue
		}
		for i, t := range labels[facet] {
			if !slices.Contains(terms, t) {
				found.Add(problem.Pointer("labels", facet, i), "label", "%s has no term %q; it has %s", facet, t, strings.Join(terms, ", "))
			}
		}
	}
	return found
}

// words takes a search apart: letters and digits make words, all else parts them.
func words(text string) []string {
	list := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	return list[:min(len(list), mostWords)]
}

// passage gives a line of the body that shows a word of the search, unless the
// words all stand in what is shown anyway.
func passage(shown, body string, words []string) string {
	shown = strings.ToLower(shown)
	for _, w := range words {
		if strings.Contains(shown, w) {
			continue
		}
		for line := range strings.Lines(body) {
			at := strings.Index(strings.ToLower(line), w)
			if at < 0 || at > len(line) {
				continue
			}
			return around(strings.TrimSpace(line), at)
		}
	}
	return ""
}

// around cuts a line to about 160 characters around a byte offset.
func around(line string, at int) string {
	const before, length = 60, 160
	if utf8.RuneCountInString(line) <= length {
		return line
	}
	start := max(0, at-before)
	for start > 0 && start < len(line) && line[start-1] != ' ' {
		start--
	}
	runes := []rune(line[min(start, len(line)):])
	end := min(length, len(runes))
	text := strings.TrimSpace(string(runes[:end]))
	if start > 0 {
		text = "… " + text
	}
	if end < len(runes) {
		text += " …"
	}
	return text
}

func item(it store.FoundItem) api.Item {
	return api.Item{
		Slug: it.Slug, Kind: entry.Kind(it.Kind), Title: it.Title, Summary: it.Summary, Labels: it.Labels, Code: it.Code,
		Owner: it.Owner, OwnerName: it.OwnerName, Version: it.Number, State: entry.State(it.State),
		SavedAt: it.SavedAt.UTC(), PublishedAt: utc(it.PublishedAt),
	}
}

// facets puts counts to every term of the library, kinds first.
func facets(terms []store.Term, counts []store.TermCount) []api.Facet {
	count := map[[2]string]int{}
	for _, c := range counts {
		count[[2]string{c.Facet, c.Term}] = c.Count
	}
	kinds := api.Facet{Name: "kind", Title: "Kind"}
	for _, k := range entry.Kinds() {
		title := strings.ToUpper(string(k)[:1]) + string(k)[1:]
		kinds.Terms = append(kinds.Terms, api.Term{Name: string(k), Title: title, Count: count[[2]string{"kind", string(k)}]})
	}
	all := []api.Facet{kinds}
	for _, t := range terms {
		if all[len(all)-1].Name != t.Facet {
			all = append(all, api.Facet{Name: t.Facet, Title: t.FacetTitle})
		}
		f := &all[len(all)-1]
		f.Terms = append(f.Terms, api.Term{Name: t.Name, Title: t.Title, Count: count[[2]string{t.Facet, t.Name}]})
	}
	return all
}

func writeCursor(p store.Place) string {
	data, _ := json.Marshal(p) // numbers and a string always marshal
	return base64.RawURLEncoding.EncodeToString(data)
}

func readCursor(s string) (*store.Place, error) {
	var p store.Place
	data, err := base64.RawURLEncoding.DecodeString(s)
	if err == nil {
		err = json.Unmarshal(data, &p)
	}
	if err != nil || problem.Text("", p.Title) != nil {
		return nil, problem.List{{Field: "/cursor", Code: "cursor", Message: "the cursor is none of ours; take the one that the page before gave as next"}}
	}
	return &p, nil
}

// ShelfEntry gives the published version of an entry, by slug or short code, or
// with a number the version of that number if it was ever published. A retired
// entry answers with its last published version, and why it was retired.
func (l *Library) ShelfEntry(ctx context.Context, by Caller, slug string, number int) (api.Entry, error) {
	id, err := l.db.ShelvedID(ctx, slug, number)
	if err != nil {
		var gone *Gone
		if err = offShelf(ctx, l.db.Reader, err, slug, number); errors.As(err, &gone) {
			return l.read(ctx, l.db.Reader, by, gone.Entry.Slug, gone.Entry.Published)
		}
		return api.Entry{}, err
	}
	rows, err := l.db.VersionsByID(ctx, []int64{id})
	if err != nil {
		return api.Entry{}, err
	}
	e, err := l.db.EntryBySlug(ctx, rows[0].Slug)
	if err != nil {
		return api.Entry{}, err
	}
	layers, err := l.stack(ctx, id, api.FillRequest{})
	if err != nil {
		return api.Entry{}, err
	}
	c, err := l.compose(ctx, layers, nil)
	if err != nil {
		return api.Entry{}, err
	}
	out := l.view(by, e, rows[0])
	out.Asks = c.form.Blanks()
	return out, nil
}

// Fill puts values in place in a published entry. Its error is a
// [problem.List] with all that is missing, unknown or does not fit.
func (l *Library) Fill(ctx context.Context, slug string, number int, req api.FillRequest) (api.Filled, error) {
	id, err := l.db.ShelvedID(ctx, slug, number)
	if err != nil {
		return api.Filled{}, offShelf(ctx, l.db.Reader, err, slug, number)
	}
	layers, err := l.stack(ctx, id, req)
	if err != nil {
		return api.Filled{}, err
	}
	c, err := l.compose(ctx, layers, nil)
	if err != nil {
		return api.Filled{}, err
	}
	if req.Sketch {
		got, parts, wrong, err := c.form.Sketch(req.Values)
		out := c.filled(got, parts)
		out.Blanks, out.Problems = c.form.Blanks(), wrong
		return out, err
	}
	got, parts, err := c.form.FillLayers(req.Values)
	return c.filled(got, parts), err
}

// filled puts names to what went into a text.
func (c composed) filled(got fill.Result, layers []fill.Layer) api.Filled {
	out := api.Filled{Text: got.Text, Spans: spans(got.Spans), Layers: make([]api.Layer, len(layers)), Used: make([]api.Used, len(got.Used))}
	for i, l := range layers {
		out.Layers[i] = api.Layer{Ref: l.Ref, Kind: c.by[l.Ref].kind, Title: c.by[l.Ref].title, Start: l.Start, End: l.End}
	}
	for i, ref := range got.Used {
		out.Used[i] = api.Used{Ref: ref, Kind: c.by[ref].kind, Title: c.by[ref].title}
	}
	return out
}

func spans(s []fill.Span) []fill.Span {
	if s == nil {
		return []fill.Span{}
	}
	return s
}

// Preview parses and fills a text that is not saved. What is wrong with it is
// part of the answer, not an error. Who may see drafts gets the newest version
// of includes that are not published yet.
func (l *Library) Preview(ctx context.Context, by Caller, req api.PreviewRequest) (api.Preview, error) {
	out := api.Preview{Spans: []fill.Span{}, Blanks: req.Blanks, Problems: []problem.Problem{}}
	content := entry.Content{Kind: entry.Prompt, Plain: req.Plain, Language: req.Language, Blanks: req.Blanks, Body: req.Body}
	if bad := content.Problems(); bad != nil {
		out.Problems = bad
		return out, nil
	}
	src, err := content.Parsed(req.Slug, 0)
	if err == nil {
		var lookup *shelfLookup
		if lookup, err = includes(ctx, l.db.Reader, src.Text, by.Role.Includes(entry.Reviewer)); err != nil {
			return out, err
		}
		var form *fill.Form
		if form, err = fill.Compile(lookup.source, src); err == nil {
			out.Blanks, out.Newer = form.Blanks(), lookup.newer
			var got fill.Result
			var missing problem.List
			got, _, missing, err = form.Sketch(req.Values)
			out.Text, out.Spans = got.Text, spans(got.Spans)
			out.Problems = append(out.Problems, missing...)
		}
	}
	if list, ok := err.(problem.List); ok {
		out.Problems, err = append(out.Problems, list...), nil
	}
	if out.Blanks == nil {
		out.Blanks = []fill.Blank{}
	}
	return out, err
}

// Labels gives every facet with its terms, counted over the shelf.
func (l *Library) Labels(ctx context.Context) ([]api.Facet, error) {
	list, err := l.Shelf(ctx, Query{Limit: 1})
	return list.Facets, err
}

// Package shelf has the use cases of whoever looks for an entry and uses it: lists and
// searches, one entry, filled texts, and what uses what.
package shelf

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct {
	db    *work.DB
	texts *texts.Texts
}

// New gives the use cases on a library.
func New(db *work.DB, t *texts.Texts) *Service { return &Service{db, t} }

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
func (s *Service) Shelf(ctx context.Context, q Query) (api.List, error) {
	return work.See(ctx, s.db, func(v work.View) (api.List, error) { return find(v.Reader, q, store.Query{}) })
}

// Entries lists every entry that the caller may see, each by its newest version that
// they may see.
func (s *Service) Entries(ctx context.Context, by work.Caller, q Query) (api.List, error) {
	return work.See(ctx, s.db, func(v work.View) (api.List, error) { return entries(v.Reader, by, q) })
}

func entries(r store.Reader, by work.Caller, q Query) (api.List, error) {
	return find(r, q, store.Query{
		All: true, Sight: by.Sight(), State: string(q.State), Mine: q.Mine,
	})
}

func find(r store.Reader, q Query, sq store.Query) (api.List, error) {
	terms, err := r.Terms()
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
	got, err := r.Find(sq)
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

// words takes a search apart: letters and digits make words, all else parts them.
func words(text string) []string {
	list := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	return list[:min(len(list), mostWords)]
}

// passage gives a line of the body that shows a word of the search, unless the words
// all stand in what is shown anyway.
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
			return excerpt(strings.TrimSpace(line), at)
		}
	}
	return ""
}

// excerpt cuts a line to about 160 characters around a byte offset.
func excerpt(line string, at int) string {
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
		SavedAt: it.SavedAt.UTC(), PublishedAt: texts.UTC(it.PublishedAt),
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
			all = append(all, api.Facet{Name: t.Facet, Title: t.FacetTitle, Terms: []api.Term{}})
		}
		if f := &all[len(all)-1]; t.Name != "" {
			f.Terms = append(f.Terms, api.Term{Name: t.Name, Title: t.Title, Count: count[[2]string{t.Facet, t.Name}]})
		}
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
		return nil, work.Wrong("/cursor", "cursor", "the cursor is none of ours; take the one that the page before gave as next")
	}
	return &p, nil
}

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

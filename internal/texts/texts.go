package texts

import (
	"fmt"
	"maps"
	"slices"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/sheet"
	"goldshelf/internal/work"
)

// Bounds of what is remembered, in bytes of texts.
const (
	mostSources  = 16 << 20
	mostComposed = 16 << 20
)

// Texts reads versions, and remembers those that were published.
type Texts struct {
	db      *work.DB
	sources bounded[int64, Source]
	shelf   shelf
}

// New gives the texts of a library.
func New(db *work.DB) *Texts {
	t := &Texts{db: db, sources: newBounded[int64, Source](mostSources)}
	t.shelf.composed = newBounded[string, Composed](mostComposed)
	db.OnForget(work.Shelf, t.shelf.changed)
	return t
}

// Source is a published version as filling needs it, with what it is called.
type Source struct {
	fill.Source
	Kind    entry.Kind
	Title   string
	Persona string
	Style   string
	Sheets  []string
	SheetOf []string // question sets of which it wants a sheet each
	Set     *sheet.Set

	bytes int
}

// Sources gives published versions parsed, by id: from what is remembered, or read.
// What was published never changes, so what is remembered is never out of date; and
// since a [work.View] shows only what is committed, nothing else is remembered.
func (t *Texts) Sources(v work.View, ids []int64) (map[int64]Source, error) {
	all := map[int64]Source{}
	var missing []int64
	for _, id := range ids {
		if src, ok := t.sources.get(id); ok {
			all[id] = src
		} else {
			missing = append(missing, id)
		}
	}
	// What is remembered of a version never changes, but for what its entry is called.
	names, err := v.SlugsOfVersions(slices.Collect(maps.Keys(all)))
	if err != nil {
		return nil, err
	}
	for id, src := range all {
		if name, is := names[id]; is { // or else it is hidden from this view
			src.Entry = name
			all[id] = src
		}
	}
	if len(missing) == 0 {
		return all, nil
	}
	rows, err := v.VersionsByID(missing)
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		c := row.Content()
		src, err := c.Parsed(row.Slug, row.Number)
		if err != nil {
			return nil, fmt.Errorf("%s, version %d, has a fault of its own: %w", row.Slug, row.Number, err)
		}
		s := Source{Source: src, Kind: c.Kind, Title: c.Title, Persona: c.Persona, Style: c.Style, Sheets: c.Sheets, SheetOf: c.SheetOf, Set: c.Questions, bytes: len(row.Body)}
		for name, answer := range src.Answers {
			s.bytes += 2*len(name) + len(answer.String()) // in the text and by itself
		}
		all[row.ID] = s
		if row.PublishedAt != nil {
			t.sources.put(row.ID, s, s.bytes)
		}
	}
	return all, nil
}

// bounded remembers what was used last, up to so many bytes.
type bounded[K comparable, V any] struct {
	mu    *sync.Mutex
	lru   *simplelru.LRU[K, sized[V]]
	bytes *int
	most  int
}

type sized[V any] struct {
	v     V
	bytes int
}

func newBounded[K comparable, V any](most int) bounded[K, V] {
	b := bounded[K, V]{mu: &sync.Mutex{}, bytes: new(int), most: most}
	b.lru, _ = simplelru.NewLRU(1<<20, func(_ K, s sized[V]) { *b.bytes -= s.bytes }) // a size above 0 is no error
	return b
}

func (b bounded[K, V]) get(key K) (V, bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	s, ok := b.lru.Get(key)
	return s.v, ok
}

func (b bounded[K, V]) put(key K, v V, bytes int) {
	const each = 512 // about what is kept beside the text
	b.mu.Lock()
	defer b.mu.Unlock()
	b.lru.Remove(key)
	b.lru.Add(key, sized[V]{v, bytes + each})
	for *b.bytes += bytes + each; *b.bytes > b.most; {
		b.lru.RemoveOldest()
	}
}

func (b bounded[K, V]) clear() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.lru.Purge()
}

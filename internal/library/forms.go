package library

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"sync"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// cacheBytes is how much text of published versions is kept parsed.
const cacheBytes = 16 << 20

// shelved is a published version as filling needs it, with what it is called.
type shelved struct {
	fill.Source
	kind    entry.Kind
	title   string
	persona string
	style   string
	sheets  []string
}

// parsed keeps published versions parsed, by id. They never change, so nothing
// in it is ever out of date. Its zero value is empty.
type parsed struct {
	mu    sync.Mutex
	byID  map[int64]shelved
	bytes int
}

func (p *parsed) get(id int64) (shelved, bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	src, ok := p.byID[id]
	return src, ok
}

// put keeps a version; where there are too many, all others make room.
func (p *parsed) put(id int64, src shelved, bytes int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.byID == nil || p.bytes+bytes > cacheBytes {
		p.byID, p.bytes = map[int64]shelved{}, 0
	}
	p.byID[id] = src
	p.bytes += bytes
}

// composed is a stack joined with all that it includes, ready to be filled.
type composed struct {
	form *fill.Form
	by   map[fill.Ref]shelved // every version in it
}

// compose joins published versions, in order, with what they include from the
// shelf. An override takes the place of the version that its slug follows.
func (l *Library) compose(ctx context.Context, ids []int64, override *fill.Source) (composed, error) {
	refs, err := l.db.Closure(ctx, ids)
	if err != nil {
		return composed{}, err
	}
	all := make([]int64, len(refs))
	for i, r := range refs {
		all[i] = r.ID
	}
	sources, err := l.sources(ctx, all)
	if err != nil {
		return composed{}, err
	}
	c := composed{by: map[fill.Ref]shelved{}}
	asked := map[fill.Ref]fill.Source{}
	for _, r := range refs {
		src := sources[r.ID]
		asked[r.Asked()], c.by[src.Ref] = src.Source, src
	}
	if override != nil {
		asked[fill.Ref{Entry: override.Entry}] = *override
	}
	layers := make([]fill.Source, len(ids))
	for i, id := range ids {
		layers[i] = sources[id].Source
	}
	c.form, err = fill.Compile(func(slug string, number int) (fill.Source, error) {
		src, ok := asked[fill.Ref{Entry: slug, Version: number}]
		if !ok {
			return src, notIncluded(ctx, l.db.Reader, slug, number)
		}
		return src, nil
	}, layers...)
	return c, err
}

// sources gives published versions parsed, from what is kept or the database.
func (l *Library) sources(ctx context.Context, ids []int64) (map[int64]shelved, error) {
	all := map[int64]shelved{}
	var missing []int64
	for _, id := range ids {
		if src, ok := l.cache.get(id); ok {
			all[id] = src
		} else {
			missing = append(missing, id)
		}
	}
	if len(missing) == 0 {
		return all, nil
	}
	rows, err := l.db.VersionsByID(ctx, missing)
	if err != nil {
		return nil, err
	}
	for _, v := range rows {
		c := v.Content()
		src, err := c.Parsed(v.Slug, v.Number)
		if err != nil {
			return nil, fmt.Errorf("%s, version %d, has a fault of its own: %w", v.Slug, v.Number, err)
		}
		all[v.ID] = shelved{Source: src, kind: c.Kind, title: c.Title, persona: c.Persona, style: c.Style, sheets: c.Sheets}
		l.cache.put(v.ID, all[v.ID], len(v.Body))
	}
	return all, nil
}

// stack gives the ids of the layers of a fill, in their fixed order: persona,
// style, sheets, the entry itself.
func (l *Library) stack(ctx context.Context, id int64, req api.FillRequest) ([]int64, error) {
	main, err := l.sources(ctx, []int64{id})
	if err != nil {
		return nil, err
	}
	own := main[id]
	recommends := entry.Content{Persona: own.persona, Style: own.style, Sheets: own.sheets}
	parts := recommends.Stack(req.Persona, req.Style, req.Sheets)
	if len(parts) == 0 {
		return []int64{id}, nil
	}
	var wrong problem.List
	refs := make([]fill.Ref, len(parts))
	for i, p := range parts {
		slug, digits, pinned := strings.Cut(p.Slug, "@")
		refs[i].Entry = slug
		if pinned {
			if refs[i].Version, err = strconv.Atoi(digits); err != nil || refs[i].Version < 1 {
				wrong.Add(p.Field, "version", "%q names no version; write %s@3", p.Slug, slug)
			}
		}
	}
	found, err := l.db.ShelvedIDs(ctx, refs)
	if err != nil {
		return nil, err
	}
	byRef := map[fill.Ref]int64{}
	var ids []int64
	for _, n := range found {
		byRef[n.Asked()] = n.ID
		ids = append(ids, n.ID)
	}
	known, err := l.sources(ctx, ids)
	if err != nil {
		return nil, err
	}
	layers := make([]int64, 0, len(parts)+1)
	for i, p := range parts {
		layer, there := byRef[refs[i]]
		switch {
		case !there:
			wrong.Add(p.Field, "missing", "%s is not on the shelf; name another %s, or none", p.Slug, p.Kind)
		case known[layer].kind != p.Kind:
			wrong.Add(p.Field, "kind", "%s is a %s, and a %s is wanted here", p.Slug, known[layer].kind, p.Kind)
		default:
			layers = append(layers, layer)
		}
	}
	return append(layers, id), wrong.Err()
}

// shelfLookup answers what includes ask for, from versions that were read in
// one go.
type shelfLookup struct {
	got   map[fill.Ref]store.Version
	newer []fill.Ref                          // versions given though they are not published
	why   func(slug string, number int) error // why something is not among them
}

func includes(ctx context.Context, r store.Reader, text *fill.Text, drafts bool) (*shelfLookup, error) {
	l := &shelfLookup{got: map[fill.Ref]store.Version{}, why: func(slug string, number int) error { return notIncluded(ctx, r, slug, number) }}
	asked := text.Includes()
	if len(asked) == 0 {
		return l, nil
	}
	all, err := r.Included(ctx, asked, drafts)
	if err != nil {
		return nil, err
	}
	for _, in := range all {
		l.got[fill.Ref{Entry: in.Slug, Version: in.Asked}] = in.Version
	}
	return l, nil
}

func (l *shelfLookup) source(slug string, number int) (fill.Source, error) {
	v, ok := l.got[fill.Ref{Entry: slug, Version: number}]
	if !ok {
		return fill.Source{}, l.why(slug, number)
	}
	if v.PublishedAt == nil {
		l.newer = append(l.newer, fill.Ref{Entry: slug, Version: v.Number})
	}
	src, err := v.Content().Parsed(slug, v.Number)
	if err != nil {
		return src, fmt.Errorf("%s, version %d, has a fault of its own: %w", slug, v.Number, err)
	}
	return src, nil
}

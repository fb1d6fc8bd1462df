package library

import (
	"context"
	"fmt"
	"sync"

	"goldshelf/core/fill"
	"goldshelf/internal/store"
)

// cacheBytes is how much text of published versions is kept parsed.
const cacheBytes = 16 << 20

// parsed keeps published versions parsed, by id. They never change, so nothing
// in it is ever out of date. Its zero value is empty.
type parsed struct {
	mu    sync.Mutex
	byID  map[int64]fill.Source
	bytes int
}

func (p *parsed) get(id int64) (fill.Source, bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	src, ok := p.byID[id]
	return src, ok
}

// put keeps a version; where there are too many, all others make room.
func (p *parsed) put(id int64, src fill.Source, bytes int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.byID == nil || p.bytes+bytes > cacheBytes {
		p.byID, p.bytes = map[int64]fill.Source{}, 0
	}
	p.byID[id] = src
	p.bytes += bytes
}

// published gives the form of a version that was published, joined with what it
// includes from the shelf as it is now.
func (l *Library) published(ctx context.Context, id int64) (*fill.Form, error) {
	refs, err := l.db.Closure(ctx, id)
	if err != nil {
		return nil, err
	}
	sources := map[fill.Ref]fill.Source{}
	var missing []int64
	for _, r := range refs {
		if src, ok := l.cache.get(r.ID); ok {
			sources[r.Asked()] = src
		} else {
			missing = append(missing, r.ID)
		}
	}
	if len(missing) > 0 {
		read, err := l.parse(ctx, missing)
		if err != nil {
			return nil, err
		}
		for _, r := range refs {
			if src, ok := read[r.ID]; ok {
				sources[r.Asked()] = src
			}
		}
	}
	own := sources[refs[0].Asked()]
	return fill.Compile(func(slug string, number int) (fill.Source, error) {
		src, ok := sources[fill.Ref{Entry: slug, Version: number}]
		if !ok {
			return src, notIncluded(slug, number)
		}
		return src, nil
	}, own)
}

// parse reads versions from the database and keeps them.
func (l *Library) parse(ctx context.Context, ids []int64) (map[int64]fill.Source, error) {
	rows, err := l.db.VersionsByID(ctx, ids)
	if err != nil {
		return nil, err
	}
	read := map[int64]fill.Source{}
	for _, v := range rows {
		src, err := v.Content().Parsed(v.Slug, v.Number)
		if err != nil {
			return nil, fmt.Errorf("%s, version %d, has a fault of its own: %w", v.Slug, v.Number, err)
		}
		read[v.ID] = src
		l.cache.put(v.ID, src, len(v.Body))
	}
	return read, nil
}

func notIncluded(slug string, number int) error {
	if number > 0 {
		return fmt.Errorf("%s has no published version %d; include one that its history shows as published", slug, number)
	}
	return fmt.Errorf("there is no published entry %s to include; correct the slug, or publish it first", slug)
}

// shelfLookup answers what includes ask for, from versions that were read in
// one go.
type shelfLookup struct {
	got    map[fill.Ref]store.Version
	drafts bool
	newer  []fill.Ref // versions given though they are not published
}

func includes(ctx context.Context, r store.Reader, text *fill.Text, drafts bool) (*shelfLookup, error) {
	l := &shelfLookup{got: map[fill.Ref]store.Version{}, drafts: drafts}
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
		return fill.Source{}, notIncluded(slug, number)
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

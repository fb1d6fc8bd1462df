package texts

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Composed is a stack joined with all that it includes, ready to be filled.
type Composed struct {
	Form *fill.Form
	By   map[fill.Ref]Source // every version in it

	bytes int
}

// Stack is what is asked for beside an entry, as in [entry.Content.Stack].
type Stack struct {
	Persona, Style string
	Sheets         []string
}

// Compose joins published versions, in order, with what they include from the shelf.
// An override takes the place of the version that its slug follows.
func (t *Texts) Compose(v work.View, ids []int64, override *fill.Source) (Composed, error) {
	refs, err := v.Closure(ids)
	if err != nil {
		return Composed{}, err
	}
	all := make([]int64, len(refs))
	for i, r := range refs {
		all[i] = r.ID
	}
	sources, err := t.Sources(v, all)
	if err != nil {
		return Composed{}, err
	}
	c := Composed{By: map[fill.Ref]Source{}}
	asked := map[fill.Ref]fill.Source{}
	for _, r := range refs {
		src := sources[r.ID]
		asked[r.Asked()], c.By[src.Ref] = src.Source, src
		c.bytes += src.bytes
	}
	if override != nil {
		asked[fill.Ref{Entry: override.Entry}] = *override
	}
	layers := make([]fill.Source, len(ids))
	for i, id := range ids {
		layers[i] = sources[id].Source
	}
	c.Form, err = fill.Compile(func(slug string, number int) (fill.Source, error) {
		src, ok := asked[fill.Ref{Entry: slug, Version: number}]
		if !ok {
			return src, notIncluded(v.Reader, slug, number)
		}
		return src, nil
	}, layers...)
	return c, err
}

// Layers gives the ids of the layers of a fill, in their fixed order: persona, style,
// sheets, the entry itself.
func (t *Texts) Layers(v work.View, id int64, ask Stack) ([]int64, error) {
	main, err := t.Sources(v, []int64{id})
	if err != nil {
		return nil, err
	}
	own := main[id]
	recommends := entry.Content{Persona: own.Persona, Style: own.Style, Sheets: own.Sheets}
	parts := recommends.Stack(ask.Persona, ask.Style, ask.Sheets)
	if len(parts) == 0 {
		return []int64{id}, nil
	}
	var wrong problem.List
	refs := make([]fill.Ref, len(parts))
	for i, p := range parts {
		slug, digits, pinned := strings.Cut(p.Slug, "@")
		refs[i].Entry = slug
		wrong = append(wrong, problem.Text(p.Field, slug)...)
		if pinned {
			if refs[i].Version, err = strconv.Atoi(digits); err != nil || refs[i].Version < 1 || refs[i].Version > entry.MaxVersion {
				wrong.Add(p.Field, "version", "%q names no version; write %s@3", p.Slug, slug)
			}
		}
	}
	if err := wrong.Err(); err != nil {
		return nil, err
	}
	found, err := v.ShelvedIDs(refs)
	if err != nil {
		return nil, err
	}
	byRef := map[fill.Ref]store.Needed{}
	for _, n := range found {
		byRef[n.Asked()] = n
	}
	layers := make([]int64, 0, len(parts)+1)
	for i, p := range parts {
		n, there := byRef[refs[i]]
		switch {
		case !there:
			wrong.Add(p.Field, "missing", "%s is not on the shelf; name another %s, or none", p.Slug, p.Kind)
		case entry.Kind(n.Kind) != p.Kind:
			wrong.Add(p.Field, "kind", "%s is a %s, and a %s is wanted here", p.Slug, n.Kind, p.Kind)
		default:
			layers = append(layers, n.ID)
		}
	}
	return append(layers, id), wrong.Err()
}

// Gone means that an entry was retired. Entry says why, and what to use instead.
type Gone struct{ Entry store.Entry }

func (g *Gone) Error() string {
	e := g.Entry
	instead := "find another with find"
	if e.Instead != "" {
		instead = "use " + e.Instead + " instead"
	}
	return fmt.Sprintf("%s was retired on %s: %s; %s", e.Slug, e.RetiredAt.UTC().Format("2 January 2006"), e.Because, instead)
}

// OffShelf is why a slug has nothing on the shelf: [Gone], or [work.Missing].
func OffShelf(r store.Reader, err error, slug string, number int) error {
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if number == 0 {
		if e, err := r.EntryBySlug(slug); err == nil && e.RetiredAt != nil {
			return &Gone{e}
		}
		return work.MissingF("there is no entry %q on the shelf; look for it with find", slug)
	}
	return work.MissingF("%s has no published version %d; leave the number out for the one on the shelf", slug, number)
}

// notIncluded is why an include finds nothing, for the writer of the text.
func notIncluded(r store.Reader, slug string, number int) error {
	if number > 0 {
		return fill.Absent(fmt.Sprintf("%s has no published version %d; include one that its history shows as published", slug, number))
	}
	e, err := r.EntryBySlug(slug)
	switch {
	case err == nil && e.RetiredAt != nil:
		return fill.Absent((&Gone{e}).Error())
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return err
	}
	return fill.Absent(fmt.Sprintf("there is no published entry %s to include; correct the slug, or publish it first", slug))
}

// Included answers what the includes of one text ask for, from versions that were read
// in one go.
type Included struct {
	Newer []fill.Ref // versions given though they are not published

	r   store.Reader
	got map[fill.Ref]store.Version
}

// IncludedIn reads all that a text includes, directly and through others. Entries that
// were never published answer with their newest version where that may be seen; others
// are as if they were not there.
func IncludedIn(r store.Reader, text *fill.Text, sight store.Sight) (*Included, error) {
	in := &Included{r: r, got: map[fill.Ref]store.Version{}}
	asked := text.Includes()
	if len(asked) == 0 {
		return in, nil
	}
	all, err := r.Included(asked, sight)
	if err != nil {
		return nil, err
	}
	for _, i := range all {
		in.got[fill.Ref{Entry: i.Slug, Version: i.Asked}] = i.Version
	}
	return in, nil
}

// Source is a [fill.Lookup].
func (in *Included) Source(slug string, number int) (fill.Source, error) {
	v, ok := in.got[fill.Ref{Entry: slug, Version: number}]
	if !ok {
		return fill.Source{}, notIncluded(in.r, slug, number)
	}
	if v.PublishedAt == nil {
		in.Newer = append(in.Newer, fill.Ref{Entry: slug, Version: v.Number})
	}
	src, err := v.Content().Parsed(slug, v.Number)
	if err != nil {
		return src, fill.Absent(fmt.Sprintf("%s, version %d, has a fault of its own: %v", slug, v.Number, err))
	}
	return src, nil
}

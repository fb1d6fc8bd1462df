package texts

import (
	"errors"
	"strconv"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/layout"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Composed is a stack joined with all that it includes, ready to be filled.
type Composed struct {
	Of   fill.Ref // the entry that was asked for
	For  string   // the application that it was asked for, as the labels have it now
	Form *fill.Form
	// Layout is how that application wants it delivered; nil where it takes it as it is.
	Layout *layout.Plan
	By     map[fill.Ref]Source // every version in it

	Wanting problem.List // sheets that a sketch does without

	bytes int
}

// Stack is what is asked for beside an entry, as in [entry.Content.Stack].
type Stack struct {
	Persona, Style string
	Sheets         []string
	For            string // an application, or none
	Languages      string // that the reader prefers, as [rendition.Languages] gives them
	Base           bool   // the entry itself, and none of its renditions
	Sketch         bool   // also without a sheet that it wants: that is only said
}

// Compose joins published versions, in order, with what they include from the shelf.
// With something instead that takes the place of what of it is on the shelf.
func (t *Texts) Compose(v work.View, ids []int64, with *Instead) (Composed, error) {
	sources, shelf, err := t.closure(v, ids)
	if err != nil {
		return Composed{}, err
	}
	with.among(shelf)
	layers := make([]fill.Source, len(ids))
	for i, id := range ids {
		layers[i] = with.layer(sources[id].Source)
		shelf.Of = layers[i].Ref
	}
	shelf.Form, err = fill.Compile(func(slug string, number int) (fill.Source, error) {
		if src, ok := shelf.asked[fill.Ref{Entry: slug, Version: number}]; ok {
			return src, nil
		}
		if src, err := with.source(slug, number); err == nil {
			return src, nil
		}
		return fill.Source{}, notIncluded(v.Reader, slug, number)
	}, layers...)
	return shelf.Composed, err
}

// closed is a stack with all that it includes from the shelf, by how that is asked for.
type closed struct {
	Composed
	asked map[fill.Ref]fill.Source
}

// closure reads published versions, and all that they include.
func (t *Texts) closure(v work.View, ids []int64) (map[int64]Source, closed, error) {
	c := closed{Composed{By: map[fill.Ref]Source{}}, map[fill.Ref]fill.Source{}}
	refs, err := v.Closure(ids)
	if err != nil {
		return nil, c, err
	}
	all := make([]int64, len(refs))
	for i, r := range refs {
		all[i] = r.ID
	}
	sources, err := t.Sources(v, all)
	if err != nil {
		return nil, c, err
	}
	for _, r := range refs {
		src := sources[r.ID]
		c.asked[r.Asked()], c.By[src.Ref] = src.Source, src
		c.bytes += src.bytes
	}
	return sources, c, nil
}

// Open composes the open version of an entry in a stack, with what it includes as whoever
// asks may see it. It still changes, and is not remembered.
func (t *Texts) Open(v work.View, by work.Caller, e store.Entry, open store.Version, ask Stack) (Composed, error) {
	content, err := WithQuestions(v.Reader, open.Content())
	if err != nil {
		return Composed{}, err
	}
	own, err := content.Parsed(e.Slug, open.Number)
	if err != nil {
		return Composed{}, err
	}
	parts, err := t.parts(v, content, ask)
	if err != nil {
		return Composed{}, err
	}
	sources, c, err := t.closure(v, parts)
	if err != nil {
		return Composed{}, err
	}
	lookup, err := IncludedIn(v.Reader, own.Text, by.Sight())
	if err != nil {
		return Composed{}, err
	}
	for _, version := range lookup.got {
		said := version.Content()
		c.By[fill.Ref{Entry: version.Slug, Version: version.Number}] = Source{Kind: said.Kind, Title: said.Title}
	}
	c.Of = own.Ref
	c.By[own.Ref] = Source{Source: own, Kind: content.Kind, Title: content.Title, Set: content.Questions}
	layers := make([]fill.Source, 0, len(parts)+1)
	for _, id := range parts {
		layers = append(layers, sources[id].Source)
	}
	c.Form, err = fill.Compile(func(slug string, number int) (fill.Source, error) {
		if src, ok := c.asked[fill.Ref{Entry: slug, Version: number}]; ok {
			return src, nil
		}
		return lookup.Source(slug, number)
	}, append(layers, own)...)
	if err != nil {
		return Composed{}, err
	}
	if c.For, err = Application(v.Reader, ask.For); err == nil {
		c.Layout, err = layoutOf(v, c.For)
	}
	return c.Composed, err
}

// Layers gives the ids of the layers of a fill, in their fixed order: persona, style,
// sheets, the entry itself.
func (t *Texts) Layers(v work.View, id int64, ask Stack) ([]int64, error) {
	main, err := t.Sources(v, []int64{id})
	if err != nil {
		return nil, err
	}
	own := main[id]
	parts, err := t.parts(v, entry.Content{Persona: own.Persona, Style: own.Style, Sheets: own.Sheets}, ask)
	return append(parts, id), err
}

// parts gives the ids of what goes before an entry that recommends some.
func (t *Texts) parts(v work.View, recommends entry.Content, ask Stack) (_ []int64, err error) {
	parts := recommends.Stack(ask.Persona, ask.Style, ask.Sheets)
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
	var found []store.Needed
	if len(refs) > 0 {
		if found, err = v.ShelvedIDs(refs); err != nil {
			return nil, err
		}
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
	return layers, wrong.Err()
}

// wanting says of which question sets an entry wants a sheet and has none in its stack.
func (t *Texts) wanting(v work.View, layers []int64) (problem.List, error) {
	sources, err := t.Sources(v, layers)
	if err != nil {
		return nil, err
	}
	own := sources[layers[len(layers)-1]]
	var wrong problem.List
	for _, set := range own.SheetOf {
		has := false
		for _, id := range layers {
			s := sources[id].Set
			has = has || s != nil && s.Name == set
		}
		if has {
			continue
		}
		some, err := v.SheetsOfSet(set, false, nil, 4)
		if err != nil {
			return nil, err
		}
		wrong.Add("/sheets", "sheet-of", "%s wants a sheet of %s; %s", own.Entry, set, choose(some))
	}
	return wrong, nil
}

func choose(some []store.SheetOfSet) message.Text {
	if len(some) == 0 {
		return message.Say("none is on the shelf yet")
	}
	names := make([]string, min(len(some), 3))
	for i := range names {
		names[i] = some[i].Slug
	}
	more := ""
	if len(some) > 3 {
		more = ", …"
	}
	return message.Say("name one, as %s%s", strings.Join(names, ", "), more)
}

// Gone means that an entry was retired. Entry says why, and what to use instead.
type Gone struct{ Entry store.Entry }

func (g *Gone) Error() string { return g.Said().String() }

// Said gives what it says.
func (g *Gone) Said() message.Text {
	e := g.Entry
	instead := message.Say("find another with find")
	if e.Instead != "" {
		instead = message.Say("use %s instead", e.Instead)
	}
	return message.Say("%s was retired on %s: %s; %s", e.Slug, message.Day(*e.RetiredAt), e.Because, instead)
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
		return fill.Absent{Why: message.Say("%s has no published version %d; include one that its history shows as published", slug, number)}
	}
	e, err := r.EntryBySlug(slug)
	switch {
	case err == nil && e.RetiredAt != nil:
		return fill.Absent{Why: (&Gone{e}).Said()}
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return err
	}
	return fill.Absent{Why: message.Say("there is no published entry %s to include; correct the slug, or publish it first", slug)}
}

// Included answers what the includes of one text ask for, from versions that were read
// in one go.
type Included struct {
	Newer []fill.Ref // versions given though they are not published

	r   store.Reader
	got map[fill.Ref]store.Version
}

// IncludedIn reads all that a text includes or has a fact of, directly and through others. Entries that
// were never published answer with their newest version where that may be seen; others
// are as if they were not there.
func IncludedIn(r store.Reader, text *fill.Text, sight store.Sight) (*Included, error) {
	in := &Included{r: r, got: map[fill.Ref]store.Version{}}
	var asked []store.Mention
	for _, ref := range text.Includes() {
		asked = append(asked, store.Mention{How: "include", Slug: ref.Entry, Number: ref.Version})
	}
	for _, f := range text.Facts() {
		asked = append(asked, store.Mention{How: "fact", Slug: f.Slug, Number: f.Version})
	}
	if len(asked) == 0 {
		return in, nil
	}
	all, err := r.Included(asked, sight)
	if err != nil {
		return nil, err
	}
	for _, i := range all {
		in.got[fill.Ref{Entry: i.AskedSlug, Version: i.Asked}] = i.Version
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
		return src, fill.Absent{Why: message.Say("%s, version %d, has a fault of its own: %v", slug, v.Number, err)}
	}
	return src, nil
}

package gather

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/places"
	"goldshelf/core/sheet"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// planned is a plan with all that it takes to carry it out.
type planned struct {
	api.Plan
	incoming []bundle.Incoming
	now      map[string]here
	terms    []store.Term // to be added
	newSets  []sheet.Set  // question sets to be added
}

// here is an entry as the library has it.
type here struct {
	open, shelf *store.Version
	all         []store.Version // where histories are compared
}

// current is what an incoming version is held against.
func (h here) current() *store.Version {
	if h.open != nil {
		return h.open
	}
	return h.shelf
}

// plan says of every entry that was brought what would become of it. What the
// new ones are like is looked up if that is asked for, and kept with the import;
// else it is as it was when it was last looked up.
func plan(r store.Reader, in *store.Import, lookUp bool) (planned, error) {
	how := in.Reading.V
	all, err := bundle.Gather(in.Name, in.Data, how)
	if err != nil {
		return planned{}, err
	}
	p := planned{incoming: all, now: map[string]here{}}
	p.ID, p.Name, p.Reading = in.ID, in.Name, how
	if p.Reading.Format == "" {
		p.Reading.Format = bundle.Guess(in.Name, in.Data)
	}
	if p.Reading.Format == bundle.CSV {
		p.headings(in.Data)
	}
	if err := p.label(r, in.Data); err != nil {
		return p, err
	}
	if err := p.readHere(r); err != nil {
		return p, err
	}
	if err := p.codes(r); err != nil {
		return p, err
	}
	if err := p.sets(r, in.Data); err != nil {
		return p, err
	}
	p.samples(in.Data)
	p.Items = work.AtOnce(numbers(len(all)), p.item)
	if lookUp {
		if err := p.findSimilar(r); err != nil {
			return p, err
		}
		in.Alike.V = p.keepSimilar()
	} else if err := p.recallSimilar(in.Alike.V); err != nil {
		return p, err
	}
	sum := sha256.New()
	p.Counts = map[api.PlanState]int{}
	for _, it := range p.Items {
		p.Counts[it.State]++
		fmt.Fprintf(sum, "%s %s %d\n", it.Slug, it.State, it.On)
	}
	p.Digest = hex.EncodeToString(sum.Sum(nil)[:12])
	return p, nil
}

// headings tells of a table what each column holds.
func (p *planned) headings(data []byte) {
	heads, holds, err := bundle.Columns(data)
	if err != nil {
		return // Gather has read them, so they can be read
	}
	maps.Copy(holds, p.Reading.Columns)
	for _, h := range heads {
		p.Columns = append(p.Columns, api.Column{Heading: h, Holds: holds[h]})
	}
}

// label finds the terms that labels name, by name or by title, in any capitals.
// What a bundle of a library brings along is added to the library's.
func (p *planned) label(r store.Reader, data []byte) error {
	terms, err := r.Terms()
	if err != nil {
		return err
	}
	known, byTitle := map[string][]string{}, map[[2]string]string{}
	learn := func(t store.Term) {
		known[t.Facet] = append(known[t.Facet], t.Name)
		byTitle[[2]string{t.Facet, strings.ToLower(t.Name)}] = t.Name
		byTitle[[2]string{t.Facet, strings.ToLower(t.Title)}] = t.Name
	}
	for _, t := range terms {
		if t.Name == "" {
			known[t.Facet] = []string{}
			continue
		}
		learn(t)
	}
	if p.Reading.Format == bundle.JSON {
		for _, f := range bundle.Facets(data) {
			for _, t := range f.Terms {
				if !slices.Contains(known[f.Name], t.Name) {
					add := store.Term{Facet: f.Name, FacetTitle: f.Title, Name: t.Name, Title: t.Title}
					learn(add)
					p.terms = append(p.terms, add)
					p.NewTerms = append(p.NewTerms, f.Name+": "+t.Name)
				}
			}
		}
	}
	for i := range p.incoming {
		in := &p.incoming[i]
		for facet, names := range in.Labels {
			if names = termsOf(facet, names, byTitle); len(names) == 0 {
				delete(in.Labels, facet)
			} else {
				in.Labels[facet] = names
			}
		}
		in.Wrong = append(in.Wrong, texts.LabelProblems(in.Labels, known)...)
		in.Wrong = append(in.Wrong, texts.SingleProblems(in.Labels, terms)...)
	}
	return nil
}

// termsOf finds the terms that names stand for. A name that is none, but has
// commas between such names, is taken apart at them.
func termsOf(facet string, names []string, byTitle map[[2]string]string) []string {
	term := func(name string) (string, bool) {
		t, ok := byTitle[[2]string{facet, strings.ToLower(strings.TrimSpace(name))}]
		return t, ok
	}
	var terms []string
	add := func(t string) {
		if !slices.Contains(terms, t) {
			terms = append(terms, t)
		}
	}
	for _, name := range names {
		if t, ok := term(name); ok {
			add(t)
			continue
		}
		parts := strings.Split(name, ",")
		if slices.ContainsFunc(parts, func(p string) bool { _, ok := term(p); return !ok }) {
			add(name)
			continue
		}
		for _, p := range parts {
			t, _ := term(p)
			add(t)
		}
	}
	return terms
}

// readHere reads what the library has under the slugs that come in.
func (p *planned) readHere(r store.Reader) error {
	slugs, histories := make([]string, 0, len(p.incoming)), false
	for _, in := range p.incoming {
		slugs = append(slugs, in.Slug)
		histories = histories || in.Whole != nil
	}
	read := r.CurrentOf
	if histories {
		read = r.VersionsOf
	}
	rows, err := read(slugs)
	if err != nil {
		return err
	}
	for i := range rows {
		v := &rows[i]
		h := p.now[v.Slug]
		switch state := entry.State(v.State); {
		case state.Open():
			h.open = v
		case state != entry.Superseded:
			h.shelf = v
		}
		h.all = append(h.all, *v)
		p.now[v.Slug] = h
	}
	return nil
}

// codes refuses short codes that another entry has, or that stand twice.
func (p *planned) codes(r store.Reader) error {
	by := map[string]string{}
	var codes []string
	for _, in := range p.incoming {
		if in.Code != "" {
			codes = append(codes, in.Code)
		}
	}
	if len(codes) == 0 {
		return nil
	}
	holders, err := r.CodeHolders(codes)
	if err != nil {
		return err
	}
	for i := range p.incoming {
		in := &p.incoming[i]
		if in.Code == "" {
			continue
		}
		if holder := holders[in.Code]; holder != "" && holder != in.Slug {
			in.Wrong.Add("/code", "taken", "%s has the short code %s; choose another", holder, in.Code)
		} else if other := by[in.Code]; other != "" {
			in.Wrong.Add("/code", "twice", "%s has the short code %s too; choose another", other, in.Code)
		}
		by[in.Code] = in.Slug
	}
	return nil
}

// item says what would become of one entry.
func (p *planned) item(i int) api.PlanItem {
	in := &p.incoming[i]
	it := api.PlanItem{Number: i, Where: in.Where, Slug: in.Slug, Kind: in.Kind, Title: in.Title, Note: in.Note, Similar: []api.PlanMatch{}}
	h, there := p.now[in.Slug]
	cur := h.current()
	if there && in.Wrong == nil && cur.Kind != string(in.Kind) {
		in.Wrong.Add("/kind", "kind", "%s is a %s here, and an entry keeps its kind; give this one another slug", in.Slug, cur.Kind)
	}
	switch {
	case in.Wrong != nil:
		it.State, it.Problems = api.PlanWrong, in.Wrong
	case !there:
		it.State = api.PlanNew
	case in.Whole != nil && h.against(in.Whole) != api.PlanChanged:
		it.State, it.On = h.against(in.Whole), cur.Revision
	case in.Whole == nil && sameButSource(cur.Content(), in.Content):
		it.State = api.PlanSame
		if !sameLabels(*cur, in.Content) {
			it.State, it.On = api.PlanChanged, cur.Revision // of its labels alone
		}
	case h.open != nil && entry.State(h.open.State) != entry.Draft:
		it.State = api.PlanWrong
		it.Problems.Add("", "locked", "version %d of %s is %s, so its text is locked; have it returned or published first", h.open.Number, in.Slug, entry.State(h.open.State).Words())
	default:
		it.State, it.On = api.PlanChanged, cur.Revision
	}
	it.Selected = it.State == api.PlanNew || it.State == api.PlanChanged
	if it.Selected && !in.Plain && in.Whole == nil {
		it.Places = len(places.Find(in.Body))
	}
	return it
}

// sameButSource says whether two contents differ only in where they came from:
// an import that says it of all of them changes none for that alone.
func sameButSource(a, b entry.Content) bool {
	return a.Same(b) || a.Same(withSource(b, a.Source))
}

func withSource(c entry.Content, source *entry.Source) entry.Content {
	c.Source = source
	return c
}

// sameLabels says whether an entry has the labels that come in, if any do.
func sameLabels(v store.Version, c entry.Content) bool {
	return c.Labels == nil || texts.SameLabels(v.Labels.V, c.Labels)
}

func numbers(n int) []int {
	all := make([]int, n)
	for i := range all {
		all[i] = i
	}
	return all
}

// against holds what comes in of an entry with its history against ours: the same, gone
// on there from what we have, gone on here alone, or in conflict.
func (h here) against(w *bundle.Whole) api.PlanState {
	ours, theirs := h.current().Content(), w.Newest().Content
	switch {
	case ours.Same(theirs):
		return api.PlanSame
	case slices.ContainsFunc(w.Versions, func(v bundle.Version) bool { return v.Content.Same(ours) }):
		return api.PlanChanged
	case slices.ContainsFunc(h.all, func(v store.Version) bool { return v.Content().Same(theirs) }):
		return api.PlanSame
	}
	return api.PlanClash
}

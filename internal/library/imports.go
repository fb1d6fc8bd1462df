package library

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/likeness"
	"goldshelf/core/places"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// importsLast is how long what was brought is kept between plan and end.
const importsLast = 24 * time.Hour

// Bring keeps data that somebody wants to take in, and gives the plan of what
// would become of it. Nothing is taken in yet. It returns a [problem.List] where
// none of it can be read.
func (l *Library) Bring(ctx context.Context, by Caller, name string, data []byte, how bundle.Reading, mapping string) (api.Plan, error) {
	if err := importer(by); err != nil {
		return api.Plan{}, err
	}
	how, err := l.withMapping(ctx, how, mapping)
	if err != nil {
		return api.Plan{}, err
	}
	in := store.Import{ID: uuid.NewString(), PersonID: by.ID, Name: name, Data: data, Reading: store.JSON[bundle.Reading]{V: how}, At: l.now()}
	p, err := l.plan(ctx, l.db.Reader, &in, true)
	if err != nil {
		return api.Plan{}, err
	}
	err = l.db.Change(ctx, func(tx store.Tx) error {
		if err := tx.DropImport(ctx, in.ID, l.now().Add(-importsLast)); err != nil {
			return err
		}
		return tx.AddImport(ctx, in)
	})
	return p.Plan, err
}

func importer(by Caller) error {
	if by.Role != entry.Curator {
		return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may take a whole import in; you are signed in as a " + string(by.Role) + ". Entry files of your own go in with put"}
	}
	return nil
}

// withMapping adds the way to read tables that was kept under a name.
func (l *Library) withMapping(ctx context.Context, how bundle.Reading, name string) (bundle.Reading, error) {
	if name == "" {
		return how, nil
	}
	kept, err := l.db.Mapping(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		names, _ := l.db.MappingNames(ctx)
		return how, problem.List{{Field: "/mapping", Code: "missing", Message: fmt.Sprintf("no mapping is kept under the name %q; there are: %s", name, orNone(names))}}
	}
	if err != nil {
		return how, err
	}
	columns := maps.Clone(kept.Columns)
	if columns == nil {
		columns = map[string]string{}
	}
	maps.Copy(columns, how.Columns)
	kept.Columns = columns
	if how.Kind != "" {
		kept.Kind = how.Kind
	}
	if how.Split != "" {
		kept.Split = how.Split
	}
	if how.Source != nil {
		kept.Source = how.Source
	}
	kept.Format = how.Format
	return kept, nil
}

func orNone(names []string) string {
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

// Plan gives the plan of what was brought, as the library stands now. With a
// reading it is read in that way from now on, which is kept under a name if one
// is given.
func (l *Library) Plan(ctx context.Context, by Caller, id string, again *bundle.Reading, keepAs string) (api.Plan, error) {
	if err := importer(by); err != nil {
		return api.Plan{}, err
	}
	in, err := l.brought(ctx, l.db.Reader, by, id)
	if err != nil {
		return api.Plan{}, err
	}
	if again != nil {
		in.Reading.V = *again
	}
	p, err := l.plan(ctx, l.db.Reader, &in, true)
	if err != nil {
		return p.Plan, err
	}
	return p.Plan, l.db.Change(ctx, func(tx store.Tx) error {
		if keepAs = strings.TrimSpace(keepAs); keepAs != "" {
			if bad := problem.Text("/keep_as", keepAs); bad != nil {
				return bad
			}
			if err := tx.SaveMapping(ctx, keepAs, in.Reading.V, by.ID, l.now()); err != nil {
				return err
			}
		}
		return tx.AddImport(ctx, in)
	})
}

// Forget drops what was brought.
func (l *Library) Forget(ctx context.Context, by Caller, id string) error {
	if _, err := l.brought(ctx, l.db.Reader, by, id); err != nil {
		return err
	}
	return l.db.Change(ctx, func(tx store.Tx) error { return tx.DropImport(ctx, id, l.now().Add(-importsLast)) })
}

func (l *Library) brought(ctx context.Context, r store.Reader, by Caller, id string) (store.Import, error) {
	if _, err := uuid.Parse(id); err != nil {
		return store.Import{}, &Missing{"there is no such import; bring it again"}
	}
	in, err := r.Import(ctx, id, by.ID)
	return in, found(err, &Missing{"there is no such import of yours, or it has been taken in; bring it again"})
}

// planned is a plan with all that it takes to carry it out.
type planned struct {
	api.Plan
	incoming []bundle.Incoming
	now      map[string]here
	terms    []store.Term // to be added
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
func (l *Library) plan(ctx context.Context, r store.Reader, in *store.Import, lookUp bool) (planned, error) {
	how := in.Reading.V
	if lookUp {
		if err := l.derive(ctx); err != nil {
			return planned{}, err
		}
	}
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
	if err := l.label(ctx, r, &p, in.Data); err != nil {
		return p, err
	}
	if err := p.readHere(ctx, r); err != nil {
		return p, err
	}
	if err := p.codes(ctx, r); err != nil {
		return p, err
	}
	p.Items = make([]api.PlanItem, len(all))
	atOnce(len(all), func(i int) { p.Items[i] = p.item(i) })
	if lookUp {
		if err := p.likenesses(ctx, r); err != nil {
			return p, err
		}
		in.Alike.V = p.keepAlike()
	} else if err := p.recallAlike(in.Alike.V); err != nil {
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
func (l *Library) label(ctx context.Context, r store.Reader, p *planned, data []byte) error {
	terms, err := r.Terms(ctx)
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
		in.Wrong = append(in.Wrong, unknownLabels(in.Labels, known)...)
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
func (p *planned) readHere(ctx context.Context, r store.Reader) error {
	slugs, histories := make([]string, 0, len(p.incoming)), false
	for _, in := range p.incoming {
		slugs = append(slugs, in.Slug)
		histories = histories || in.Whole != nil
	}
	read := r.CurrentOf
	if histories {
		read = r.VersionsOf
	}
	rows, err := read(ctx, slugs)
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
func (p *planned) codes(ctx context.Context, r store.Reader) error {
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
	holders, err := r.CodeHolders(ctx, codes)
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
	it := api.PlanItem{Number: i, Where: in.Where, Slug: in.Slug, Kind: in.Kind, Title: in.Title, Note: in.Note, Alike: []api.PlanAlike{}}
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
	case in.Whole != nil:
		it.State, it.On = h.against(in.Whole), h.all[len(h.all)-1].Revision
	case same(cur.Content(), in.Content) || sameButSource(cur.Content(), in.Content):
		it.State = api.PlanSame
	case h.open != nil && entry.State(h.open.State) != entry.Draft:
		it.State = api.PlanWrong
		it.Problems.Add("", "locked", "version %d of %s is %s, so its text is locked; have it returned or published first", h.open.Number, in.Slug, entry.State(h.open.State).Words())
	default:
		it.State, it.On = api.PlanChanged, cur.Revision
	}
	it.Take = it.State == api.PlanNew || it.State == api.PlanChanged
	if it.Take && !in.Plain && in.Whole == nil {
		it.Places = len(places.Find(in.Body))
	}
	return it
}

// sameButSource says whether two contents differ only in where they came from:
// an import that says it of all of them changes none for that alone.
func sameButSource(a, b entry.Content) bool {
	b.Source = a.Source
	return same(a, b)
}

// against holds the history of an entry that comes in against ours: the same, or
// gone on there, or gone on here alone, or gone apart.
func (h here) against(w *bundle.Whole) api.PlanState {
	ours := map[int]store.Version{}
	for _, v := range h.all {
		ours[v.Number] = v
	}
	newest := h.all[len(h.all)-1].Number
	more := false
	for _, v := range w.Versions {
		o, there := ours[v.Number]
		switch {
		case !there && v.Number > newest && h.open == nil:
			more = true
		case !there, !same(o.Content(), v.Content), entry.State(o.State).Open() != v.State.Open():
			return api.PlanClash
		}
	}
	if more {
		return api.PlanChanged
	}
	return api.PlanSame
}

// keepAlike gives what the new ones are like, to be kept with the import.
func (p *planned) keepAlike() map[int]json.RawMessage {
	kept := map[int]json.RawMessage{}
	for i, it := range p.Items {
		if len(it.Alike) > 0 {
			kept[i], _ = json.Marshal(it.Alike) // texts and numbers always marshal
		}
	}
	return kept
}

func (p *planned) recallAlike(kept map[int]json.RawMessage) error {
	for i, text := range kept {
		if i >= len(p.Items) || p.Items[i].State != api.PlanNew {
			continue
		}
		it := &p.Items[i]
		if err := json.Unmarshal(text, &it.Alike); err != nil {
			return err
		}
		it.State, it.Take = api.PlanAlikeState, false
	}
	return nil
}

// likenesses finds among the new ones those that say nearly what is here, or what
// comes in before them.
func (p *planned) likenesses(ctx context.Context, r store.Reader) error {
	bands := p.read()
	first := map[int64]int{} // the first entry coming in that has a band
	note := func(i int, near api.PlanAlike) {
		it := &p.Items[i]
		if slices.ContainsFunc(it.Alike, func(a api.PlanAlike) bool { return a.Slug == near.Slug }) {
			return
		}
		it.State, it.Take = api.PlanAlikeState, false
		it.Alike = append(it.Alike, near)
	}
	for _, i := range slices.Sorted(maps.Keys(bands)) {
		for _, b := range bands[i] {
			j, taken := first[b]
			if !taken {
				first[b] = i
				continue
			}
			if j == i {
				continue
			}
			if s := likeness.Jaccard(likeness.Read(p.incoming[i].Body), likeness.Read(p.incoming[j].Body)); s >= leastAlike {
				note(i, api.PlanAlike{Slug: p.Items[j].Slug, Title: p.Items[j].Title, Likeness: percent(s), Incoming: true})
			}
		}
	}
	pairs, err := r.AlikeMany(ctx, bands)
	if err != nil {
		return err
	}
	return p.notePairs(ctx, r, pairs, note)
}

// read gives the bands of the new ones' texts, read as many at once as there are
// processors.
func (p *planned) read() map[int][]int64 {
	var todo []int
	for i, it := range p.Items {
		if it.State == api.PlanNew && len(p.incoming[i].Body) >= 40 {
			todo = append(todo, i)
		}
	}
	all := make([][]int64, len(todo))
	atOnce(len(todo), func(k int) { all[k] = likeness.Read(p.incoming[todo[k]].Body).Print().Bands })
	bands := make(map[int][]int64, len(todo))
	for k, i := range todo {
		bands[i] = all[k]
	}
	return bands
}

// atOnce does something n times, as many at once as there are processors.
func atOnce(n int, do func(i int)) {
	var next atomic.Int64
	var wg sync.WaitGroup
	for range min(n, runtime.GOMAXPROCS(0)) {
		wg.Go(func() {
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				do(i)
			}
		})
	}
	wg.Wait()
}

func (p *planned) notePairs(ctx context.Context, r store.Reader, pairs []store.Pair, note func(int, api.PlanAlike)) error {
	if len(pairs) == 0 {
		return nil
	}
	ids := make([]int64, len(pairs))
	for i, pair := range pairs {
		ids[i] = pair.ID
	}
	slices.Sort(ids)
	rows, err := r.NearByID(ctx, slices.Compact(ids))
	if err != nil {
		return err
	}
	by := map[int64]store.Near{}
	for _, n := range rows {
		by[n.ID] = n
	}
	for _, pair := range pairs {
		n := by[pair.ID]
		if s := likeness.Jaccard(likeness.Read(p.incoming[pair.N].Body), likeness.Read(n.Body)); s >= leastAlike {
			note(pair.N, api.PlanAlike{Slug: n.Slug, Title: n.Title, Likeness: percent(s)})
		}
	}
	return nil
}

func chunks[T any](all []T, size int) [][]T { return slices.Collect(slices.Chunk(all, size)) }

// Difference gives the text of a planned entry, as it comes in and as it is here.
func (l *Library) Difference(ctx context.Context, by Caller, id string, number int) (api.PlanDifference, error) {
	if err := importer(by); err != nil {
		return api.PlanDifference{}, err
	}
	in, err := l.brought(ctx, l.db.Reader, by, id)
	if err != nil {
		return api.PlanDifference{}, err
	}
	all, err := bundle.Gather(in.Name, in.Data, in.Reading.V)
	if err != nil {
		return api.PlanDifference{}, err
	}
	if number < 0 || number >= len(all) {
		return api.PlanDifference{}, &Missing{fmt.Sprintf("the import has no entry %d", number)}
	}
	theirs := all[number]
	out := api.PlanDifference{Incoming: string(bundle.File{Content: theirs.Content}.Bytes()), Places: []places.Place{}}
	if found := places.Find(theirs.Body); !theirs.Plain && len(found) > 0 {
		out.Places = found
		out.Turned, _ = places.Turn(theirs.Body, found)
	}
	rows, err := l.db.CurrentOf(ctx, []string{theirs.Slug})
	if err != nil {
		return out, err
	}
	if len(rows) == 0 {
		if rows, err = l.likest(ctx, in, number); err != nil {
			return out, err
		}
	}
	if len(rows) > 0 {
		last := rows[len(rows)-1]
		out.Slug, out.Here = last.Slug, string(bundle.File{Content: last.Content()}.Bytes())
	}
	return out, nil
}

// likest gives the entry that is here and that a new one is like.
func (l *Library) likest(ctx context.Context, in store.Import, number int) ([]store.Version, error) {
	text, ok := in.Alike.V[number]
	if !ok {
		return nil, nil
	}
	var alike []api.PlanAlike
	if err := json.Unmarshal(text, &alike); err != nil {
		return nil, err
	}
	for _, a := range alike {
		if !a.Incoming {
			return l.db.CurrentOf(ctx, []string{a.Slug})
		}
	}
	return nil, nil
}

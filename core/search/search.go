package search

import (
	"cmp"
	"math"
	"math/bits"
	"slices"
	"strings"
)

// Sight is which documents a search may find.
type Sight struct {
	Shelf bool  // what is published, and nothing else
	All   bool  // of each entry the newest version
	Own   int64 // of the entries of this person the newest version, of others what is published
}

// Choice narrows a search to documents with any of the terms of a facet, or with none of
// them. An owner may be named by words that words of the full name begin with.
type Choice struct {
	Facet string
	Terms []string
	Not   bool
}

// Alternative is what may stand in the place of words, and how much it counts beside
// them: 0 to 1.
type Alternative struct {
	Words  []string
	Factor float32
}

// Ask is a search.
type Ask struct {
	Query
	Sight
	Choices []Choice
	Above   map[Label]Label          // the label that one is under: who has it has that too
	Alike   map[string][]Alternative // by the Stems of one to MostAlike words
	Mine    bool                     // only what Own answers for
	Newest  bool                     // the newest first, not the best match
	After   *Place                   // where the page before ended
	Limit   int                      // of a page

	// Holds gives those of some documents, by id, that hold all of some phrases and none
	// of others, letter by letter but for case.
	Holds func(ids []int64, all, none []string) ([]int64, error)
}

// Place is where a document stands in a list. It stays right while others come and go.
type Place struct {
	Rank  float64 `json:"r"`
	Title string  `json:"t"`
	ID    int64   `json:"i"`
}

func (p Place) compare(o Place) int {
	return cmp.Or(cmp.Compare(o.Rank, p.Rank), cmp.Compare(p.Title, o.Title), cmp.Compare(p.ID, o.ID))
}

// Result is a page of what was found.
type Result struct {
	Hits    []Hit // at most Limit
	More    bool  // after them come others
	Total   int
	Counts  map[Label]int // given the rest of the search, the label's own facet apart
	Partial bool          // no document has all of the words
	Instead []Instead     // what was taken for words that no document has
	Found   Found
}

// Hit is a document that was found.
type Hit struct {
	Place
	Slug    string
	State   string
	Missing []string // words of the query that it has not
}

// Instead is the word that was taken for one that no document has.
type Instead struct{ Typed, Taken string }

// Beside a bit for each need a document has one that it was seen at all, and one that a
// word stands in its title.
const (
	seen   = 1 << 31
	titled = 1 << 30

	meant = 0.7 // how well something has to do for a word, to be in its place
)

// The share of a query's weight that a document has to have.
const (
	enough       = 0.6 // of what the best one has
	enoughTitled = 0.3 // where a word stands in the title
	long         = 4   // words of a query that not every document has to have all of
	exactTitle   = 1e6
)

// Find searches. The error is one of Holds.
func (x *Index) Find(a Ask) (Result, error) {
	s := x.begin(a)
	defer s.end()
	matching, partial := s.matching()
	if err := s.holding(matching); err != nil {
		return Result{}, err
	}
	r := Result{Instead: s.instead, Found: Found{s.foundWords()}}
	var hits bitset
	r.Counts, hits = s.count(matching)
	r.Total = hits.count()
	r.Partial = partial && r.Total > 0
	places := s.page(hits)
	if r.More = len(places) > a.Limit; r.More {
		places = places[:a.Limit]
	}
	for _, p := range places {
		d := &x.docs[p.doc]
		r.Hits = append(r.Hits, Hit{p.Place, d.slug, d.state, s.missing(p.doc)})
	}
	return r, nil
}

// search is a search that is under way.
type search struct {
	*Index
	Ask
	*room
	needs   []need
	instead []Instead
	all     float32 // the weight of all needs
}

// room has what a search finds out of each document, by number.
type room struct {
	score, cover []float32
	has          []uint32 // which needs, a bit each, and seen and titled
	block        block
}

// block is what a search finds out of some documents that follow each other, of the need
// that is being looked at: few enough for the processor to have them at hand.
type block struct {
	now, how [blockLength]float32 // what it counts, and how well it does
}

const blockLength = 2048

func (x *Index) begin(a Ask) *search {
	s := &search{Index: x, Ask: a, room: <-x.rooms}
	if n := len(x.docs); len(s.score) < n {
		n += n / 8
		s.score, s.cover, s.has = make([]float32, n), make([]float32, n), make([]uint32, n)
	}
	s.needs = s.takeApart()
	return s
}

func (s *search) end() { s.rooms <- s.room }

// gather adds up, for every document, what its words count, a block after the other. It
// gives the most that any visible document covers of the query, and whether none has all.
func (s *search) gather(visible bitset) (best float32, partial bool) {
	for i := range s.needs {
		n := &s.needs[i]
		n.streams = s.streams(n)
		n.weight = s.rarity(n) * n.factor
		if !n.small {
			s.all += n.weight
		}
	}
	partial = true
	wanted := s.wanted()
	for from := 0; from < len(s.docs); from += blockLength {
		to := min(from+blockLength, len(s.docs))
		clear(s.score[from:to])
		clear(s.cover[from:to])
		clear(s.has[from:to])
		for i := range s.needs {
			n := &s.needs[i]
			found := false
			for k := range n.streams {
				found = n.streams[k].read(uint32(from), uint32(to), &s.block) || found
			}
			if found {
				s.addUp(from, to, 1<<i, n)
			}
		}
		for n := from; n < to; n++ {
			if has := s.has[n]; has != 0 && (s.cover[n] > best || partial && has&wanted == wanted) && visible.has(uint32(n)) {
				best = max(best, s.cover[n])
				partial = partial && has&wanted != wanted
			}
		}
	}
	return best, partial
}

// addUp adds what a need found in a block to what was found before.
func (s *search) addUp(from, to int, bit uint32, n *need) {
	score, cover, has := s.score[from:to], s.cover[from:to], s.has[from:to]
	for d := range score {
		now := s.block.now[d]
		if now == 0 {
			continue
		}
		how := s.block.how[d]
		s.block.now[d], s.block.how[d] = 0, 0
		score[d] += n.weight * now
		mark := uint32(seen)
		if how >= meant {
			mark |= bit
			if now >= inTitle/2 && !n.small {
				mark |= titled
			}
		}
		has[d] |= mark
		if !n.small { // else it counts, but is not what was asked for
			cover[d] += n.weight * how
		}
	}
}

// stream gives the documents that have a form of a word, one after the other.
type stream struct {
	data   []byte
	doc    uint32 // the next one, if there is one
	impact byte
	more   bool
	weight float32 // of an impact of one
	how    float32
	only   bitset // none others, if it is not nil
}

// streams gives every form of every alternative of a need.
func (s *search) streams(n *need) (all []stream) {
	for _, alt := range n.alts {
		usual, only := alt.words[0], bitset(nil)
		if len(alt.words) > 1 {
			usual, only = s.together(alt)
		}
		for _, f := range usual {
			factor := f.factor * alt.factor
			one := stream{data: s.words[f.word].posts.data, weight: factor / impactUnit, how: root(factor), only: only}
			one.next()
			all = append(all, one)
		}
	}
	return all
}

// together gives the documents that have a form of each word of an alternative. They are
// counted by the most usual one, which tells least.
func (s *search) together(alt alternative) (usual []form, all bitset) {
	words := slices.SortedFunc(slices.Values(alt.words), func(a, b []form) int { return s.having(a) - s.having(b) })
	for i, forms := range words {
		here := bitset{}
		for _, f := range forms {
			s.words[f.word].posts.each(func(d uint32, _ byte) {
				if i == 0 || all.has(d) {
					here.add(d)
				}
			})
		}
		all = here
	}
	return words[len(words)-1], all
}

// having is how many documents have forms of a word, each form counted by itself.
func (s *search) having(forms []form) (n int) {
	for _, f := range forms {
		n += s.words[f.word].posts.n
	}
	return n
}

func (s *stream) next() {
	if s.more = len(s.data) > 1; s.more {
		s.doc, s.impact, s.data = next(s.doc, s.data)
	}
}

// read puts what stands between two documents into a block, and says whether anything did.
func (s *stream) read(from, to uint32, b *block) (found bool) {
	doc, impact, data, more := s.doc, s.impact, s.data, s.more
	for more && doc < to {
		if s.only == nil || s.only.has(doc) {
			at := (doc - from) % blockLength
			if w := s.weight * float32(impact); w > b.now[at] {
				b.now[at] = w
			}
			if s.how > b.how[at] {
				b.how[at] = s.how
			}
			found = true
		}
		if more = len(data) > 1; more {
			if gap := data[0]; gap < 0x80 {
				doc, impact, data = doc+uint32(gap), data[1], data[2:]
			} else {
				doc, impact, data = next(doc, data)
			}
		}
	}
	s.doc, s.impact, s.data, s.more = doc, impact, data, more
	return found
}

// root is how well something does for a word: better than it counts.
func root(factor float32) float32 { return float32(math.Sqrt(float64(factor))) }

// rarity is how much a need tells, by how many documents have a form of its words or,
// where none has, what may stand in their place: the inverse document frequency of
// Robertson and Zaragoza (2009, (3.3), never below a little), tamed, since in a small
// library it is chance whether one or three have a word; and in steps of a quarter, so
// that a document more or less changes no rank.
func (s *search) rarity(n *need) float32 {
	const tamed = 0.6
	all, having := float64(len(s.docs)), float64(n.having)
	if having == 0 {
		var any bitset
		for _, one := range n.streams {
			for ; one.more; one.next() {
				any.add(one.doc)
			}
		}
		having = float64(any.count())
	}
	having = min(having, all)
	idf := math.Log((all-having+0.5)/(having+0.5) + 1)
	return float32(max(0.25, math.Round(math.Pow(idf, tamed)*4)/4))
}

// visible gives the documents that the search may find.
func (s *search) visible() bitset {
	var set bitset
	switch {
	case s.Shelf:
		set = slices.Clone(s.shelf)
	case s.All:
		set = slices.Clone(s.newest)
	default:
		set = slices.Clone(s.shelf)
		for _, n := range s.people[s.Own] {
			at := s.places[s.docs[n].entry]
			if at.open > 0 && at.shelf > 0 {
				set.remove(at.shelf - 1)
			}
			if s.newest.has(n) {
				set.add(n)
			}
		}
	}
	if s.Mine {
		var mine bitset
		for _, n := range s.people[s.Own] {
			mine.add(n)
		}
		set.and(mine)
	}
	for _, w := range s.Without {
		if w.Phrase {
			continue
		}
		for _, f := range s.forms(w.Text) {
			s.words[f.word].posts.each(func(d uint32, _ byte) { set.remove(d) })
		}
	}
	return set
}

// matching gives the documents that have all words and may be seen or, where there are
// none, those that have most of them.
func (s *search) matching() (hits bitset, partial bool) {
	hits = s.visible()
	if len(s.needs) == 0 {
		return hits, false
	}
	wanted := s.wanted()
	best, partial := s.gather(hits)
	strict := !partial && s.countNeeds() < long
	share := 1 / max(s.all, 1e-9)
	for i, word := range hits {
		for rest := word; rest != 0; rest &= rest - 1 {
			bit := bits.TrailingZeros64(rest)
			n := i*64 + bit
			has, least := s.has[n], best*enough
			if has&titled != 0 {
				least = best * enoughTitled
			}
			if has == 0 || s.cover[n] < least || strict && has&titled == 0 && has&wanted != wanted {
				word &^= 1 << bit
			} else if s.all > 0 {
				s.score[n] *= s.cover[n] * share
				if n < len(s.uses) && s.uses[n] > 0 {
					s.score[n] *= byUse(s.uses[n])
				}
			}
		}
		hits[i] = word
	}
	for _, n := range s.titles[s.Whole] {
		s.score[n] += exactTitle
	}
	return hits, partial
}

// wanted has a bit for each need that is missed where it is not there.
func (s *search) wanted() (bits uint32) {
	for i, n := range s.needs {
		if !n.small {
			bits |= 1 << i
		}
	}
	return bits
}

func (s *search) countNeeds() (n int) {
	for _, need := range s.needs {
		if !need.small {
			n++
		}
	}
	return n
}

// holding leaves those that hold the phrases, and not those that shall not.
func (s *search) holding(hits bitset) error {
	var none []string
	for _, w := range s.Without {
		if w.Phrase {
			none = append(none, w.Text)
		}
	}
	if len(s.Phrases)+len(none) == 0 {
		return nil
	}
	byID := map[int64]uint32{}
	var ids []int64
	hits.each(func(n uint32) bool {
		id := s.docs[n].id
		byID[id] = n
		ids = append(ids, id)
		return true
	})
	if len(ids) == 0 {
		return nil
	}
	held, err := s.Holds(ids, s.Phrases, none)
	if err != nil {
		return err
	}
	clear(hits)
	for _, id := range held {
		hits.add(byID[id])
	}
	return nil
}

// count counts the labels of documents that match the rest of the search, and gives the
// documents that match all of it.
func (s *search) count(matching bitset) (counts map[Label]int, hits bitset) {
	sets := make([]bitset, len(s.Choices))
	for i, c := range s.Choices {
		for _, l := range s.chosen(c) {
			sets[i].or(s.labels[l])
		}
	}
	narrow := func(but string) bitset {
		set := slices.Clone(matching)
		for i, c := range s.Choices {
			switch {
			case c.Not:
				set.without(sets[i])
			case c.Facet != but:
				set.and(sets[i])
			}
		}
		return set
	}
	hits = narrow("")
	of := map[string]bitset{}
	for _, c := range s.Choices {
		if of[c.Facet] == nil && !c.Not {
			of[c.Facet] = narrow(c.Facet)
		}
	}
	counts = map[Label]int{}
	add := func(label Label, having bitset) {
		set, is := of[label.Facet]
		if !is {
			set = hits
		}
		if n := set.countBoth(having); n > 0 {
			counts[label] = n
		}
	}
	for l, label := range s.named {
		add(label, s.labels[l])
	}
	for label, having := range s.withParts() {
		add(label, having)
	}
	return counts, hits
}

// withParts gives, for each label that others are under, the documents that have it or
// one of those.
func (s *search) withParts() map[Label]bitset {
	sets := map[Label]bitset{}
	for l, label := range s.named {
		for above, is := s.Above[label]; is; above, is = s.Above[above] {
			set, begun := sets[above]
			if own, is := s.label[above]; !begun && is {
				set = slices.Clone(s.labels[own])
			}
			set.or(s.labels[l])
			sets[above] = set
		}
	}
	return sets
}

// isUnder says whether a label is one of some terms, or under one.
func (s *search) isUnder(l Label, terms []string) bool {
	for is := true; is; l, is = s.Above[l] {
		if slices.Contains(terms, l.Term) {
			return true
		}
	}
	return false
}

// chosen gives the numbers of the labels that a choice is of.
func (s *search) chosen(c Choice) (numbers []int) {
	for n, l := range s.named {
		if l.Facet == c.Facet && (s.isUnder(l, c.Terms) || c.Facet == "owner" && isCalled(s.owners[l.Term], c.Terms)) {
			numbers = append(numbers, n)
		}
	}
	return numbers
}

// isCalled says whether a person has one of some names: words that words of the full name
// begin with.
func isCalled(fullName string, names []string) bool {
	full := Words(fullName)
	return slices.ContainsFunc(names, func(name string) bool {
		words := Words(name)
		return len(words) > 0 && !slices.ContainsFunc(words, func(w string) bool {
			return !slices.ContainsFunc(full, func(f string) bool { return strings.HasPrefix(f, w) })
		})
	})
}

type ranked struct {
	Place
	doc uint32
}

// page gives the documents of a page, in order, and one more where there is one.
func (s *search) page(hits bitset) []ranked {
	switch {
	case s.Newest:
		return s.pageOf(s.byTime, hits)
	case len(s.needs) == 0:
		return s.pageOf(s.byTitle, hits)
	}
	page := make([]ranked, 0, min(s.Limit, len(s.docs))+1)
	for _, n := range s.best(hits, s.Limit+1) {
		page = append(page, ranked{s.place(n), n})
	}
	return page
}

// best gives so many documents, those with the highest score first and else by title.
func (s *search) best(hits bitset, most int) []uint32 {
	compare := func(a, b uint32) int {
		return cmp.Or(cmp.Compare(s.score[b], s.score[a]), cmp.Compare(s.order[a], s.order[b]))
	}
	var best []uint32
	var last uint32 // of a full page
	full := false
	for i, word := range hits {
		for ; word != 0; word &= word - 1 {
			n := uint32(i*64 + bits.TrailingZeros64(word))
			if full && (s.score[n] < s.score[last] || s.score[n] == s.score[last] && s.order[n] > s.order[last]) {
				continue
			}
			if s.After != nil && s.place(n).compare(*s.After) <= 0 {
				continue
			}
			if best = append(best, n); len(best) >= 2*most {
				slices.SortFunc(best, compare)
				best = best[:most]
				last, full = best[most-1], true
			}
		}
	}
	slices.SortFunc(best, compare)
	return best[:min(most, len(best))]
}

// pageOf gives a page of a list that is in order.
func (s *search) pageOf(list []uint32, hits bitset) (page []ranked) {
	for _, n := range list {
		if !hits.has(n) {
			continue
		}
		p := ranked{s.place(n), n}
		if s.After != nil && p.compare(*s.After) <= 0 {
			continue
		}
		if page = append(page, p); len(page) > s.Limit {
			break
		}
	}
	return page
}

// place gives where a document stands among what was found.
func (s *search) place(n uint32) Place {
	d := &s.docs[n]
	p := Place{0, d.title, d.id}
	switch {
	case s.Newest:
		p.Rank = float64(d.at)
	case len(s.needs) > 0:
		p.Rank = float64(s.score[n])
	}
	return p
}

// byUse is how much more a document counts for its uses: a little for each doubling.
func byUse(uses float32) float32 {
	const each, most = 0.02, 1.4
	return float32(min(most, 1+each*math.Log2(1+float64(uses))))
}

// missing gives the words that a document has not.
func (s *search) missing(n uint32) []string {
	var words []string
	for i, need := range s.needs {
		if s.has[n]&(1<<i) == 0 && !need.small {
			words = append(words, strings.Join(need.typed, " "))
		}
	}
	return words
}

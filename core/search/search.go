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
	seen   = 1 << 63
	titled = 1 << 62

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
	s.gatherAll()
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
	room
	needs   []need
	instead []Instead
	all     float32 // the weight of all needs
}

// room has a cell for each document, all zero between searches.
type room []cell

// cell is what a search has found out of a document so far.
type cell struct {
	score, cover float32
	now, how     float32 // of the need that is being gathered: what it counts, and how well it does
	has          uint64  // which needs, a bit each
}

func (x *Index) begin(a Ask) *search {
	s := &search{Index: x, Ask: a, room: <-x.rooms}
	if n := len(x.docs); cap(s.room) < n {
		s.room = make(room, n, n+n/8)
	}
	s.room = s.room[:len(x.docs)]
	s.needs = s.takeApart()
	return s
}

func (s *search) end() {
	clear(s.room)
	s.rooms <- s.room
}

// gatherAll adds up, for every document, what its words count.
func (s *search) gatherAll() {
	for i := range s.needs {
		n := &s.needs[i]
		for _, alt := range n.alts {
			s.gather(alt)
		}
		n.weight = s.rarity(n) * n.factor
		if !n.small {
			s.all += n.weight
		}
		s.addUp(1<<i, n)
	}
}

// addUp adds what a need found to what was found before.
func (s *search) addUp(bit uint64, n *need) {
	for d := range s.room {
		c := &s.room[d]
		if c.now == 0 {
			continue
		}
		c.score += n.weight * c.now
		has := uint64(seen)
		if c.how >= meant {
			has |= bit
			if c.now >= inTitle/2 && !n.small {
				has |= titled
			}
		}
		c.has |= has
		if !n.small { // else it counts, but is not what was asked for
			c.cover += n.weight * c.how
		}
		c.now, c.how = 0, 0
	}
}

// gather adds an alternative of a need: documents with a form of each of its words.
func (s *search) gather(alt alternative) {
	if len(alt.words) == 1 {
		for _, f := range alt.words[0] {
			s.gatherForm(f, alt.factor)
		}
		return
	}
	// The documents that have all, counted by the most usual word, which tells least.
	words := slices.SortedFunc(slices.Values(alt.words), func(a, b []form) int { return s.having(a) - s.having(b) })
	var all bitset
	for i, forms := range words {
		var here bitset
		for _, f := range forms {
			s.words[f.word].posts.each(func(d uint32, _ byte) {
				if i == 0 || all.has(d) {
					here.add(d)
				}
			})
		}
		all = here
	}
	for _, f := range words[len(words)-1] {
		s.words[f.word].posts.each(func(d uint32, impact byte) {
			if all.has(d) {
				s.room[d].take(f.factor*alt.factor, float32(impact))
			}
		})
	}
}

// take counts that a document has what will do for a need.
func (c *cell) take(factor, impact float32) {
	c.now = max(c.now, factor*impact/impactUnit)
	c.how = max(c.how, root(factor))
}

// having is how many documents have forms of a word, each form counted by itself.
func (s *search) having(forms []form) (n int) {
	for _, f := range forms {
		n += s.words[f.word].posts.n
	}
	return n
}

func (s *search) gatherForm(f form, factor float32) {
	factor *= f.factor
	weight, how := factor/impactUnit, root(factor)
	cells := s.room
	var at uint32
	for data := s.words[f.word].posts.data; len(data) > 1; {
		var impact byte
		if gap := data[0]; gap < 0x80 {
			at, impact, data = at+uint32(gap), data[1], data[2:]
		} else {
			at, impact, data = next(at, data)
		}
		c := &cells[at]
		if w := weight * float32(impact); w > c.now {
			c.now = w
		}
		if how > c.how {
			c.how = how
		}
	}
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
		for d := range s.room {
			if s.room[d].now > 0 {
				having++
			}
		}
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
	best, partial := s.best(hits, wanted)
	strict := !partial && s.countNeeds() < long
	share := 1 / max(s.all, 1e-9)
	for i, word := range hits {
		for rest := word; rest != 0; rest &= rest - 1 {
			bit := bits.TrailingZeros64(rest)
			c := &s.room[i*64+bit]
			least := best * enough
			if c.has&titled != 0 {
				least = best * enoughTitled
			}
			if c.has == 0 || c.cover < least || strict && c.has&titled == 0 && c.has&wanted != wanted {
				word &^= 1 << bit
			} else if s.all > 0 {
				c.score *= c.cover * share
			}
		}
		hits[i] = word
	}
	for _, n := range s.titles[s.Whole] {
		s.room[n].score += exactTitle
	}
	return hits, partial
}

// best gives the most that any document covers of the query, and whether none has all.
func (s *search) best(of bitset, wanted uint64) (best float32, partial bool) {
	partial = true
	for i, word := range of {
		for ; word != 0; word &= word - 1 {
			c := &s.room[i*64+bits.TrailingZeros64(word)]
			best = max(best, c.cover)
			if c.has != 0 && c.has&wanted == wanted {
				partial = false
			}
		}
	}
	return best, partial
}

// wanted has a bit for each need that is missed where it is not there.
func (s *search) wanted() (bits uint64) {
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
	most := s.Limit + 1
	compare := func(a, b ranked) int { return a.compare(b.Place) }
	var best []ranked
	least := math.Inf(-1) // what the last of a full page has
	for i, word := range hits {
		for ; word != 0; word &= word - 1 {
			n := uint32(i*64 + bits.TrailingZeros64(word))
			if float64(s.room[n].score)*mostByUse < least {
				continue
			}
			rank := s.rank(n)
			if rank < least || s.After != nil && rank > s.After.Rank {
				continue
			}
			p := ranked{Place{rank, s.docs[n].title, s.docs[n].id}, n}
			if s.After != nil && p.compare(*s.After) <= 0 {
				continue
			}
			if best = append(best, p); len(best) >= 2*most {
				slices.SortFunc(best, compare)
				best = best[:most]
				least = best[most-1].Rank
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
		d := &s.docs[n]
		p := ranked{Place{0, d.title, d.id}, n}
		if s.Newest {
			p.Rank = float64(d.at)
		}
		if s.After != nil && p.compare(*s.After) <= 0 {
			continue
		}
		if page = append(page, p); len(page) > s.Limit {
			break
		}
	}
	return page
}

const mostByUse = 1.4

func (s *search) rank(n uint32) float64 {
	const byUse = 0.02 // for each doubling of its uses
	score := float64(s.room[n].score)
	if uses := s.docs[n].uses; uses > 0 {
		score *= min(mostByUse, 1+byUse*math.Log2(1+float64(uses)))
	}
	return math.Round(score*1000) / 1000
}

// missing gives the words that a document has not.
func (s *search) missing(n uint32) []string {
	var words []string
	for i, need := range s.needs {
		if s.room[n].has&(1<<i) == 0 && !need.small {
			words = append(words, strings.Join(need.typed, " "))
		}
	}
	return words
}

package search

import (
	"cmp"
	"math/bits"
	"slices"
	"strings"
)

// Sight is which documents a search may find.
type Sight struct {
	Shelf bool  // what is published, and nothing else
	All   bool  // of each entry the newest version, but for what is another's alone
	Own   int64 // of the entries of this person the newest version, of others what is published
}

// Choice narrows a search to documents with any of the terms of a facet, or with none of
// them. An owner may be named by words that words of the full name begin with.
type Choice struct {
	Facet string
	Terms []string
	Not   bool

	Always bool // for the counts of its own facet too: beyond it nothing is to be seen
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

	Held []int64 // of a search with phrases: the documents, by id, that hold them; see Candidates
}

// Candidates are the documents, by id, of which a search with phrases has to know whether they
// hold all of some and none of others, letter by letter but for case. The index does not
// know that: the caller asks the database, without a lock on the index.
type Candidates struct {
	IDs       []int64
	All, None []string
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

const meant = 0.7 // how well something has to do for a word, to be in its place

// The share of a query's weight that a document has to have.
const (
	enough       = 0.6 // of what the best one has
	enoughTitled = 0.3 // where a word stands in the title
	long         = 4   // words of a query that not every document has to have all of
	exactTitle   = 1e6
)

// Candidates gives what a search with phrases needs to know, and none for one without.
func (x *Index) Candidates(a Ask) (c Candidates) {
	if c.All, c.None = a.phrases(); len(c.All)+len(c.None) == 0 {
		return Candidates{}
	}
	s := x.begin(a)
	defer s.end()
	matching, _ := s.matching()
	matching.each(func(n uint32) bool {
		c.IDs = append(c.IDs, s.docs[n].id)
		return true
	})
	return c
}

// phrases gives those that documents must have, and those that they must not.
func (a Ask) phrases() (all, none []string) {
	for _, w := range a.Without {
		if w.Phrase {
			none = append(none, w.Text)
		}
	}
	return a.Phrases, none
}

// Find searches.
func (x *Index) Find(a Ask) Result {
	s := x.begin(a)
	defer s.end()
	matching, partial := s.matching()
	s.holding(matching)
	r := Result{Instead: s.instead, Found: newFound(s.foundWords())}
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
	return r
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
	found  []found
	seen   bitset   // it may be a hit
	titled bitset   // a word of it stands in its title
	blocks []*block // of each need
}

// found is what is found out of a document: its score, and what it covers of the query.
type found struct{ score, cover float32 }

// block is what a need finds out of some documents that follow each other: few enough for
// the processor to have them at hand. Floats are kept as their bits, which are in the same
// order.
type block struct {
	now, how          [blockLength]uint32      // what it counts, and how well it does
	met, near, titled [blockLength / 64]uint64 // it has it, or what only counts a little
	clean             bool                     // nothing is found
}

const blockLength = 2048

func (x *Index) begin(a Ask) *search {
	s := &search{Index: x, Ask: a, room: <-x.rooms}
	if n := len(x.docs); len(s.found) < n {
		s.found = make([]found, (n+n/8)/blockLength*blockLength+blockLength)
	}
	s.needs = s.takeApart()
	return s
}

func (s *search) end() { s.rooms <- s.room }

// visible gives the documents that the search may find.
func (s *search) visible() bitset {
	var set bitset
	switch {
	case s.Shelf:
		set = slices.Clone(s.shelf)
	case s.All:
		set = slices.Clone(s.newest)
		set.without(s.secret)
		for _, n := range s.people[s.Own] {
			if s.secret.has(n) && s.docs[n].people[0] == s.Own && s.newest.has(n) {
				set.add(n)
			}
		}
	default:
		set = slices.Clone(s.shelf)
		for _, n := range s.people[s.Own] {
			at := s.places[s.docs[n].entry]
			if at.open > 0 && at.shelf > 0 {
				set.remove(at.shelf - 1)
			}
			if s.newest.has(n) && (!s.secret.has(n) || s.docs[n].people[0] == s.Own) {
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
	strict := s.countNeeds() < long
	best, complete := s.gather(hits, strict)
	if strict && !complete {
		best, _ = s.gather(hits, false)
	}
	hits.and(s.seen)
	share := 1 / max(s.all, 1e-9)
	for i, word := range hits {
		for rest := word; rest != 0; rest &= rest - 1 {
			bit := bits.TrailingZeros64(rest)
			n := i*64 + bit
			f := &s.found[n]
			if f.cover < best*enough && (f.cover < best*enoughTitled || s.titled[i]&(1<<bit) == 0) {
				word &^= 1 << bit
			} else if s.all > 0 {
				f.score *= f.cover * share
				if n < len(s.uses) && s.uses[n] > 0 {
					f.score *= byUse(s.uses[n])
				}
			}
		}
		hits[i] = word
	}
	s.favourTitle(hits)
	return hits, !complete
}

// favourTitle puts the documents whose whole title was typed before all others.
func (s *search) favourTitle(hits bitset) {
	hash := s.titleHash(s.Whole)
	for i := range hits {
		for rest := hits[i] & s.titled[i]; rest != 0; rest &= rest - 1 {
			n := i*64 + bits.TrailingZeros64(rest)
			if s.titles[n] == hash && titleKey(s.docs[n].title) == s.Whole {
				s.found[n].score += exactTitle
			}
		}
	}
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
func (s *search) holding(hits bitset) {
	if all, none := s.phrases(); len(all)+len(none) == 0 {
		return
	}
	held := make(map[int64]bool, len(s.Held))
	for _, id := range s.Held {
		held[id] = true
	}
	for i, word := range hits {
		for rest := word; rest != 0; rest &= rest - 1 {
			bit := bits.TrailingZeros64(rest)
			if !held[s.docs[i*64+bit].id] {
				word &^= 1 << bit
			}
		}
		hits[i] = word
	}
}

// missing gives the words that a document has not.
func (s *search) missing(n uint32) []string {
	var words []string
	for _, need := range s.needs {
		if !need.small && !need.met.has(n) {
			words = append(words, strings.Join(need.typed, " "))
		}
	}
	return words
}

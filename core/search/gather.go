package search

import (
	"math"
	"slices"
)

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
	least  byte   // impact: what is far off counts in titles and summaries alone
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
			if one.how < meant {
				one.least = inSummary * impactUnit
			}
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
		if impact >= s.least && (s.only == nil || s.only.has(doc)) {
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

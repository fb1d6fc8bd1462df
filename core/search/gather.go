package search

import (
	"cmp"
	"math"
	"math/bits"
	"slices"
)

// gather adds up, for every visible document that may be a hit, what its words count, a
// block after the other. These are, if strict, the documents that have all of what was
// asked for, or a word of it in the title, and else those that have any of it. It gives the
// most that one of them covers of the query, and whether one has all.
func (s *search) gather(visible bitset, strict bool) (best float32, complete bool) {
	s.all = 0
	room := (len(s.docs) + blockLength - 1) / blockLength * blockLength
	for i := range s.needs {
		n := &s.needs[i]
		n.streams, n.met = s.streams(n), empty(n.met, room)
		n.weight = s.rarity(n) * n.factor
		if !n.small {
			s.all += n.weight
		}
	}
	s.seen, s.titled = empty(s.seen, room), empty(s.titled, room)
	for len(s.blocks) < len(s.needs) {
		s.blocks = append(s.blocks, new(block))
	}
	for from := 0; from < room; from += blockLength {
		some := 0
		for i := range s.needs {
			s.blocks[i].read(s.needs[i].streams, uint32(from))
		}
		for i := from / 64; i < min((from+blockLength)/64, len(visible)); i++ {
			may, all := s.candidates(i, visible[i], strict)
			complete = complete || all
			s.seen[i] = may
			some += bits.OnesCount64(may)
		}
		best = max(best, s.addUp(from, some))
	}
	return best, complete
}

// candidates gives those of 64 documents that may be hits, and whether one has all of what
// was asked for.
func (s *search) candidates(at int, visible uint64, strict bool) (may uint64, complete bool) {
	in := at % (blockLength / 64)
	all := visible
	for i := range s.needs {
		n, b := &s.needs[i], s.blocks[i]
		may |= b.met[in] | b.near[in]
		if !n.small {
			n.met[at] = b.met[in]
			all &= b.met[in]
			s.titled[at] |= b.titled[in]
		}
	}
	complete = all&may != 0
	if strict {
		may &= all | s.titled[at]
	}
	return may & visible, complete
}

// many is how many documents of a block have to be looked at before it is less work to go
// through all of it.
const many = blockLength / 5

// addUp adds what the needs found of some of the documents from one on that may be hits,
// and gives the most that one covers of the query.
func (s *search) addUp(from, some int) (best float32) {
	found := (*[blockLength]found)(s.found[from:])
	clear(found[:])
	for i := range s.needs {
		n, b := &s.needs[i], s.blocks[i]
		covers := n.weight
		if n.small { // it counts, but is not what was asked for
			covers = 0
		}
		switch {
		case b.clean || some == 0:
		case some > many:
			for k := range found {
				f := &found[k]
				f.score += n.weight * math.Float32frombits(b.now[k])
				f.cover += covers * math.Float32frombits(b.how[k])
			}
		default:
			for word := range blockLength / 64 {
				for may := s.seen[from/64+word]; may != 0; may &= may - 1 {
					k := word*64 + bits.TrailingZeros64(may)
					found[k].score += n.weight * math.Float32frombits(b.now[k])
					found[k].cover += covers * math.Float32frombits(b.how[k])
				}
			}
		}
	}
	for word := range blockLength / 64 {
		for may := s.seen[from/64+word]; may != 0; may &= may - 1 {
			best = max(best, found[word*64+bits.TrailingZeros64(may)].cover)
		}
	}
	return best
}

// stream gives the documents that have a form of a word, one after the other.
type stream struct {
	data   []byte
	at     int    // in data
	doc    uint32 // the next one
	impact byte
	weight float32 // of an impact of one
	how    float32
	only   bitset // none others, if it is not nil
	least  byte   // impact: what is far off counts in titles and summaries alone
}

const noMore = math.MaxUint32 // documents

// streams gives every form of every alternative of a need, what does best for it last.
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
			one.doc, one.impact, one.at = next(0, one.data, 0)
			all = append(all, one)
		}
	}
	slices.SortFunc(all, func(a, b stream) int { return cmp.Compare(a.how, b.how) })
	return all
}

// together gives of an alternative of several words the forms of the most usual one, which
// tells least and by which it is counted, and the documents that have a form of each other.
func (s *search) together(alt alternative) (usual []form, others bitset) {
	words := slices.SortedFunc(slices.Values(alt.words), func(a, b []form) int { return s.having(a) - s.having(b) })
	last := len(words) - 1
	for i, forms := range words[:last] {
		here := make(bitset, len(s.docs)/64+1)
		for _, f := range forms {
			s.words[f.word].posts.mark(here)
		}
		if i > 0 {
			here.and(others)
		}
		others = here
	}
	return words[last], others
}

// having is how many documents have forms of a word, each form counted by itself.
func (s *search) having(forms []form) (n int) {
	for _, f := range forms {
		n += s.words[f.word].posts.n
	}
	return n
}

// read takes from streams what stands among the documents from one on.
func (b *block) read(streams []stream, from uint32) {
	if !b.clean {
		*b = block{clean: true}
	}
	for i := range streams {
		if s := &streams[i]; s.doc < from+blockLength {
			s.read(from, b)
		}
	}
}

func (s *stream) read(from uint32, b *block) {
	b.clean = false
	how := math.Float32bits(s.how)
	set, titled := &b.met, int(math.Ceil(float64(inTitle/2/s.weight))) // impact
	if s.how < meant {
		set, titled = &b.near, math.MaxInt
	}
	data, at, doc, impact := s.data, s.at, s.doc, s.impact
	for doc < from+blockLength {
		if impact >= s.least && (s.only == nil || s.only.has(doc)) {
			k := (doc - from) % blockLength
			b.now[k] = max(b.now[k], math.Float32bits(s.weight*float32(impact)))
			b.how[k] = how // none before did better
			set[k/64] |= 1 << (k % 64)
			if int(impact) >= titled {
				b.titled[k/64] |= 1 << (k % 64)
			}
		}
		if at+1 < len(data) && data[at] < 0x80 {
			doc, impact, at = doc+uint32(data[at]), data[at+1], at+2
		} else {
			doc, impact, at = next(doc, data, at)
		}
	}
	s.at, s.doc, s.impact = at, doc, impact
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
	having := n.having
	if having == 0 {
		for _, alt := range n.alts {
			rarest := len(s.docs)
			for _, forms := range alt.words {
				rarest = min(rarest, s.having(forms))
			}
			having = max(having, rarest)
		}
	}
	all, some := float64(len(s.docs)), float64(min(having, len(s.docs)))
	idf := math.Log((all-some+0.5)/(some+0.5) + 1)
	return float32(max(0.25, math.Round(math.Pow(idf, tamed)*4)/4))
}

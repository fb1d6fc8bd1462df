package search

import (
	"cmp"
	"math"
	"math/bits"
	"slices"
)

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
		return cmp.Or(cmp.Compare(s.found[b].score, s.found[a].score), cmp.Compare(s.order[a], s.order[b]))
	}
	var best []uint32
	var last uint32 // of a full page
	full := false
	for i, word := range hits {
		for ; word != 0; word &= word - 1 {
			n := uint32(i*64 + bits.TrailingZeros64(word))
			if full && (s.found[n].score < s.found[last].score || s.found[n].score == s.found[last].score && s.order[n] > s.order[last]) {
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
		p.Rank = float64(s.found[n].score)
	}
	return p
}

// byUse is how much more a document counts for its uses: a little for each doubling.
func byUse(uses float32) float32 {
	const each, most = 0.02, 1.4
	return float32(min(most, 1+each*math.Log2(1+float64(uses))))
}

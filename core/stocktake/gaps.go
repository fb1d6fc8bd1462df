package stocktake

import (
	"cmp"
	"slices"
	"strings"

	"goldshelf/core/search"
)

// Missed is what was searched for in vain.
type Missed struct {
	Words    string
	Times    int    // it was not found
	Unopened int    // it was, and nothing of it opened
	Last     string // a day
}

func (m Missed) all() int { return m.Times + m.Unopened }

// Gap is searches for much the same.
type Gap struct {
	Words    string   `json:"words"` // as they were typed most often
	Times    int      `json:"times"` // that it was not found, in all
	Unopened int      `json:"unopened,omitempty"`
	Last     string   `json:"last"` // a day
	Others   []string `json:"others,omitempty"`
}

// alike is from which part of their words on, of those that either has, searches are for much
// the same.
const alike = 0.5

// Gaps puts searches that are for much the same together: those that have at least half of their
// words in common, by their stems and without small words (P. Jaccard, 1901). The most often
// typed in vain comes first, in each and of all.
func Gaps(all []Missed) []Gap {
	all = slices.Clone(all)
	slices.SortStableFunc(all, func(a, b Missed) int { return cmp.Or(b.all()-a.all(), cmp.Compare(a.Words, b.Words)) })
	var gaps []Gap
	var stems []map[string]bool  // of the first of each gap
	having := map[string][]int{} // gaps by the stems of their first
	for _, m := range all {
		own := stemsOf(m.Words)
		best, at := alike, -1
		for _, i := range candidates(own, having) {
			if j := jaccard(own, stems[i]); j > best || j == best && at < 0 {
				best, at = j, i
			}
		}
		if at < 0 {
			for s := range own {
				having[s] = append(having[s], len(gaps))
			}
			gaps, stems = append(gaps, Gap{Words: m.Words, Times: m.Times, Unopened: m.Unopened, Last: m.Last}), append(stems, own)
			continue
		}
		g := &gaps[at]
		g.Times += m.Times
		g.Unopened += m.Unopened
		g.Last = max(g.Last, m.Last)
		g.Others = append(g.Others, m.Words)
	}
	slices.SortStableFunc(gaps, func(a, b Gap) int { return b.Times + b.Unopened - a.Times - a.Unopened })
	return gaps
}

// candidates gives the gaps that have a stem in common with some, in their order.
func candidates(own map[string]bool, having map[string][]int) (all []int) {
	for s := range own {
		all = append(all, having[s]...)
	}
	slices.Sort(all)
	return slices.Compact(all)
}

func stemsOf(words string) map[string]bool {
	all, small := map[string]bool{}, map[string]bool{}
	for _, w := range strings.Fields(strings.ToLower(words)) {
		if search.IsSmall(w) {
			small[w] = true
			continue
		}
		all[search.Stem(w)] = true
	}
	if len(all) == 0 {
		return small
	}
	return all
}

func jaccard(a, b map[string]bool) float64 {
	both := 0
	for s := range a {
		if b[s] {
			both++
		}
	}
	if n := len(a) + len(b) - both; n > 0 {
		return float64(both) / float64(n)
	}
	return 0
}

package likeness

import (
	"cmp"
	"slices"
)

// Passage is a stretch that two texts have in common, in bytes of each.
type Passage struct {
	Start, End           int
	OtherStart, OtherEnd int
	Words                int
}

// Common gives the passages of at least so many words in a row that two texts
// have in common, in the order of a and without overlap, longest first where
// two compete. Both may have other case, punctuation and mark-up there.
func Common(a, b *Text, least int) []Passage {
	least = max(least, Shingle)
	if len(a.words) < least || len(b.words) < least {
		return nil
	}
	where := make(map[uint64][]int, len(b.shingles))
	for j, h := range b.shingles {
		if at := where[h]; len(at) < mostPlaces {
			where[h] = append(at, j)
		}
	}
	var found []Passage
	for i := 0; i < len(a.shingles); {
		best, at := 0, 0
		for _, j := range where[a.shingles[i]] {
			if n := sameWords(a.words[i:], b.words[j:]); n > best {
				best, at = n, j
			}
		}
		if best < least {
			i++
			continue
		}
		last, otherLast := a.words[i+best-1], b.words[at+best-1]
		found = append(found, Passage{a.words[i].start, last.end, b.words[at].start, otherLast.end, best})
		i += best
	}
	return found
}

// mostPlaces is how often a run of words is looked at in one text: what stands
// there more often says little.
const mostPlaces = 64

func sameWords(a, b []word) int {
	n := 0
	for n < len(a) && n < len(b) && a[n].hash == b[n].hash {
		n++
	}
	return n
}

// Recurring is a passage that several texts have: sentences in a row, in the
// words of the first text that has them.
type Recurring struct {
	Text  string
	Words int
	In    []int // indices of the texts, in order
}

// Recurring gives the passages that at least so many of the texts have, those
// first that would save the most words.
func FindRecurring(texts []*Text, least int) []Recurring {
	in := map[int64][]int{}
	all := make([][]unit, len(texts))
	for i, t := range texts {
		all[i] = t.units()
		for _, u := range all[i] {
			if at := in[u.hash]; len(at) == 0 || at[len(at)-1] != i {
				in[u.hash] = append(at, i)
			}
		}
	}
	told := map[int64]bool{}
	var found []Recurring
	for i, units := range all {
		for k := 0; k < len(units); k++ {
			who := in[units[k].hash]
			if len(who) < least || told[units[k].hash] {
				continue
			}
			from := k
			told[units[k].hash] = true
			// Sentences that follow, in the same texts, belong to it.
			for k+1 < len(units) && units[k+1].start == units[k].end && slices.Equal(in[units[k+1].hash], who) && !told[units[k+1].hash] {
				k++
				told[units[k].hash] = true
			}
			t := texts[i]
			start, end := t.words[units[from].start].start, sentenceEnd(t.src, t.words[units[k].end-1].end)
			found = append(found, Recurring{t.src[start:end], units[k].end - units[from].start, who})
		}
	}
	slices.SortStableFunc(found, func(a, b Recurring) int {
		return cmp.Compare((len(b.In)-1)*b.Words, (len(a.In)-1)*a.Words)
	})
	return found
}

// sentenceEnd takes the full stop and what closes around it to the sentence.
func sentenceEnd(src string, at int) int {
	for _, c := range src[at:] {
		switch c {
		case '.', '!', '?', '"', '”', '’', ')':
			at += len(string(c))
			continue
		}
		break
	}
	return at
}

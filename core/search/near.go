package search

import (
	"cmp"
	"slices"
)

// gram is three letters that follow each other in a word, spaces around it.
type gram [3]byte

func gramsOf(word string) []gram {
	padded := "  " + word + " "
	all := make([]gram, 0, len(word)+1)
	for i := 0; i+3 <= len(padded); i++ {
		if g := (gram{padded[i], padded[i+1], padded[i+2]}); !slices.Contains(all, g) {
			all = append(all, g)
		}
	}
	return all
}

const mostNear = 5

// near gives the words that are nearest to one that no document has: those that share
// enough of its trigrams, by how few letters are to be changed, put in, taken out or
// changed with their neighbour.
func (x *vocabulary) near(w string) []form {
	if len(w) < 4 {
		return nil
	}
	grams := gramsOf(w)
	shared := map[int32]int{}
	for _, g := range grams {
		for _, id := range x.grams[g] {
			shared[id]++
		}
	}
	most := 1 + len(w)/5 // letters
	type candidate struct {
		form
		off, n int
	}
	var all []candidate
	for id, n := range shared {
		word := &x.words[id]
		if word.posts.n == 0 || abs(len(word.text)-len(w)) > most || n*4 < len(grams) {
			continue
		}
		if off := distance(w, word.text, most); off <= most {
			all = append(all, candidate{form{id, 0.8 - 0.5*float32(off)/float32(len(w))*2}, off, int(word.posts.n)})
		}
	}
	slices.SortFunc(all, func(a, b candidate) int {
		same := func(c candidate) int { // a first letter is seldom wrong
			if x.words[c.word].text[0] == w[0] {
				return 0
			}
			return 1
		}
		return cmp.Or(cmp.Compare(a.off, b.off), cmp.Compare(same(a), same(b)), cmp.Compare(b.n, a.n), cmp.Compare(a.word, b.word))
	})
	var forms []form
	for _, c := range all {
		if c.off == all[0].off && len(forms) < mostNear {
			forms = append(forms, form{c.word, max(0.2, c.factor)})
			for _, f := range x.forms(x.words[c.word].text) {
				if f.word != c.word {
					forms = append(forms, form{f.word, max(0.2, c.factor*f.factor)})
				}
			}
		}
	}
	return forms
}

func abs(n int) int { return max(n, -n) }

// distance is the number of letters between two words, by bytes: the optimal string
// alignment distance (F. J. Damerau, "A technique for computer detection and correction
// of spelling errors", 1964). Above most it is most and one.
func distance(a, b string, most int) int {
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		least := i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
			least = min(least, row[j])
		}
		if least > most {
			return most + 1
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}

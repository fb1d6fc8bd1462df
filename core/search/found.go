package search

import (
	"slices"
	"strings"
	"unicode/utf8"
)

// Found says which words of a text are what was looked for.
type Found struct {
	words   map[string]foundWord
	lengths [256]uint64 // of the words that begin with a byte, a bit each
}

type foundWord struct {
	weight float32
	stem   string
}

// foundWords gives the words that say what was looked for: those that will do for it, and
// what is further off only where there is nothing nearer.
func (s *search) foundWords() map[string]foundWord {
	const near = 0.45
	all := map[string]foundWord{}
	for _, n := range s.needs {
		if n.small && n.factor < 0.2 {
			continue
		}
		best := float32(0)
		n.eachForm(func(_ int32, factor float32) { best = max(best, factor) })
		least := min(near, 0.7*best)
		n.eachForm(func(word int32, factor float32) {
			if factor >= least {
				w := &s.words[word]
				all[w.text] = foundWord{max(all[w.text].weight, n.weight*factor), w.stem}
			}
		})
	}
	return all
}

func newFound(words map[string]foundWord) Found {
	f := Found{words: words}
	for w := range words {
		f.lengths[w[0]] |= 1 << (len(w) % 64)
	}
	return f
}

// word gives what is known of a word. Most are told apart by how they begin and how long
// they are.
func (f *Found) word(w []byte) (foundWord, bool) {
	if f.lengths[w[0]]&(1<<(len(w)%64)) == 0 {
		return foundWord{}, false
	}
	found, is := f.words[string(w)]
	return found, is
}

// eachForm gives every word that will do for a need by itself, or was typed, and how much
// it counts.
func (n need) eachForm(do func(word int32, factor float32)) {
	for _, alt := range n.alts {
		if len(alt.words) > 1 && alt.other {
			continue
		}
		for _, forms := range alt.words {
			for _, f := range forms {
				do(f.word, f.factor*alt.factor)
			}
		}
	}
}

// Marks gives the words of texts that were looked for, each once and as it stands there.
func (f *Found) Marks(texts ...string) []string {
	var all []string
	seen := map[string]bool{}
	for _, text := range texts {
		eachWord(text, func(w []byte, start, end int) {
			if _, is := f.word(w); is && !seen[text[start:end]] {
				seen[text[start:end]] = true
				all = append(all, text[start:end])
			}
		})
	}
	return all
}

const passageLength = 160 // characters, about

// Passage gives the part of a text in which most of what was looked for stands that is
// not in what is shown anyway; or nothing. It is a line of it, or some 160 characters.
func (f *Found) Passage(shown, body string) string {
	seen := map[string]bool{} // by what their forms have in common
	eachWord(shown, func(w []byte, _, _ int) {
		if found, is := f.word(w); is {
			seen[found.stem] = true
		}
	})
	most := f.most(seen)
	best, bestAt, from := float32(0), -1, ""
	for line := range strings.Lines(body) {
		sum, first := float32(0), -1
		var here []string
		eachWord(line, func(w []byte, start, _ int) {
			found, is := f.word(w)
			if is && !seen[found.stem] && !slices.Contains(here, found.stem) {
				here = append(here, found.stem)
				sum += found.weight
				if first < 0 {
					first = start
				}
			}
		})
		if sum > best {
			best, bestAt, from = sum, first, line
		}
		if best >= most {
			break
		}
	}
	if bestAt < 0 {
		return ""
	}
	return excerpt(from, bestAt)
}

// most is what a line can hold at most of what has not been seen, a little less for the
// order in which it is added up.
func (f *Found) most(seen map[string]bool) (sum float32) {
	of := map[string]float32{}
	for _, w := range f.words {
		if !seen[w.stem] && w.weight > of[w.stem] {
			sum += w.weight - of[w.stem]
			of[w.stem] = w.weight
		}
	}
	return sum * 0.999
}

// excerpt cuts a line to about 160 characters around a byte of it.
func excerpt(line string, at int) string {
	const before = 60
	trimmed := strings.TrimSpace(line)
	if utf8.RuneCountInString(trimmed) <= passageLength {
		return trimmed
	}
	start := max(0, at-before)
	for start > 0 && line[start-1] != ' ' {
		start--
	}
	runes := []rune(line[start:])
	end := min(passageLength, len(runes))
	text := strings.TrimSpace(string(runes[:end]))
	if start > 0 {
		text = "… " + text
	}
	if end < len(runes) {
		text += " …"
	}
	return text
}

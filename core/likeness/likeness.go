// Package likeness says how nearly two texts say the same: exactly, from the
// words that they share, and by small prints of texts, which find the few among
// many that are worth an exact look. It keeps nothing; where prints are kept and
// looked up is the caller's business.
package likeness

import (
	"math"
	"math/bits"
	"slices"
	"unicode"
	"unicode/utf8"
)

// Sizes of what a text is compared by.
const (
	Shingle = 3   // words that are taken together
	hashes  = 128 // smallest hashes of a print
	rows    = 4   // of these make a band
	Bands   = hashes / rows
	// LeastUnit is how many words a sentence has at least to be known again.
	LeastUnit = 6
)

// From which share on a text is said to be like another: of all that either has, and of
// what the smaller one has where nearly all of it is in the other.
const (
	Alike           = 0.5
	AlmostContained = 0.8
)

// Percent is a share in whole percent, cut off and not rounded: 100 is all of it.
func Percent(share float64) int { return int(math.Floor(share*100 + 1e-9)) }

// Text is a text read for comparing: its words without case, punctuation and
// mark-up. A mark of the fill-in language counts as one word, whatever is in it.
type Text struct {
	src      string
	words    []word
	shingles []uint64 // hash of each run of Shingle words, in the order of the text
	set      []uint64 // the same, sorted and each once
}

type word struct {
	hash       uint64
	start, end int // bytes of the source
}

// Read reads a text of any length and content.
func Read(src string) *Text {
	t := &Text{src: src, words: make([]word, 0, len(src)/6+1)}
	for at := 0; at < len(src); {
		start, end, hash := nextWord(src, at)
		if start == end {
			break
		}
		t.words = append(t.words, word{hash, start, end})
		at = end
	}
	n := len(t.words) - Shingle + 1
	if n < 1 && len(t.words) > 0 {
		n = 1 // a text of a word or two is one shingle
	}
	t.shingles = make([]uint64, 0, max(n, 0))
	for i := range max(n, 0) {
		t.shingles = append(t.shingles, run(t.words[i:min(i+Shingle, len(t.words))]))
	}
	t.set = slices.Compact(slices.Sorted(slices.Values(t.shingles)))
	return t
}

// nextWord finds the word at or after a place: letters and digits with the
// apostrophes inside them, or a whole mark. It gives start == end at the end.
func nextWord(src string, at int) (start, end int, hash uint64) {
	for at < len(src) {
		if src[at] == '{' && at+1 < len(src) && src[at+1] == '{' {
			end := at + 2
			for end < len(src) && src[end] != '\n' && (src[end] != '}' || end+1 >= len(src) || src[end+1] != '}') {
				end++
			}
			return at, min(end+2, len(src)), 1
		}
		r, size := utf8.DecodeRuneInString(src[at:])
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			break
		}
		at += size
	}
	hash = 14695981039346656037 // FNV-1a (Fowler, Noll and Vo), over runes
	start = at
	for at < len(src) {
		r, size := utf8.DecodeRuneInString(src[at:])
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.Is(unicode.Mn, r) && r != '\'' && r != '’' {
			break
		}
		if r != '\'' && r != '’' {
			hash = (hash ^ uint64(unicode.ToLower(r))) * 1099511628211
		}
		at += size
	}
	return start, at, hash
}

// run is the hash of words in a row.
func run(words []word) uint64 {
	h := uint64(len(words))
	for _, w := range words {
		h = mix(h ^ w.hash)
	}
	return h
}

// mix spreads a value over all bits: the finalizer of MurmurHash3 (Appleby, 2011).
func mix(h uint64) uint64 {
	h ^= h >> 33
	h *= 0xff51afd7ed558ccd
	h ^= h >> 33
	h *= 0xc4ceb9fe1a85ec53
	return h ^ h>>33
}

// Words is how many words the text has.
func (t *Text) Words() int { return len(t.words) }

// Jaccard is how much two texts share of all that either has: the number of
// shingles in both over the number in either (Jaccard, 1901), from 0 to 1. Two
// texts without words are alike.
func Jaccard(a, b *Text) float64 {
	both := common(a.set, b.set)
	either := len(a.set) + len(b.set) - both
	if either == 0 {
		return 1
	}
	return float64(both) / float64(either)
}

// Contained is how much of part is in whole: the share of its shingles, from
// 0 to 1 (Broder, On the resemblance and containment of documents, 1997).
func Contained(part, whole *Text) float64 {
	if len(part.set) == 0 {
		return 0
	}
	return float64(common(part.set, whole.set)) / float64(len(part.set))
}

// common counts what two sorted sets share.
func common(a, b []uint64) int {
	n := 0
	for i, j := 0, 0; i < len(a) && j < len(b); {
		switch {
		case a[i] < b[j]:
			i++
		case a[i] > b[j]:
			j++
		default:
			n++
			i++
			j++
		}
	}
	return n
}

// Print is a text in small. Two texts are worth an exact look if their prints
// have a band in common, or a unit.
type Print struct {
	Bands []int64 // Bands of them; none for a text without words
	Units []int64 // of each sentence that has LeastUnit words, each once
}

// Print gives the text's print. Bands are made of the smallest of 128 hashes
// over all shingles, four to a band (MinHash with banding: Broder 1997; Leskovec,
// Rajaraman and Ullman, Mining of Massive Datasets, 3.4): two texts with the
// Jaccard likeness s share one with the probability 1 − (1 − s⁴)³², which is
// over 0.9999 at 0.8 and under 0.003 at 0.1.
func (t *Text) Print() Print {
	var p Print
	if len(t.set) == 0 {
		return p
	}
	var least [hashes]uint32
	for i := range least {
		least[i] = ^uint32(0)
	}
	for _, x := range t.set {
		for i := range least {
			// Multiply and shift (Dietzfelbinger and others, 1997).
			least[i] = min(least[i], uint32((multipliers[i]*x+offsets[i])>>32))
		}
	}
	p.Bands = make([]int64, Bands)
	for b := range p.Bands {
		h := uint64(b) + 1
		for _, v := range least[b*rows : (b+1)*rows] {
			h = mix(h ^ uint64(v))
		}
		p.Bands[b] = int64(h)
	}
	for _, u := range t.units() {
		p.Units = append(p.Units, u.hash)
	}
	slices.Sort(p.Units)
	p.Units = slices.Compact(p.Units)
	return p
}

// multipliers and offsets are fixed, so that prints last.
var multipliers, offsets = func() (m, o [hashes]uint64) {
	for i := range m {
		m[i] = mix(uint64(i)*0x9e3779b97f4a7c15+1) | 1
		o[i] = bits.Reverse64(m[i])
	}
	return m, o
}()

// unit is a sentence, or a line that is none.
type unit struct {
	hash       int64
	start, end int // indices of words
}

// units takes the text apart at its lines and sentences, and leaves out what is
// too short to be known again.
func (t *Text) units() []unit {
	var all []unit
	from := 0
	for i := range t.words {
		if i+1 < len(t.words) && !ends(t.src[t.words[i].end:t.words[i+1].start]) {
			continue
		}
		if i+1-from >= LeastUnit {
			all = append(all, unit{int64(run(t.words[from : i+1])), from, i + 1})
		}
		from = i + 1
	}
	return all
}

// ends says whether a sentence ends between two words.
func ends(between string) bool {
	for i, c := range between {
		switch c {
		case '\n':
			return true
		case '.', '!', '?', ':', ';':
			if rest := between[i+1:]; rest != "" {
				return true
			}
		}
	}
	return false
}

package search

import (
	"cmp"
	"encoding/binary"
	"hash/maphash"
	"slices"
	"sort"
	"strings"
)

// vocabulary has every word of the documents, with where it stands.
type vocabulary struct {
	words  []word
	table  []slot // words by their keys; half of it is free
	seed   maphash.Seed
	stems  map[stemKey][]int32
	spoken uint16  // by which stemmers any of the words has a stem, a bit each
	order  []int32 // words in alphabetical order
	grams  map[gram][]int32
}

type word struct {
	text   string
	stem   string // by the first stemmer
	spoken uint16 // by which stemmers it has one
	posts  postings
}

// postings are the documents that have a word, in order, each with how much the word
// counts there: the distance to the one before, and the impact.
type postings struct {
	n    int
	last uint32
	data []byte
}

func newVocabulary() vocabulary {
	return vocabulary{seed: maphash.MakeSeed(), table: make([]slot, 1024), stems: map[stemKey][]int32{}, grams: map[gram][]int32{}}
}

// slot is a place in the table: a word's key, and its number and one more.
type slot struct {
	key uint64
	id  int32
}

// keyOf gives of a word of eight bytes at most these, and of a longer one a hash.
func (v *vocabulary) keyOf(w []byte) (key uint64, short bool) {
	if len(w) <= 8 {
		var eight [8]byte
		copy(eight[:], w)
		return binary.LittleEndian.Uint64(eight[:]), true
	}
	return maphash.Bytes(v.seed, w), false
}

// find gives where a word stands in the table, or is to stand. Every word of every text is
// looked up here, which is why it is no map.
func (v *vocabulary) find(w []byte) (at, key uint64) {
	key, short := v.keyOf(w)
	last := uint64(len(v.table) - 1)
	const spread = 0x9e3779b97f4a7c15 // 2^64 over the golden ratio
	for at = key * spread >> 32 & last; ; at = (at + 1) & last {
		s := &v.table[at]
		if s.id == 0 || s.key == key && (short && len(v.words[s.id-1].text) <= 8 || v.words[s.id-1].text == string(w)) {
			return at, key
		}
	}
}

// known gives the number of a word, if there is one.
func (v *vocabulary) known(w string) (id int32, is bool) {
	at, _ := v.find([]byte(w))
	id = v.table[at].id
	return id - 1, id > 0
}

// id gives a word's number, a new one where it is new.
func (v *vocabulary) id(w []byte) int32 {
	at, key := v.find(w)
	if id := v.table[at].id; id > 0 {
		return id - 1
	}
	id, text := int32(len(v.words)), string(w)
	v.words = append(v.words, word{text: text})
	v.table[at] = slot{key, id + 1}
	if 2*len(v.words) > len(v.table) {
		v.table = make([]slot, 2*len(v.table))
		for i := range v.words {
			at, key := v.find([]byte(v.words[i].text))
			v.table[at] = slot{key, int32(i) + 1}
		}
	}
	if strings.ContainsAny(text, "0123456789") {
		return id // a number has no other forms, and one that is near is another number
	}
	for _, g := range gramsOf(text) {
		v.grams[g] = append(v.grams[g], id)
	}
	return id
}

// speak has a word be found by its stem in the language of a document that has it.
func (v *vocabulary) speak(id int32, stemmer int) {
	w := &v.words[id]
	w.spoken |= 1 << stemmer
	stem := stemBy(stemmer, w.text)
	if w.stem == "" {
		w.stem = stem
	}
	if strings.ContainsAny(w.text, "0123456789") {
		return // a number has no other forms
	}
	v.spoken |= 1 << stemmer
	key := stemKey{stemmer, stem}
	v.stems[key] = append(v.stems[key], id)
}

// sortWords puts new words in their place.
func (v *vocabulary) sortWords() {
	if len(v.order) == len(v.words) {
		return
	}
	for id := int32(len(v.order)); int(id) < len(v.words); id++ {
		v.order = append(v.order, id)
	}
	slices.SortFunc(v.order, func(a, b int32) int { return cmp.Compare(v.words[a].text, v.words[b].text) })
}

// trim gives back what postings had for growing.
func (v *vocabulary) trim() {
	for i := range v.words {
		v.words[i].posts.data = slices.Clone(v.words[i].posts.data)
	}
}

// beginning gives the words that begin so, in alphabetical order.
func (v *vocabulary) beginning(with string) []int32 {
	from := sort.Search(len(v.order), func(i int) bool { return v.words[v.order[i]].text >= with })
	to := from
	for to < len(v.order) && strings.HasPrefix(v.words[v.order[to]].text, with) {
		to++
	}
	return v.order[from:to]
}

// forms gives a word and the words with the same stem in the language of a document that
// has them, as far as documents have them.
func (v *vocabulary) forms(w string) (forms []form) {
	if id, is := v.known(w); is && v.words[id].posts.n > 0 {
		forms = append(forms, form{id, 1})
	}
	for stemmer := range stemmers {
		if v.spoken>>stemmer&1 == 0 {
			continue
		}
		for _, id := range v.stems[stemKey{stemmer, stemBy(stemmer, w)}] {
			if v.words[id].text != w && v.words[id].posts.n > 0 && !slices.ContainsFunc(forms, func(f form) bool { return f.word == id }) {
				forms = append(forms, form{id, sameStem})
			}
		}
	}
	return forms
}

// Having gives how many documents have forms of a word, each form counted by itself.
func (v *vocabulary) Having(word string) (n int) {
	for _, f := range v.forms(word) {
		n += v.words[f.word].posts.n
	}
	return n
}

func (p *postings) add(doc uint32, impact byte) {
	gap := doc - p.last
	if p.n == 0 {
		gap = doc
	}
	p.data = binary.AppendUvarint(p.data, uint64(gap))
	p.data = append(p.data, impact)
	p.last, p.n = doc, p.n+1
}

// each gives the documents in order, dead ones too.
func (p *postings) each(do func(doc uint32, impact byte)) {
	for doc, impact, at := next(0, p.data, 0); doc != noMore; doc, impact, at = next(doc, p.data, at) {
		do(doc, impact)
	}
}

// mark adds the documents to a set that has room for them all, dead ones too.
func (p *postings) mark(set bitset) {
	doc := uint32(0)
	for data, at := p.data, 0; at < len(data); at++ { // over the impact
		gap := uint32(data[at])
		if at++; gap >= 0x80 {
			long, n := binary.Uvarint(data[at-1:])
			gap, at = uint32(long), at-1+n
		}
		doc += gap
		set[doc/64] |= 1 << (doc % 64)
	}
}

// next reads the document after one from a place on, and gives the place after it.
func next(before uint32, data []byte, at int) (doc uint32, impact byte, after int) {
	if at >= len(data) {
		return noMore, 0, at
	}
	gap, n := binary.Uvarint(data[at:])
	return before + uint32(gap), data[at+n], at + n + 1
}

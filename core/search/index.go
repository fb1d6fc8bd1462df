// Package search finds entries by what was typed: an index in memory of the words of
// every version that may be found, and the ranking of what matches. It knows nothing of
// who asks; which versions somebody may see is said with each search.
package search

import (
	"cmp"
	"hash/maphash"
	"math"
	"runtime"
	"slices"
	"sort"
	"strings"
)

// Document is a version as it is found.
type Document struct {
	ID        int64 // of the version
	Entry     int64 // of its entry
	Shelf     bool  // it is what the shelf shows of the entry, or showed before it was retired
	State     string
	Kind      string
	Owner     string // the owner's name for signing in
	OwnerName string
	People    [2]int64 // owner and deputy, by id
	Private   bool     // only the owner finds it
	At        int64    // seconds since 1970: when it was published or, before that, saved
	Uses      float64
	Labels    []Label
	Slug      string
	Code      string
	Title     string
	Summary   string
	Extra     string // what else it is found by: labels' titles, owner, blanks, source
	Body      string
	Language  string // that it is in, as BCP 47 names it; none is English
}

// Label is a term of a facet. Besides those that entries are labelled with, the facets
// kind, owner and state have the terms that documents are of.
type Label struct{ Facet, Term string }

// How much a word counts, by where it stands. In a text it counts by BM25's saturation
// (S. Robertson, H. Zaragoza, "The Probabilistic Relevance Framework", 2009, (3.15)), with
// a fixed length for the usual one, so that what others say changes no rank.
const (
	inTitle   = 17
	inName    = 9
	inSummary = 7
	inExtra   = 2
	inBody    = 3.8

	saturation  = 1.2
	byLength    = 0.4
	usualLength = 300 // words

	impactUnit = 6 // of a weight, as it is kept in a byte
)

// Index has the words of documents. A document that changes gets another number, and the
// one before is dead; postings are only added to, until most of them are of the dead.
// Any number may search at once while nobody changes it.
type Index struct {
	vocabulary
	docs   []doc
	uses   []float32 // of each document, up to the last one that has any
	dead   int
	places map[int64]places
	titles []uint32           // of each document a hash of its whole title
	people map[int64][]uint32 // documents by who answers for them
	owners map[string]string  // full names

	shelf  bitset   // what is published
	newest bitset   // of each entry the newest
	secret bitset   // what is its owner's alone
	labels []bitset // by the number of a label
	label  map[Label]int
	named  []Label

	byTitle []uint32 // in the order in which lists show them
	order   []uint32 // where each stands in that
	byTime  []uint32 // the newest first

	rooms   chan *room
	weights []float32 // of the document that is being added, by word
	touched []int32
	stemmer int // for its language
}

// doc is what is kept of a document.
type doc struct {
	id, entry int64
	people    [2]int64
	at        int64
	open      bool
	state     string
	title     string
	slug      string
}

// places are the numbers of an entry's documents, 0 for none and else one more.
type places struct{ shelf, open uint32 }

const published = "published"

// New gives an empty index.
func New() *Index {
	x := &Index{
		vocabulary: newVocabulary(), places: map[int64]places{}, people: map[int64][]uint32{},
		owners: map[string]string{}, label: map[Label]int{}, rooms: make(chan *room, runtime.GOMAXPROCS(0)),
	}
	for range cap(x.rooms) {
		x.rooms <- &room{}
	}
	return x
}

// Len is how many documents there are.
func (x *Index) Len() int { return len(x.docs) - x.dead }

// Replace has the index know these documents of these entries and no others of theirs.
func (x *Index) Replace(entries []int64, docs []Document) {
	x.remove(entries)
	many := len(docs) > 1000
	for _, d := range docs {
		n := x.add(d)
		if !many {
			x.byTitle = insert(x.byTitle, n, x.beforeByTitle)
			x.byTime = insert(x.byTime, n, x.beforeByTime)
		}
	}
	switch {
	case x.dead > 1000 && x.dead > len(x.docs)/2:
		x.compact()
		x.sortDocs()
	case many:
		x.sortDocs()
	}
	if many {
		x.trim()
	}
	x.number()
	x.sortWords()
}

// number says of each document where it stands by its title.
func (x *Index) number() {
	x.order = slices.Grow(x.order[:0], len(x.docs))[:len(x.docs)]
	for i, n := range x.byTitle {
		x.order[n] = uint32(i)
	}
}

// Add adds a document of an entry that has none such. After the last one, see Done.
func (x *Index) Add(d Document) { x.add(d) }

// Done makes ready for searching what was added.
func (x *Index) Done() {
	x.sortDocs()
	x.number()
	x.sortWords()
	x.trim()
}

func (x *Index) add(d Document) uint32 {
	n := uint32(len(x.docs))
	x.stemmer = stemmerOf(d.Language)
	x.weigh(d)
	for _, w := range x.touched {
		x.words[w].posts.add(n, impact(x.weights[w]))
		x.weights[w] = 0
	}
	x.touched = x.touched[:0]
	x.owners[d.Owner] = d.OwnerName
	for _, l := range append(slices.Clip(d.Labels), Label{"kind", d.Kind}, Label{"owner", d.Owner}, Label{"state", d.State}) {
		x.labels[x.numberOf(l)].add(n)
	}
	state := x.named[x.label[Label{"state", d.State}]].Term // one text for all
	texts := d.Title + d.Slug                               // one text for both
	x.docs = append(x.docs, doc{
		id: d.ID, entry: d.Entry, people: d.People, at: d.At, open: !d.Shelf, state: state,
		title: texts[:len(d.Title)], slug: texts[len(d.Title):],
	})
	if d.Private {
		x.secret.add(n)
	}
	if d.Uses > 0 {
		x.uses = append(x.uses, make([]float32, int(n)+1-len(x.uses))...)
		x.uses[n] = float32(d.Uses)
	}
	x.enter(n)
	return n
}

// enter has a document found by what is kept of it.
func (x *Index) enter(n uint32) {
	d := &x.docs[n]
	at := x.places[d.entry]
	if d.open {
		at.open = n + 1
		if at.shelf > 0 {
			x.newest.remove(at.shelf - 1)
		}
	} else {
		at.shelf = n + 1
	}
	x.places[d.entry] = at
	if d.open || at.open == 0 {
		x.newest.add(n)
	}
	if d.state == published {
		x.shelf.add(n)
	}
	x.titles = append(x.titles, x.titleHash(titleKey(d.title)))
	for _, p := range d.answering() {
		x.people[p] = append(x.people[p], n)
	}
}

// answering gives who answers for a document.
func (d *doc) answering() []int64 {
	if d.people[1] == 0 || d.people[1] == d.people[0] {
		return d.people[:1]
	}
	return d.people[:]
}

// remove has the documents of entries be found no more. However many they are, what lists all
// documents is gone through once.
func (x *Index) remove(entries []int64) {
	gone, people := bitset{}, map[int64]bool{}
	before := x.dead
	for _, id := range entries {
		at := x.places[id]
		for _, place := range []uint32{at.shelf, at.open} {
			if place == 0 {
				continue
			}
			n := place - 1
			for _, set := range x.labels {
				set.remove(n)
			}
			x.shelf.remove(n)
			x.newest.remove(n)
			x.secret.remove(n)
			for _, p := range x.docs[n].answering() {
				people[p] = true
			}
			x.docs[n] = doc{}
			gone.add(n)
			x.dead++
		}
		delete(x.places, id)
	}
	if x.dead == before {
		return
	}
	x.byTitle = slices.DeleteFunc(x.byTitle, gone.has)
	x.byTime = slices.DeleteFunc(x.byTime, gone.has)
	for p := range people {
		if x.people[p] = slices.DeleteFunc(x.people[p], gone.has); len(x.people[p]) == 0 {
			delete(x.people, p)
		}
	}
}

func titleKey(title string) string { return strings.Join(Words(title), " ") }

func (x *Index) titleHash(key string) uint32 { return uint32(maphash.String(x.seed, key)) }

func (x *Index) numberOf(l Label) int {
	n, is := x.label[l]
	if !is {
		n = len(x.named)
		x.label[l] = n
		x.named = append(x.named, l)
		x.labels = append(x.labels, nil)
	}
	return n
}

func (x *Index) beforeByTitle(a, b uint32) bool {
	p, q := &x.docs[a], &x.docs[b]
	return cmp.Or(cmp.Compare(p.title, q.title), cmp.Compare(p.id, q.id)) < 0
}

func (x *Index) beforeByTime(a, b uint32) bool {
	p, q := &x.docs[a], &x.docs[b]
	return cmp.Or(cmp.Compare(q.at, p.at), cmp.Compare(p.title, q.title), cmp.Compare(p.id, q.id)) < 0
}

func insert(list []uint32, n uint32, before func(a, b uint32) bool) []uint32 {
	at := sort.Search(len(list), func(i int) bool { return before(n, list[i]) })
	return slices.Insert(list, at, n)
}

func (x *Index) sortDocs() {
	x.byTitle = x.byTitle[:0]
	for n := range x.docs {
		if x.docs[n].id != 0 {
			x.byTitle = append(x.byTitle, uint32(n))
		}
	}
	x.byTime = append(x.byTime[:0], x.byTitle...)
	for list, before := range map[*[]uint32]func(a, b uint32) bool{&x.byTitle: x.beforeByTitle, &x.byTime: x.beforeByTime} {
		sort.Slice(*list, func(i, j int) bool { return before((*list)[i], (*list)[j]) })
	}
}

// compact numbers the documents anew, without the dead.
func (x *Index) compact() {
	to := make([]uint32, len(x.docs))
	alive := make([]doc, 0, x.Len())
	for n, d := range x.docs {
		if d.id != 0 {
			to[n] = uint32(len(alive))
			alive = append(alive, d)
		}
	}
	for i := range x.words {
		var posts postings
		x.words[i].posts.each(func(n uint32, impact byte) {
			if x.docs[n].id != 0 {
				posts.add(to[n], impact)
			}
		})
		x.words[i].posts = posts
	}
	for i, old := range x.labels {
		var set bitset
		old.each(func(n uint32) bool { set.add(to[n]); return true })
		x.labels[i] = set
	}
	var secret bitset
	x.secret.each(func(n uint32) bool { secret.add(to[n]); return true })
	var uses []float32
	for n, of := range x.uses {
		if of > 0 && x.docs[n].id != 0 {
			uses = append(uses, make([]float32, int(to[n])+1-len(uses))...)
			uses[to[n]] = of
		}
	}
	x.docs, x.dead, x.shelf, x.newest, x.secret, x.uses = alive, 0, nil, nil, secret, uses
	clear(x.places)
	x.titles = x.titles[:0]
	clear(x.people)
	for n := range x.docs {
		x.enter(uint32(n))
	}
}

// weigh works out how much each word counts in a document.
func (x *Index) weigh(d Document) {
	x.field(d.Title, inTitle)
	x.field(d.Slug, inName)
	x.field(d.Code, inName)
	x.field(d.Summary, inSummary)
	x.field(d.Kind, inSummary)
	x.field(d.Extra, inExtra)
	x.body(d.Body)
}

// field counts words once, however often they stand in it.
func (x *Index) field(text string, weight float32) {
	eachWord(text, func(w []byte, _, _ int) {
		id := x.touch(w)
		if x.weights[id] < weight {
			x.weights[id] += weight
		}
	})
}

// body counts how often a word stands in a text: as thousands, until all are counted.
func (x *Index) body(text string) {
	const one = 1024
	length := 0
	eachWord(text, func(w []byte, _, _ int) {
		x.weights[x.touch(w)] += one
		length++
	})
	room := saturation * (1 - byLength + byLength*float32(length)/usualLength)
	for _, id := range x.touched {
		times := float32(int(x.weights[id] / one))
		x.weights[id] += inBody*times/(times+room) - one*times
	}
}

// touch gives a word's number, and notes that the document has it.
func (x *Index) touch(w []byte) int32 {
	id := x.id(w)
	for int(id) >= len(x.weights) {
		x.weights = append(x.weights, 0)
	}
	if x.weights[id] == 0 {
		x.touched = append(x.touched, id)
		if x.words[id].spoken>>x.stemmer&1 == 0 {
			x.speak(id, x.stemmer)
		}
	}
	return id
}

func impact(weight float32) byte {
	return byte(max(1, min(255, math.Round(float64(weight*impactUnit)))))
}

// SetUses says how much the entries of what is on the shelf are used. Those that are left
// out are not.
func (x *Index) SetUses(of map[int64]float64) {
	x.uses = x.uses[:0]
	for n, d := range x.docs {
		if uses := of[d.entry]; uses > 0 && x.places[d.entry].shelf == uint32(n)+1 {
			x.uses = append(x.uses, make([]float32, n+1-len(x.uses))...)
			x.uses[n] = float32(uses)
		}
	}
}

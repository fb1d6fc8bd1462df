// Package wordnet looks up, in the files of WordNet (G. A. Miller, "WordNet: a lexical
// database for English", 1995), the words that mean nearly the same as another. The files
// are made to be looked up in where they lie: nothing of them is kept.
package wordnet

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
)

// File is one of WordNet's files, of so many bytes.
type File struct {
	io.ReaderAt
	Size int64
}

// Words has the files of WordNet by part of speech, as they are called: noun, verb, adj
// and adv.
type Words struct {
	Index map[string]File
	Data  map[string]File
}

// Parts are the parts of speech.
var parts = []string{"noun", "verb", "adj", "adv"}

// Parts gives the endings of the names of WordNet's files, index and data.
func Parts() []string { return slices.Clone(parts) }

// Near is a word and how far its meaning is from another's: 0 is the same, and each step
// to a broader or a narrower meaning counts one.
type Near struct {
	Word string
	Cost float64
}

// What a step from one meaning to another costs. Path lengths as a measure of likeness are
// R. Rada and others' ("Development and application of a metric on semantic nets", 1989).
const (
	byStep       = 1.0
	bySimilar    = 0.7
	byDerivation = 0.25 // to pay, payment
	nearby       = 0.8
	bySense      = 0.12 // for each meaning that a word has more often
	farthest     = 2.5
	mostSenses   = 6
	mostBelow    = 80 // narrower meanings of one that still says something
	mostLooked   = 1000
)

type meaning struct {
	part   string
	offset int64
}

type line struct {
	words    []string
	pointers []pointer
}

type pointer struct {
	symbol string
	to     meaning
}

// Near gives the words that are near in meaning to one, the nearest first. The error is
// that of reading a file, or of a file that is none of WordNet's.
func (w Words) Near(word string) ([]Near, error) {
	cost := map[meaning]float64{}
	var queue []step
	add := func(m meaning, c float64, up int) {
		if before, is := cost[m]; c <= farthest && (!is || c < before) {
			cost[m] = c
			queue = append(queue, step{m, c, up})
		}
	}
	for _, part := range parts {
		for i, lemma := range lemmas(word, part) {
			senses, err := w.senses(lemma, part)
			if err != nil {
				return nil, err
			}
			for n, m := range senses[:min(mostSenses, len(senses))] {
				add(m, bySense*float64(n)+0.05*float64(i), 0)
			}
		}
	}
	near := map[string]float64{}
	for looked := 0; len(queue) > 0 && looked < mostLooked; looked++ {
		at := 0
		for i := range queue {
			if queue[i].cost < queue[at].cost {
				at = i
			}
		}
		s := queue[at]
		queue[at] = queue[len(queue)-1]
		queue = queue[:len(queue)-1]
		if cost[s.meaning] < s.cost {
			continue
		}
		l, err := w.line(s.meaning)
		if err != nil {
			return nil, err
		}
		for _, other := range l.words {
			if before, is := near[other]; !is || s.cost < before {
				near[other] = s.cost
			}
		}
		l.each(s, add)
	}
	delete(near, word)
	return ordered(near), nil
}

type step struct {
	meaning
	cost float64
	up   int // steps to broader meanings on the way
}

// each goes on from a meaning: to broader ones twice at most, and never from a narrower
// one to another broader one.
func (l line) each(s step, add func(meaning, float64, int)) {
	const down = 9
	below := 0
	for _, p := range l.pointers {
		if p.symbol == "~" {
			below++
		}
	}
	for _, p := range l.pointers {
		switch p.symbol {
		case "@", "@i":
			if s.up < 2 {
				add(p.to, s.cost+byStep, s.up+1)
			}
		case "~", "~i":
			if below <= mostBelow {
				add(p.to, s.cost+byStep, down)
			}
		case "+", "\\": // what is made of a broader word is far from the narrower one
			if s.cost > nearby {
				continue
			}
			add(p.to, s.cost+byDerivation, s.up)
		case "&", "$", "^":
			add(p.to, s.cost+bySimilar, s.up)
		}
	}
}

func ordered(near map[string]float64) []Near {
	all := make([]Near, 0, len(near))
	for word, c := range near {
		all = append(all, Near{word, c})
	}
	slices.SortFunc(all, func(a, b Near) int { return cmp.Or(cmp.Compare(a.Cost, b.Cost), cmp.Compare(a.Word, b.Word)) })
	return all
}

// lemmas gives the forms under which a word may stand, itself first, by the endings of
// WordNet's own program (morphy(7WN)).
func lemmas(word, part string) []string {
	all := []string{word}
	for _, ending := range endings[part] {
		if stem, is := strings.CutSuffix(word, ending[0]); is && len(stem) > 2 {
			if lemma := stem + ending[1]; !slices.Contains(all, lemma) {
				all = append(all, lemma)
			}
			// stopped, stop
			if n := len(stem); ending[1] == "" && ending[0] != "s" && stem[n-1] == stem[n-2] {
				all = append(all, stem[:n-1])
			}
		}
	}
	return all
}

var endings = map[string][][2]string{
	"noun": {{"s", ""}, {"ses", "s"}, {"xes", "x"}, {"zes", "z"}, {"ches", "ch"}, {"shes", "sh"}, {"men", "man"}, {"ies", "y"}},
	"verb": {{"s", ""}, {"ies", "y"}, {"es", "e"}, {"es", ""}, {"ed", "e"}, {"ed", ""}, {"ing", "e"}, {"ing", ""}},
	"adj":  {{"er", ""}, {"est", ""}, {"er", "e"}, {"est", "e"}},
}

// senses gives a lemma's meanings, the most usual first; or none.
func (w Words) senses(lemma, part string) ([]meaning, error) {
	text, err := find(w.Index[part], lemma)
	if err != nil || text == "" {
		return nil, err
	}
	// lemma pos synset_cnt p_cnt [symbol …] sense_cnt tagsense_cnt offset …
	fields := strings.Fields(text)
	bad := fmt.Errorf("WordNet's index of %ss is not as it should be at %q", part, lemma)
	if len(fields) < 4 {
		return nil, bad
	}
	pointers, err := strconv.Atoi(fields[3])
	if err != nil || pointers < 0 || len(fields) < 6+pointers {
		return nil, bad
	}
	var all []meaning
	for _, f := range fields[6+pointers:] {
		offset, err := strconv.ParseInt(f, 10, 64)
		if err != nil {
			return nil, bad
		}
		all = append(all, meaning{part, offset})
	}
	return all, nil
}

const longestLine = 1 << 16

// find gives the line of a sorted file that begins with a word, or nothing.
func find(f File, word string) (string, error) {
	low, high := int64(0), f.Size
	for low < high && word != "" {
		at := (low + high) / 2
		start, text, err := lineFrom(f, at)
		if err != nil {
			return "", err
		}
		if start >= high {
			high = at
			continue
		}
		// The licence at the head is indented, and so before every word.
		first, _, _ := strings.Cut(text, " ")
		switch strings.Compare(first, word) {
		case 0:
			return text, nil
		case -1:
			low = start + int64(len(text)) + 1
		default:
			high = at
		}
	}
	return "", nil
}

// lineFrom gives the first line that begins at a byte or after it, and where it begins.
func lineFrom(f File, at int64) (int64, string, error) {
	start := at
	if at > 0 {
		rest, err := readLine(f, at-1)
		if err != nil {
			return 0, "", err
		}
		start = at - 1 + int64(len(rest)) + 1
	}
	text, err := readLine(f, start)
	return start, text, err
}

func readLine(f File, at int64) (string, error) {
	var text []byte
	buf := make([]byte, 256)
	for at < f.Size && len(text) < longestLine {
		n, err := f.ReadAt(buf[:min(int64(len(buf)), f.Size-at)], at)
		if n == 0 && err != nil {
			return "", fmt.Errorf("read WordNet: %w", err)
		}
		if end := bytes.IndexByte(buf[:n], '\n'); end >= 0 {
			return string(append(text, buf[:end]...)), nil
		}
		text, at = append(text, buf[:n]...), at+int64(n)
	}
	return string(text), nil
}

// line reads what stands at a meaning:
// offset file type w_cnt word lex_id [word lex_id …] p_cnt [symbol offset pos source/target …] … | gloss
func (w Words) line(m meaning) (l line, err error) {
	text, err := readLine(w.Data[m.part], m.offset)
	if err != nil {
		return l, err
	}
	text, _, _ = strings.Cut(text, " | ")
	fields := strings.Fields(text)
	bad := fmt.Errorf("WordNet's data of %ss is not as it should be at byte %d", m.part, m.offset)
	if len(fields) < 6 {
		return l, bad
	}
	count, err := strconv.ParseInt(fields[3], 16, 32)
	next := 4 + 2*int(count)
	if err != nil || count < 0 || len(fields) <= next {
		return l, bad
	}
	for i := 4; i < next; i += 2 {
		word, _, _ := strings.Cut(fields[i], "(") // a mark of where an adjective stands
		l.words = append(l.words, strings.ToLower(word))
	}
	pointers, err := strconv.Atoi(fields[next])
	if err != nil || pointers < 0 || len(fields) < next+1+4*pointers {
		return l, bad
	}
	for i := range pointers {
		p := fields[next+1+4*i:]
		offset, err := strconv.ParseInt(p[1], 10, 64)
		part := map[string]string{"n": "noun", "v": "verb", "a": "adj", "s": "adj", "r": "adv"}[p[2]]
		if err != nil || part == "" {
			return l, bad
		}
		l.pointers = append(l.pointers, pointer{p[0], meaning{part, offset}})
	}
	return l, nil
}

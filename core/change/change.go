// Package change says what differs between two versions of an entry: their texts,
// line by line and word by word, and everything else in its own terms. It reads
// no library and decides nothing.
package change

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/sergi/go-diff/diffmatchpatch"
)

// Op is what became of a stretch of text.
type Op string

// What can become of a line, or of a part of one.
const (
	Same    Op = "same"
	Added   Op = "added"
	Removed Op = "removed"
	Changed Op = "changed" // a line of which some words are new
	Left    Op = "left"    // a line that now stands elsewhere: here it was
	Moved   Op = "moved"   // and here it is
	Omitted Op = "omitted" // lines that a long comparison does not show
)

// Line is a line of a comparison.
type Line struct {
	Op    Op     `json:"op"`
	Old   int    `json:"old,omitempty"` // its number in the old text, from 1; 0 where it is in the new one alone
	New   int    `json:"new,omitempty"` // and in the new one
	Parts []Part `json:"parts"`

	Omitted int `json:"omitted,omitempty"` // how many lines of the comparison this one stands for
}

// Part is a stretch of a line: same, added or removed.
type Part struct {
	Op   Op     `json:"op"`
	Text string `json:"text"`
}

// Limits of a long comparison: how many lines it shows, and how many unchanged lines around each
// change.
const (
	mostShown   = 5000
	shownAround = 3
)

// leastMoved is how many words a line has that is known again elsewhere.
const leastMoved = 4

// Texts compares two texts line by line. Lines that differ in some of their words are shown as
// one, with those words; lines that stand elsewhere now as moved. Of a comparison of more than
// 5,000 lines those far from any change are omitted, and those after the first 5,000 of the rest.
func Texts(before, after string) []Line { return abridged(texts(before, after)) }

// texts gives every line of a comparison.
func texts(before, after string) []Line {
	old, now := Lines(before), Lines(after)
	var lines []Line
	i, j := 0, 0
	for _, run := range compare(old, now) {
		switch run.op {
		case Same:
			for range run.n {
				lines = append(lines, Line{Op: Same, Old: i + 1, New: j + 1, Parts: []Part{{Same, old[i]}}})
				i, j = i+1, j+1
			}
		case Removed:
			for range run.n {
				lines = append(lines, Line{Op: Removed, Old: i + 1, Parts: []Part{{Removed, old[i]}}})
				i++
			}
		case Added:
			for range run.n {
				lines = append(lines, Line{Op: Added, New: j + 1, Parts: []Part{{Added, now[j]}}})
				j++
			}
		}
	}
	return pairUp(moved(lines))
}

// Lines takes a text apart into its lines, without their ends.
func Lines(text string) []string {
	if text == "" {
		return nil
	}
	return strings.Split(strings.TrimSuffix(text, "\n"), "\n")
}

// run is a number of tokens with which the same became.
type run struct {
	op Op
	n  int
}

// compare finds what two lists have in common, in order. The same lists always get the
// same answer, however busy the machine.
func compare(old, now []string) []run {
	c := comparison{}
	codes := map[string]rune{}
	c.old, c.now = encode(codes, old), encode(codes, now)
	c.between(0, len(old), 0, len(now))
	return c.runs
}

// encode makes a rune of each different token, as the library's algorithm reads them.
func encode(codes map[string]rune, tokens []string) []rune {
	runes := make([]rune, len(tokens))
	for i, t := range tokens {
		r, known := codes[t]
		if !known {
			if r = rune(len(codes) + 1); r >= 0xD800 {
				r += 0x800 // past the surrogates, which are no characters
			}
			codes[t] = r
		}
		runes[i] = r
	}
	return runes
}

// shortEnough is up to how many tokens, of both lists, are compared by the shortest
// script of changes, which takes time with their square.
const shortEnough = 4000

type comparison struct {
	old, now []rune
	runs     []run
}

func (c *comparison) add(op Op, n int) {
	switch last := len(c.runs) - 1; {
	case n == 0:
	case last >= 0 && c.runs[last].op == op:
		c.runs[last].n += n
	default:
		c.runs = append(c.runs, run{op, n})
	}
}

// between compares old[i:iEnd] with now[j:jEnd]. Long stretches are first taken apart at
// the tokens that stand once in each (patience, as in several revision systems).
func (c *comparison) between(i, iEnd, j, jEnd int) {
	start := i
	for i < iEnd && j < jEnd && c.old[i] == c.now[j] {
		i, j = i+1, j+1
	}
	c.add(Same, i-start)
	end := iEnd
	for i < iEnd && j < jEnd && c.old[iEnd-1] == c.now[jEnd-1] {
		iEnd, jEnd = iEnd-1, jEnd-1
	}
	switch {
	case iEnd-i+jEnd-j <= shortEnough:
		c.shortest(c.old[i:iEnd], c.now[j:jEnd])
	default:
		at := c.anchors(i, iEnd, j, jEnd)
		if len(at) == 0 {
			c.add(Removed, iEnd-i)
			c.add(Added, jEnd-j)
			break
		}
		for _, a := range at {
			c.between(i, a.old, j, a.now)
			c.add(Same, 1)
			i, j = a.old+1, a.now+1
		}
		c.between(i, iEnd, j, jEnd)
	}
	c.add(Same, end-iEnd)
}

// shortest is the shortest script of changes (Myers, An O(ND) difference algorithm and
// its variations, 1986).
func (c *comparison) shortest(old, now []rune) {
	dmp := diffmatchpatch.New()
	dmp.DiffTimeout = 0 // none
	op := map[diffmatchpatch.Operation]Op{diffmatchpatch.DiffEqual: Same, diffmatchpatch.DiffDelete: Removed, diffmatchpatch.DiffInsert: Added}
	for _, d := range dmp.DiffMainRunes(old, now, false) {
		c.add(op[d.Type], utf8.RuneCountInString(d.Text))
	}
}

// pair is a token's place in either list.
type pair struct{ old, now int }

// anchors are the tokens that stand once in each stretch, as many as keep their order.
func (c *comparison) anchors(i, iEnd, j, jEnd int) []pair {
	type count struct{ inOld, inNow, at int }
	counts := map[rune]count{}
	for _, r := range c.old[i:iEnd] {
		n := counts[r]
		n.inOld++
		counts[r] = n
	}
	for k, r := range c.now[j:jEnd] {
		n := counts[r]
		n.inNow, n.at = n.inNow+1, j+k
		counts[r] = n
	}
	// The longest increasing run of places in the new list, by piles of cards.
	var piles, before []int
	var once []pair
	for k, r := range c.old[i:iEnd] {
		n := counts[r]
		if n.inOld != 1 || n.inNow != 1 {
			continue
		}
		p := pair{i + k, n.at}
		on, _ := slices.BinarySearchFunc(piles, p.now, func(top, now int) int { return once[top].now - now })
		under := -1
		if on > 0 {
			under = piles[on-1]
		}
		if on == len(piles) {
			piles = append(piles, 0)
		}
		piles[on] = len(once)
		once, before = append(once, p), append(before, under)
	}
	var found []pair
	if len(piles) > 0 {
		for k := piles[len(piles)-1]; k >= 0; k = before[k] {
			found = append(found, once[k])
		}
	}
	slices.Reverse(found)
	return found
}

// moved finds lines that were taken out in one place and put in at another, word
// for word.
func moved(lines []Line) []Line {
	gone := map[string][]int{}
	for i, l := range lines {
		if l.Op == Removed && len(strings.Fields(l.Parts[0].Text)) >= leastMoved {
			gone[l.Parts[0].Text] = append(gone[l.Parts[0].Text], i)
		}
	}
	for i, l := range lines {
		if l.Op != Added {
			continue
		}
		if at := gone[l.Parts[0].Text]; len(at) > 0 {
			gone[l.Parts[0].Text] = at[1:]
			from := &lines[at[0]]
			from.Op, lines[i].Op = Left, Moved
			from.New, lines[i].Old = l.New, from.Old
		}
	}
	return lines
}

// pairUp makes one line of a removed and an added one that have words in common.
func pairUp(lines []Line) []Line {
	out := make([]Line, 0, len(lines)) // never nil: a text without lines has none
	for i := 0; i < len(lines); {
		if lines[i].Op != Removed {
			out = append(out, lines[i])
			i++
			continue
		}
		from := i
		for i < len(lines) && lines[i].Op == Removed {
			i++
		}
		removed := lines[from:i]
		from = i
		for i < len(lines) && lines[i].Op == Added {
			i++
		}
		out = append(out, hunk(removed, lines[from:i])...)
	}
	return out
}

// abridged gives lines as they are shown: a few thousand of a long comparison.
func abridged(lines []Line) []Line {
	if len(lines) <= mostShown {
		return lines
	}
	var out []Line
	omit := func(l Line) {
		if last := len(out) - 1; last >= 0 && out[last].Op == Omitted {
			out[last].Omitted++
			return
		}
		out = append(out, Line{Op: Omitted, Old: l.Old, New: l.New, Parts: []Part{}, Omitted: 1})
	}
	next := -1 // where the next line that differs stands
	last := -shownAround - 1
	for i, l := range lines {
		if l.Op != Same {
			last = i
		}
		if next < i {
			next = i
			for next < len(lines) && lines[next].Op == Same {
				next++
			}
		}
		if len(out) < mostShown && (i-last <= shownAround || next < len(lines) && next-i <= shownAround) {
			out = append(out, l)
		} else {
			omit(l)
		}
	}
	return out
}

// hunk shows removed lines with the added ones that took their places.
func hunk(removed, added []Line) []Line {
	var out []Line
	k := 0
	for _, r := range removed {
		match := -1
		var parts []Part
		for m := k; m < min(len(added), k+4); m++ {
			if p, alike := words(r.Parts[0].Text, added[m].Parts[0].Text); alike {
				match, parts = m, p
				break
			}
		}
		if match < 0 {
			out = append(out, r)
			continue
		}
		out = append(out, added[k:match]...)
		out = append(out, Line{Op: Changed, Old: r.Old, New: added[match].New, Parts: parts})
		k = match + 1
	}
	return append(out, added[k:]...)
}

// words compares two lines word by word, and says whether they have so much in
// common that they are one line changed: a third of the words of the longer one.
func words(old, now string) (parts []Part, alike bool) {
	a, b := tokens(old), tokens(now)
	i, j, same, longer := 0, 0, 0, max(wordCount(a), wordCount(b))
	if 3*shared(a, b) < longer {
		return nil, false
	}
	for _, r := range compare(a, b) {
		var text string
		if r.op == Added {
			text = strings.Join(b[j:j+r.n], "")
		} else {
			text = strings.Join(a[i:i+r.n], "")
		}
		if r.op != Added {
			i += r.n
		}
		if r.op != Removed {
			j += r.n
		}
		if r.op == Same {
			same += wordCount(a[i-r.n : i])
		}
		parts = append(parts, Part{r.op, text})
	}
	return parts, longer > 0 && 3*same >= longer
}

// tokens takes a line apart into words and what is between them.
func tokens(line string) []string {
	var all []string
	from, inWord := 0, false
	for i, r := range line {
		is := unicode.IsLetter(r) || unicode.IsDigit(r) || r == '_' || unicode.Is(unicode.Mn, r)
		if i > from && (is != inWord || !is) {
			all = append(all, line[from:i])
			from = i
		}
		inWord = is
	}
	if from < len(line) {
		all = append(all, line[from:])
	}
	return all
}

func wordCount(tokens []string) int {
	n := 0
	for _, t := range tokens {
		if isWord(t) {
			n++
		}
	}
	return n
}

func isWord(token string) bool {
	r, _ := utf8.DecodeRuneInString(token)
	return unicode.IsLetter(r) || unicode.IsDigit(r)
}

// shared counts the words that two lines have both, in any order: more than that
// no comparison finds in common.
func shared(a, b []string) int {
	left := map[string]int{}
	for _, t := range a {
		if isWord(t) {
			left[t]++
		}
	}
	n := 0
	for _, t := range b {
		if left[t] > 0 {
			left[t]--
			n++
		}
	}
	return n
}

// Stretch is a number of lines that two texts have in common, from a line of each on,
// counted from 0.
type Stretch struct{ Old, New, N int }

// Common gives what two lists of lines have in common, in order.
func Common(old, now []string) (all []Stretch) {
	i, j := 0, 0
	for _, r := range compare(old, now) {
		switch r.op {
		case Same:
			all = append(all, Stretch{i, j, r.n})
			i, j = i+r.n, j+r.n
		case Removed:
			i += r.n
		case Added:
			j += r.n
		}
	}
	return all
}

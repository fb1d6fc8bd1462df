package change

import (
	"strings"
	"unicode/utf8"
)

// Passage is a stretch of a text, so described that it is found again when the
// text has changed: by what it says, and what stands before and after it, as the
// W3C Web Annotation Data Model's TextQuoteSelector has it.
type Passage struct {
	Exact  string `json:"exact"`
	Prefix string `json:"prefix"`
	Suffix string `json:"suffix"`
}

// around is how many bytes before and after a passage are kept, at most.
const around = 48

// leastAround is how much of them has to be there for a changed passage to be
// known by them.
const leastAround = 8

// PassageOf describes the bytes from start to end of a text.
func PassageOf(text string, start, end int) Passage {
	from, to := max(start-around, 0), min(end+around, len(text))
	for from < start && !utf8.RuneStart(text[from]) {
		from++
	}
	for to > end && to < len(text) && !utf8.RuneStart(text[to]) {
		to--
	}
	return Passage{Exact: text[start:end], Prefix: text[from:start], Suffix: text[end:to]}
}

// Find gives where the passage stands in a text: as it was (Same), with other
// words between what stood around it or in a line that still says most of it
// (Changed), or nowhere (Removed).
func (p Passage) Find(text string) (start, end int, op Op) {
	best, score := -1, -1
	for from := 0; ; {
		i := strings.Index(text[from:], p.Exact)
		if i < 0 || p.Exact == "" {
			break
		}
		i += from
		if s := commonEnd(text[:i], p.Prefix) + commonStart(text[i+len(p.Exact):], p.Suffix); s > score {
			best, score = i, s
		}
		from = i + 1
	}
	if best >= 0 {
		return best, best + len(p.Exact), Same
	}
	if start, end, ok := p.between(text); ok {
		return start, end, Changed
	}
	if start, end, ok := p.likest(text); ok {
		return start, end, Changed
	}
	return 0, 0, Removed
}

// between looks for what stood around the passage, near enough together.
func (p Passage) between(text string) (start, end int, ok bool) {
	before, after := lastLine(p.Prefix), firstLine(p.Suffix)
	if len(before) < leastAround && before != p.Prefix || len(after) < leastAround && after != p.Suffix || len(before)+len(after) < leastAround {
		return 0, 0, false
	}
	i := strings.Index(text, before)
	if i < 0 {
		return 0, 0, false
	}
	start = i + len(before)
	n := strings.Index(text[start:], after)
	if after == "" {
		n = len(text) - start
	}
	if n <= 0 || n > 3*len(p.Exact)+200 || strings.TrimSpace(text[start:start+n]) == "" {
		return 0, 0, false
	}
	return start, start + n, true
}

// likest looks for the line that has the most of the passage's words: at least half.
func (p Passage) likest(text string) (start, end int, ok bool) {
	want := tokens(p.Exact)
	most := max(wordCount(want)+1, 4) / 2
	at := 0
	for _, line := range strings.SplitAfter(text, "\n") {
		if n := shared(want, tokens(line)); n >= most && n > 0 {
			most = n + 1
			start, end, ok = at, at+len(strings.TrimRight(line, "\r\n")), true
		}
		at += len(line)
	}
	return start, end, ok
}

func commonStart(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return n
}

func commonEnd(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[len(a)-1-n] == b[len(b)-1-n] {
		n++
	}
	return n
}

// lastLine is what of a prefix stands on the passage's own line, or all of it.
func lastLine(s string) string {
	if i := strings.LastIndexByte(s, '\n'); i >= 0 && len(s)-i-1 >= leastAround {
		return s[i+1:]
	}
	return s
}

func firstLine(s string) string {
	if i := strings.IndexByte(s, '\n'); i >= leastAround {
		return s[:i]
	}
	return s
}

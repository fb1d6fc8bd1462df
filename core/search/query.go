package search

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Query is what was typed, taken apart.
type Query struct {
	Words   []string // as they are looked for, in order
	Phrases []string // "exact words", as typed between quotes
	Without []Need   // what no entry found has
	Filters []Filter // facet:term
	Cut     bool     // more words were typed than are looked for
	Whole   string   // all words and phrases, joined by spaces
	Ends    bool     // the last word is ended, so that it is no beginning of another
}

// Need is a word or, between quotes, a phrase.
type Need struct {
	Text   string
	Phrase bool
}

// Filter is a facet:term that was typed. Field and Value stand as they were typed, the
// quotes around the value taken away.
type Filter struct {
	Field, Value string
	Not          bool
}

const mostWords = 30 // of a query: each has a bit

// Parse takes apart what was typed: words, "exact words", -without and field:value, the
// value between quotes where it has spaces. A field that is none is two words, and a quote
// that is left open ends with the text. Parse never fails.
func Parse(text string, isField func(name string) bool) Query {
	var q Query
	p := parser{rest: text}
	var whole []string
	for p.next() {
		switch {
		case p.field != "" && isField(strings.ToLower(p.field)):
			q.Filters = append(q.Filters, Filter{strings.ToLower(p.field), p.value, p.not})
			continue
		case p.field != "":
			p.value, p.quoted = p.field+" "+p.value, false
		}
		words := Words(p.value)
		if len(words) == 0 {
			continue
		}
		phrase := p.quoted && len(words) > 1
		switch {
		case p.not && phrase:
			q.Without = append(q.Without, Need{p.value, true})
		case p.not:
			for _, w := range words {
				q.Without = append(q.Without, Need{Text: w})
			}
		default:
			if phrase {
				q.Phrases = append(q.Phrases, p.value)
			}
			for _, w := range words {
				if len(q.Words) == mostWords {
					q.Cut = true
				} else if !slices.Contains(q.Words, w) {
					q.Words = append(q.Words, w)
				}
			}
			whole = append(whole, words...)
		}
	}
	q.Whole = strings.Join(whole, " ")
	last, _ := utf8.DecodeLastRuneInString(text)
	q.Ends = !unicode.IsLetter(last) && !unicode.IsDigit(last)
	return q
}

// parser gives the parts of what was typed.
type parser struct {
	rest string

	not    bool
	field  string
	value  string
	quoted bool
}

func (p *parser) next() bool {
	p.rest = strings.TrimLeftFunc(p.rest, unicode.IsSpace)
	if p.rest == "" {
		return false
	}
	p.not, p.field, p.value, p.quoted = false, "", "", false
	if after, is := strings.CutPrefix(p.rest, "-"); is && after != "" && !unicode.IsSpace(rune(after[0])) {
		p.not, p.rest = true, after
	}
	if name, after, is := strings.Cut(p.rest, ":"); is && after != "" && isName(name) && !unicode.IsSpace(rune(after[0])) {
		p.field, p.rest = name, after
	}
	if quoted, is := strings.CutPrefix(p.rest, `"`); is {
		p.value, p.rest, _ = strings.Cut(quoted, `"`)
		p.quoted = true
		return true
	}
	end := strings.IndexFunc(p.rest, func(r rune) bool { return unicode.IsSpace(r) || r == '"' })
	if end < 0 {
		end = len(p.rest)
	}
	p.value, p.rest = p.rest[:end], p.rest[end:]
	return true
}

func isName(s string) bool {
	return s != "" && strings.IndexFunc(s, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '-' }) < 0
}

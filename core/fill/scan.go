package fill

import (
	"fmt"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/core/message"
)

// What a parser reads inside a mark: blank space, words, strings, names.

func (p *parser) space() {
	for p.at < len(p.src) && (p.src[p.at] == ' ' || p.src[p.at] == '\t') {
		p.at++
	}
}

func (p *parser) closing() bool { return strings.HasPrefix(p.src[p.at:], "}}") }

// word reads letters, digits, hyphens and low lines, of any alphabet so that
// what is wrong with them can be said.
func (p *parser) word() string {
	start := p.at
	for p.at < len(p.src) {
		c := p.src[p.at]
		switch {
		case 'a' <= c && c <= 'z', 'A' <= c && c <= 'Z', '0' <= c && c <= '9', c == '_', c == '-':
			p.at++
			continue
		case c >= utf8.RuneSelf:
			if r, size := utf8.DecodeRuneInString(p.src[p.at:]); unicode.IsLetter(r) || unicode.IsDigit(r) {
				p.at += size
				continue
			}
		}
		break
	}
	return p.src[start:p.at]
}

// keyword reads word if it stands next.
func (p *parser) keyword(word string) bool {
	start := p.at
	if strings.HasPrefix(p.src[p.at:], word) && p.word() == word {
		return true
	}
	p.at = start
	return false
}

func (p *parser) needString(where string) (string, bool) {
	if p.at >= len(p.src) || p.src[p.at] != '"' {
		p.fault(p.at, "string", "found %s %s; a quoted string is wanted there, as in \"plain and calm\"", p.found(), where)
		return "", false
	}
	return p.quoted()
}

// quoted reads a quoted string and gives what it stands for.
func (p *parser) quoted() (string, bool) {
	start := p.at
	var b strings.Builder
	for p.at++; p.at < len(p.src) && p.src[p.at] != '\n'; p.at++ {
		switch c := p.src[p.at]; c {
		case '"':
			p.at++
			return b.String(), true
		case '\\':
			p.at++
			if p.at >= len(p.src) {
				break
			}
			switch p.src[p.at] {
			case '"', '\\':
				b.WriteByte(p.src[p.at])
			case 'n':
				b.WriteByte('\n')
			default:
				p.fault(p.at-1, "string", `found %s after a backslash; in a string only \", \\ and \n may follow one`, p.found())
				return "", false
			}
		default:
			b.WriteByte(c)
		}
	}
	p.fault(start, "string", "found no closing quotation mark for this string on its line; add it")
	return "", false
}

// isName holds word against the grammar of names and says what is wrong with it.
func (p *parser) isName(offset int, word string) bool {
	why := nameFault(word)
	if !why.IsZero() {
		p.fault(offset, "name", "found %q as a name; %s", short(word), why)
	}
	return why.IsZero()
}

// found says what stands at the reading position, for a message.
func (p *parser) found() message.Text {
	rest := p.src[p.at:]
	switch {
	case rest == "":
		return message.Say("the end of the text")
	case rest[0] == '\n' || strings.HasPrefix(rest, "\r\n"):
		return message.Say("the end of the line")
	case strings.HasPrefix(rest, "}}"):
		return message.Say("the end of the mark")
	case strings.HasPrefix(rest, "{{"):
		return message.Say("a mark inside a mark")
	}
	at := p.at
	word := p.word()
	p.at = at
	if word != "" {
		return message.Plain(strconv.Quote(short(word)))
	}
	r, _ := utf8.DecodeRuneInString(rest)
	return message.Plain(strconv.Quote(string(r)))
}

func quoteOr(word string, other message.Text) message.Text {
	if word == "" {
		return other
	}
	return message.Plain(strconv.Quote(short(word)))
}

// short cuts a word that is too long for a message.
func short(word string) string {
	if utf8.RuneCountInString(word) <= MaxName+8 {
		return word
	}
	return fmt.Sprintf("%s… (%d letters)", string([]rune(word)[:MaxName]), utf8.RuneCountInString(word))
}

// reserved are the words that cannot be names.
var reserved = map[string]bool{
	"include": true, "if": true, "else": true, "end": true, "each": true,
	"as": true, "from": true, "or": true, "is": true, "has": true, "not": true,
}

// nameFault says what keeps word from being a blank's name, or nothing.
func nameFault(word string) message.Text {
	for i := 0; i < len(word); i++ {
		c := word[i]
		if 'a' <= c && c <= 'z' || i > 0 && ('0' <= c && c <= '9' || c == '_') {
			continue
		}
		return message.Say("a name has lower-case letters a to z, digits and _, and begins with a letter")
	}
	switch {
	case word == "":
		return message.Say("a name has at least one letter")
	case len(word) > MaxName:
		return message.Say("a name has %d letters at most", MaxName)
	case reserved[word]:
		return message.Say("it has a meaning of its own, so choose another name")
	}
	return message.Text{}
}

// IsSlug says whether s has the form of a slug: 2 to 64 lower-case letters,
// digits and hyphens, the first no hyphen.
func IsSlug(s string) bool {
	if len(s) < 2 || len(s) > 64 || s[0] == '-' {
		return false
	}
	for i := 0; i < len(s); i++ {
		c := s[i]
		if !('a' <= c && c <= 'z' || '0' <= c && c <= '9' || c == '-') {
			return false
		}
	}
	return true
}

// IsName says whether s can be the name of a blank.
func IsName(s string) bool { return nameFault(s).IsZero() }

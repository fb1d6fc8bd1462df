package fill

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Unfill makes a text of the fill-in language of one that was filled in: wherever one of the
// values stands there is its blank again, the longest value first, as a word or words of its own. What the text has of the
// language's own marks stays what it looks like. Blanks whose value is nowhere are not named in
// used.
func Unfill(text string, values Values) (body string, used []string) {
	type value struct{ name, text string }
	var all []value
	for name, v := range values {
		items, many := v.Items()
		if !many {
			items = []string{v.String()}
		}
		if joined := strings.Join(items, ", "); joined != "" {
			all = append(all, value{name, joined})
		}
	}
	slices.SortFunc(all, func(a, b value) int {
		if n := cmp.Compare(len(b.text), len(a.text)); n != 0 {
			return n
		}
		return strings.Compare(a.name, b.name)
	})
	// Parts with a name are blanks by now; the others are still looked through.
	type part struct{ text, name string }
	parts := []part{{text: text}}
	for _, v := range all {
		var next []part
		for _, p := range parts {
			for p.name == "" {
				at := wholeIn(p.text, v.text)
				if at < 0 {
					break
				}
				next = append(next, part{text: p.text[:at]}, part{name: v.name})
				p.text = p.text[at+len(v.text):]
				if !slices.Contains(used, v.name) {
					used = append(used, v.name)
				}
			}
			next = append(next, p)
		}
		parts = next
	}
	var b strings.Builder
	for _, p := range parts {
		if p.name != "" {
			b.WriteString("{{" + p.name + "}}")
		} else {
			b.WriteString(strings.ReplaceAll(p.text, "{{", `{{"{{"}}`))
		}
	}
	slices.Sort(used)
	return b.String(), used
}

// wholeIn gives where a value stands in a text and is no part of a longer word, or -1.
func wholeIn(text, value string) int {
	inWord := func(r rune, size int) bool { return size > 0 && (unicode.IsLetter(r) || unicode.IsDigit(r)) }
	for from := 0; ; {
		i := strings.Index(text[from:], value)
		if i < 0 {
			return -1
		}
		at := from + i
		end := at + len(value)
		starts := !inWord(utf8.DecodeLastRuneInString(text[:at])) || !inWord(utf8.DecodeRuneInString(value))
		ends := !inWord(utf8.DecodeRuneInString(text[end:])) || !inWord(utf8.DecodeLastRuneInString(value))
		if starts && ends {
			return at
		}
		from = at + 1
	}
}

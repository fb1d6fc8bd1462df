package search

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

const longestWord = 64 // bytes; what is longer is cut

// eachWord gives every word of a text with the bytes where it stands: a run of letters and
// digits, in lower case and without accents, and of scripts that do not part their words
// each letter by itself. An apostrophe inside a word is no part of it. The word is good
// until the next one.
func eachWord(text string, do func(word []byte, start, end int)) {
	var room [longestWord + utf8.UTFMax]byte
	for i := 0; i < len(text); {
		// Most words are of ASCII letters alone.
		start, n := i, 0
		for ; i < len(text) && n < longestWord; i++ {
			k := plainFold[text[i]]
			if k < 2 {
				break
			}
			room[n] = k
			n++
		}
		if i < len(text) && (text[i] >= utf8.RuneSelf || text[i] == '\'' || n == longestWord) {
			i = anyWord(text, start, room[:0], do)
			continue
		}
		if n > 0 {
			do(room[:n], start, i)
		}
		i++
	}
}

// anyWord gives the word that begins at a byte, if one does, and where to go on.
func anyWord(text string, start int, word []byte, do func(word []byte, start, end int)) (next int) {
	plain, end, i := true, start, start
	for i < len(text) {
		r, n := utf8.DecodeRuneInString(text[i:])
		switch {
		case r < utf8.RuneSelf && plainFold[r] > 1:
			if len(word) < longestWord {
				word = append(word, plainFold[r])
			}
		case alone(r):
			if len(word) == 0 {
				do(utf8.AppendRune(word, r), i, i+n)
				return i + n
			}
			n = 0
		case unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.Is(unicode.M, r) && len(word) > 0:
			if len(word) < longestWord {
				word = utf8.AppendRune(word, unicode.ToLower(r))
			}
			plain = false
		case (r == '\'' || r == '’') && len(word) > 0 && isLetter(text[i+n:]):
			i += n
			continue
		default:
			if len(word) == 0 {
				return i + n
			}
			n = 0
		}
		if n == 0 {
			break
		}
		i += n
		end = i
	}
	if !plain {
		word = folded(word)
	}
	if len(word) > 0 {
		do(word, start, end)
	}
	return i
}

// plainFold has of each byte that is an ASCII letter or digit it in lower case, 1 for the
// apostrophe and 0 for all else.
var plainFold = func() (fold [256]byte) {
	for c := range fold {
		switch {
		case c >= 'a' && c <= 'z', c >= '0' && c <= '9':
			fold[c] = byte(c)
		case c >= 'A' && c <= 'Z':
			fold[c] = byte(c) + 'a' - 'A'
		case c == '\'':
			fold[c] = 1
		}
	}
	return fold
}()

func isLetter(text string) bool {
	r, _ := utf8.DecodeRuneInString(text)
	return unicode.IsLetter(r)
}

// alone says whether a letter is of a script that does not part its words.
func alone(r rune) bool {
	return r >= 0x0E00 && unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai, unicode.Lao, unicode.Khmer, unicode.Myanmar)
}

// folded takes a word's accents away.
func folded(word []byte) []byte {
	var out []byte
	for i, n := 0, 0; i < len(word); i += n {
		var r rune
		r, n = utf8.DecodeRune(word[i:])
		if unicode.Is(unicode.Mn, r) {
			continue
		}
		for _, d := range string(norm.NFD.AppendString(nil, string(r))) {
			if !unicode.Is(unicode.Mn, d) {
				out = utf8.AppendRune(out, d)
			}
		}
	}
	return out
}

// Words gives the words of a text as they are looked for.
func Words(text string) (all []string) {
	eachWord(text, func(w []byte, _, _ int) { all = append(all, string(w)) })
	return all
}

// small are words that no entry needs to have because they were asked for: those that
// hold sentences together, and those by which one asks; in English, German and French,
// but for what says something in another of these.
var small = func() map[string]bool {
	all := map[string]bool{}
	for _, w := range strings.Fields(`
		a about after all also am an and any anybody anyone are as at be because been before being but by
		can cannot cant could couldnt did didnt do does doesnt doing dont for from get gets getting give gives got had has have having he her here hers
		him his how i id if ill im in into is isnt it its ive just let lets like looking made make makes making may me might more most must my
		need needed needs no nor not of off on once one ones or our ours out over own please put she should so some somebody someone something
		such than that thats the their theirs them then there theres these they theyre thing things this those to too up us use used using
		very want wanted wants was we were what whats when where which while who whom whose why will wish with without would
		you your yours find show where wheres help
		das dem den der des die diese dieser dieses ein eine einem einen einer eines fur ist ich im mein meine mit nicht oder sich sie sind uber und unser unsere vom von wie wir zu zum zur
		au aux avec ce ces cet cette dans du elle elles est et je la le les leur leurs mes mon nos notre nous ou par pas que qui sur un une vos votre vous`) {
		all[w] = true
	}
	return all
}()

// weak are words by which one asks for a text of any sort: they count where they
// stand, and are not missed where they do not.
var weak = func() map[string]bool {
	all := map[string]bool{}
	for _, w := range strings.Fields(`
		text texts prompt prompts template templates write writes writing written tell tells telling told say says saying explain explaining
		ask asks asking someone people person staff company send sending new good best way ways right words word
		draft create creating generate entry version short long quick example examples kind sort type stuff`) {
		all[w] = true
	}
	return all
}()

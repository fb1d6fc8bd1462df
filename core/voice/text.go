// Package voice measures how a text reads: its figures, with intervals, what is
// characteristic of its words, and how near it is to what somebody else has written. It
// reads Markdown, and passes over code, headings and marks. It measures English in full;
// of other languages it measures what does not depend on their words, and says so.
package voice

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/core/blocks"
)

// Text is a text, taken apart.
type Text struct {
	Paragraphs []Paragraph
	Language   string // a tag of BCP 47; empty stands for English

	lexicon  []lexeme
	words    int
	unspaced int // words that are letters of scripts that do not part their words
}

// Paragraph is what stands between blank lines, or an item of a list.
type Paragraph struct {
	Item      bool // of a list
	Sentences []Sentence
}

// Sentence is a sentence, or what stands for one: a line that ends without a full stop.
type Sentence struct {
	Start, End int // bytes of the text
	Words      []Word
	Stop       byte // what it ends with: '.', '?', '!' or 0
	marks      marks
}

// Word is where a word stands: a run of letters, digits, apostrophes and hyphens that
// begins and ends with a letter or digit.
type Word struct {
	Start, End int32 // bytes of the text
	lexeme     int32 // its number in the text's lexicon
}

// marks are how many of each a sentence has.
type marks struct{ dashes, semicolons, brackets int }

// Read takes a text apart.
func Read(text, language string) *Text {
	t := &Text{Language: language}
	r := reader{text: t, src: text, known: map[string]int32{}}
	for _, l := range blocks.Lines(text) {
		bare := strings.TrimSpace(l.Text)
		switch {
		case l.Code || l.Level > 0 || bare == "" || bare[0] == '|' || isRule(bare):
			r.endParagraph()
			continue
		}
		from, item := l.Start+itemStart(l.Text), itemStart(l.Text) > 0
		if item {
			r.endParagraph()
			r.paragraph.Item = true
		}
		r.line(from, l.Start+len(l.Text))
	}
	r.endParagraph()
	return t
}

// isRule says whether a line only divides, or is a row that divides the head of a table.
func isRule(line string) bool { return strings.Trim(line, "-*_=|: ") == "" }

// itemStart gives where the text of a list's item begins in a line, or 0 where it is none.
func itemStart(line string) int {
	at := len(line) - len(strings.TrimLeft(line, " \t>"))
	rest := line[at:]
	for _, sign := range []string{"- ", "* ", "+ ", "• "} {
		if strings.HasPrefix(rest, sign) {
			return at + len(sign)
		}
	}
	digits := 0
	for digits < len(rest) && digits < 3 && rest[digits] >= '0' && rest[digits] <= '9' {
		digits++
	}
	if digits > 0 && digits+1 < len(rest) && (rest[digits] == '.' || rest[digits] == ')') && rest[digits+1] == ' ' {
		return at + digits + 2
	}
	return 0
}

// reader reads lines into paragraphs.
type reader struct {
	text      *Text
	src       string
	known     map[string]int32 // lexemes
	room      []byte           // for a word in lower case
	words     []Word           // of the sentence
	paragraph Paragraph
	sentence  Sentence
	open      bool // the sentence has begun
}

func (r *reader) endParagraph() {
	r.endSentence(0)
	if len(r.paragraph.Sentences) > 0 {
		r.text.Paragraphs = append(r.text.Paragraphs, r.paragraph)
	}
	r.paragraph = Paragraph{}
}

func (r *reader) endSentence(with byte) {
	if len(r.words) > 0 {
		r.sentence.Stop, r.sentence.Words = with, slices.Clone(r.words)
		r.paragraph.Sentences = append(r.paragraph.Sentences, r.sentence)
	}
	r.sentence, r.open, r.words = Sentence{}, false, r.words[:0]
}

// line reads a line of a paragraph.
func (r *reader) line(from, to int) {
	for i := from; i < to; {
		if r.src[i] == '{' && strings.HasPrefix(r.src[i:to], "{{") { // a mark is no prose
			if end := strings.Index(r.src[i:to], "}}"); end >= 0 {
				i += end + 2
				continue
			}
		}
		if r.src[i] == ' ' || r.src[i] == ',' {
			i++
			continue
		}
		c, n := utf8.DecodeRuneInString(r.src[i:to])
		switch {
		case isWordRune(c):
			i = r.word(i, to)
			continue
		case strings.ContainsRune("—–", c) || c == '-' && i > from && r.src[i-1] == ' ' && strings.HasPrefix(r.src[i+1:to], " "):
			r.sentence.marks.dashes++
		case c == ';':
			r.sentence.marks.semicolons++
		case c == '(' || c == '[' && !strings.HasPrefix(r.src[i:to], "[ ]"):
			r.sentence.marks.brackets++
		case strings.ContainsRune(".!?…。！？", c):
			if end := r.stop(i, from, to); end > 0 {
				r.sentence.End = end
				r.endSentence(kindOfEnd(r.src[i:end]))
				i = end
				continue
			}
		}
		i += n
	}
}

func kindOfEnd(signs string) byte {
	switch {
	case strings.ContainsAny(signs, "?？"):
		return '?'
	case strings.ContainsAny(signs, "!！"):
		return '!'
	}
	return '.'
}

// stop gives where the sentence ends that a sign may end, or 0 where it does not.
func (r *reader) stop(at, from, to int) (end int) {
	end = at
	for end < to && strings.ContainsRune(".!?…。！？\"'”’)]»*_", firstRune(r.src[end:to])) {
		_, n := utf8.DecodeRuneInString(r.src[end:to])
		end += n
	}
	sign := firstRune(r.src[at:to])
	if strings.ContainsRune("。！？", sign) || end >= to {
		return end
	}
	if r.src[end] != ' ' && r.src[end] != '\t' {
		return 0 // within a number, a name or an address
	}
	if sign != '.' || end > at+1 {
		next := firstRune(strings.TrimLeft(r.src[end:to], " \t\"'“‘([*_"))
		if unicode.IsLower(next) {
			return 0 // inside a sentence
		}
		return end
	}
	if words := r.words; len(words) > 0 {
		last := words[len(words)-1]
		text := r.text.lexicon[last.lexeme].text
		if int(last.End) == at && (abbreviations[text] || len(text) == 1 && text != "i" && unicode.IsLetter(rune(text[0]))) {
			return 0
		}
	}
	if unicode.IsLower(firstRune(strings.TrimLeft(r.src[end:to], " \t\"'“‘([*_"))) {
		return 0 // of an abbreviation that is not known
	}
	return end
}

func firstRune(s string) rune {
	r, _ := utf8.DecodeRuneInString(s)
	return r
}

// abbreviations are those with a full stop after which a sentence goes on with a capital.
var abbreviations = set("mr mrs ms dr prof st jr sr vs e.g i.e etc cf no nos fig figs approx dept est inc ltd co vol ed eds pp al jan feb mar apr jun jul aug sep sept oct nov dec mon tue wed thu fri sat sun")

func set(words string) map[string]bool {
	all := map[string]bool{}
	for w := range strings.FieldsSeq(words) {
		all[w] = true
	}
	return all
}

func isWordRune(c rune) bool {
	if c < utf8.RuneSelf {
		return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
	}
	return unicode.IsLetter(c) || unicode.IsDigit(c)
}

// word reads a word, and gives where it ends.
func (r *reader) word(at, to int) (end int) {
	r.room = r.room[:0]
	for end = at; end < to; {
		b := r.src[end]
		if b < utf8.RuneSelf {
			switch {
			case b >= 'a' && b <= 'z' || b >= '0' && b <= '9':
				r.room = append(r.room, b)
				end++
				continue
			case b >= 'A' && b <= 'Z':
				r.room = append(r.room, b+'a'-'A')
				end++
				continue
			case (b == '\'' || b == '-' || b == '.' && r.dotted(at, end)) && end+1 < to && isWordRune(firstRune(r.src[end+1:to])):
				r.room = append(r.room, b)
				end++
				continue
			}
			break
		}
		c, n := utf8.DecodeRuneInString(r.src[end:to])
		if alone(c) {
			if end == at {
				r.room = append(r.room, r.src[at:at+n]...)
				end += n
				r.text.unspaced++
			}
			break
		}
		if !isWordRune(c) && !unicode.Is(unicode.M, c) && (c != '’' || end+n >= to || !isWordRune(firstRune(r.src[end+n:to]))) {
			break
		}
		if c == '’' {
			r.room = append(r.room, '\'')
		} else {
			r.room = utf8.AppendRune(r.room, unicode.ToLower(c))
		}
		end += n
	}
	if !r.open {
		r.sentence.Start, r.open = at, true
	}
	r.text.words++
	r.words = append(r.words, Word{int32(at), int32(end), r.lexeme()})
	r.sentence.End = end
	return end
}

// lexeme gives the number of the word that has been read.
func (r *reader) lexeme() int32 {
	n, is := r.known[string(r.room)]
	if !is {
		n = int32(len(r.text.lexicon))
		r.text.lexicon = append(r.text.lexicon, newLexeme(string(r.room)))
		r.known[r.text.lexicon[n].text] = n
	}
	return n
}

// dotted says whether a full stop stands between single letters, as in "e.g", or digits.
func (r *reader) dotted(at, dot int) bool {
	before := dot - 1
	isDigit := func(i int) bool { return i < len(r.src) && r.src[i] >= '0' && r.src[i] <= '9' }
	if isDigit(before) && isDigit(dot+1) {
		return true
	}
	single := before == at || r.src[before-1] == '.'
	return single && (dot+2 >= len(r.src) || !isWordRune(firstRune(r.src[dot+2:])))
}

// alone says whether a letter is of a script that does not part its words.
func alone(c rune) bool {
	return c >= 0x0E00 && unicode.In(c, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai, unicode.Lao, unicode.Khmer, unicode.Myanmar)
}

// Words is how many words it has.
func (t *Text) Words() int { return t.words }

// Sentences gives its sentences in order.
func (t *Text) Sentences() (all []Sentence) {
	for _, p := range t.Paragraphs {
		all = append(all, p.Sentences...)
	}
	return all
}

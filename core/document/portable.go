package document

import (
	"bytes"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/core/message"

	"github.com/ledongthuc/pdf"
)

// portable gives the text layer of a .pdf (ISO 32000-1), line by line as it stands on its
// pages. Whoever reads files of others does it in a process of its own: a file can be made
// to have its reader take any amount of time and memory.
func portable(data []byte) (text string, err error) {
	defer func() {
		if x := recover(); x != nil {
			text, err = "", unreadable(fmt.Errorf("%v", x), damaged)
		}
	}()
	r, err := pdf.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		if strings.Contains(err.Error(), "encrypted") || strings.Contains(err.Error(), "password") {
			return "", Unreadable{Why: message.Say("it is locked with a password; save it without one")}
		}
		return "", Unreadable{Why: damaged}
	}
	pages := r.NumPage()
	if pages > MostPages {
		return "", Unreadable{Why: message.Say("it has %d pages; it takes %d at most: bring it in parts", pages, MostPages)}
	}
	out, drawn := &flow{}, &drawing{fonts: map[string]*font{}}
	for n := 1; n <= pages; n++ {
		page := r.Page(n)
		if page.V.IsNull() {
			continue
		}
		glyphs, err := drawn.page(page)
		if err != nil {
			return "", err
		}
		out.page(glyphs)
		if out.text.Len() > MostText {
			return "", errLong
		}
	}
	text = out.String()
	if strings.TrimSpace(text) == "" {
		return "", Unreadable{Why: message.Say("it has no text layer: its pages are pictures; have their text recognised first, or paste it")}
	}
	if unnamed(text) {
		return "", Unreadable{Why: message.Say("its fonts do not say which letters they draw; print it anew, or paste its text")}
	}
	return text, nil
}

// unnamed says whether a good part of a text is no text: what comes of codes without names.
func unnamed(text string) bool {
	bad, all := 0, 0
	for _, r := range text {
		switch {
		case unicode.IsSpace(r):
		case r == utf8.RuneError, unicode.Is(unicode.C, r):
			bad++
			fallthrough
		default:
			all++
		}
	}
	return bad*10 > all
}

var damaged = message.Say("it begins like a .pdf and cannot be read: it is cut short or damaged; save it anew")

// unpack holds contents against the limit of what all of a file unpacks to.
func (d *drawing) unpack(contents pdf.Value) error {
	streams := items(contents)
	if contents.Kind() == pdf.Stream {
		streams = []pdf.Value{contents}
	}
	for _, s := range streams {
		if s.Kind() != pdf.Stream {
			continue
		}
		n, _ := io.CopyN(io.Discard, s.Reader(), mostUnpacked-d.unpacked+1)
		if d.unpacked += n; d.unpacked > mostUnpacked {
			return errUnpacked
		}
	}
	return nil
}

// flow puts lines together to paragraphs.
type flow struct{ text strings.Builder }

// line is what stands at one height of a page.
type line struct {
	text    string
	y, size float64
}

func (f *flow) page(glyphs []glyph) {
	lines := linesOf(glyphs)
	spacing := usualSpacing(lines)
	for i, l := range lines {
		apart := i == 0
		if i > 0 {
			gap := lines[i-1].y - l.y
			apart = gap > 1.35*spacing || gap < -0.5*l.size || math.Abs(lines[i-1].size-l.size) > 0.2*l.size
		}
		f.add(l.text, apart)
	}
}

// add puts a line after the others. One that goes on where the last page or column ended
// stays in its paragraph.
func (f *flow) add(text string, apart bool) {
	before := f.text.String()
	last, _ := utf8.DecodeLastRuneInString(before)
	first, _ := utf8.DecodeRuneInString(text)
	switch {
	case before == "":
	case strings.HasSuffix(before, "-") && unicode.IsLower(first) && endsInWord(before):
		// A word that was divided at the end of its line.
		f.text.Reset()
		f.text.WriteString(strings.TrimSuffix(before, "-"))
	case apart && (strings.ContainsRune(".?!:”\"’)", last) || !unicode.IsLower(first)), isItem(text):
		f.text.WriteString("\n\n")
	default:
		f.text.WriteString(" ")
	}
	f.text.WriteString(text)
}

// endsInWord says whether a hyphen at the end of a text stands after a letter.
func endsInWord(text string) bool {
	r, _ := utf8.DecodeLastRuneInString(strings.TrimSuffix(text, "-"))
	return unicode.IsLetter(r)
}

func isItem(text string) bool {
	return strings.HasPrefix(text, "• ") || strings.HasPrefix(text, "- ") || strings.HasPrefix(text, "– ")
}

func (f *flow) String() string {
	if f.text.Len() == 0 {
		return ""
	}
	return ligatures.Replace(f.text.String()) + "\n"
}

// ligatures are letters that are drawn as one, and the hyphen that is not drawn.
var ligatures = strings.NewReplacer("ﬀ", "ff", "ﬁ", "fi", "ﬂ", "fl", "ﬃ", "ffi", "ﬄ", "ffl", "ﬅ", "st", "ﬆ", "st", "\u00ad", "")

// linesOf gathers glyphs in the order in which they are drawn: a line is as long as they
// stand at one height.
func linesOf(glyphs []glyph) (lines []line) {
	var b strings.Builder
	var last glyph
	gap := 0.25 // of the size of the letters, from which on there is a space
	if hasSpaces(glyphs) {
		gap = 3 // only between columns
	}
	end := func() {
		if text := strings.Join(strings.Fields(b.String()), " "); text != "" {
			lines = append(lines, line{text, last.y, last.size})
		}
		b.Reset()
	}
	for i, g := range glyphs {
		if g.text == "" {
			continue
		}
		if i > 0 && math.Abs(g.y-last.y) > 0.4*math.Max(math.Abs(g.size), 1) {
			end()
		} else if i > 0 && g.x-(last.x+last.w) > gap*math.Abs(g.size) {
			b.WriteByte(' ')
		}
		b.WriteString(g.text)
		last = g
	}
	end()
	return lines
}

// hasSpaces says whether spaces are drawn as glyphs of their own. Where they are, the
// distances between others say nothing.
func hasSpaces(glyphs []glyph) bool {
	n := 0
	for _, g := range glyphs {
		if strings.TrimSpace(g.text) == "" {
			n++
		}
	}
	return n*25 > len(glyphs)
}

// usualSpacing is the median distance between lines.
func usualSpacing(lines []line) float64 {
	var gaps []float64
	for i := 1; i < len(lines); i++ {
		if gap := lines[i-1].y - lines[i].y; gap > 0 {
			gaps = append(gaps, gap)
		}
	}
	if len(gaps) == 0 {
		return math.Inf(1)
	}
	slices.Sort(gaps)
	return gaps[(len(gaps)-1)/2]
}

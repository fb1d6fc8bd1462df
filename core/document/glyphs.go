package document

import (
	"encoding/hex"
	"io"
	"regexp"
	"strings"
	"unicode/utf16"

	"github.com/ledongthuc/pdf"
)

// glyph is a letter as a page shows it, or several that are drawn as one. Lengths are
// points of the page.
type glyph struct {
	text          string
	x, y, w, size float64
}

// Depth and number of what is drawn within what is drawn: a file may have a form show itself.
const (
	mostDepth = 12
	mostForms = 10_000
	mostTable = 4 << 20 // bytes of what names a font's codes
)

// drawing follows the operators of pages that show text (ISO 32000-1, 9.4 and 8.10).
type drawing struct {
	fonts    map[string]*font // by what their dictionaries say
	unpacked int64            // bytes of contents so far
	forms    int
	glyphs   []glyph
}

// matrix has the six numbers of ISO 32000-1, 8.3.3.
type matrix [6]float64

func (m matrix) then(n matrix) matrix {
	return matrix{
		m[0]*n[0] + m[1]*n[2], m[0]*n[1] + m[1]*n[3],
		m[2]*n[0] + m[3]*n[2], m[2]*n[1] + m[3]*n[3],
		m[4]*n[0] + m[5]*n[2] + n[4], m[4]*n[1] + m[5]*n[3] + n[5],
	}
}

func shift(x, y float64) matrix { return matrix{1, 0, 0, 1, x, y} }

var still = shift(0, 0)

// state is what q keeps and Q brings back.
type state struct {
	page             matrix // from where something is drawn to the page
	font             *font
	size             float64
	letters, words   float64 // added after each letter and each space
	stretch, leading float64
	rise             float64
}

// page gives the glyphs of a page in the order in which they are drawn.
func (d *drawing) page(p pdf.Page) ([]glyph, error) {
	d.glyphs = nil
	if p.V.Key("Contents").Kind() == pdf.Null {
		return nil, nil
	}
	err := d.draw(p.V.Key("Contents"), p.Resources(), state{page: still, stretch: 1}, 0)
	return d.glyphs, err
}

func (d *drawing) draw(contents, resources pdf.Value, s state, depth int) error {
	if err := d.unpack(contents); err != nil {
		return err
	}
	var kept []state
	text, line := still, still
	next := func(x, y float64) { line = shift(x, y).then(line); text = line }
	var failed error
	pdf.Interpret(contents, func(stack *pdf.Stack, op string) {
		args := taken(stack)
		number := func(i int) float64 {
			if i < len(args) {
				return args[i].Float64()
			}
			return 0
		}
		switch op {
		case "q":
			kept = append(kept, s)
		case "Q":
			if n := len(kept); n > 0 {
				s, kept = kept[n-1], kept[:n-1]
			}
		case "cm":
			s.page = matrixOf(args).then(s.page)
		case "BT":
			text, line = still, still
		case "Tm":
			line = matrixOf(args)
			text = line
		case "Td":
			next(number(0), number(1))
		case "TD":
			s.leading = -number(1)
			next(number(0), number(1))
		case "T*":
			next(0, -s.leading)
		case "Tc":
			s.letters = number(0)
		case "Tw":
			s.words = number(0)
		case "Tz":
			s.stretch = number(0) / 100
		case "TL":
			s.leading = number(0)
		case "Ts":
			s.rise = number(0)
		case "Tf":
			if len(args) == 2 {
				s.font, s.size = d.font(resources.Key("Font").Key(args[0].Name())), number(1)
			}
		case "\"":
			s.words, s.letters = number(0), number(1)
			fallthrough
		case "'":
			next(0, -s.leading)
			fallthrough
		case "Tj":
			if n := len(args); n > 0 {
				text = d.show(args[n-1].RawString(), s, text)
			}
		case "TJ":
			if len(args) == 0 {
				return
			}
			for i := range args[0].Len() {
				if v := args[0].Index(i); v.Kind() == pdf.String {
					text = d.show(v.RawString(), s, text)
				} else {
					text = shift(-v.Float64()/1000*s.size*s.stretch, 0).then(text)
				}
			}
		case "Do":
			if len(args) == 0 || failed != nil || depth == mostDepth || d.forms == mostForms {
				return
			}
			form := resources.Key("XObject").Key(args[0].Name())
			if form.Key("Subtype").Name() != "Form" {
				return
			}
			d.forms++
			inner, within := s, resources
			if m := form.Key("Matrix"); m.Len() == 6 {
				inner.page = matrixOf(items(m)).then(s.page)
			}
			if own := form.Key("Resources"); own.Kind() == pdf.Dict {
				within = own
			}
			failed = d.draw(form, within, inner, depth+1)
		}
	})
	return failed
}

// show adds the glyphs of a string, and gives the place after them.
func (d *drawing) show(codes string, s state, text matrix) matrix {
	if s.font == nil {
		return text
	}
	for len(codes) > 0 {
		code := codes[:min(s.font.bytes, len(codes))]
		codes = codes[len(code):]
		at := matrix{s.size * s.stretch, 0, 0, s.size, 0, s.rise}.then(text).then(s.page)
		w := s.font.width(code)
		d.glyphs = append(d.glyphs, glyph{s.font.text(code), at[4], at[5], w * at[0], at[0]})
		forward := w*s.size + s.letters
		if code == " " {
			forward += s.words
		}
		text = shift(forward*s.stretch, 0).then(text)
	}
	return text
}

// font tells what the codes of a font stand for.
type font struct {
	bytes   int                 // of a code
	named   []codeRange         // by the font's own table, which goes before its encoding
	known   map[string]string   // what has been looked up
	encoded pdf.TextEncoding    // of fonts without such a table
	widths  func(n int) float64 // of the font's height
}

// codeRange is a stretch of codes and what the first of them, or each of them, is.
type codeRange struct {
	low, high string
	first     string   // UTF-16, big-endian
	each      []string // the same, where they are named one by one
}

func (d *drawing) font(v pdf.Value) *font {
	if v.Kind() != pdf.Dict {
		return nil
	}
	key := v.String()
	if f := d.fonts[key]; f != nil {
		return f
	}
	f := &font{bytes: 1, known: map[string]string{}, widths: simpleWidths(v)}
	if v.Key("Subtype").Name() == "Type0" {
		f.bytes, f.widths = 2, wideWidths(v.Key("DescendantFonts").Index(0))
	}
	if table := v.Key("ToUnicode"); table.Kind() == pdf.Stream {
		data, _ := io.ReadAll(io.LimitReader(table.Reader(), mostTable)) // one that is cut short still names what it names
		f.named = rangesOf(data)
	}
	f.encoded = (&pdf.Font{V: v}).Encoder()
	d.fonts[key] = f
	return f
}

// text gives what a code stands for: by the table that a font has for readers (ISO 32000-1,
// 9.10.2), and else by its encoding.
func (f *font) text(code string) string {
	if t, ok := f.known[code]; ok {
		return t
	}
	t, ok := f.byTable(code)
	if !ok && f.encoded != nil {
		t = f.encoded.Decode(code)
	}
	f.known[code] = t
	return t
}

func (f *font) byTable(code string) (string, bool) {
	for _, r := range f.named {
		if len(r.low) != len(code) || code < r.low || r.high < code {
			continue
		}
		n := numberOf(code) - numberOf(r.low)
		if r.each != nil {
			if n >= len(r.each) {
				continue
			}
			return utf16Text(r.each[n], 0), true
		}
		return utf16Text(r.first, n), true
	}
	return "", false
}

func (f *font) width(code string) float64 { return f.widths(numberOf(code)) }

var tableTokens = regexp.MustCompile(`<<|>>|<[0-9A-Fa-f\s]*>|\[|\]|\b(?:begin|end)bf(?:char|range)\b`)

// rangesOf reads a table of what codes stand for (ISO 32000-1, 9.10.3): of its program only
// the lists of codes count, each a code or two and what they are.
func rangesOf(table []byte) (all []codeRange) {
	var row []string // the codes so far of one line of a list
	var each []string
	columns, inside := 0, false
	for _, token := range tableTokens.FindAll(table, -1) {
		switch t := string(token); {
		case t == "beginbfchar":
			columns, row = 2, nil
		case t == "beginbfrange":
			columns, row = 3, nil
		case t == "endbfchar", t == "endbfrange":
			columns = 0
		case columns == 0:
		case t == "[":
			inside, each = true, []string{}
		case inside && t != "]":
			each = append(each, hexed(t))
			continue
		case t == "]":
			inside = false
			row = append(row, "")
		default:
			row = append(row, hexed(t))
		}
		if columns == 0 || len(row) < columns {
			continue
		}
		all = append(all, codeRange{low: row[0], high: row[columns-2], first: row[columns-1], each: each})
		row, each = nil, nil
	}
	return all
}

// hexed gives the bytes of <48 65>.
func hexed(t string) string {
	digits := strings.Join(strings.Fields(strings.Trim(t, "<>")), "")
	if len(digits)%2 == 1 {
		digits += "0"
	}
	out, _ := hex.DecodeString(digits) // nothing but digits is there
	return string(out)
}

// simpleWidths are those of a font with one byte a code. Only fonts that are drawn by
// themselves (Type 3) say in which unit.
func simpleWidths(v pdf.Value) func(int) float64 {
	first, widths, unit := int(v.Key("FirstChar").Int64()), v.Key("Widths"), 0.001
	if m := v.Key("FontMatrix"); m.Len() == 6 {
		unit = m.Index(0).Float64()
	}
	all := items(widths)
	return func(code int) float64 {
		if code < first || code-first >= len(all) {
			return 0
		}
		return all[code-first].Float64() * unit
	}
}

// wideWidths are those of a font with two bytes a code (ISO 32000-1, 9.7.4.3).
func wideWidths(v pdf.Value) func(int) float64 {
	usual := 1.0
	if dw := v.Key("DW"); dw.Kind() != pdf.Null {
		usual = dw.Float64() / 1000
	}
	type stretch struct {
		first, last int
		widths      []pdf.Value
	}
	var all []stretch
	for w := items(v.Key("W")); len(w) >= 2; {
		first := int(w[0].Int64())
		if w[1].Kind() == pdf.Array {
			all = append(all, stretch{first, first + w[1].Len() - 1, items(w[1])})
			w = w[2:]
		} else if len(w) >= 3 {
			all = append(all, stretch{first, int(w[1].Int64()), w[2:3]})
			w = w[3:]
		} else {
			break
		}
	}
	return func(code int) float64 {
		for _, s := range all {
			if code >= s.first && code <= s.last {
				return s.widths[min(code-s.first, len(s.widths)-1)].Float64() / 1000
			}
		}
		return usual
	}
}

// taken empties a stack, and gives what was on it in the order in which it came.
func taken(stack *pdf.Stack) []pdf.Value {
	args := make([]pdf.Value, stack.Len())
	for i := len(args) - 1; i >= 0; i-- {
		args[i] = stack.Pop()
	}
	return args
}

func items(v pdf.Value) []pdf.Value {
	if v.Kind() != pdf.Array {
		return nil
	}
	all := make([]pdf.Value, v.Len())
	for i := range all {
		all[i] = v.Index(i)
	}
	return all
}

func matrixOf(args []pdf.Value) matrix {
	if len(args) != 6 {
		return still
	}
	var m matrix
	for i := range m {
		m[i] = args[i].Float64()
	}
	return m
}

// numberOf is a code as a number.
func numberOf(code string) (n int) {
	for i := range len(code) {
		n = n<<8 | int(code[i])
	}
	return n
}

// utf16Text is UTF-16, big-endian, with its last unit so many further on.
func utf16Text(s string, further int) string {
	units := make([]uint16, len(s)/2)
	for i := range units {
		units[i] = uint16(s[2*i])<<8 | uint16(s[2*i+1])
	}
	if len(units) > 0 {
		units[len(units)-1] += uint16(further)
	}
	return strings.TrimRight(string(utf16.Decode(units)), "\x00")
}

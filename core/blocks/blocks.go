// Package blocks tells the lines of a Markdown text apart: which are between fences,
// and which are headings. It reads no marks and nothing within a line.
package blocks

import (
	"slices"
	"strings"
)

// Line is a line of a text.
type Line struct {
	Start, End int    // bytes of the text; with the line end
	Text       string // without it
	Fenced     bool   // between two fences, or one of them
	Code       bool   // the same, of fences that hold code
	Level      int    // of a heading, from 1; 0 for what is none
	Title      string // of a heading
}

// Lines takes a text apart. Joined, the lines are the text, byte for byte.
//
// Fences that hold code are those of CommonMark (three backticks or tildes at least,
// closed by as many, or never). Two lines of three hyphens or more, or of three
// quotation marks, hold what is material and no order; one without another after it is
// no fence. A heading is one to six # and a space.
func Lines(text string) []Line {
	all := split(text)
	pairs := map[string]int{} // the last line of each kind
	for i, l := range all {
		if mark := material(strings.TrimSpace(l.Text)); mark != "" {
			pairs[mark] = i
		}
	}
	var open fence
	for i := range all {
		l := &all[i]
		bare := strings.TrimSpace(l.Text)
		switch {
		case open.mark != "":
			l.Fenced, l.Code = true, open.code
			if open.closedBy(bare) {
				open = fence{}
			}
		case codeFence(bare) != "":
			open = fence{mark: codeFence(bare), code: true}
			l.Fenced, l.Code = true, true
		case material(bare) != "" && pairs[material(bare)] > i:
			open = fence{mark: material(bare)}
			l.Fenced = true
		default:
			l.Level, l.Title = heading(l.Text)
		}
	}
	return all
}

func split(text string) []Line {
	all := make([]Line, 0, strings.Count(text, "\n")+1)
	at := 0
	for line := range strings.Lines(text) {
		all = append(all, Line{Start: at, End: at + len(line), Text: strings.TrimRight(line, "\r\n")})
		at += len(line)
	}
	return all
}

// fence is one that is open.
type fence struct {
	mark string
	code bool
}

func (f fence) closedBy(bare string) bool {
	if !f.code {
		return material(bare) == f.mark
	}
	return strings.HasPrefix(bare, f.mark) && strings.Trim(bare, f.mark[:1]) == ""
}

// codeFence gives the backticks or tildes with which a line opens a fence, or nothing.
func codeFence(bare string) string {
	for _, c := range []string{"`", "~"} {
		rest := strings.TrimLeft(bare, c)
		if n := len(bare) - len(rest); n >= 3 && (c == "~" || !strings.Contains(rest, "`")) {
			return bare[:n]
		}
	}
	return ""
}

// material says which fence of material a line is: of hyphens, of quotation marks, or
// none.
func material(bare string) string {
	for _, c := range []string{"-", `"`} {
		if len(bare) >= 3 && strings.Trim(bare, c) == "" {
			return c
		}
	}
	return ""
}

func heading(line string) (level int, title string) {
	text := strings.TrimLeft(line, "#")
	if n := len(line) - len(text); n >= 1 && n <= 6 && (strings.HasPrefix(text, " ") || strings.HasPrefix(text, "\t")) {
		return n, strings.TrimSpace(text)
	}
	return 0, ""
}

// Part is a stretch of a text below a level-2 heading.
type Part struct {
	Title   string // empty for what stands before the first heading
	Heading string // its line as it is written
	Text    string // all below it
}

// Parts takes a text apart at its level-2 headings. Joined, headings and texts are the
// text, byte for byte. The first part has no heading, and may be empty.
func Parts(text string) []Part {
	parts := make([]Part, 1, 1+strings.Count(text, "## "))
	from := 0 // where the text of the last part begins
	add := func(start, end int, title string) {
		parts[len(parts)-1].Text = text[from:start]
		parts = append(parts, Part{Title: title, Heading: text[start:end]})
		from = end
	}
	if mayHaveFences(text) {
		for _, l := range Lines(text) {
			if l.Level == 2 {
				add(l.Start, l.End, l.Title)
			}
		}
	} else {
		for at := 0; at < len(text); {
			end := len(text)
			if i := strings.IndexByte(text[at:], '\n'); i >= 0 {
				end = at + i + 1
			}
			if strings.HasPrefix(text[at:end], "##") {
				if level, title := heading(strings.TrimRight(text[at:end], "\r\n")); level == 2 {
					add(at, end, title)
				}
			}
			at = end
		}
	}
	parts[len(parts)-1].Text = text[from:]
	return parts
}

// mayHaveFences says whether a text has what any fence is made of. Most have none, and are
// then told apart at a glance.
func mayHaveFences(text string) bool {
	return strings.Contains(text, "---") || strings.Contains(text, "```") || strings.Contains(text, "~~~") || strings.Contains(text, `"""`)
}

// Join is the reverse of Parts.
func Join(parts []Part) string {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString(p.Heading + p.Text)
	}
	return b.String()
}

// Add puts an empty part where an order of titles has it: before the first part that
// comes after it there, an empty line after what is before it.
func Add(parts []Part, title string, order []string) []Part {
	rank := func(title string) int {
		for i, o := range order {
			if strings.EqualFold(o, title) {
				return i
			}
		}
		return -1
	}
	at := len(parts)
	for i, p := range parts {
		if p.Heading != "" && rank(p.Title) > rank(title) {
			at = i
			break
		}
	}
	out := append([]Part{}, parts[:at]...)
	if before := &out[len(out)-1]; before.Heading+before.Text != "" {
		for !strings.HasSuffix(before.Heading+before.Text, "\n\n") {
			before.Text += "\n"
		}
	}
	added := Part{Title: title, Heading: "## " + title + "\n"}
	if at < len(parts) {
		added.Text = "\n"
	}
	return append(append(out, added), parts[at:]...)
}

// Rewrite gives a text with what is below a level-2 heading made anew. The part is added,
// where an order of titles has it, if there is none. Made from and of whole lines: the empty
// lines that end a part stay out of it.
func Rewrite(text, title string, order []string, remake func(below string) (string, error)) (string, error) {
	parts := Parts(text)
	is := func(p Part) bool { return p.Heading != "" && strings.EqualFold(p.Title, title) }
	if !slices.ContainsFunc(parts, is) {
		parts = Add(parts, title, order)
	}
	at := slices.IndexFunc(parts, is)
	part := &parts[at]
	if !strings.HasSuffix(part.Heading, "\n") {
		part.Heading += "\n"
	}
	below := strings.TrimRight(part.Text, " \t\r\n")
	rest := part.Text[len(below):]
	if below != "" {
		below += "\n"
		rest = strings.TrimPrefix(strings.TrimPrefix(rest, "\r"), "\n")
	}
	made, err := remake(below)
	if err != nil {
		return "", err
	}
	part.Text = made + rest
	return Join(parts), nil
}

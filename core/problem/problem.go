// Package problem says what is wrong with a piece of input, where, and what
// would be right. Every other package reports bad input with it, so that all
// problems of one input travel together. It decides nothing.
package problem

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/core/message"
)

// Problem is one thing wrong with an input.
type Problem struct {
	// Field is a JSON pointer (RFC 6901) to the part at fault, such as
	// "/blanks/0/type". It is empty where the whole input is at fault.
	Field string `json:"field"`
	// Code is a stable word for programs, such as "missing".
	Code string `json:"code"`
	// Message says what is wrong and what to do, in a sentence for people.
	Message message.Text `json:"message"`
	// Line and Column say where in a text, counted in characters from 1.
	// Both are 0 where no text is at fault.
	Line   int `json:"line,omitempty"`
	Column int `json:"column,omitempty"`
}

// String gives the problem on one line: place first, then the message.
func (p Problem) String() string { return p.Said().String() }

// Said is [Problem.String] in every language.
func (p Problem) Said() message.Text {
	var place []message.Text
	if p.Field != "" {
		place = append(place, message.Say("%s", strings.TrimPrefix(p.Field, "/")))
	}
	switch {
	case p.Line > 0 && p.Column > 0:
		place = append(place, message.Say("line %d, column %d", p.Line, p.Column))
	case p.Line > 0:
		place = append(place, message.Say("line %d", p.Line))
	}
	if place == nil {
		return p.Message
	}
	return message.Say("%s: %s", message.Joined(" ", place...), p.Message)
}

// List is every problem of one input. As an error it is never empty.
type List []Problem

// Error joins the problems with semicolons.
func (l List) Error() string { return l.Said().String() }

// Said is [List.Error] in every language.
func (l List) Said() message.Text {
	all := make([]message.Text, len(l))
	for i, p := range l {
		all[i] = p.Said()
	}
	return message.Joined("; ", all...)
}

// Err gives the list as an error, or nil where there is no problem.
func (l List) Err() error {
	if len(l) == 0 {
		return nil
	}
	return l
}

// Add appends one problem with a formatted message.
func (l *List) Add(field, code, format string, args ...any) {
	*l = append(*l, Problem{Field: field, Code: code, Message: message.Say(format, args...)})
}

// AddAt is Add for a problem at a byte offset of a text.
func (l *List) AddAt(field, text string, offset int, code, format string, args ...any) {
	f := In(field, text)
	f.Add(offset, code, format, args...)
	*l = append(*l, f.told...)
}

// Place gives the line and column, in characters from 1, of a byte offset.
func Place(text string, offset int) (line, column int) {
	r := Ruler{Text: text}
	return r.Place(offset)
}

// Ruler gives lines and columns of one text. It counts on from the place that it gave
// last, so that the places of a text, asked for in order, cost one reading of it.
type Ruler struct {
	Text string

	at, line, column int // the place reached, line and column from 0
}

// Place gives the line and column, in characters from 1, of a byte offset.
func (r *Ruler) Place(offset int) (line, column int) {
	offset = min(max(offset, 0), len(r.Text))
	if offset < r.at {
		r.at, r.line, r.column = 0, 0, 0
	}
	passed := r.Text[r.at:offset]
	if end := strings.LastIndexByte(passed, '\n'); end >= 0 {
		r.line += strings.Count(passed, "\n")
		r.column, passed = 0, passed[end+1:]
	}
	r.at, r.column = offset, r.column+utf8.RuneCountInString(passed)
	return r.line + 1, r.column + 1
}

// Most is how many problems of one text are told one by one.
const Most = 100

// Faults gathers the problems of one text: the first [Most] one by one, and how many
// more there are. Told in the order of the text they cost one reading of it.
type Faults struct {
	Field string // a JSON pointer to the text

	ruler Ruler
	told  List
	more  int
}

// In makes room for the problems of a text.
func In(field, text string) *Faults { return &Faults{Field: field, ruler: Ruler{Text: text}} }

// Add records a problem at a byte offset.
func (f *Faults) Add(offset int, code, format string, args ...any) {
	if len(f.told) == Most {
		f.more++
		return
	}
	line, column := f.ruler.Place(offset)
	f.told = append(f.told, Problem{Field: f.Field, Code: code, Message: message.Say(format, args...), Line: line, Column: column})
}

// Err gives a [List] with the problems, or nil where there is none.
func (f *Faults) Err() error {
	if f.more == 0 {
		return f.told.Err()
	}
	all := f.told
	all.Add(f.Field, "more", "there are %d more like these; fix those first", f.more)
	return all
}

// Pointer joins reference tokens into a JSON pointer, escaped as RFC 6901 has it.
func Pointer(tokens ...any) string {
	var b strings.Builder
	for _, t := range tokens {
		b.WriteByte('/')
		b.WriteString(escape.Replace(fmt.Sprint(t)))
	}
	return b.String()
}

var escape = strings.NewReplacer("~", "~0", "/", "~1")

// Line is Text of what stands on one line: line ends and other control characters are
// refused too, since they steer a terminal and break a list.
func Line(field, what, text string) List {
	found := Text(field, text)
	for at, r := range text {
		switch {
		case r == '\n' || r == '\r':
			found.AddAt(field, text, at, "line", "%s has a line end; put it on one line", message.Plain(what))
		case r != 0 && unicode.IsControl(r):
			found.AddAt(field, text, at, "control", "%s holds the control character U+%04X; take it out", message.Plain(what), r)
		default:
			continue
		}
		break
	}
	return found
}

// Text reports what a stored text must not hold: bytes that are no UTF-8 and
// the character NUL, each kind once, at its first place.
func Text(field, text string) List {
	if strings.IndexByte(text, 0) < 0 && utf8.ValidString(text) {
		return nil
	}
	var found List
	if at := strings.IndexByte(text, 0); at >= 0 {
		found.AddAt(field, text, at, "nul", "the text holds the character NUL, which cannot be kept; take it out")
	}
	if !utf8.ValidString(text) {
		for at, r := range text {
			if r == utf8.RuneError {
				if _, size := utf8.DecodeRuneInString(text[at:]); size == 1 {
					found.AddAt(field, text, at, "utf8", "the byte 0x%02X is not UTF-8; save the text as UTF-8 and send it again", text[at])
					break
				}
			}
		}
	}
	return found
}

// Language reports a language that people are not spoken to in; none is no problem.
func Language(field string, l message.Language) (found List) {
	if l != "" && !message.Known(l) {
		found.Add(field, "language", "%.20q is no language that people are spoken to in; they are %s", string(l), message.And(message.Languages()))
	}
	return found
}

// Once gives the list with each problem that it has, the first time alone.
func (l List) Once() (all List) {
	for _, p := range l {
		if !slices.ContainsFunc(all, func(o Problem) bool { return o.String() == p.String() && o.Code == p.Code }) {
			all = append(all, p)
		}
	}
	return all
}

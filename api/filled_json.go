package api

import (
	"encoding/json"
	"strconv"
	"unicode/utf8"
)

// AppendJSON appends what json.Marshal gives for it. Fills are most of what a service
// answers, and their many spans are most of an answer: written straight they take a
// fifth of the time.
func (f Filled) AppendJSON(b []byte) []byte {
	b = appendText(append(b, `{"text":`...), f.Text)
	b = append(b, `,"layers":`...)
	b = appendAll(b, f.Layers, func(b []byte, l *Layer) []byte {
		b = appendNumber(appendText(append(b, `{"entry":`...), l.Entry), `,"version":`, l.Version)
		b = appendText(append(b, `,"kind":`...), string(l.Kind))
		b = appendText(append(b, `,"title":`...), l.Title)
		return append(appendNumber(appendNumber(b, `,"start":`, l.Start), `,"end":`, l.End), '}')
	})
	b = append(b, `,"spans":`...)
	for i := range f.Spans {
		s := &f.Spans[i]
		b = appendNumber(append(b, open(i)...), `{"start":`, s.Start)
		b = appendNumber(b, `,"end":`, s.End)
		if s.From == nil {
			b = append(b, `,"from":null}`...)
			continue
		}
		b = appendText(append(b, `,"from":{"entry":`...), s.From.Entry)
		b = appendNumber(b, `,"version":`, s.From.Version)
		if s.From.Blank != "" {
			b = appendText(append(b, `,"blank":`...), s.From.Blank)
		}
		if s.From.Default {
			b = append(b, `,"default":true`...)
		}
		if s.From.Fact != "" {
			b = appendText(append(b, `,"fact":`...), s.From.Fact)
		}
		b = append(b, "}}"...)
	}
	b = append(b, closing(f.Spans)...)
	b = append(b, `,"used":`...)
	b = appendAll(b, f.Used, func(b []byte, u *Used) []byte {
		b = appendNumber(appendText(append(b, `{"entry":`...), u.Entry), `,"version":`, u.Version)
		b = appendText(append(b, `,"kind":`...), string(u.Kind))
		return append(appendText(append(b, `,"title":`...), u.Title), '}')
	})
	if len(f.Blanks) > 0 {
		b = appendOther(append(b, `,"blanks":`...), f.Blanks)
	}
	if len(f.Problems) > 0 {
		b = appendOther(append(b, `,"problems":`...), f.Problems)
	}
	if f.Plain != "" {
		b = appendText(append(b, `,"plain":`...), f.Plain)
	}
	if f.HTML != "" {
		b = appendText(append(b, `,"html":`...), f.HTML)
	}
	if len(f.Messages) > 0 {
		b = appendOther(append(b, `,"messages":`...), f.Messages)
	}
	if f.As != "" {
		b = appendText(append(b, `,"as":`...), f.As)
	}
	if len(f.Boxes) > 0 {
		b = appendAll(append(b, `,"boxes":`...), f.Boxes, appendBox)
	}
	if len(f.Left) > 0 {
		b = appendOther(append(b, `,"left":`...), f.Left)
	}
	return append(b, '}')
}

func appendAll[T any](b []byte, all []T, one func([]byte, *T) []byte) []byte {
	for i := range all {
		b = one(append(b, open(i)...), &all[i])
	}
	return append(b, closing(all)...)
}

func appendBox(b []byte, x *FilledBox) []byte {
	b = append(b, '{')
	if x.Title != "" {
		b = append(appendText(append(b, `"title":`...), x.Title), ',')
	}
	if x.Role != "" {
		b = append(appendText(append(b, `"role":`...), x.Role), ',')
	}
	b = appendNumber(appendText(append(b, `"text":`...), x.Text), `,"length":`, x.Length)
	if x.Limit != 0 {
		b = appendNumber(b, `,"limit":`, x.Limit)
	}
	if len(x.Longest) > 0 {
		b = appendOther(append(b, `,"longest":`...), x.Longest)
	}
	if x.Over {
		b = append(b, `,"over":true`...)
	}
	return append(b, '}')
}

// open is what stands before an element of an array.
func open(i int) string {
	if i == 0 {
		return "["
	}
	return ","
}

// closing is what stands after the last one, or for all of none.
func closing[T any](all []T) string {
	switch {
	case all == nil:
		return "null"
	case len(all) == 0:
		return "[]"
	}
	return "]"
}

func appendNumber(b []byte, name string, n int) []byte {
	return strconv.AppendInt(append(b, name...), int64(n), 10)
}

// How a byte of a string is written.
const (
	asItIs = iota
	escaped
	otherwise // as the standard library does it
)

var how = func() (how [256]byte) {
	for c := range how {
		if c < ' ' || c == 0x7f || c == '<' || c == '>' || c == '&' {
			how[c] = otherwise
		}
	}
	how['\n'], how['"'], how['\\'] = escaped, escaped, escaped
	how[0xe2] = otherwise // may begin a line or paragraph separator, which is escaped
	return how
}()

// appendText appends a string.
func appendText(b []byte, s string) []byte {
	if !utf8.ValidString(s) {
		return appendOther(b, s)
	}
	start := len(b)
	b = append(b, '"')
	from := 0
	for i := 0; i < len(s); i++ {
		switch how[s[i]] {
		case asItIs:
		case escaped:
			c := s[i]
			if c == '\n' {
				c = 'n'
			}
			b, from = append(append(b, s[from:i]...), '\\', c), i+1
		default:
			if s[i] != 0xe2 || s[i+1] == 0x80 && s[i+2]&^1 == 0xa8 {
				return appendOther(b[:start], s)
			}
		}
	}
	return append(append(b, s[from:]...), '"')
}

func appendOther(b []byte, v any) []byte {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err) // strings, numbers and lists of them: there is nothing that JSON cannot say
	}
	return append(b, data...)
}

package fill

import (
	"bytes"
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Type is what a blank takes. The zero Type is [Line].
type Type string

// The types of blanks.
const (
	Line     Type = "line"      // text without line ends
	LongText Type = "text"      // any text
	Number   Type = "number"    // a decimal number
	YesNo    Type = "yes-no"    // yes or no
	Date     Type = "date"      // a day, as 2006-01-02
	Pick     Type = "pick"      // one of the options
	PickMany Type = "pick-many" // any of the options, each once
)

// Types lists the types of blanks in the order in which they are offered.
func Types() []Type { return []Type{Line, LongText, Number, YesNo, Date, Pick, PickMany} }

// Blank declares a place in a text to be filled in.
type Blank struct {
	Name     string   `json:"name"`
	Ask      string   `json:"ask,omitempty"`
	Hint     string   `json:"hint,omitempty"`
	Type     Type     `json:"type,omitempty"`
	Options  []string `json:"options,omitempty"`
	Default  Value    `json:"default,omitzero"`
	Optional bool     `json:"optional,omitempty"`
	Sample   Value    `json:"sample,omitzero"`
	// Min and Max bound a number's value, the characters of a line or text,
	// or how many a pick-many takes.
	Min *float64 `json:"min,omitempty"`
	Max *float64 `json:"max,omitempty"`
}

// Kind is the blank's type, the zero Type resolved.
func (b *Blank) Kind() Type {
	if b.Type == "" {
		return Line
	}
	return b.Type
}

// Question is what to ask for the blank: its question, or its name as words.
func (b *Blank) Question() string {
	if b.Ask != "" {
		return b.Ask
	}
	words := strings.ReplaceAll(b.Name, "_", " ")
	if words == "" {
		return words
	}
	return strings.ToUpper(words[:1]) + words[1:]
}

// Value is what a blank is given: a text, or for a pick-many a list. Numbers,
// dates and yes-no are texts too, as they were written. The zero Value is no
// value; an empty text or list counts as none when a form is filled.
type Value struct {
	text string
	list []string
	many bool
	easy bool // a text that every blank for a line takes, found once for all fillings
}

// Single gives the value that is one text.
func Single(text string) Value { return Value{text: text, easy: text != "" && isSimple(text)} }

// List gives the value that is a list.
func List(items ...string) Value { return Value{list: items, many: true} }

// IsZero says whether there is no value at all.
func (v Value) IsZero() bool { return v.text == "" && !v.many }

// Items gives the items of a list, and whether the value is one.
func (v Value) Items() ([]string, bool) { return v.list, v.many }

// String gives the text, or a list's items with commas between them.
func (v Value) String() string {
	if v.many {
		return strings.Join(v.list, ", ")
	}
	return v.text
}

// Equal says whether two values are the same.
func (v Value) Equal(w Value) bool {
	return v.many == w.many && v.text == w.text && slices.Equal(v.list, w.list)
}

// IsEmpty says whether the value counts as not given: no text, or a list without items.
func (v Value) IsEmpty() bool { return v.empty() }

// empty says whether the value counts as not given.
func (v Value) empty() bool { return v.text == "" && len(v.list) == 0 }

// MarshalJSON writes a string, or an array of strings for a list.
func (v Value) MarshalJSON() ([]byte, error) {
	if v.many {
		if v.list == nil {
			return []byte("[]"), nil
		}
		return json.Marshal(v.list)
	}
	return json.Marshal(v.text)
}

// UnmarshalJSON takes a string, a number (kept as it is written), true and
// false (yes and no), null (no value) or an array of these.
func (v *Value) UnmarshalJSON(data []byte) error {
	data = bytes.TrimSpace(data)
	if len(data) > 0 && data[0] == '[' {
		var raw []json.RawMessage
		if err := json.Unmarshal(data, &raw); err != nil {
			return err
		}
		*v = List(make([]string, len(raw))...)
		for i, r := range raw {
			text, err := scalar(r)
			if err != nil {
				return err
			}
			v.list[i] = text
		}
		return nil
	}
	text, err := scalar(data)
	*v = Single(text)
	return err
}

func scalar(data []byte) (string, error) {
	switch {
	case len(data) == 0 || data[0] == '{' || data[0] == '[':
		return "", message.Errorf("a value is a text, a number, true, false or a list of these")
	case data[0] == '"':
		var s string
		err := json.Unmarshal(data, &s)
		return s, err
	case string(data) == "null":
		return "", nil
	case string(data) == "true":
		return "yes", nil
	case string(data) == "false":
		return "no", nil
	}
	return string(data), nil
}

// Accept holds a value against the blank's declaration. It gives the value as
// it is put in place (yes-no in its two words), or what is wrong with it.
func (b *Blank) Accept(field string, v Value) (Value, problem.List) {
	if v.many != (b.Kind() == PickMany) {
		if v.many {
			return v, refuse(field, "type", "%s takes one value, and a list of %d was given; give one", b.Name, len(v.list))
		}
		v = List(v.text)
	}
	simple := isSimple(v.text)
	if !simple {
		if bad := problem.Text(field, v.text); bad != nil {
			return v, bad
		}
	}
	switch b.Kind() {
	case Line:
		if simple {
			return v, b.length(field, v.text)
		}
		if strings.IndexByte(v.text, '\n') >= 0 || strings.IndexByte(v.text, '\r') >= 0 {
			at := strings.IndexAny(v.text, "\r\n")
			var found problem.List
			found.AddAt(field, v.text, at, "type", "%s is one line, and this value has a line end; take it out", b.Name)
			return v, append(found, b.length(field, v.text)...)
		}
		return v, b.length(field, v.text)
	case LongText:
		return v, b.length(field, v.text)
	case Number:
		return v, b.number(field, v.text)
	case YesNo:
		switch strings.ToLower(v.text) {
		case "yes", "true":
			v.text = "yes"
		case "no", "false":
			v.text = "no"
		default:
			return v, refuse(field, "type", "%s is yes or no, not %q", b.Name, short(v.text))
		}
	case Date:
		if _, err := time.Parse(time.DateOnly, v.text); err != nil {
			return v, refuse(field, "type", "%s is a date as 2026-03-31 and one that the calendar has, not %q", b.Name, short(v.text))
		}
	case Pick:
		if !slices.Contains(b.Options, v.text) {
			return v, refuse(field, "option", "%s has no option %q; it has %s", b.Name, short(v.text), quoteAll(b.Options))
		}
	case PickMany:
		return v, b.picks(field, v.list)
	default:
		return v, refuse(field, "type", "%s has the unknown type %q; see the entry's declaration of it", b.Name, b.Type)
	}
	return v, nil
}

// isSimple says whether a text is short and of printable ASCII alone, as most
// values are: then nothing about its characters needs a closer look.
func isSimple(text string) bool {
	if len(text) > 64 {
		return false
	}
	for i := 0; i < len(text); i++ {
		if c := text[i]; c < ' ' || c > '~' {
			return false
		}
	}
	return true
}

// refuse is the list of one problem.
func refuse(field, code, format string, args ...any) problem.List {
	return problem.List{{Field: field, Code: code, Message: message.Say(format, args...)}}
}

func (b *Blank) length(field, text string) problem.List {
	if b.Min == nil && b.Max == nil {
		return nil
	}
	return b.within(field, float64(utf8.RuneCountInString(text)), "characters")
}

func (b *Blank) number(field, text string) problem.List {
	n, err := strconv.ParseFloat(text, 64)
	if err != nil || strings.Trim(text, "0123456789+-.eE") != "" {
		return refuse(field, "type", "%s is a number, not %q", b.Name, short(text))
	}
	return b.within(field, n, "")
}

func (b *Blank) picks(field string, items []string) problem.List {
	var found problem.List
	seen := make(map[string]bool, len(items))
	for i, item := range items {
		at := field + problem.Pointer(i)
		if bad := problem.Text(at, item); bad != nil {
			found = append(found, bad...)
			continue
		}
		switch {
		case !slices.Contains(b.Options, item):
			found.Add(at, "option", "%s has no option %q; it has %s", b.Name, short(item), quoteAll(b.Options))
		case seen[item]:
			found.Add(at, "option", "%s names %q twice; name each once", b.Name, item)
		}
		seen[item] = true
	}
	return append(found, b.within(field, float64(len(items)), "options")...)
}

// within holds n against the blank's limits. Without a unit n is the value
// itself, else it is how many units the value has.
func (b *Blank) within(field string, n float64, unit string) problem.List {
	is, end := "is", ""
	if unit != "" {
		is, end = "has", " "+unit
	}
	if b.Min != nil && n < *b.Min {
		return refuse(field, "min", "%s %s %s%s; the least is %s", b.Name, is, Decimal(n), end, Decimal(*b.Min))
	}
	if b.Max != nil && n > *b.Max {
		return refuse(field, "max", "%s %s %s%s; the most is %s", b.Name, is, Decimal(n), end, Decimal(*b.Max))
	}
	return nil
}

// Decimal writes a limit as people do: 72, not 72.000000.
func Decimal(n float64) string { return strconv.FormatFloat(n, 'f', -1, 64) }

// Problems says what is wrong with the declaration itself. Field is the
// pointer to it.
func (b *Blank) Problems(field string) problem.List {
	var found problem.List
	if why := nameFault(b.Name); !why.IsZero() {
		found.Add(field+"/name", "name", "the blank's name is %q; %s", short(b.Name), why)
	}
	if !slices.Contains(Types(), b.Kind()) {
		found.Add(field+"/type", "type", "%s has the type %q; the types are %s", b.Name, b.Type, join(Types()))
		return found
	}
	b.optionProblems(&found, field)
	if b.Min != nil && b.Max != nil && *b.Min > *b.Max {
		found.Add(field+"/min", "range", "%s wants at least %s and at most %s; no value is both", b.Name, Decimal(*b.Min), Decimal(*b.Max))
	}
	for _, v := range []struct {
		name  string
		value Value
	}{{"default", b.Default}, {"sample", b.Sample}} {
		if v.value.empty() {
			continue
		}
		if _, bad := b.Accept(field+"/"+v.name, v.value); bad != nil {
			for i := range bad {
				bad[i].Message = message.Say("the %s does not hold: %s", message.Plain(v.name), bad[i].Message)
			}
			found = append(found, bad...)
		}
	}
	return found
}

func (b *Blank) optionProblems(found *problem.List, field string) {
	picks := b.Kind() == Pick || b.Kind() == PickMany
	switch {
	case picks && len(b.Options) == 0:
		found.Add(field+"/options", "options", "%s is a %s and has no options; list them", b.Name, b.Kind())
	case !picks && len(b.Options) > 0:
		found.Add(field+"/options", "options", "%s is a %s, which has no options; make it a pick, or take them out", b.Name, b.Kind())
	}
	seen := map[string]bool{}
	for i, o := range b.Options {
		switch {
		case o == "":
			found.Add(field+problem.Pointer("options", i), "options", "%s has an empty option; write it or take it out", b.Name)
		case seen[o]:
			found.Add(field+problem.Pointer("options", i), "options", "%s has the option %q twice; keep one", b.Name, o)
		}
		seen[o] = true
	}
	if (b.Min != nil || b.Max != nil) && slices.Contains([]Type{YesNo, Date, Pick}, b.Kind()) {
		found.Add(field+"/max", "range", "%s is a %s, which has no min or max; take them out", b.Name, b.Kind())
	}
}

func quoteAll(words []string) string {
	quoted := make([]string, len(words))
	for i, w := range words {
		quoted[i] = strconv.Quote(w)
	}
	return strings.Join(quoted, ", ")
}

func join[T ~string](words []T) string {
	parts := make([]string, len(words))
	for i, w := range words {
		parts[i] = string(w)
	}
	return strings.Join(parts, ", ")
}

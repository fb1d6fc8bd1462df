package message

import (
	"encoding/json"
	"fmt"
	"reflect"
)

// Kept gives a value whose texts go into JSON with what they are made of, so that whoever
// reads it back can still say them in another language. What it was given stays as it is.
func Kept(v any) any {
	from := reflect.ValueOf(v)
	if !from.IsValid() || !holdsText(from.Type()) {
		return v
	}
	return mapped(from, func(t Text) Text {
		t.kept = true
		return t
	}).Interface()
}

// keptText is a text as it is kept.
type keptText struct {
	English string    `json:"english"`
	Format  string    `json:"format"`
	Args    []keptArg `json:"args"`
}

// keptArg is one thing that is put into a text; one of them is set.
type keptArg struct {
	Words *string  `json:"words,omitempty"`
	Whole *int64   `json:"whole,omitempty"`
	Float *float64 `json:"float,omitempty"`
	Text  *Text    `json:"text,omitempty"`
}

// keeps gives a text as it is kept, or nothing where its English is all there is to keep.
func (t Text) keeps() *keptText {
	if t.said == nil || len(t.said.args) == 0 {
		return nil
	}
	out := &keptText{English: t.english, Format: t.said.format}
	for _, arg := range t.said.args {
		a, ok := keptOf(arg)
		if !ok {
			return nil
		}
		out.Args = append(out.Args, a)
	}
	return out
}

func keptOf(arg any) (keptArg, bool) {
	text := func(t Text) (keptArg, bool) {
		t.kept = true
		return keptArg{Text: &t}, true
	}
	switch arg := arg.(type) {
	case Text:
		return text(arg)
	case error:
		return text(Of(arg))
	case interface{ Said() Text }:
		return text(arg.Said())
	case fmt.Stringer: // a list or a day, which are kept in English
		words := arg.String()
		return keptArg{Words: &words}, true
	}
	switch v := reflect.ValueOf(arg); {
	case v.Kind() == reflect.String:
		words := v.String()
		return keptArg{Words: &words}, true
	case v.CanInt():
		n := v.Int()
		return keptArg{Whole: &n}, true
	case v.CanFloat():
		f := v.Float()
		return keptArg{Float: &f}, true
	}
	return keptArg{}, false
}

func (a keptArg) value() any {
	switch {
	case a.Text != nil:
		return *a.Text
	case a.Whole != nil:
		return *a.Whole
	case a.Float != nil:
		return *a.Float
	case a.Words != nil:
		return *a.Words
	}
	return ""
}

// MarshalJSON gives the English as a string, or what is kept of the text.
func (t Text) MarshalJSON() ([]byte, error) {
	if kept := t.keeps(); t.kept && kept != nil {
		return json.Marshal(kept)
	}
	return json.Marshal(t.english)
}

// UnmarshalJSON takes the words of a string, or a text as it was kept.
func (t *Text) UnmarshalJSON(data []byte) error {
	*t = Text{}
	if len(data) == 0 || data[0] != '{' {
		return json.Unmarshal(data, &t.english)
	}
	var kept keptText
	if err := json.Unmarshal(data, &kept); err != nil {
		return err
	}
	args := make([]any, len(kept.Args))
	for i, a := range kept.Args {
		args[i] = a.value()
	}
	*t = Text{english: kept.English, said: &said{kept.Format, args}}
	return nil
}

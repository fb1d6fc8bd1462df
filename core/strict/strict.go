// Package strict reads JSON and leaves nothing of it unread: what a value has no
// room for is refused by its place, and all of it at once.
package strict

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"reflect"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	quick "github.com/go-json-experiment/json"

	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Unreadable is input that is no JSON at all. Its error is a sentence about
// "it", with line and column.
type Unreadable struct {
	Line, Column int
	Why          message.Text
}

func (u *Unreadable) Error() string {
	return u.Said().String()
}

// Said gives place and reason.
func (u *Unreadable) Said() message.Text {
	return message.Say("line %d, column %d: %s", u.Line, u.Column, u.Why)
}

const deepest = 64 // levels of JSON

var (
	errDeep = message.Errorf("values are more than %d deep", deepest)
	errMore = message.Errorf("there is more after the end of the value")
)

// JSON reads data into a value. Its error is a [problem.List] that names, all at
// once and each by its JSON pointer, fields that the value does not have, fields
// that stand twice, values of another type, and texts with NUL or with bytes
// that are no UTF-8; or, where the data is no JSON, an [Unreadable].
func JSON(data []byte, into any) error {
	if asItShould(data, into) {
		return nil
	}
	reflect.ValueOf(into).Elem().SetZero()
	w := &walker{text: data}
	if !utf8.Valid(data) {
		w.standIn = unusedRune(data)
		data = eachInvalid(data, []byte(string(w.standIn)))
		w.text = data
	}
	w.dec = json.NewDecoder(bytes.NewReader(data))
	w.dec.UseNumber()
	if err := w.value(reflect.TypeOf(into).Elem()); err != nil {
		return w.syntax(err)
	}
	if _, err := w.dec.Token(); !errors.Is(err, io.EOF) {
		return w.syntax(errMore)
	}
	if err := w.found.Err(); err != nil {
		return err
	}
	if err := json.Unmarshal(data, into); err != nil {
		return problem.List{{Code: "type", Message: message.Of(err)}}
	}
	return nil
}

// asItShould reads small data in one go, and says whether there is nothing to say of it.
// What there is, if there is anything, a second and slower reading finds.
func asItShould(data []byte, into any) bool {
	return bytes.Count(data, []byte("{"))+bytes.Count(data, []byte("[")) <= deepest &&
		!bytes.Contains(data, nul) && quick.Unmarshal(data, into, quick.RejectUnknownMembers(true)) == nil
}

var nul = []byte(`\u0000`)

// walker reads tokens along the type that they are to become.
type walker struct {
	text    []byte
	dec     *json.Decoder
	standIn rune  // stands for each byte that is no UTF-8; 0 where there is none
	path    []any // names and numbers on the way to where it is
	found   problem.List
}

// at is the JSON pointer to where it is.
func (w *walker) at() string { return problem.Pointer(w.path...) }

// syntax says where the data is no JSON, and why. The decoder does not know its
// place exactly while it reads token by token; a reading of the whole does.
func (w *walker) syntax(err error) error {
	offset, why := int(w.dec.InputOffset()), message.Of(err)
	var bad *json.SyntaxError
	switch {
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF):
		offset, why = len(w.text), message.Say("it ends in the middle")
	case err != errDeep && errors.As(json.Unmarshal(w.text, new(json.RawMessage)), &bad):
		if offset = int(bad.Offset) - 1; err != errMore {
			why = message.Of(bad)
		}
	}
	line, column := problem.Place(string(w.text), offset)
	return &Unreadable{line, column, why}
}

var unmarshaler = reflect.TypeFor[json.Unmarshaler]()

// value reads one value; a nil type takes anything.
func (w *walker) value(t reflect.Type) error {
	if len(w.path) > deepest {
		return errDeep
	}
	for t != nil && t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if t != nil && (t.Kind() == reflect.Interface || reflect.PointerTo(t).Implements(unmarshaler)) {
		t = nil
	}
	token, err := w.dec.Token()
	if err != nil {
		return err
	}
	switch token := token.(type) {
	case json.Delim:
		if token == '{' {
			return w.object(t)
		}
		return w.array(t)
	case string:
		w.string(token)
		w.want(t, "a text", reflect.String)
	case json.Number:
		w.want(t, "a number", reflect.Float64, reflect.Int, reflect.Int64)
	case bool:
		w.want(t, "true or false", reflect.Bool)
	}
	return nil
}

// want records a problem if a value of another type is wanted.
func (w *walker) want(t reflect.Type, got string, kinds ...reflect.Kind) bool {
	if t == nil || slices.Contains(kinds, t.Kind()) {
		return true
	}
	at := w.at()
	w.found.Add(at, "type", "%s is %s, and %s is wanted", nameAt(at), message.Plain(got), wanted(t))
	return false
}

func wanted(t reflect.Type) message.Text {
	switch t.Kind() {
	case reflect.String:
		return message.Say("a text")
	case reflect.Bool:
		return message.Say("true or false")
	case reflect.Slice:
		return message.Say("a list")
	case reflect.Struct, reflect.Map:
		return message.Say("an object")
	}
	return message.Say("a number")
}

func (w *walker) object(t reflect.Type) error {
	var fields map[string]reflect.Type
	if w.want(t, "an object", reflect.Struct, reflect.Map) && t != nil && t.Kind() == reflect.Struct {
		fields = jsonFields(t)
	} else if t != nil && t.Kind() != reflect.Map {
		t = nil
	}
	seen := map[string]bool{}
	for w.dec.More() {
		token, err := w.dec.Token()
		if err != nil {
			return err
		}
		key := token.(string)
		w.path = append(w.path, key)
		w.string(key)
		if seen[key] {
			w.found.Add(w.at(), "twice", "%s stands twice; send it once", key)
		}
		seen[key] = true
		var of reflect.Type
		if fields != nil {
			var known bool
			if of, known = fields[key]; !known {
				w.found.Add(w.at(), "unknown", "there is no field %q here; take it out or correct its name", key)
			}
		} else if t != nil {
			of = t.Elem()
		}
		if err := w.value(of); err != nil {
			return err
		}
		w.path = w.path[:len(w.path)-1]
	}
	_, err := w.dec.Token()
	return err
}

func (w *walker) array(t reflect.Type) error {
	var of reflect.Type
	if w.want(t, "a list", reflect.Slice) && t != nil {
		of = t.Elem()
	}
	for i := 0; w.dec.More(); i++ {
		w.path = append(w.path, i)
		if err := w.value(of); err != nil {
			return err
		}
		w.path = w.path[:len(w.path)-1]
	}
	_, err := w.dec.Token()
	return err
}

// string holds a text against what can be kept.
func (w *walker) string(s string) {
	for _, p := range problem.Text("", s) {
		p.Field = w.at()
		w.found = append(w.found, p)
	}
	if w.standIn == 0 {
		return
	}
	if i := strings.IndexRune(s, w.standIn); i >= 0 {
		at := w.at()
		w.found.AddAt(at, s, i, "utf8", "%s holds bytes that are no UTF-8; send text as UTF-8", nameAt(at))
	}
}

var fieldsOf sync.Map // of each struct's type, the names that it has in JSON, with their types

// jsonFields gives the names that a struct has in JSON, with their types.
func jsonFields(t reflect.Type) map[string]reflect.Type {
	if known, ok := fieldsOf.Load(t); ok {
		return known.(map[string]reflect.Type)
	}
	fields := map[string]reflect.Type{}
	gatherFields(t, fields)
	fieldsOf.Store(t, fields)
	return fields
}

func gatherFields(t reflect.Type, into map[string]reflect.Type) {
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case f.Anonymous && name == "":
			gatherFields(f.Type, into)
		case name != "" && name != "-":
			into[name] = f.Type
		}
	}
}

func nameAt(pointer string) string {
	if pointer == "" {
		return "the value"
	}
	return strings.TrimPrefix(pointer, "/")
}

// unusedRune gives a noncharacter that data does not hold.
func unusedRune(data []byte) rune {
	for r := rune(0xFDD0); r < 0xFDEF; r++ {
		if !bytes.ContainsRune(data, r) {
			return r
		}
	}
	return 0xFDEF
}

// eachInvalid replaces each byte that is no UTF-8.
func eachInvalid(data, with []byte) []byte {
	var out bytes.Buffer
	for len(data) > 0 {
		r, size := utf8.DecodeRune(data)
		if r == utf8.RuneError && size == 1 {
			out.Write(with)
		} else {
			out.Write(data[:size])
		}
		data = data[size:]
	}
	return out.Bytes()
}

package message

import (
	"reflect"
	"sync"
)

var textType = reflect.TypeFor[Text]()

// Within gives a value with every [Text] in it said in a language. What it was given stays
// as it is: whatever holds a text is copied on the way to it.
func Within(v any, l Language) any {
	from := reflect.ValueOf(v)
	if l == English || !from.IsValid() || !holdsText(from.Type()) {
		return v
	}
	return mapped(from, func(t Text) Text { return Plain(t.In(l)) }).Interface()
}

// mapped gives a value with every text in it changed.
func mapped(v reflect.Value, change func(Text) Text) reflect.Value {
	t := v.Type()
	if t == textType {
		return reflect.ValueOf(change(v.Interface().(Text)))
	}
	if !holdsText(t) {
		return v
	}
	out := reflect.New(t).Elem()
	out.Set(v)
	switch t.Kind() {
	case reflect.Struct:
		for i := range t.NumField() {
			if t.Field(i).IsExported() {
				out.Field(i).Set(mapped(v.Field(i), change))
			}
		}
	case reflect.Pointer:
		if !v.IsNil() {
			out.Set(reflect.New(t.Elem()))
			out.Elem().Set(mapped(v.Elem(), change))
		}
	case reflect.Interface:
		if !v.IsNil() {
			out.Set(mapped(v.Elem(), change))
		}
	case reflect.Slice:
		if !v.IsNil() {
			out.Set(reflect.MakeSlice(t, v.Len(), v.Len()))
		}
		fallthrough
	case reflect.Array:
		for i := range v.Len() {
			out.Index(i).Set(mapped(v.Index(i), change))
		}
	case reflect.Map:
		if !v.IsNil() {
			out.Set(reflect.MakeMapWithSize(t, v.Len()))
			for _, key := range v.MapKeys() {
				out.SetMapIndex(key, mapped(v.MapIndex(key), change))
			}
		}
	}
	return out
}

var held sync.Map // reflect.Type to bool

// holdsText says whether a value of a type may have a text in it.
func holdsText(t reflect.Type) bool {
	if known, ok := held.Load(t); ok {
		return known.(bool)
	}
	found := search(t, map[reflect.Type]bool{})
	held.Store(t, found)
	return found
}

func search(t reflect.Type, seen map[reflect.Type]bool) bool {
	if t == textType || t.Kind() == reflect.Interface {
		return true
	}
	if seen[t] {
		return false
	}
	seen[t] = true
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice, reflect.Array, reflect.Map:
		return search(t.Elem(), seen)
	case reflect.Struct:
		for i := range t.NumField() {
			if f := t.Field(i); f.IsExported() && search(f.Type, seen) {
				return true
			}
		}
	}
	return false
}

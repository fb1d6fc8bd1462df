// Package message holds what is said to people, so that it can be said in their language.
// A text is written in English where it arises, as for [fmt.Sprintf]; that is what finds it
// in the catalogues of the other languages. It decides nothing.
package message

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Text is something said to people. The zero value says nothing. It prints, compares and
// goes into JSON as its English; [Text.In] says it in another language.
type Text struct {
	english string
	said    *said // nil where only the words are known
	kept    bool  // what it is made of goes into JSON
}

type said struct {
	format string
	args   []any
}

// Say makes a text as [fmt.Sprintf] does. What is put into it is translated with it where it is
// a [Text], a list of [And] or an error that has one; %w is as %v.
func Say(format string, args ...any) Text {
	format = strings.ReplaceAll(format, "%w", "%v")
	return Text{english: fmt.Sprintf(format, args...), said: &said{format, args}}
}

// Plain is a text of words that are known at run time alone. They are looked up as they are.
func Plain(words string) Text { return Text{english: words} }

// Joined sets texts one after the other, with words between them that are the same everywhere.
func Joined(between string, texts ...Text) Text {
	formats, args := make([]string, len(texts)), make([]any, len(texts))
	for i, t := range texts {
		formats[i], args[i] = "%s", t
	}
	return Say(strings.Join(formats, between), args...)
}

// Counted is a number of things, as "1 entry" or "3 entries".
func Counted(n int, one, many string) Text {
	english := "1 " + one
	if n != 1 {
		english = strconv.Itoa(n) + " " + many
	}
	return Text{english: english, said: &said{"%d " + many, []any{n}}}
}

// String gives the text in English.
func (t Text) String() string { return t.english }

// IsZero says that there is nothing to say.
func (t Text) IsZero() bool { return t.english == "" }

// In says the text in a language. What no catalogue has stays in English.
func (t Text) In(l Language) string {
	switch {
	case l == English || !Known(l):
		return t.english
	case t.said == nil:
		return catalogued(l, t.english)
	}
	args := make([]any, len(t.said.args))
	for i, arg := range t.said.args {
		args[i] = arg
		switch arg := arg.(type) {
		case Text:
			args[i] = arg.In(l)
		case spoken:
			args[i] = arg.in(l)
		case error:
			args[i] = Of(arg).In(l)
		case interface{ Said() Text }:
			args[i] = arg.Said().In(l)
		}
	}
	return catalogues[l]().printer.Sprintf(t.said.format, args...)
}

// Error is an error that says what it says in every language.
type Error struct {
	Text
	wrapped []error
}

// Errorf makes an error as [fmt.Errorf] does.
func Errorf(format string, args ...any) error {
	e := &Error{Text: Say(format, args...)}
	for _, arg := range args {
		if err, ok := arg.(error); ok {
			e.wrapped = append(e.wrapped, err)
		}
	}
	return e
}

func (e *Error) Error() string { return e.String() }

// Unwrap gives the errors that it was made of.
func (e *Error) Unwrap() []error { return e.wrapped }

// Said gives what is to be said.
func (e *Error) Said() Text { return e.Text }

// Of gives what an error says to people: its own text, or else its words.
func Of(err error) Text {
	var speaks interface{ Said() Text }
	switch {
	case err == nil:
		return Text{}
	case errors.As(err, &speaks) && speaks.Said().english == err.Error():
		return speaks.Said()
	}
	return Plain(err.Error())
}

// spoken is what each language writes in its own way.
type spoken interface{ in(l Language) string }

// list is several things in a row.
type list []any

// And lists things as "a, b and c". What is a [Text] is translated.
func And[T any](items []T) fmt.Stringer {
	l := make(list, len(items))
	for i, item := range items {
		l[i] = item
	}
	return l
}

func (l list) String() string { return l.in(English) }

func (l list) in(lang Language) string {
	words := make([]string, len(l))
	for i, item := range l {
		if t, ok := item.(Text); ok {
			words[i] = t.In(lang)
		} else {
			words[i] = fmt.Sprint(item)
		}
	}
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	last := len(words) - 1
	return strings.Join(words[:last], ", ") + " " + catalogued(lang, "and") + " " + words[last]
}

// day and moment are times that each language writes in its own way.
type (
	day    time.Time
	moment time.Time
)

// Day is a moment's day in UTC, as "2 January 2006".
func Day(t time.Time) fmt.Stringer { return day(t) }

// Moment is a time of day in UTC with its day, as "15:04:05 on 2 January".
func Moment(t time.Time) fmt.Stringer { return moment(t) }

func (d day) String() string    { return d.in(English) }
func (m moment) String() string { return m.in(English) }

func (d day) in(l Language) string {
	t := time.Time(d).UTC()
	return Say("%d %s %s", t.Day(), Plain(t.Month().String()), strconv.Itoa(t.Year())).In(l)
}

func (m moment) in(l Language) string {
	t := time.Time(m).UTC()
	return Say("%s on %d %s", t.Format(time.TimeOnly), t.Day(), Plain(t.Month().String())).In(l)
}

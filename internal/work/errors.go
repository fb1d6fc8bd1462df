package work

import (
	"errors"

	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// ErrNotFound means that there is no such thing, or none that the caller may see.
var ErrNotFound = errors.New("not found")

// Missing is an ErrNotFound that says what is not there.
type Missing struct{ What message.Text }

func (m *Missing) Error() string { return m.What.String() }

// Said gives what it says.
func (m *Missing) Said() message.Text { return m.What }

func (m *Missing) Unwrap() error { return ErrNotFound }

// MissingF is a [Missing] in words.
func MissingF(format string, args ...any) error { return &Missing{message.Say(format, args...)} }

// NoEntryError is a [store.ErrNotFound] that names an entry.
type NoEntryError struct{ Slug string }

func (e *NoEntryError) Error() string { return e.Said().String() }

// Said names the entry.
func (e *NoEntryError) Said() message.Text { return message.Say("there is no entry %s", e.Slug) }

func (e *NoEntryError) Unwrap() error { return store.ErrNotFound }

// Taken means that something else has the name that was asked for.
type Taken struct{ What message.Text }

func (t *Taken) Error() string { return t.What.String() }

// Said gives what it says.
func (t *Taken) Said() message.Text { return t.What }

// Outdated means that what was to be changed or carried out is not as it was read.
type Outdated struct{ What message.Text }

func (o *Outdated) Error() string { return o.What.String() }

// Said gives what it says.
func (o *Outdated) Said() message.Text { return o.What }

// Found turns the store's ErrNotFound into one that says what is missing.
func Found(err error, missing error) error {
	if errors.Is(err, store.ErrNotFound) {
		return missing
	}
	return err
}

// TakenIf is [Taken] where an error says that a name is in use.
func TakenIf(err error, format string, args ...any) error {
	if errors.Is(err, store.ErrTaken) {
		return &Taken{What: message.Say(format, args...)}
	}
	return err
}

// Wrong is a [problem.List] of one problem.
func Wrong(field, code, format string, args ...any) problem.List {
	return problem.List{{Field: field, Code: code, Message: message.Say(format, args...)}}
}

package texts

import (
	"cmp"
	"context"
	"strings"

	"goldshelf/core/endpoint"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Question is an entry as a model is to be asked about it: one of its versions, in a stack.
type Question struct {
	Slug   string
	Number int  // of a version that was published; 0 for the one on the shelf
	Open   bool // the one that is written or reviewed now
	Stack

	// With is a version of another entry, as closing-line@4 or closing-line@open, in place of
	// the one on the shelf that it would use; the entry itself is then one on the shelf.
	With string
}

// Asked is what a question has become.
type Asked struct {
	Composed
	Entry   store.Entry
	Content entry.Content // of the entry's own version
	Text    entry.Digest  // the same
	With    fill.Ref      // the version that took another's place, if one did
}

// Ask composes a question. Its error is what [Texts.OnShelf] returns, or a [work.Missing]
// where there is no open version that the caller may see.
func (t *Texts) Ask(ctx context.Context, by work.Caller, q Question) (a Asked, err error) {
	q.Base = true
	if q.With != "" {
		return work.See(ctx, t.db, func(v work.View) (Asked, error) { return t.askWith(v, by, q) })
	}
	if !q.Open {
		if a.Composed, err = t.OnShelf(ctx, q.Slug, q.Number, q.Stack); err != nil {
			return a, err
		}
	}
	return work.See(ctx, t.db, func(v work.View) (Asked, error) {
		slug, number := q.Slug, a.Of.Version
		if !q.Open {
			slug = a.Of.Entry
		}
		a.Entry, err = Seen(v.Reader, by, slug)
		if err != nil {
			return a, err
		}
		if q.Open {
			if number = a.Entry.Open; number == 0 || !MaySeeDrafts(by, a.Entry) {
				return a, work.MissingF("%s has no open version that you may see", slug)
			}
		}
		version, err := v.Version(a.Entry.ID, number)
		if err != nil {
			return a, err
		}
		if q.Open {
			if a.Composed, err = t.Open(v, by, a.Entry, version, q.Stack); err != nil {
				return a, err
			}
		}
		a.Content = version.Content()
		a.Text = a.Content.Digest()
		return a, nil
	})
}

// askWith composes a question with another entry's version in place of the one on the shelf.
func (t *Texts) askWith(v work.View, by work.Caller, q Question) (a Asked, err error) {
	if q.Open {
		return a, work.Wrong("/with", "open", "the version on the shelf is tried with another entry's, not the open one")
	}
	with, err := t.namedInstead(v, by, q.With)
	if err != nil {
		return a, err
	}
	if a.Entry, err = Seen(v.Reader, by, q.Slug); err != nil {
		return a, err
	}
	id, err := Fitting(v, a.Entry.Slug, q.Number, q.Stack)
	if err != nil {
		return a, err
	}
	layers, err := t.Layers(v, id, q.Stack)
	if err != nil {
		return a, err
	}
	if a.Composed, err = t.composeFor(v, layers, q.Stack, with); err != nil {
		return a, err
	}
	a.With = with.Ref
	version, err := v.Version(a.Entry.ID, a.Of.Version)
	a.Content = version.Content()
	a.Text = a.Content.Digest()
	return a, err
}

// namedInstead reads which version of another entry is meant, and that.
func (t *Texts) namedInstead(v work.View, by work.Caller, name string) (*Instead, error) {
	slug, isOpen := strings.CutSuffix(name, "@open")
	number := 0
	var err error
	if !isOpen {
		if slug, number, err = ParseRef("/with", name); err != nil {
			return nil, err
		}
	}
	e, err := Seen(v.Reader, by, slug)
	if err != nil {
		return nil, err
	}
	if isOpen {
		if number = e.Open; number == 0 || !MaySeeDrafts(by, e) {
			return nil, work.MissingF("%s has no open version that you may see", slug)
		}
	}
	version, err := v.Version(e.ID, number)
	if err != nil || !version.ShownToReaders() && !MaySeeDrafts(by, e) {
		return nil, work.Found(cmp.Or(err, store.ErrNotFound), NoVersion(slug, number))
	}
	return t.Instead(v, by, e, version)
}

// Sent fills a question in, and gives what a model is sent and what went into that. Its error
// is a problem.List with what is missing or does not fit.
func (a Asked) Sent(values fill.Values) ([]endpoint.ModelMessage, []fill.Ref, error) {
	got, parts, err := a.Form.FillLayers(values)
	if err != nil {
		return nil, nil, err
	}
	filled := Delivered(a.Composed, Filled(a.Composed, got, parts))
	messages := filled.Messages
	if messages == nil {
		messages = Messages(filled)
	}
	sent := make([]endpoint.ModelMessage, len(messages))
	for i, m := range messages {
		sent[i] = endpoint.ModelMessage{Role: endpoint.Role(m.Role), Text: m.Content}
	}
	return sent, got.Used, nil
}

// Own leaves out the values that a question has no blank for.
func (a Asked) Own(values fill.Values) fill.Values {
	own := fill.Values{}
	for _, b := range a.Form.Blanks() {
		if v, given := values[b.Name]; given {
			own[b.Name] = v
		}
	}
	return own
}

// ParseRef reads which version of an entry is meant: slug, or slug@3. What is wrong is at a
// field.
func ParseRef(field, ref string) (slug string, number int, err error) {
	if ref == "" {
		return "", 0, work.Wrong(field, "required", "say which entry is meant")
	}
	read, ok := entry.ParseRef(ref)
	if !ok {
		slug, _, _ := strings.Cut(ref, "@")
		return "", 0, work.Wrong(field, "version", "%.80q names no version; write %.64s@3", ref, slug)
	}
	return read.Entry, read.Version, nil
}

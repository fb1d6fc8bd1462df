package texts

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"goldshelf/core/layout"
	"goldshelf/core/rendition"
	"goldshelf/internal/shared"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// trustFor is how long what is remembered of the shelf is used before the database is
// asked whether it is still that. Another service's publication is heard of within it,
// whatever becomes of any connection: one that does not answer renews nothing.
const trustFor = 100 * time.Millisecond

// shelf remembers stacks ready to be filled, all of one state of the shelf. The
// database numbers these states, in the transactions that bring them about.
type shelf struct {
	composed bounded[string, Composed]

	mu      sync.Mutex
	number  int64     // of the state that all that is remembered is of
	until   time.Time // when it must be asked for again
	changes int       // made by this service itself
	asking  shared.Work[struct{}]
	asked   struct { // of the newest answer
		changes int       // that it is certain to show
		at      time.Time // when it came
	}
}

// changed is told when this service has changed the shelf: what is remembered is not
// used again before the database was asked.
func (s *shelf) changed() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.until = time.Time{}
	s.changes++
}

// trusted says whether what is remembered may be used now.
func (s *shelf) trusted() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return time.Now().Before(s.until)
}

// askWithin is how long the database may take to say which state the shelf is in.
const askWithin = 10 * time.Second

// renew has the database be asked which state the shelf is in, once for all who wait for it, until
// what is remembered may be used: the answer is of no moment before the newest change by this
// service that there was when it was called.
func (s *shelf) renew(ctx context.Context, db *work.DB) error {
	s.mu.Lock()
	before := s.changes
	s.mu.Unlock()
	for !s.knows(before) {
		_, err := s.asking.Do(ctx, "", askWithin, func(ctx context.Context) (struct{}, error) { return struct{}{}, s.ask(ctx, db) })
		if err != nil {
			return err
		}
	}
	return nil
}

// knows says whether what is remembered may be used by whoever knows of so many changes.
func (s *shelf) knows(changes int) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := time.Now()
	return now.Before(s.until) || s.asked.changes >= changes && now.Sub(s.asked.at) < trustFor
}

// ask asks which state the shelf is in, and forgets what is of another.
func (s *shelf) ask(ctx context.Context, db *work.DB) error {
	s.mu.Lock()
	changes, began := s.changes, time.Now()
	s.mu.Unlock()
	number, err := work.Ask(ctx, db, func(v work.View) (int64, error) { return v.ShelfNumber() })
	if err != nil {
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if number != s.number {
		s.composed.clear()
		s.number = number
	}
	s.asked.changes, s.asked.at = changes, time.Now()
	if changes == s.changes { // or else the answer may be from before
		s.until = began.Add(trustFor)
	}
	return nil
}

// keep remembers a stack that was read at a state of the shelf.
func (s *shelf) keep(key string, c Composed, number int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if number == s.number {
		s.composed.put(key, c, c.bytes)
	}
}

// OnShelf gives a published entry, by slug or short code, in a stack, ready to be
// filled; with a number the version of that number if it was ever published. Its error
// is [Gone] or a [work.Missing] where there is none, and a problem.List where the
// stack cannot be had or what is on the shelf cannot be filled.
func (t *Texts) OnShelf(ctx context.Context, slug string, number int, ask Stack) (Composed, error) {
	key := strings.Join([]string{slug, fmt.Sprint(number), ask.Persona, ask.Style, ask.For, ask.Languages, fmt.Sprint(ask.Base, ask.Sketch), fmt.Sprintf("%q", ask.Sheets)}, "\x00")
	if !t.shelf.trusted() {
		if err := t.shelf.renew(ctx, t.db); err != nil {
			return Composed{}, err
		}
	}
	if c, ok := t.shelf.composed.get(key); ok {
		return c, nil
	}
	return work.SeeShelf(ctx, t.db, func(v work.View) (Composed, error) {
		at, err := v.ShelfNumber()
		if err != nil {
			return Composed{}, err
		}
		id, err := Fitting(v, slug, number, ask)
		if err != nil {
			return Composed{}, err
		}
		layers, err := t.Layers(v, id, ask)
		if err != nil {
			return Composed{}, err
		}
		c, err := t.composeFor(v, layers, ask, nil)
		if err == nil {
			t.shelf.keep(key, c, at)
		}
		return c, err
	})
}

// composeFor composes a stack for whichever application asks.
func (t *Texts) composeFor(v work.View, layers []int64, ask Stack, with *Instead) (Composed, error) {
	application, err := Application(v.Reader, ask.For)
	if err != nil {
		return Composed{}, err
	}
	wanting, err := t.wanting(v, layers)
	if err != nil {
		return Composed{}, err
	}
	if wanting != nil && !ask.Sketch {
		return Composed{}, wanting
	}
	c, err := t.Compose(v, layers, with)
	if err != nil {
		return Composed{}, err
	}
	c.For, c.Wanting = application, wanting
	c.Layout, err = layoutOf(v, application)
	return c, err
}

// layoutOf gives how an application wants a stack delivered, or nothing.
func layoutOf(v work.View, application string) (*layout.Plan, error) {
	if application == "" {
		return nil, nil
	}
	l, err := v.Layout(application)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return l.Layout.V.Plan(), nil
}

// Fitting gives the version that a name stands for on the shelf: its entry's, or a rendition
// of it that suits whoever asks better. A number means that version, and no rendition.
func Fitting(v work.View, slug string, number int, ask Stack) (int64, error) {
	id, err := v.ShelvedID(slug, number)
	if err != nil {
		return 0, OffShelf(v.Reader, err, slug, number)
	}
	if number != 0 || ask.Base || ask.Languages == "" && ask.For == "" {
		return id, nil
	}
	all, err := v.RenditionsOf(id)
	if err != nil || len(all) == 0 || all[0].VersionID != id {
		return id, err // a rendition is asked for by its own name
	}
	ones := make([]rendition.One, len(all))
	for i, r := range all {
		ones[i] = rendition.One{Language: r.Language, Applications: r.Applications.V, Models: r.Models.V}
	}
	if at := rendition.Fit(ones[0], ones[1:], ask.Languages, ask.For); at >= 0 {
		return all[at+1].VersionID, nil
	}
	return id, nil
}

// Shelved gives the published version of an entry with its layers as it recommends
// them.
func (t *Texts) Shelved(v work.View, slug string, number int, ask Stack) (layers []int64, err error) {
	id, err := Fitting(v, slug, number, ask)
	if err != nil {
		return nil, err
	}
	return t.Layers(v, id, Stack{})
}

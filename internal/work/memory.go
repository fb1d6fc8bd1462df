package work

import (
	"context"
	"strings"

	"github.com/google/uuid"
)

// Memory is something of the database that each service remembers for a moment, so as not
// to ask for it each time.
type Memory string

// What services remember.
const (
	Shelf    Memory = "shelf"    // what is on it, ready to be filled
	Sessions Memory = "sessions" // whose they are, and what those people may do
	Keys     Memory = "keys"     // of applications
)

// memories are what this service remembers, and how each of it is forgotten.
type memories struct {
	service string // tells what it says itself from what others say
	forget  map[Memory][]func()
}

func newMemories() memories { return memories{uuid.NewString(), map[Memory][]func(){}} }

// OnForget has f run whenever something of a memory has changed: by a unit of this service
// before its caller is answered, by another service's as soon as this one hears of it. It is
// for those who build the service, before it serves.
func (d *DB) OnForget(m Memory, f func()) {
	d.memories.forget[m] = append(d.memories.forget[m], f)
}

// Forget says that the unit changes something of a memory: every service forgets it once
// the unit is committed.
func (u *Unit) Forget(m Memory) { u.forgets[m] = true }

// tell has the other services hear what to forget, if the unit is committed.
func (m memories) tell(u *Unit) error {
	if u.ShelfChanged() {
		u.Forget(Shelf)
	}
	for what := range u.forgets {
		if err := u.Notify(m.service + " " + string(what)); err != nil {
			return err
		}
	}
	return nil
}

// lose forgets what a unit has changed.
func (m memories) lose(all map[Memory]bool) {
	for what := range all {
		for _, f := range m.forget[what] {
			f()
		}
	}
}

// Listen forgets what other services on the same database change, until ctx or the
// connection ends. What was said while nobody listened is not heard: so it begins by
// forgetting everything, and nothing is remembered for longer than a second or so anyway.
func (d *DB) Listen(ctx context.Context) error {
	everything := map[Memory]bool{}
	for what := range d.memories.forget {
		everything[what] = true
	}
	err := d.db.Listen(ctx, func() { d.memories.lose(everything) }, func(said string) {
		if by, what, _ := strings.Cut(said, " "); by != d.memories.service {
			d.memories.lose(map[Memory]bool{Memory(what): true})
		}
	})
	if ctx.Err() != nil {
		return nil
	}
	return err
}

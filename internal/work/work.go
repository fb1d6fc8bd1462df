// Package work is the unit of work: one transaction, one caller, one time, one way to
// record. Whoever changes the library does it in Do, and whoever reads more than one
// thing of it in See. What happens inside has no way to another connection, and what
// follows from it (a cache filled, a job woken) waits until it is committed.
package work

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"time"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/store"
	"goldshelf/internal/telemetry"
)

// DB is the library's database, with the clock that everyone goes by.
type DB struct {
	db       *store.DB
	now      func() time.Time
	memories memories
	replica  *replica // nil for none
}

// New gives the database for units of work. The clock is time.Now but in tests.
func New(db *store.DB, clock func() time.Time) *DB {
	return &DB{db: db, now: clock, memories: newMemories()}
}

// Ready says whether the database answers.
func (d *DB) Ready(ctx context.Context) error { return d.db.Ping(ctx) }

// Connections says how many connections to the database are in use, and how many may be.
func (d *DB) Connections() (used, most int) { return d.db.Connections() }

// Queues gives how much is due of what jobs do.
func (d *DB) Queues(ctx context.Context) ([]store.Queue, error) {
	return See(ctx, d, func(v View) ([]store.Queue, error) {
		if err := v.LookAtAll(); err != nil {
			return nil, err
		}
		return v.Queues()
	})
}

// Now is the time.
func (d *DB) Now() time.Time { return d.now() }

// View is what is read together: one unchanging state of the library.
type View struct{ store.Snapshot }

// Unit is one change of the library: its transaction, who makes it and when.
type Unit struct {
	store.Tx
	By Caller

	events  []store.Event
	callers []int64 // who acts
	after   []func()
	forgets map[Memory]bool
}

// See reads from one unchanging state of the library.
func See[T any](ctx context.Context, d *DB, see func(View) (T, error)) (out T, err error) {
	ctx, ended := telemetry.Part(ctx, "read")
	defer func() { ended(err) }()
	err = again(ctx, func() error {
		return d.db.View(ctx, d.now(), func(s store.Snapshot) (err error) {
			out, err = see(View{s})
			return err
		})
	})
	return out, err
}

// Ask reads one thing, which needs no state that stays: a second question is refused.
func Ask[T any](ctx context.Context, d *DB, ask func(View) (T, error)) (out T, err error) {
	err = again(ctx, func() error {
		return d.db.One(ctx, d.now(), func(s store.Snapshot) (err error) {
			out, err = ask(View{s})
			return err
		})
	})
	return out, err
}

// again does something until the database does not give it up, a few times at most.
func again(ctx context.Context, do func() error) (err error) {
	for n := range attempts {
		if err = do(); !errors.Is(err, store.ErrTryAgain) || !pause(ctx, n) {
			break
		}
	}
	return err
}

// attempts is how often a unit is begun where the database gives it up because of
// another one.
const attempts = 10

// Do changes the library: all that do does is kept, or nothing. It is done from its
// beginning again where another change came between, so it must not reach outside but
// through its Unit. What it gives is the answer that is kept for whoever sends the
// same request again (see [Once]).
func Do[T any](ctx context.Context, d *DB, by Caller, do func(*Unit) (T, error)) (out T, err error) {
	var u *Unit
	ctx, ended := telemetry.Part(ctx, "change")
	defer func() { ended(err) }()
	err = again(ctx, func() error {
		return d.db.Change(ctx, d.now(), func(tx store.Tx) (err error) {
			u = &Unit{Tx: tx, By: by, callers: []int64{by.ID}, forgets: map[Memory]bool{}}
			once := onceOf(ctx)
			if err := once.claim(u); err != nil {
				return err
			}
			if out, err = do(u); err != nil {
				return err
			}
			if err := once.keep(u, out); err != nil {
				return err
			}
			if err := d.memories.tell(u); err != nil {
				return err
			}
			return u.writeRecord()
		})
	})
	if err != nil {
		var nothing T
		return nothing, err
	}
	d.memories.lose(u.forgets)
	for _, f := range u.after {
		f()
	}
	return out, nil
}

// Run is Do for what gives nothing but an error.
func Run(ctx context.Context, d *DB, by Caller, do func(*Unit) error) error {
	_, err := Do(ctx, d, by, func(u *Unit) (any, error) { return nil, do(u) })
	return err
}

// pause waits a little longer each time, and says whether there is still somebody to
// try again for.
func pause(ctx context.Context, n int) bool {
	most := 2 * time.Millisecond << min(n, 6)
	select {
	case <-ctx.Done():
		return false
	case <-time.After(rand.N(most)):
		return true
	}
}

// Lock keeps others from changing entries and their open versions, by slug, until the
// unit ends, and gives them in the order in which they were asked for; or [NoEntryError]. Whoever locks
// several locks them in one order, so that no two wait for each other.
func (u *Unit) Lock(slugs ...string) ([]store.Entry, error) { return u.LockBeside(nil, slugs...) }

// LockBeside is Lock that also keeps others from changing what the entries name, but
// not from naming it too. What of that is not there is passed over.
func (u *Unit) LockBeside(named []string, slugs ...string) ([]store.Entry, error) {
	own := map[string]bool{}
	for _, slug := range slugs {
		own[slug] = true
	}
	var ids []int64
	for _, slug := range slices.Compact(slices.Sorted(slices.Values(slices.Concat(named, slugs)))) {
		if !own[slug] {
			if err := u.ShareEntry(slug); err != nil {
				return nil, err
			}
			continue
		}
		id, err := u.LockEntry(slug)
		if errors.Is(err, store.ErrNotFound) && u.By.Sight().Own != 0 {
			// It may be theirs alone.
			if err = u.Look(u.By.ID); err == nil {
				id, err = u.LockEntry(slug)
			}
		}
		if errors.Is(err, store.ErrNotFound) {
			return nil, &NoEntryError{slug}
		}
		if err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	if err := u.LockOpenVersions(ids); err != nil {
		return nil, err
	}
	all := make([]store.Entry, len(slugs))
	for i, slug := range slugs {
		var err error
		if all[i], err = u.EntryBySlug(slug); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// Record has a change recorded when the unit ends: an action, of the version with a
// number of an entry, or of none.
func (u *Unit) Record(action entry.Action, entryID int64, number int, detail map[string]any) {
	u.RecordAs(u.By, action, entryID, number, detail)
}

// RecordAs is Record of what someone else does in this unit.
func (u *Unit) RecordAs(by Caller, action entry.Action, entryID int64, number int, detail map[string]any) {
	if !slices.Contains(u.callers, by.ID) {
		u.callers = append(u.callers, by.ID)
	}
	u.events = append(u.events, store.Event{
		At: u.Now(), By: by.ID, Role: string(by.Role), Via: string(by.Via), Action: action.Recorded(), EntryID: entryID, Number: number, Detail: detail,
	})
}

// After has f run once the unit is committed, and not if it is not.
func (u *Unit) After(f func()) { u.after = append(u.after, f) }

// Try runs do so that, if it gives an error, nothing of it is kept, recorded or forgotten and
// the unit goes on.
func (u *Unit) Try(do func() error) error {
	events, after, forgets := len(u.events), len(u.after), maps.Clone(u.forgets)
	err := u.Tx.Try(do)
	if err != nil {
		u.events, u.after, u.forgets = u.events[:events], u.after[:after], forgets
	}
	return err
}

// eventsAtOnce is how many records go to the database in one statement.
const eventsAtOnce = 1000

// writeRecord writes what was collected. It comes last, since from here on every other
// unit that records something waits for this one to end.
func (u *Unit) writeRecord() error {
	var told []store.Told
	for part := range slices.Chunk(u.events, eventsAtOnce) {
		numbers, err := u.AddEvents(part, u.callers)
		if errors.Is(err, store.ErrRoleLost) {
			return RoleLost()
		}
		if err != nil {
			return err
		}
		for i, e := range part {
			if forAll, is := entry.Told(e.Action); is {
				told = append(told, store.Told{Number: numbers[i], ForAll: forAll})
			}
		}
	}
	if told == nil {
		return nil
	}
	return u.Tell(told)
}

// RoleLost is the refusal for a caller whose role is another by now than when they asked.
func RoleLost() error {
	return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("your role has changed since you asked; see what you may do now"), Possible: []entry.Action{}}
}

// Once stands for a request that must not be carried out twice. The units that the
// request leads to keep the answer together with what they change, and a request that
// changes nothing keeps none.
type Once struct {
	Key     string // of the caller, the call and the caller's own key
	Request []byte // hash of what was asked

	// Answer gives what is kept of what a unit gives: enough to answer again, and not its
	// texts.
	Answer func(out any) (store.Answer, error)

	kept bool
}

// ErrAnswered means that the request was carried out before; its answer is kept.
var ErrAnswered = errors.New("this request was answered before")

type onceKey struct{}

// WithOnce has the units of a request keep its answer.
func WithOnce(ctx context.Context, o *Once) context.Context {
	return context.WithValue(ctx, onceKey{}, o)
}

func onceOf(ctx context.Context) *Once {
	o, _ := ctx.Value(onceKey{}).(*Once)
	return o
}

// claim takes the key, and waits for another unit that has it.
func (o *Once) claim(u *Unit) error {
	if o == nil || o.kept {
		return nil
	}
	err := u.ClaimAnswer(o.Key, o.Request)
	if errors.Is(err, store.ErrTaken) {
		return ErrAnswered
	}
	return err
}

func (o *Once) keep(u *Unit, out any) error {
	if o == nil {
		return nil
	}
	a, err := o.Answer(out)
	if err != nil {
		return fmt.Errorf("keep the answer: %w", err)
	}
	u.After(func() { o.kept = true })
	return u.KeepAnswer(o.Key, a)
}

// Answered gives what was answered under a key, or nil.
func Answered(ctx context.Context, d *DB, key string) (*store.Answer, error) {
	a, err := Ask(ctx, d, func(v View) (store.Answer, error) { return v.Answer(key) })
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	return &a, err
}

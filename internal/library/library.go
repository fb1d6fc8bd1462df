// Package library holds the use cases: who may do what, in which order, in one
// transaction. Rules of the job live in core, records in the store; here, and
// only here, they meet.
package library

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/channel"
	"goldshelf/internal/store"
)

// Library is the shared library of one company.
type Library struct {
	db     *store.DB
	now    func() time.Time
	hashes chan struct{} // bounds the password hashes being worked out at once
	cache  parsed
	taking sync.Map // progress of the imports under way
	known  known
	holds  together[[]byte, store.Holder]
	saves  together[textSave, textSaved]

	// Channels sends what channels are told. It reaches outside only, unless it is
	// set to one that may reach inside.
	Channels *channel.Sender
}

// New gives the library that a database holds. The clock is time.Now but in tests.
func New(db *store.DB, clock func() time.Time) *Library {
	l := &Library{db: db, now: clock, hashes: make(chan struct{}, 2), Channels: channel.NewSender()}
	l.holds.do, l.saves.do = l.holders, l.saveTexts
	return l
}

// Caller is the person who acts, and through what.
type Caller struct {
	ID       int64
	Name     string
	FullName string
	Role     entry.Role
	Via      string // client, console, api or service

	Department string // a term, or none
}

func (c Caller) actor() entry.Actor { return entry.Actor{ID: c.ID, Role: c.Role} }

// ErrNotFound means that there is no such thing, or none that the caller may see.
var ErrNotFound = errors.New("not found")

// Missing is an ErrNotFound that says what is not there.
type Missing struct{ What string }

func (m *Missing) Error() string { return m.What }
func (m *Missing) Unwrap() error { return ErrNotFound }

// Clash means that someone else has saved since the caller last read. Now is
// the draft as it stands, and On the revision to save on next.
type Clash struct {
	Now api.Entry
	On  Revision
}

func (c *Clash) Error() string {
	return fmt.Sprintf("%s saved version %d of %s at %s, after you read it; your text was not saved. Read theirs, put the two together, and save again",
		c.Now.SavedByName, c.Now.Version, c.Now.Slug, c.Now.SavedAt.UTC().Format("15:04:05 on 2 January"))
}

// Taken means that another entry has the name that was asked for.
type Taken struct{ What string }

func (t *Taken) Error() string { return t.What }

// noEntry is the answer for an entry that is not there or not for the caller:
// the two look the same, so that nobody learns of drafts by guessing.
func noEntry(slug string) error {
	return &Missing{fmt.Sprintf("there is no entry %q that you may see; look for it with find", slug)}
}

// found turns the store's ErrNotFound into the library's.
func found(err error, missing error) error {
	if errors.Is(err, store.ErrNotFound) {
		return missing
	}
	return err
}

func standing(e store.Entry, writers []int64) entry.Standing {
	return entry.Standing{
		Slug: e.Slug, Version: e.Open, State: entry.State(e.State), Shelf: entry.State(e.Shelf),
		Owner: e.OwnerID, Deputy: e.DeputyID, Writers: writers,
	}
}

// standing is that of an entry with one of its versions: who wrote and approved it
// counts where it is the open one.
func (l *Library) standing(e store.Entry, v store.Version) entry.Standing {
	s := standing(e, nil)
	if v.Number == e.Open {
		s.Writers = v.Writers.V
		for _, a := range v.Approvals.V {
			s.Approvers = append(s.Approvers, a.ID)
		}
	}
	s.Lately = e.ShelvedAt != nil && l.now().Sub(*e.ShelvedAt) <= entry.TakeBackWithin
	return s
}

// seeing gives an entry of which the caller may see at least one version.
func (l *Library) seeing(ctx context.Context, r store.Reader, by Caller, slug string) (store.Entry, error) {
	e, err := r.EntryBySlug(ctx, slug)
	if err != nil {
		return e, found(err, noEntry(slug))
	}
	return e, visible(by, e)
}

func visible(by Caller, e store.Entry) error {
	if e.Published == 0 && !entry.MaySeeDrafts(by.actor(), standing(e, nil)) {
		return noEntry(e.Slug)
	}
	return nil
}

// change runs one action on an entry's open version, or on the one on the shelf
// where the action is on that: it locks the entry, holds the action against the
// life cycle, runs do and records the event.
func (l *Library) change(ctx context.Context, by Caller, slug string, action entry.Action, detail map[string]any, do func(store.Tx, store.Version) error) (changed api.Entry, err error) {
	err = l.db.Change(ctx, func(tx store.Tx) error {
		e, err := l.locked(ctx, tx, by, slug)
		if err != nil {
			return err
		}
		var v store.Version
		number := e.Open
		if action.OnShelf() {
			number = e.Published
		}
		if number > 0 {
			if v, err = tx.Version(ctx, e.ID, number); err != nil {
				return err
			}
		}
		if _, err := entry.Take(action, by.actor(), l.standing(e, v)); err != nil {
			return err
		}
		if err := do(tx, v); err != nil {
			return err
		}
		if changed, err = l.read(ctx, tx.Reader, by, slug, v.Number); err != nil {
			return err
		}
		return l.record(ctx, tx, by, string(action), e.ID, v.Number, detail)
	})
	return changed, err
}

func (l *Library) locked(ctx context.Context, tx store.Tx, by Caller, slug string) (store.Entry, error) {
	e, err := tx.LockEntry(ctx, slug)
	if err != nil {
		return e, found(err, noEntry(slug))
	}
	return e, visible(by, e)
}

// record keeps a change in the record, and tells those who follow the entry.
func (l *Library) record(ctx context.Context, tx store.Tx, by Caller, action string, entryID int64, number int, detail map[string]any) error {
	event, err := tx.AddEvent(ctx, store.Event{At: l.now(), By: by.ID, Via: by.Via, Action: action, EntryID: entryID, Number: number, Detail: detail})
	if err != nil {
		return err
	}
	forAll, told := told[action]
	if !told {
		return nil
	}
	return tx.Tell(ctx, event, l.now(), forAll)
}

// read gives one version as its readers see it.
func (l *Library) read(ctx context.Context, r store.Reader, by Caller, slug string, number int) (api.Entry, error) {
	e, err := r.EntryBySlug(ctx, slug)
	if err != nil {
		return api.Entry{}, found(err, noEntry(slug))
	}
	v, err := r.Version(ctx, e.ID, number)
	if err != nil {
		return api.Entry{}, found(err, &Missing{fmt.Sprintf("%s has no version %d; see its history", slug, number)})
	}
	return l.view(by, e, v), nil
}

// view is a version as JSON shows it to the caller.
func (l *Library) view(by Caller, e store.Entry, v store.Version) api.Entry {
	s := l.standing(e, v)
	out := api.Entry{
		Slug: v.Slug, Content: v.Content(), Owner: v.Owner, OwnerName: v.OwnerName, Deputy: v.Deputy, DeputyName: v.DeputyName,
		Version: v.Number, State: entry.State(v.State), Note: v.Note, Returned: v.Returned, Actions: []entry.Action{},
		Author: v.Author, CreatedAt: v.CreatedAt.UTC(), SavedBy: v.Saver, SavedByName: v.SaverName, SavedAt: v.SavedAt.UTC(),
		SubmittedBy: v.Submitter, SubmittedAt: utc(v.SubmittedAt), PublishedBy: v.Publisher, PublishedAt: utc(v.PublishedAt),
	}
	if s.Shelf == entry.Published {
		out.Published = e.Published
		if e.ReviewBy != nil {
			out.ReviewBy, out.Stale = e.ReviewBy.Format(time.DateOnly), entry.Stale(e.ReviewBy, l.now())
		}
	}
	if s.State == entry.InReview && v.Number == e.Open {
		out.Wanted = max(v.Needed-len(v.Approvals.V), 1)
	}
	if e.OfferAt != nil && (entry.Keeps(by.actor(), s) || e.OfferToID == by.ID) {
		out.Offer = &api.Offer{To: e.OfferTo, By: e.OfferBy, At: e.OfferAt.UTC()}
	}
	out.Department, out.TakenBack, out.PublishAt = e.Department, v.TakenBack, utc(v.PublishAt)
	if e.RetiredAt != nil {
		out.Retired = &api.Retired{At: e.RetiredAt.UTC(), By: e.RetiredBy, Because: e.Because, Instead: e.Instead}
	}
	for _, a := range v.Approvals.V {
		out.Approvals = append(out.Approvals, api.Approval{By: a.By, Comment: a.Comment, At: a.At.UTC()})
	}
	if entry.MaySeeDrafts(by.actor(), s) {
		out.Open = e.Open
	}
	// Each action stands with the version that it is on.
	for _, a := range entry.Actions(by.actor(), s) {
		if a.OnShelf() && v.Number == e.Published || !a.OnShelf() && (v.Number == e.Open || e.Open == 0) {
			out.Actions = append(out.Actions, a)
		}
	}
	return out
}

func utc(t *time.Time) *time.Time {
	if t == nil {
		return nil
	}
	u := t.UTC()
	return &u
}

// labelProblems says which labels the library does not have.
func labelProblems(labels map[string][]string, terms []store.Term) problem.List {
	known := map[string][]string{}
	for _, t := range terms {
		known[t.Facet] = append(known[t.Facet], t.Name)
	}
	return unknownLabels(labels, known)
}

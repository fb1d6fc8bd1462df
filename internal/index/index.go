// Package index keeps in memory what every version is found by, in step with the
// database: whoever searches finds what is committed at that moment, whichever service
// committed it.
package index

import (
	"context"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"goldshelf/core/search"
	"goldshelf/internal/shared"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// KeepChanges is how long the database keeps what has changed. An index that has not
// looked for half as long is made anew.
const KeepChanges = 24 * time.Hour

// Index finds versions.
type Index struct {
	reading shared.Work[struct{}] // the whole index
	mu      sync.RWMutex          // for the three below
	index   *search.Index
	uses    map[int64]float64 // by entry; never changed, but for another one
	moment  string            // of the database, that the index is of; empty before the first

	synonyms atomic.Pointer[synonyms]
	terms    atomic.Pointer[terms]

	looked atomic.Int64 // when nothing had changed since then, in seconds since 1970
}

// New gives an index that is read with the first search, or by Read.
func New() *Index {
	x := &Index{index: search.New()}
	x.synonyms.Store(&synonyms{})
	x.terms.Store(&terms{})
	return x
}

// readWithin is how long reading the whole index may take.
const readWithin = 10 * time.Minute

// Read brings the index up to date, so that no search waits for it.
func (x *Index) Read(ctx context.Context, db *work.DB) error {
	if err := x.Ready(ctx, db); err != nil {
		return err
	}
	return x.catchUp(ctx, db)
}

// Ready has the index be read where it was not, once for all who wait for it. A search needs only
// what has changed since.
func (x *Index) Ready(ctx context.Context, db *work.DB) error {
	if _, anew := x.since(db.Now()); !anew {
		return nil
	}
	_, err := x.reading.Do(ctx, "", readWithin, func(ctx context.Context) (struct{}, error) { return struct{}{}, x.catchUp(ctx, db) })
	return err
}

func (x *Index) catchUp(ctx context.Context, db *work.DB) error {
	_, err := work.See(ctx, db, func(v work.View) (store.SearchState, error) { return x.follow(v) })
	return err
}

// At is the index as far as a view shows it.
type At struct {
	x     *Index
	v     work.View
	state store.SearchState
	terms []store.Term
}

// At brings the index up to what a view shows. For a view of a replica it was brought there
// before, by Read: it sees other changes as under way than the database does.
func (x *Index) At(v work.View) (At, error) {
	follow := x.follow
	if v.OfReplica() {
		follow = func(v work.View) (store.SearchState, error) { return v.SearchState("") }
	}
	state, err := follow(v)
	if err != nil {
		return At{}, err
	}
	terms, err := x.termsOf(v, state.Labels)
	return At{x, v, state, terms}, err
}

// Terms gives every term of every facet, as store.Reader does. They are not to be changed.
func (a At) Terms() []store.Term { return a.terms }

// Find searches what the view shows. Nobody else waits while the database is asked for it.
func (a At) Find(ask search.Ask) (_ search.Result, err error) {
	x := a.x
	if ask.Alike, err = x.alike(a.v, a.state.Synonyms); err != nil {
		return search.Result{}, err
	}
	near, err := openThesaurus().near(ask.Words)
	if err != nil {
		return search.Result{}, err
	}
	c := x.prepare(&ask, near)
	if len(c.IDs) > 0 {
		if ask.Held, err = a.v.Holding(c.IDs, c.All, c.None); err != nil {
			return search.Result{}, err
		}
	}
	x.mu.RLock()
	defer x.mu.RUnlock()
	return x.index.Find(ask), nil
}

// prepare adds what a thesaurus has for the words of a search, and gives what it needs to know.
func (x *Index) prepare(ask *search.Ask, near map[string][]nearWord) search.Candidates {
	x.mu.RLock()
	defer x.mu.RUnlock()
	x.addAlike(ask, near)
	return x.index.Candidates(*ask)
}

// follow brings the index up to what a view shows, if it is not further already, and
// gives the state that the view shows.
func (x *Index) follow(v work.View) (store.SearchState, error) {
	for {
		at, anew := x.since(v.Now())
		since := at
		if anew {
			since = ""
		}
		state, err := v.SearchState(since)
		if err != nil {
			return state, err
		}
		if !anew && len(state.Changed) == 0 {
			x.looked.Store(v.Now().Unix())
			return state, nil
		}
		if !anew {
			// Another may have read what is newer, which an older view must not undo.
			if later, err := v.IsLater(state.Moment, since); err != nil || !later {
				return state, err
			}
		}
		put, err := read(v, state.Changed, anew)
		if err != nil || x.bring(at, state.Moment, v.Now(), put) {
			return state, err
		}
		// Somebody else was faster: what is left is less.
	}
}

// since is the moment that the index is of, and whether it is to be made anew.
func (x *Index) since(now time.Time) (moment string, anew bool) {
	x.mu.RLock()
	defer x.mu.RUnlock()
	looked := x.looked.Load()
	return x.moment, x.moment == "" || now.Sub(time.Unix(looked, 0)) > KeepChanges/2
}

// bring brings the index from one moment to another, unless it is of the first no more.
func (x *Index) bring(from, to string, now time.Time, put func(*Index)) bool {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.moment != from {
		return false
	}
	put(x)
	x.moment = to
	x.looked.Store(now.Unix())
	return true
}

// read reads what has changed, or everything, and gives what puts it into the index.
func read(v work.View, changed []int64, anew bool) (put func(*Index), err error) {
	if err := v.LookAtAll(); err != nil {
		return nil, err
	}
	defer func() { _ = v.Look(0) }() // or else the view has failed, and shows nothing
	if anew {
		index, err := build(v)
		return func(x *Index) {
			x.index = index
			x.index.SetUses(x.uses)
		}, err
	}
	var docs []search.Document
	err = v.SearchDocuments(changed, func(d search.Document) { docs = append(docs, d) })
	return func(x *Index) {
		for i, d := range docs {
			docs[i] = x.used(d)
		}
		x.index.Replace(changed, docs)
	}, err
}

// addAlike adds what is near the words of a search.
func (x *Index) addAlike(ask *search.Ask, near map[string][]nearWord) {
	if near == nil {
		return
	}
	all := maps.Clone(ask.Alike)
	for _, w := range ask.Words {
		having := x.index.Having(w)
		if search.IsSmall(w) || strings.ContainsAny(w, "0123456789") || having > search.WellKnown {
			continue
		}
		stem := search.Stem(w)
		all[stem] = append(slices.Clip(all[stem]), alternatives(near[w], having > 0, x.index.Having)...)
	}
	ask.Alike = all
}

// build reads the whole index: one reads the documents while another adds what was read.
func build(v work.View) (*search.Index, error) {
	const atOnce = 256
	index := search.New()
	read := make(chan []search.Document, 4)
	added := make(chan struct{})
	go func() {
		defer close(added)
		for docs := range read {
			for _, d := range docs {
				index.Add(d)
			}
		}
		index.Done()
	}()
	err := func() error {
		defer close(read) // whatever becomes of reading, adding ends
		docs := make([]search.Document, 0, atOnce)
		err := v.SearchDocuments(nil, func(d search.Document) {
			if docs = append(docs, d); len(docs) == atOnce {
				read <- docs
				docs = make([]search.Document, 0, atOnce)
			}
		})
		read <- docs
		return err
	}()
	<-added
	return index, err
}

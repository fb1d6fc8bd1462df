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
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// KeepChanges is how long the database keeps what has changed. An index that has not
// looked for half as long is made anew.
const KeepChanges = 24 * time.Hour

// Index finds versions.
type Index struct {
	reading sync.Mutex   // by who brings the index up to date
	mu      sync.RWMutex // for the three below
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

// Read brings the index up to date, so that no search waits for it.
func (x *Index) Read(ctx context.Context, db *work.DB) error {
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

// Find searches what the view shows.
func (a At) Find(ask search.Ask) (_ search.Result, err error) {
	x := a.x
	if ask.Alike, err = x.alike(a.v, a.state.Synonyms); err != nil {
		return search.Result{}, err
	}
	ask.Holds = a.v.Holding
	x.mu.RLock()
	defer x.mu.RUnlock()
	if err := x.addAlike(&ask); err != nil {
		return search.Result{}, err
	}
	return x.index.Find(ask)
}

// follow brings the index up to what a view shows, if it is not further already, and
// gives the state that the view shows.
func (x *Index) follow(v work.View) (store.SearchState, error) {
	since := x.since(v)
	state, err := v.SearchState(since)
	if err != nil {
		return state, err
	}
	if since != "" && len(state.Changed) == 0 {
		x.looked.Store(v.Now().Unix())
		return state, nil
	}
	x.reading.Lock()
	defer x.reading.Unlock()
	if since = x.since(v); since != "" {
		// Another may have read what is newer, which an older view must not undo.
		if later, err := v.IsLater(state.Moment, since); err != nil || !later {
			return state, err
		}
		if state, err = v.SearchState(since); err != nil {
			return state, err
		}
	}
	return state, x.read(v, state.Moment, state.Changed, since == "")
}

// since is the moment that the index is of, or nothing where it is to be made anew.
func (x *Index) since(v work.View) string {
	x.mu.RLock()
	defer x.mu.RUnlock()
	if looked := x.looked.Load(); looked != 0 && v.Now().Sub(time.Unix(looked, 0)) > KeepChanges/2 {
		return ""
	}
	return x.moment
}

func (x *Index) read(v work.View, moment string, changed []int64, anew bool) error {
	if err := v.LookAtAll(); err != nil {
		return err
	}
	defer func() { _ = v.Look(0) }() // or else the view has failed, and shows nothing
	if anew {
		index, err := build(v)
		if err != nil {
			return err
		}
		x.mu.Lock()
		x.index = index
		x.index.SetUses(x.uses)
	} else {
		var docs []search.Document
		if err := v.SearchDocuments(changed, func(d search.Document) { docs = append(docs, d) }); err != nil {
			return err
		}
		x.mu.Lock()
		for i, d := range docs {
			docs[i] = x.used(d)
		}
		x.index.Replace(changed, docs)
	}
	defer x.mu.Unlock()
	x.moment = moment
	x.looked.Store(v.Now().Unix())
	return nil
}

// addAlike adds what a thesaurus has for the words of a search.
func (x *Index) addAlike(ask *search.Ask) error {
	t := openThesaurus()
	if t == nil {
		return nil
	}
	all := maps.Clone(ask.Alike)
	for _, w := range ask.Words {
		having := x.index.Having(w)
		if search.IsSmall(w) || strings.ContainsAny(w, "0123456789") || having > search.WellKnown {
			continue
		}
		alike, err := t.alike(w, having > 0, x.index.Having)
		if err != nil {
			return err
		}
		stem := search.Stem(w)
		all[stem] = append(slices.Clip(all[stem]), alike...)
	}
	ask.Alike = all
	return nil
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

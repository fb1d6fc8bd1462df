package index

import (
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// terms are the terms of every facet, under a number.
type terms struct {
	number int
	all    []store.Term
}

// termsOf gives the terms of a number, which the view shows.
func (x *Index) termsOf(v work.View, number int) ([]store.Term, error) {
	if t := x.terms.Load(); t.number == number {
		return t.all, nil
	}
	all, err := v.Terms()
	if err != nil {
		return nil, err
	}
	x.terms.Store(&terms{number, all}) // where another is newer, whoever sees that reads it again
	return all, nil
}

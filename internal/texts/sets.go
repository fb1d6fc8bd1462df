package texts

import (
	"errors"

	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
	"goldshelf/internal/store"
)

// WithQuestions reads along the questions of the set that a content answers, where it
// answers one that is there.
func WithQuestions(r store.Reader, c entry.Content) (entry.Content, error) {
	if c.Set == "" || c.Questions != nil && c.Questions.Ref() == c.Set {
		return c, nil
	}
	name, number, ok := sheet.ParseRef(c.Set)
	if !ok {
		return c, nil
	}
	v, err := r.SetVersion(name, number)
	if errors.Is(err, store.ErrNotFound) {
		return c, nil
	}
	set := v.Set()
	c.Questions = &set
	return c, err
}

// SetProblems says whether the question set that a content answers is not there.
func SetProblems(r store.Reader, c entry.Content) (problem.List, error) {
	c, err := WithQuestions(r, c)
	if err != nil || c.Set == "" || c.Questions != nil {
		return nil, err
	}
	var found problem.List
	name, _, _ := sheet.ParseRef(c.Set)
	newest, err := r.SetVersion(name, 0)
	switch {
	case errors.Is(err, store.ErrNotFound):
		found.Add("/set", "missing", "there is no question set %q; see the question sets for those there are", name)
	case err != nil:
		return nil, err
	default:
		set := newest.Set()
		found.Add("/set", "missing", "there is no %s; the newest version is %s", c.Set, set.Ref())
	}
	return found, nil
}

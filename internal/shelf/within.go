package shelf

import (
	"context"
	"slices"
	"strings"

	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// departmentsOf gives the departments beyond which the caller sees nothing, as they are called
// now; or nil for none such.
func departmentsOf(r store.Reader, by work.Caller, terms []store.Term) ([]string, error) {
	if by.Key == nil || len(by.Key.Departments) == 0 {
		return nil, nil
	}
	now, err := texts.CurrentLabels(r, map[string][]string{"department": by.Key.Departments}, terms)
	return now["department"], err
}

// within holds what the caller names against the departments that they are for: what is of no
// such is not there for them. Names are slugs or short codes; empty ones and "none" are none.
func (s *Service) within(ctx context.Context, by work.Caller, names ...string) error {
	if by.Key == nil || len(by.Key.Departments) == 0 {
		return nil
	}
	_, err := work.SeeShelf(ctx, s.db, func(v work.View) (any, error) {
		terms, err := v.Terms()
		if err != nil {
			return nil, err
		}
		may, err := departmentsOf(v.Reader, by, terms)
		if err != nil {
			return nil, err
		}
		above := map[string]string{}
		for _, t := range terms {
			if t.Facet == "department" {
				above[t.Name] = t.Under
			}
		}
		for _, name := range names {
			if name == "" || name == "none" {
				continue
			}
			slug, _, _ := strings.Cut(name, "@")
			of, err := v.NamedDepartments(slug)
			if err != nil {
				return nil, err
			}
			if !slices.ContainsFunc(of, func(d string) bool { return under(d, may, above) }) {
				return nil, work.MissingF("there is no entry %.80q on the shelf that the key %s is for", slug, by.Key.Name)
			}
		}
		return nil, nil
	})
	return err
}

// stack gives a published entry in a stack for whoever may use all that they name. Nothing
// here gets one in another way.
func (s *Service) stack(ctx context.Context, by work.Caller, slug string, number int, ask texts.Stack) (texts.Composed, error) {
	if err := s.within(ctx, by, append([]string{slug, ask.Persona, ask.Style}, ask.Sheets...)...); err != nil {
		return texts.Composed{}, err
	}
	c, err := s.texts.OnShelf(ctx, slug, number, ask)
	if err == nil && c.Of.Entry != slug { // a rendition that suits better
		err = s.within(ctx, by, c.Of.Entry)
	}
	if err != nil {
		return texts.Composed{}, err
	}
	return c, nil
}

// under says whether a department is one of some, or a part of one.
func under(d string, some []string, above map[string]string) bool {
	for ; d != ""; d = above[d] {
		if slices.Contains(some, d) {
			return true
		}
	}
	return false
}

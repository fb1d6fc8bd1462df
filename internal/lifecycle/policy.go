package lifecycle

import (
	"context"
	"errors"
	"slices"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Policy gives the policy in force. Where none was ever set it is the zero policy, with
// the number 0.
func (s *Service) Policy(ctx context.Context) (api.Policy, error) {
	return work.Ask(ctx, s.db, func(v work.View) (api.Policy, error) { return texts.Policy(v.Reader) })
}

// SetPolicy puts a policy in force in the place of the one with the number on. It
// returns an [entry.Refusal] to all but curators, a problem.List if the policy does not
// hold, and [work.Outdated] if another is in force by now.
func (s *Service) SetPolicy(ctx context.Context, by work.Caller, on int, p check.Policy) (api.Policy, error) {
	if err := by.MustCurate("set the policy"); err != nil {
		return api.Policy{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Policy, error) {
		if err := u.LockPolicies(); err != nil {
			return api.Policy{}, err
		}
		if err := policyProblems(u.Reader, p); err != nil {
			return api.Policy{}, err
		}
		now, err := u.Policy()
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return api.Policy{}, err
		}
		if now.Number != on {
			return api.Policy{}, &work.Outdated{What: message.Say("%s has set policy %d since you read the one before; read it, put the two together, and set it again", now.By, now.Number)}
		}
		number, err := u.AddPolicy(p, by.ID, u.Now())
		if err != nil {
			return api.Policy{}, err
		}
		u.Record("set-policy", 0, 0, map[string]any{"number": number})
		return texts.Policy(u.Reader)
	})
}

func policyProblems(r store.Reader, p check.Policy) error {
	terms, err := r.Terms()
	if err != nil {
		return err
	}
	people, err := r.People()
	if err != nil {
		return err
	}
	var facets []string
	for _, t := range terms {
		if !slices.Contains(facets, t.Facet) {
			facets = append(facets, t.Facet)
		}
	}
	mayReview := func(name string) bool {
		return slices.ContainsFunc(people, func(p store.Person) bool {
			return p.Name == name && p.Active && entry.Role(p.Role).Includes(entry.Reviewer)
		})
	}
	return append(p.Problems(facets), p.Review.Problems(texts.Known(terms), mayReview)...).Err()
}

// Package allowances is what people and departments may use up in a month by asking models.
package allowances

import (
	"context"
	"errors"
	"math"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// The most that an allowance can be.
const (
	mostWords = 1_000_000_000
	mostMoney = 10_000_000
)

// Service is what can be done with allowances.
type Service struct{ db *work.DB }

// New gives the allowances of a library.
func New(db *work.DB) *Service { return &Service{db} }

// List gives the allowances that hold for the caller, and to curators all of them.
func (s *Service) List(ctx context.Context, by work.Caller) (api.Allowances, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Allowances, error) { return list(v.Reader, by) })
}

func list(r store.Reader, by work.Caller) (api.Allowances, error) {
	out := api.Allowances{Mine: []api.Allowance{}}
	b, err := r.RegisterBudget()
	if err != nil {
		return out, err
	}
	out.Currency = b.Currency
	if out.Mine, err = shown(r, by.ID); err != nil || by.Role != entry.Curator {
		return out, err
	}
	out.All, err = shown(r, 0)
	return out, err
}

func shown(r store.Reader, person int64) ([]api.Allowance, error) {
	rows, err := r.Allowances(person)
	all := []api.Allowance{}
	for _, a := range rows {
		all = append(all, api.Allowance{
			Kind: kindOf(a), Name: a.Person + a.Department, FullName: a.FullName, Words: a.Words, Money: a.Money,
			SpentWords: a.SpentWords, SpentMoney: math.Round(a.SpentMoney*1e4) / 1e4, Number: a.Number, By: a.By, At: a.At.UTC(),
		})
	}
	return all, err
}

func kindOf(a store.Allowance) string {
	if a.Person != "" {
		return "person"
	}
	return "department"
}

// Set says what a person or a department may use up in a month; of neither words nor money,
// as much as they like. It is for curators, over the allowance of a number, 0 for none.
func (s *Service) Set(ctx context.Context, by work.Caller, kind, name string, in api.SetAllowance) (api.Allowances, error) {
	if err := by.MustCurate("say what may be used up"); err != nil {
		return api.Allowances{}, err
	}
	wrong := problems(in)
	a := store.Allowance{Words: in.Words, Money: in.Money, Number: in.Number}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Allowances, error) {
		wrong := append(problem.List(nil), wrong...) // the unit may run again
		switch kind {
		case "person":
			p, err := u.PersonByName(name)
			if errors.Is(err, store.ErrNotFound) || err == nil && !p.Active {
				wrong.Add("/name", "person", "there is no colleague %.80q", name)
			} else if err != nil {
				return api.Allowances{}, err
			}
			a.Person = name
		case "department":
			terms, err := u.Terms()
			if err != nil {
				return api.Allowances{}, err
			}
			wrong = append(wrong, texts.DepartmentProblems("/name", name, terms)...)
			a.Department = name
		default:
			wrong.Add("/kind", "kind", "an allowance is for a person or a department, not for a %.40q", kind)
		}
		if err := wrong.Err(); err != nil {
			return api.Allowances{}, err
		}
		var err error
		if in.Words == nil && in.Money == nil {
			err = u.DropAllowance(a)
		} else {
			err = u.SetAllowance(a, by.ID)
		}
		if err != nil {
			return api.Allowances{}, work.Found(err, &work.Outdated{What: message.Say("the allowance of %s is another by now; look at it again", name)})
		}
		u.Record("set-allowance", 0, 0, map[string]any{"for": kind, "name": name, "words": in.Words, "money": in.Money})
		return list(u.Reader, by)
	})
}

func problems(in api.SetAllowance) (wrong problem.List) {
	if w := in.Words; w != nil && (*w < 0 || *w > mostWords) {
		wrong.Add("/words", "range", "%d words cannot be an allowance; it is 0 to 1,000,000,000", *w)
	}
	if m := in.Money; m != nil && !(*m >= 0 && *m <= mostMoney) {
		wrong.Add("/money", "range", "%v cannot be an allowance; it is 0 to 10,000,000", *m)
	}
	return wrong
}

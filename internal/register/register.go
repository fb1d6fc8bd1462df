// Package register has the use cases of the register: the applications and models that a
// company uses, what they cost, and how each application wants a stack delivered.
package register

import (
	"context"
	"errors"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/register"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct{ db *work.DB }

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db} }

const (
	mostTitle = 80 // characters
	mostMoved = 10_000
)

var termName = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,63}$`)

// Register gives every application and model, the cap, and what a month costs.
func (s *Service) Register(ctx context.Context) (api.Register, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Register, error) { return read(v.Reader) })
}

func read(r store.Reader) (api.Register, error) {
	out := api.Register{Items: []api.Registered{}}
	rows, err := r.Registered()
	if err != nil {
		return out, err
	}
	b, err := r.RegisterBudget()
	if err != nil {
		return out, err
	}
	var items []register.Item
	for _, row := range rows {
		d := row.Details.V
		out.Items = append(out.Items, api.Registered{
			Facet: row.Facet, Name: row.Name, Title: row.Title, Details: d, KeeperName: row.KeeperName, Entries: row.Entries, Layout: row.Layout,
		})
		if d.CostMonth != nil {
			items = append(items, register.Item{Name: row.Name, Title: row.Title, Status: d.Status, Cost: *d.CostMonth})
		}
	}
	out.Budget, out.Number = register.Budget{Cap: b.Cap, Currency: b.Currency}, b.Number
	out.Month = register.Sum(items, out.Budget)
	return out, nil
}

// Add registers an application or a model, whose name becomes a label. It returns an
// [entry.Refusal] to all but curators, a [problem.List] if it does not hold or, unless that
// is wanted, if the month would pass the cap, and [work.Taken] where there is one of that
// name or title.
func (s *Service) Add(ctx context.Context, by work.Caller, in api.NewRegistered) (api.Register, error) {
	if err := by.MustCurate("change the register"); err != nil {
		return api.Register{}, err
	}
	var wrong problem.List
	if in.Facet != register.Application && in.Facet != register.Model {
		wrong.Add("/facet", "facet", "an application or a model is registered, not %.40q", in.Facet)
	}
	if !termName.MatchString(in.Name) {
		wrong.Add("/name", "name", "the name is %.80q; it has 1 to 64 lower-case letters, digits and hyphens", in.Name)
	}
	wrong = append(wrong, titleProblems(in.Title)...)
	if err := append(wrong, in.Problems(in.Facet)...).Err(); err != nil {
		return api.Register{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Register, error) {
		before, err := begin(u)
		if err != nil {
			return api.Register{}, err
		}
		if err := freeTitle(before, in.Facet, "", in.Title); err != nil {
			return api.Register{}, err
		}
		if err := hasFacet(u.Reader, in.Facet); err != nil {
			return api.Register{}, err
		}
		if err := u.AddTerm(store.Term{Facet: in.Facet, Name: in.Name, Title: in.Title}); err != nil {
			return api.Register{}, work.TakenIf(err, "%s is registered already; choose another name", in.Name)
		}
		return keep(u, before, in.Facet, in.Name, in.Details, in.OverCap)
	})
}

// Change keeps other details of an application or a model, on the register that was read
// under a number. Besides what Add returns it returns [work.Outdated] where the register is
// another by now, and a [work.Missing] where there is none of that name.
func (s *Service) Change(ctx context.Context, by work.Caller, on int, facet, name string, in api.RegisteredChange) (api.Register, error) {
	if err := by.MustCurate("change the register"); err != nil {
		return api.Register{}, err
	}
	var wrong problem.List
	if in.Title != "" {
		wrong = titleProblems(in.Title)
	}
	if err := append(wrong, in.Problems(facet)...).Err(); err != nil {
		return api.Register{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Register, error) {
		before, err := begin(u)
		if err != nil {
			return api.Register{}, err
		}
		if _, err := registeredAs(before, facet, name); err != nil {
			return api.Register{}, err
		}
		if before.Number != on {
			return api.Register{}, outdated()
		}
		if err := setTerm(u, before, facet, name, in); err != nil {
			return api.Register{}, err
		}
		return keep(u, before, facet, name, in.Details, in.OverCap)
	})
}

// setTerm gives the label another title, and has nobody choose it once it is gone.
func setTerm(u *work.Unit, before api.Register, facet, name string, in api.RegisteredChange) error {
	if in.Title != "" {
		if err := freeTitle(before, facet, name, in.Title); err != nil {
			return err
		}
	}
	terms, err := u.Terms()
	if err != nil {
		return err
	}
	at := slices.IndexFunc(terms, func(t store.Term) bool { return t.Facet == facet && t.Name == name })
	t := terms[at] // it was found under the same lock
	was, _ := registeredAs(before, facet, name)
	if in.Title != "" {
		t.Title = in.Title
	}
	if in.Status != was.Status {
		t.Retired = in.Status == register.Gone || in.Status == register.NotToBeUsed
	}
	if t.Title == terms[at].Title && t.Retired == terms[at].Retired {
		return nil
	}
	return u.SetTerm(t)
}

// SetBudget changes the cap for all applications, on the register that was read under a
// number. Its errors are those of Change.
func (s *Service) SetBudget(ctx context.Context, by work.Caller, on int, in api.BudgetChange) (api.Register, error) {
	if err := by.MustCurate("change the register"); err != nil {
		return api.Register{}, err
	}
	if err := in.Problems().Err(); err != nil {
		return api.Register{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Register, error) {
		before, err := begin(u)
		if err != nil {
			return api.Register{}, err
		}
		if before.Number != on {
			return api.Register{}, outdated()
		}
		if err := u.SetBudget(in.Budget); err != nil {
			return api.Register{}, err
		}
		u.Record("set-budget", 0, 0, map[string]any{"cap": in.Cap, "currency": in.Currency})
		now, err := read(u.Reader)
		if err != nil {
			return now, err
		}
		return now, overCap("/cap", before, now, in.OverCap)
	})
}

// Move gives entries that are labelled with an application or a model another one in its
// place. It makes no version, and can be undone for an hour as other changes of many labels.
func (s *Service) Move(ctx context.Context, by work.Caller, facet, name string, in api.MoveLabel) (api.LabelsChanged, error) {
	if err := by.MustCurate("label many entries at once"); err != nil {
		return api.LabelsChanged{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.LabelsChanged, error) {
		before, err := begin(u)
		if err != nil {
			return api.LabelsChanged{}, err
		}
		if _, err := registeredAs(before, facet, name); err != nil {
			return api.LabelsChanged{}, err
		}
		to, err := registeredAs(before, facet, in.To)
		switch {
		case err != nil:
			return api.LabelsChanged{}, work.Wrong("/to", "label", "%.80q is no %s that they could be moved to", in.To, facet)
		case in.To == name:
			return api.LabelsChanged{}, work.Wrong("/to", "same", "they have %s already; name another", name)
		case to.Status == register.Gone:
			return api.LabelsChanged{}, work.Wrong("/to", "gone", "%s is gone too; name another", to.Title)
		}
		slugs, err := u.LabelledWith(facet, name, mostMoved)
		if err != nil {
			return api.LabelsChanged{}, err
		}
		entries, err := u.LockLabelled(slugs)
		if err != nil {
			return api.LabelsChanged{}, err
		}
		return moveAll(u, facet, name, in.To, entries)
	})
}

func moveAll(u *work.Unit, facet, from, to string, entries []store.Labelled) (api.LabelsChanged, error) {
	var before []store.LabelsBefore
	var after []store.Labels
	for _, e := range entries {
		becomes := map[string][]string{}
		for f, terms := range e.Labels.V {
			becomes[f] = terms
		}
		at := slices.Index(becomes[facet], from)
		if at < 0 {
			continue // somebody has labelled it otherwise by now
		}
		terms := slices.Clone(becomes[facet])
		if slices.Contains(terms, to) {
			terms = slices.Delete(terms, at, at+1)
		} else {
			terms[at] = to
		}
		becomes[facet] = terms
		before = append(before, store.LabelsBefore{Slug: e.Slug, Before: e.Labels.V, After: becomes})
		after = append(after, store.Labels{EntryID: e.ID, Labels: becomes})
		u.Record("label", e.ID, 0, map[string]any{"labels": becomes})
	}
	if err := u.SetLabels(after); err != nil {
		return api.LabelsChanged{}, err
	}
	out := api.LabelsChanged{Items: []api.Facet{}, Entries: len(after)}
	if len(after) == 0 {
		return out, nil
	}
	var err error
	out.Undo, err = u.AddLabelChange(u.By.ID, store.LabelChange{Entries: before})
	return out, err
}

// begin keeps others from changing the register and the labels, and gives the register.
func begin(u *work.Unit) (api.Register, error) {
	if err := u.LockLabels(); err != nil {
		return api.Register{}, err
	}
	if _, err := u.LockRegister(); err != nil {
		return api.Register{}, err
	}
	return read(u.Reader)
}

// keep keeps details, if there are such a keeper and what is replaced, and the month stays
// below its cap or need not.
func keep(u *work.Unit, before api.Register, facet, name string, d register.Details, over bool) (api.Register, error) {
	var wrong problem.List
	if d.Keeper != "" {
		if p, err := u.PersonByName(d.Keeper); errors.Is(err, store.ErrNotFound) || err == nil && !p.Active {
			wrong.Add("/keeper", "person", "there is nobody called %.80q here; name somebody by their sign-in name", d.Keeper)
		} else if err != nil {
			return api.Register{}, err
		}
	}
	if d.Replaces != "" {
		if _, err := registeredAs(before, facet, d.Replaces); err != nil || d.Replaces == name {
			wrong.Add("/replaces", "label", "there is no other %s %.80q that it could replace", facet, d.Replaces)
		}
	}
	if err := wrong.Err(); err != nil {
		return api.Register{}, err
	}
	if err := u.SetRegistered(facet, name, d); err != nil {
		return api.Register{}, err
	}
	u.Record("register", 0, 0, map[string]any{"facet": facet, "term": name, "status": d.Status, "cost": d.CostMonth})
	now, err := read(u.Reader)
	if err != nil {
		return now, err
	}
	return now, overCap("/cost_month", before, now, over)
}

// overCap returns a problem where a change has the month pass its cap, or pass it by more,
// unless that is wanted.
func overCap(field string, before, now api.Register, wanted bool) error {
	if wanted || now.Month.Level != register.Over || before.Month.Level == register.Over && now.Month.Left >= before.Month.Left {
		return nil
	}
	return work.Wrong(field, "cap", "%s; say over_cap to keep it all the same", now.Month.Warns(now.Budget))
}

func registeredAs(r api.Register, facet, name string) (api.Registered, error) {
	for _, it := range r.Items {
		if it.Facet == facet && it.Name == name {
			return it, nil
		}
	}
	return api.Registered{}, work.MissingF("there is no %s %.80q in the register", facet, name)
}

// freeTitle returns [work.Taken] where another of the facet is called the same by people.
func freeTitle(r api.Register, facet, name, title string) error {
	for _, it := range r.Items {
		if it.Facet == facet && it.Name != name && strings.EqualFold(it.Title, title) {
			return &work.Taken{What: message.Say("%s is what %s is called already; choose another title", it.Title, it.Name)}
		}
	}
	return nil
}

func hasFacet(r store.Reader, facet string) error {
	terms, err := r.Terms()
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(terms, func(t store.Term) bool { return t.Facet == facet }) {
		return work.Wrong("/facet", "missing", "the labels have no facet %s; add it first", facet)
	}
	return nil
}

func titleProblems(title string) problem.List {
	found := problem.Line("/title", "the title", title)
	switch n := utf8.RuneCountInString(title); {
	case strings.TrimSpace(title) == "":
		found.Add("/title", "missing", "the title is missing: what people read")
	case n > mostTitle:
		found.Add("/title", "size", "the title has %d characters; it has at most %d", n, mostTitle)
	}
	return found
}

func outdated() error {
	return &work.Outdated{What: message.Say("somebody has changed the register by now; read it, and change that")}
}

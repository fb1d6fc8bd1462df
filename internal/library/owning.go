package library

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// People lists everyone, with how many entries each owns.
func (l *Library) People(ctx context.Context) (api.People, error) {
	out := api.People{Items: []api.Colleague{}}
	people, err := l.db.People(ctx)
	if err != nil {
		return out, err
	}
	owned, err := l.db.Owned(ctx)
	for _, p := range people {
		c := colleague(p)
		c.Owns = owned[p.ID]
		out.Items = append(out.Items, c)
	}
	return out, err
}

func colleague(p store.Person) api.Colleague {
	day := func(t *time.Time) string {
		if t == nil {
			return ""
		}
		return t.Format(time.DateOnly)
	}
	return api.Colleague{Person: person(p), Active: p.Active, AwayFrom: day(p.AwayFrom), AwayUntil: day(p.AwayUntil)}
}

// AddColleague is AddPerson by a curator.
func (l *Library) AddColleague(ctx context.Context, by Caller, req api.NewColleague) (api.Colleague, error) {
	if by.Role != entry.Curator {
		return api.Colleague{}, onlyCurators(by, "add people")
	}
	terms, err := l.db.Terms(ctx)
	if err != nil {
		return api.Colleague{}, err
	}
	if err := departmentProblems(terms, req.Department).Err(); err != nil {
		return api.Colleague{}, err
	}
	if _, err := l.AddPerson(ctx, NewPerson{Person: req.Person, Password: req.Password}); err != nil {
		return api.Colleague{}, err
	}
	p, err := l.db.PersonByName(ctx, req.Name)
	if err != nil {
		return api.Colleague{}, err
	}
	return colleague(p), l.db.Change(ctx, func(tx store.Tx) error {
		return l.record(ctx, tx, by, "add-person", 0, 0, map[string]any{"person": p.Name, "role": p.Role})
	})
}

func onlyCurators(by Caller, what string) error {
	return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: fmt.Sprintf("only a curator may %s; you are signed in as a %s", what, by.Role)}
}

func departmentProblems(terms []store.Term, name string) problem.List {
	if name == "" || slices.ContainsFunc(terms, func(t store.Term) bool { return t.Facet == "department" && t.Name == name }) {
		return nil
	}
	return problem.List{{Field: "/department", Code: "label", Message: fmt.Sprintf("there is no department %q among the labels", name)}}
}

// ChangePerson changes what is known of someone. Everyone may say when they are
// away; the rest is for curators. Who is deactivated is signed out everywhere, and
// nothing of theirs is removed. The last curator stays one.
func (l *Library) ChangePerson(ctx context.Context, by Caller, name string, req api.PersonChange) (out api.Colleague, err error) {
	if own := name == by.Name && req.FullName == nil && req.Department == nil && req.Role == nil && req.Active == nil && req.Password == nil; !own && by.Role != entry.Curator {
		return out, onlyCurators(by, "change people; you may say when you are away yourself")
	}
	defer l.known.forget()
	err = l.db.Change(ctx, func(tx store.Tx) error {
		if err := tx.LockPeople(ctx); err != nil {
			return err
		}
		p, err := tx.PersonByName(ctx, name)
		if err != nil {
			return found(err, &Missing{fmt.Sprintf("there is nobody called %q; see the people", name)})
		}
		terms, err := tx.Terms(ctx)
		if err != nil {
			return err
		}
		wrong, detail := applyChange(&p, req, terms)
		password := ""
		if req.Password != nil {
			password = *req.Password
		}
		wrong = append(wrong, personProblems(NewPerson{Person: person(p), Password: password})...)
		people, err := tx.People(ctx)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(people, func(o store.Person) bool {
			if o.ID == p.ID {
				o = p
			}
			return o.Active && entry.Role(o.Role) == entry.Curator
		}) {
			wrong.Add("/role", "last", "%s is the last curator; make someone else one first", p.FullName)
		}
		if err := wrong.Err(); err != nil {
			return err
		}
		if password != "" {
			hash, err := HashPassword(password)
			if err != nil {
				return err
			}
			if err := tx.SetPassword(ctx, p.ID, hash); err != nil {
				return err
			}
		}
		if err := tx.SetPerson(ctx, p); err != nil {
			return err
		}
		out = colleague(p)
		return l.record(ctx, tx, by, "change-person", 0, 0, detail)
	})
	return out, err
}

// applyChange changes p as asked, and gives what is wrong with that and what it is
// in the record of changes.
func applyChange(p *store.Person, req api.PersonChange, terms []store.Term) (problem.List, map[string]any) {
	detail := map[string]any{"person": p.Name}
	var wrong problem.List
	if req.FullName != nil {
		p.FullName, detail["full_name"] = *req.FullName, *req.FullName
	}
	if req.Department != nil {
		p.Department, detail["department"] = *req.Department, *req.Department
		wrong = append(wrong, departmentProblems(terms, p.Department)...)
	}
	if req.Role != nil {
		p.Role, detail["role"] = string(*req.Role), *req.Role
	}
	if req.Active != nil {
		p.Active, detail["active"] = *req.Active, *req.Active
	}
	if req.Password != nil {
		detail["password"] = "changed"
	}
	for _, d := range []struct {
		field string
		day   *string
		to    **time.Time
	}{{"away_from", req.AwayFrom, &p.AwayFrom}, {"away_until", req.AwayUntil, &p.AwayUntil}} {
		if d.day == nil {
			continue
		}
		detail[d.field] = *d.day
		if *d.to = nil; *d.day == "" {
			continue
		}
		t, err := time.Parse(time.DateOnly, *d.day)
		if err != nil {
			wrong.Add("/"+d.field, "date", "%q is no day; write one as 2006-01-02", *d.day)
			continue
		}
		*d.to = &t
	}
	return append(wrong, entry.AwayProblems(p.AwayFrom, p.AwayUntil)...), detail
}

// HandOver has someone else answer for an entry: at once by a curator's word or
// when the caller takes it themselves as its deputy, and else when the new owner
// accepts. It returns a [problem.List] if they cannot own it.
func (l *Library) HandOver(ctx context.Context, by Caller, slug, to string) (out api.HandedOver, err error) {
	err = l.db.Change(ctx, func(tx store.Tx) error {
		next, err := l.nextOwner(ctx, tx.Reader, "/to", to)
		if err != nil {
			return err
		}
		out, err = l.handOver(ctx, tx, by, slug, next)
		return err
	})
	return out, err
}

// HandOverAll is HandOver of all that a person owns: all of it or nothing.
func (l *Library) HandOverAll(ctx context.Context, by Caller, from, to string) (out api.HandedOver, err error) {
	out = api.HandedOver{Done: []string{}, Offered: []string{}}
	if by.Role != entry.Curator && from != by.Name {
		return out, onlyCurators(by, "hand over what others own")
	}
	err = l.db.Change(ctx, func(tx store.Tx) error {
		p, err := tx.PersonByName(ctx, from)
		if err != nil {
			return found(err, &Missing{fmt.Sprintf("there is nobody called %q; see the people", from)})
		}
		next, err := l.nextOwner(ctx, tx.Reader, "/to", to)
		if err != nil {
			return err
		}
		if next.ID == p.ID {
			return problem.List{{Field: "/to", Code: "person", Message: fmt.Sprintf("%s has these entries already; name someone else", p.FullName)}}
		}
		slugs, err := tx.OwnedBy(ctx, p.ID)
		if err != nil {
			return err
		}
		for _, slug := range slugs {
			one, err := l.handOver(ctx, tx, by, slug, next)
			if err != nil {
				return err
			}
			out.Done, out.Offered = append(out.Done, one.Done...), append(out.Offered, one.Offered...)
		}
		return nil
	})
	return out, err
}

// nextOwner gives the person who is to own something, if they can.
func (l *Library) nextOwner(ctx context.Context, r store.Reader, field, name string) (store.Person, error) {
	p, err := r.PersonByName(ctx, name)
	refuse := func(format string, args ...any) (store.Person, error) {
		return p, problem.List{{Field: field, Code: "person", Message: fmt.Sprintf(format, args...)}}
	}
	switch {
	case errors.Is(err, store.ErrNotFound):
		return refuse("there is nobody called %q; see the people", name)
	case err != nil:
		return p, err
	case !p.Active:
		return refuse("%s has left; name someone who is here", p.FullName)
	case !entry.Role(p.Role).Includes(entry.Contributor):
		return refuse("%s is a reader, and a reader owns nothing; make them a contributor first", p.FullName)
	}
	return p, nil
}

func (l *Library) handOver(ctx context.Context, tx store.Tx, by Caller, slug string, to store.Person) (out api.HandedOver, err error) {
	out = api.HandedOver{Done: []string{}, Offered: []string{}}
	e, err := l.locked(ctx, tx, by, slug)
	if err != nil {
		return out, err
	}
	if !entry.Keeps(by.actor(), standing(e, nil)) {
		return out, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: fmt.Sprintf("only its owner, its deputy or a curator may hand over %s", e.Slug)}
	}
	if to.ID == e.OwnerID {
		return out, problem.List{{Field: "/to", Code: "person", Message: fmt.Sprintf("%s owns %s already; name someone else", to.FullName, e.Slug)}}
	}
	detail := map[string]any{"to": to.Name}
	if by.Role != entry.Curator && to.ID != by.ID {
		out.Offered = append(out.Offered, e.Slug)
		if err := tx.AddOffer(ctx, e.ID, to.ID, by.ID, l.now()); err != nil {
			return out, err
		}
		return out, l.record(ctx, tx, by, "offer", e.ID, 0, detail)
	}
	out.Done = append(out.Done, e.Slug)
	if err := tx.SetKeepers(ctx, e.ID, to.ID, deputyBeside(e, to.ID), e.Department); err != nil {
		return out, err
	}
	return out, l.record(ctx, tx, by, "hand-over", e.ID, 0, detail)
}

// deputyBeside is the deputy of an entry under a new owner: nobody is both.
func deputyBeside(e store.Entry, owner int64) int64 {
	if e.DeputyID == owner {
		return 0
	}
	return e.DeputyID
}

// AnswerOffer accepts an entry that is offered to the caller, or declines it.
func (l *Library) AnswerOffer(ctx context.Context, by Caller, slug string, accept bool) (out api.Entry, err error) {
	err = l.db.Change(ctx, func(tx store.Tx) error {
		e, err := tx.LockEntry(ctx, slug)
		if err != nil {
			return found(err, noEntry(slug))
		}
		if e.OfferToID != by.ID {
			return &Missing{fmt.Sprintf("%s is not offered to you; it may have been taken back", slug)}
		}
		action := "decline"
		if accept {
			action = "accept"
			if _, err := l.nextOwner(ctx, tx.Reader, "", by.Name); err != nil {
				return err
			}
			err = tx.SetKeepers(ctx, e.ID, by.ID, deputyBeside(e, by.ID), e.Department)
		} else {
			err = tx.DropOffer(ctx, e.ID)
		}
		if err != nil {
			return err
		}
		if e, err = tx.EntryBySlug(ctx, slug); err != nil {
			return err
		}
		if out, err = l.read(ctx, tx.Reader, by, slug, e.Newest); err != nil {
			return err
		}
		return l.record(ctx, tx, by, action, e.ID, 0, nil)
	})
	return out, err
}

// SetKeepers says who stands in for an entry's owner, and which department it
// belongs to.
func (l *Library) SetKeepers(ctx context.Context, by Caller, slug string, req api.Keepers) (out api.Entry, err error) {
	err = l.db.Change(ctx, func(tx store.Tx) error {
		e, err := l.locked(ctx, tx, by, slug)
		if err != nil {
			return err
		}
		if !entry.Keeps(by.actor(), standing(e, nil)) {
			return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: fmt.Sprintf("only its owner, its deputy or a curator may say who stands in for %s", e.Slug)}
		}
		deputy, department := e.DeputyID, e.Department
		detail := map[string]any{}
		var found problem.List
		if req.Department != nil {
			terms, err := tx.Terms(ctx)
			if err != nil {
				return err
			}
			found = append(found, departmentProblems(terms, *req.Department)...)
			department, detail["department"] = *req.Department, *req.Department
		}
		if req.Deputy != nil {
			deputy, detail["deputy"] = 0, *req.Deputy
			if *req.Deputy != "" {
				p, err := l.nextOwner(ctx, tx.Reader, "/deputy", *req.Deputy)
				var wrong problem.List
				switch {
				case errors.As(err, &wrong):
					found = append(found, wrong...)
				case err != nil:
					return err
				case p.ID == e.OwnerID:
					found.Add("/deputy", "person", "owner and deputy are the same person; name two")
				}
				deputy = p.ID
			}
		}
		if err := found.Err(); err != nil {
			return err
		}
		if err := tx.SetKeepers(ctx, e.ID, e.OwnerID, deputy, department); err != nil {
			return err
		}
		if out, err = l.read(ctx, tx.Reader, by, slug, e.Newest); err != nil {
			return err
		}
		return l.record(ctx, tx, by, "set-keepers", e.ID, 0, detail)
	})
	return out, err
}

// Ownership gives what belongs to each department, in figures.
func (l *Library) Ownership(ctx context.Context, by Caller) (api.Ownership, error) {
	out := api.Ownership{Items: []api.DepartmentFigures{}}
	if !by.Role.Includes(entry.Contributor) {
		return out, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "the figures are for those who look after entries; ask a curator for that role"}
	}
	rows, err := l.db.Ownership(ctx, l.now())
	for _, r := range rows {
		out.Items = append(out.Items, api.DepartmentFigures(r))
	}
	return out, err
}

// Package ownership has the use cases around who answers for an entry: transferred with
// consent or by a curator's word, deputies, departments and their figures.
package ownership

import (
	"context"
	"errors"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct{ db *work.DB }

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db} }

// Transfer has someone else answer for an entry: at once by a curator's word or when
// the caller takes it themselves as its deputy, and else when the new owner accepts. It
// returns a [problem.List] if they cannot own it.
func (s *Service) Transfer(ctx context.Context, by work.Caller, slug, to string) (api.Transferred, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Transferred, error) {
		next, err := nextOwner(u.Reader, "/to", to)
		if err != nil {
			return api.Transferred{}, err
		}
		return transfer(u, []string{slug}, next)
	})
}

// TransferAll is Transfer of all that a person owns: all of it or nothing.
func (s *Service) TransferAll(ctx context.Context, by work.Caller, from, to string) (api.Transferred, error) {
	if from != by.Name {
		if err := by.MustCurate("transfer what others own"); err != nil {
			return api.Transferred{}, err
		}
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Transferred, error) {
		p, err := u.PersonByName(from)
		if err != nil {
			return api.Transferred{}, work.Found(err, work.MissingF("there is nobody called %q; see the people", from))
		}
		next, err := nextOwner(u.Reader, "/to", to)
		if err != nil {
			return api.Transferred{}, err
		}
		if next.ID == p.ID {
			return api.Transferred{}, work.Wrong("/to", "person", "%s has these entries already; name someone else", p.FullName)
		}
		slugs, err := u.OwnedBy(p.ID)
		if err != nil {
			return api.Transferred{}, err
		}
		return transfer(u, slugs, next)
	})
}

// nextOwner gives the person who is to own something, if they can.
func nextOwner(r store.Reader, field, name string) (store.Person, error) {
	if wrong := problem.Text(field, name); wrong != nil {
		return store.Person{}, wrong
	}
	p, err := r.PersonByName(name)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return p, work.Wrong(field, "person", "there is nobody called %q; see the people", name)
	case err != nil:
		return p, err
	case !p.Active:
		return p, work.Wrong(field, "person", "%s has left; name someone who is here", p.FullName)
	case !entry.Role(p.Role).Includes(entry.Contributor):
		return p, work.Wrong(field, "person", "%s is a reader, and a reader owns nothing; make them a contributor first", p.FullName)
	}
	return p, nil
}

func transfer(u *work.Unit, slugs []string, to store.Person) (out api.Transferred, err error) {
	out = api.Transferred{Done: []string{}, Offered: []string{}}
	entries, err := texts.LockAll(u, slugs...)
	if err != nil {
		return out, err
	}
	for _, e := range entries {
		if !entry.LooksAfter(u.By.Actor(), texts.Status(e)) {
			return out, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only its owner, its deputy or a curator may transfer %s", e.Slug)}
		}
		if to.ID == e.OwnerID {
			return out, work.Wrong("/to", "person", "%s owns %s already; name someone else", to.FullName, e.Slug)
		}
		detail := map[string]any{"to": to.Name}
		if u.By.Role != entry.Curator && to.ID != u.By.ID {
			out.Offered = append(out.Offered, e.Slug)
			if err := u.AddOffer(e.ID, to.ID, u.By.ID, u.Now()); err != nil {
				return out, err
			}
			u.Record("offer", e.ID, 0, detail)
			continue
		}
		out.Done = append(out.Done, e.Slug)
		if err := u.SetOwners(e.ID, to.ID, deputyBeside(e, to.ID), e.Department); err != nil {
			return out, err
		}
		u.Record(entry.Transfer, e.ID, 0, detail)
	}
	return out, nil
}

// deputyBeside is the deputy of an entry under a new owner: nobody is both.
func deputyBeside(e store.Entry, owner int64) int64 {
	if e.DeputyID == owner {
		return 0
	}
	return e.DeputyID
}

// Accept takes an entry that is offered to the caller.
func (s *Service) Accept(ctx context.Context, by work.Caller, slug string) (api.Entry, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) {
		e, err := offered(u, slug)
		if err != nil {
			return api.Entry{}, err
		}
		if _, err := nextOwner(u.Reader, "", by.Name); err != nil {
			return api.Entry{}, err
		}
		if err := u.SetOwners(e.ID, by.ID, deputyBeside(e, by.ID), e.Department); err != nil {
			return api.Entry{}, err
		}
		u.Record(entry.Accept, e.ID, 0, nil)
		return texts.ReadAgain(u.Reader, by, slug, e.Newest)
	})
}

// Decline leaves an entry that is offered to the caller with its owner. It tells nothing
// of the entry: whoever declines may not be one to see it.
func (s *Service) Decline(ctx context.Context, by work.Caller, slug string) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		e, err := offered(u, slug)
		if err != nil {
			return err
		}
		u.Record("decline", e.ID, 0, nil)
		return u.DropOffer(e.ID)
	})
}

// offered locks an entry that is offered to the caller, and gives it. Of one that is not
// it tells as much as the caller may know.
func offered(u *work.Unit, slug string) (store.Entry, error) {
	entries, err := u.Lock(slug)
	if err != nil {
		return store.Entry{}, work.Found(err, texts.NoEntry(slug))
	}
	e := entries[0]
	if e.OfferToID == u.By.ID {
		return e, nil
	}
	if _, err := texts.Seen(u.Reader, u.By, slug); err != nil {
		return e, err
	}
	return e, work.MissingF("%s is not offered to you; it may have been taken back", slug)
}

// SetOwners says who stands in for an entry's owner, and which department it belongs to.
func (s *Service) SetOwners(ctx context.Context, by work.Caller, slug string, req api.Owners) (api.Entry, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.Entry{}, err
		}
		if !entry.LooksAfter(by.Actor(), texts.Status(e)) {
			return api.Entry{}, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only its owner, its deputy or a curator may say who stands in for %s", e.Slug)}
		}
		deputy, department := e.DeputyID, e.Department
		detail := map[string]any{}
		var found problem.List
		if req.Department != nil {
			terms, err := u.Terms()
			if err != nil {
				return api.Entry{}, err
			}
			found = append(found, texts.DepartmentProblems("/department", *req.Department, terms)...)
			department, detail["department"] = *req.Department, *req.Department
		}
		if req.Deputy != nil {
			detail["deputy"] = *req.Deputy
			if deputy, err = nextDeputy(u.Reader, e, *req.Deputy, &found); err != nil {
				return api.Entry{}, err
			}
		}
		if err := found.Err(); err != nil {
			return api.Entry{}, err
		}
		if err := u.SetOwners(e.ID, e.OwnerID, deputy, department); err != nil {
			return api.Entry{}, err
		}
		u.Record("set-keepers", e.ID, 0, detail)
		return texts.ReadAgain(u.Reader, by, slug, e.Newest)
	})
}

// nextDeputy gives the id of who is to stand in for an entry's owner, or 0 for nobody.
func nextDeputy(r store.Reader, e store.Entry, name string, found *problem.List) (int64, error) {
	if name == "" {
		return 0, nil
	}
	p, err := nextOwner(r, "/deputy", name)
	var wrong problem.List
	switch {
	case errors.As(err, &wrong):
		*found = append(*found, wrong...)
	case err != nil:
		return 0, err
	case p.ID == e.OwnerID:
		found.Add("/deputy", "person", "owner and deputy are the same person; name two")
	}
	return p.ID, nil
}

// Figures gives what belongs to each department, of what the caller may see.
func (s *Service) Figures(ctx context.Context, by work.Caller) (api.Ownership, error) {
	out := api.Ownership{Items: []api.DepartmentFigures{}}
	if !by.Role.Includes(entry.Contributor) {
		return out, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("the figures are for those who look after entries; ask a curator for that role")}
	}
	rows, err := work.Ask(ctx, s.db, func(v work.View) ([]store.Ownership, error) { return v.Ownership(by.Sight()) })
	for _, r := range rows {
		out.Items = append(out.Items, api.DepartmentFigures(r))
	}
	return out, err
}

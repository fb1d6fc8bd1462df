package people

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/signon"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Provision is what the company's directory says of somebody.
type Provision struct {
	UserName   string // what they are called there
	FullName   string
	ExternalID string // by what the directory knows them: the subject of its sign-on
	Active     bool
}

const (
	mostUserName = 200
	mostMembers  = 100_000
)

func provisionOf(p store.Provisioned) Provision {
	return Provision{UserName: p.UserName, FullName: p.FullName, ExternalID: p.ExternalID, Active: p.Active}
}

func (p Provision) problems() (wrong problem.List) {
	for _, f := range []struct{ field, what, text string }{{"/userName", "the name", p.UserName}, {"/displayName", "the full name", p.FullName}, {"/externalId", "the external id", p.ExternalID}} {
		wrong = append(wrong, problem.Line(f.field, f.what, f.text)...)
		if len(f.text) > mostUserName {
			wrong.Add(f.field, "size", "%s has %d bytes; it has at most %d", message.Plain(f.what), len(f.text), mostUserName)
		}
	}
	if strings.TrimSpace(p.UserName) == "" {
		wrong.Add("/userName", "missing", "userName is missing")
	}
	return wrong
}

// Provisioned gives everyone whom the directory has not deleted.
func (s *Service) Provisioned(ctx context.Context) ([]store.Provisioned, error) {
	return work.Ask(ctx, s.db, func(v work.View) ([]store.Provisioned, error) { return v.ProvisionedPeople() })
}

// ProvisionedPerson gives one of them, or a [work.Missing].
func (s *Service) ProvisionedPerson(ctx context.Context, id int64) (store.Provisioned, error) {
	p, err := work.Ask(ctx, s.db, func(v work.View) (store.Provisioned, error) { return v.ProvisionedPerson(id) })
	return p, work.Found(err, work.MissingF("there is nobody %d", id))
}

// AddProvisioned makes whom the directory has made, and has them be known to the issuer of its
// sign-on, if there is one. It returns [work.Taken] where somebody is called so.
func (s *Service) AddProvisioned(ctx context.Context, issuer string, in Provision) (store.Provisioned, error) {
	return work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (p store.Provisioned, err error) {
		if err := in.problems().Err(); err != nil {
			return p, err
		}
		if err := u.LockPeople(); err != nil {
			return p, err
		}
		taken := func(err error) error {
			return work.TakenIf(err, "somebody is called %s already", in.UserName)
		}
		everyone, err := u.ProvisionedPeople()
		if err != nil {
			return p, err
		}
		if slices.ContainsFunc(everyone, func(o store.Provisioned) bool { return strings.EqualFold(o.UserName, in.UserName) }) {
			return p, taken(store.ErrTaken)
		}
		called, _, _ := strings.Cut(in.UserName, "@")
		made, err := s.addCalled(u, signon.Identity{Issuer: issuer, Subject: in.ExternalID, Name: called, FullName: in.FullName}, entry.Reader, "")
		if err != nil {
			return p, err
		}
		if err := u.SetProvisioned(made.ID, in.UserName, in.ExternalID); err != nil {
			return p, taken(err)
		}
		if err := s.linkProvisioned(u, made.ID, issuer, in.ExternalID); err != nil {
			return p, err
		}
		if !in.Active {
			made.Active = false
			if err := u.SetPerson(made); err != nil {
				return p, err
			}
		}
		return u.ProvisionedPerson(made.ID)
	})
}

// linkProvisioned has somebody be known to the sign-on by what the directory knows them by, where
// nobody else is.
func (s *Service) linkProvisioned(u *work.Unit, person int64, issuer, externalID string) error {
	if issuer == "" || externalID == "" {
		return nil
	}
	_, err := u.PersonByIdentity(issuer, externalID)
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	return u.AddIdentity(issuer, externalID, person)
}

// ChangeProvisioned changes somebody as the directory says. Who is no longer active is signed out
// everywhere; the last curator stays.
func (s *Service) ChangeProvisioned(ctx context.Context, issuer string, id int64, change func(*Provision) error) (store.Provisioned, error) {
	return work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (p store.Provisioned, err error) {
		if err := u.LockPeople(); err != nil {
			return p, err
		}
		if p, err = u.ProvisionedPerson(id); err != nil {
			return p, work.Found(err, work.MissingF("there is nobody %d", id))
		}
		want := provisionOf(p)
		if err := change(&want); err != nil {
			return p, err
		}
		if err := want.problems().Err(); err != nil {
			return p, err
		}
		now := p.Person
		now.Active = want.Active
		if strings.TrimSpace(want.FullName) != "" {
			now.FullName = want.FullName
		}
		if err := s.setAsDirected(u, p.Person, now); err != nil {
			return p, err
		}
		if err := u.SetProvisioned(id, want.UserName, want.ExternalID); err != nil {
			return p, work.TakenIf(err, "somebody is called %s already", want.UserName)
		}
		if want.ExternalID != p.ExternalID {
			if err := s.linkProvisioned(u, id, issuer, want.ExternalID); err != nil {
				return p, err
			}
		}
		return u.ProvisionedPerson(id)
	})
}

// setAsDirected changes somebody, unless that would leave nobody to curate.
func (s *Service) setAsDirected(u *work.Unit, was, now store.Person) error {
	if was == now {
		return nil
	}
	var last problem.List
	if err := lastCurator(u.Reader, now, &last); err != nil {
		return err
	}
	if last != nil {
		return &entry.Refusal{Kind: entry.ErrWrongState, Message: message.Of(last)}
	}
	u.Record("change-person", 0, 0, map[string]any{"person": now.Name, "active": now.Active, "full_name": now.FullName, "role": now.Role, "department": now.Department, "by": "directory"})
	u.Forget(work.Sessions)
	return u.SetPerson(now)
}

// DeleteProvisioned has somebody leave whom the directory has deleted.
func (s *Service) DeleteProvisioned(ctx context.Context, id int64) error {
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		if err := u.LockPeople(); err != nil {
			return err
		}
		p, err := u.ProvisionedPerson(id)
		if err != nil {
			return work.Found(err, work.MissingF("there is nobody %d", id))
		}
		now := p.Person
		now.Active = false
		if err := s.setAsDirected(u, p.Person, now); err != nil {
			return err
		}
		if err := u.SetProvisioned(id, p.UserName, p.ExternalID); err != nil {
			return err
		}
		return u.DeleteProvisioned(id)
	})
}

// ProvisionedGroup is a group of the directory, and who is in it.
type ProvisionedGroup struct {
	Name       string
	ExternalID string
	Members    []int64 // of people
}

// ProvisionedGroups gives every group of the directory.
func (s *Service) ProvisionedGroups(ctx context.Context) ([]store.ProvisionedGroup, error) {
	return work.Ask(ctx, s.db, func(v work.View) ([]store.ProvisionedGroup, error) { return v.ProvisionedGroups() })
}

// OneProvisionedGroup gives one of them, or a [work.Missing].
func (s *Service) OneProvisionedGroup(ctx context.Context, id int64) (store.ProvisionedGroup, error) {
	g, err := work.Ask(ctx, s.db, func(v work.View) (store.ProvisionedGroup, error) { return v.ProvisionedGroup(id) })
	return g, work.Found(err, work.MissingF("there is no group %d", id))
}

// AddProvisionedGroup makes a group of the directory: whoever is in it has what it means.
func (s *Service) AddProvisionedGroup(ctx context.Context, in ProvisionedGroup) (store.ProvisionedGroup, error) {
	return work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (g store.ProvisionedGroup, err error) {
		if err := in.problems().Err(); err != nil {
			return g, err
		}
		if err := u.LockPeople(); err != nil {
			return g, err
		}
		id, err := u.AddProvisionedGroup(in.Name, in.ExternalID)
		if err != nil {
			return g, work.TakenIf(err, "there is a group %s already", in.Name)
		}
		return s.setMembers(u, id, nil, in.Members)
	})
}

func (g ProvisionedGroup) problems() (wrong problem.List) {
	wrong = problem.Line("/displayName", "the group's name", g.Name)
	switch {
	case strings.TrimSpace(g.Name) == "":
		wrong.Add("/displayName", "missing", "displayName is missing")
	case len(g.Name) > mostUserName:
		wrong.Add("/displayName", "size", "the group's name has %d bytes; it has at most %d", len(g.Name), mostUserName)
	}
	if len(g.Members) > mostMembers {
		wrong.Add("/members", "count", "the group has %d members; %d are the most", len(g.Members), mostMembers)
	}
	return wrong
}

// ChangeProvisionedGroup changes a group as the directory says.
func (s *Service) ChangeProvisionedGroup(ctx context.Context, id int64, change func(*ProvisionedGroup) error) (store.ProvisionedGroup, error) {
	return work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (g store.ProvisionedGroup, err error) {
		if err := u.LockPeople(); err != nil {
			return g, err
		}
		if g, err = u.ProvisionedGroup(id); err != nil {
			return g, work.Found(err, work.MissingF("there is no group %d", id))
		}
		was := membersOf(g)
		want := ProvisionedGroup{Name: g.Name, ExternalID: g.ExternalID, Members: slices.Clone(was)}
		if err := change(&want); err != nil {
			return g, err
		}
		if err := want.problems().Err(); err != nil {
			return g, err
		}
		if err := u.SetProvisionedGroup(id, want.Name, want.ExternalID); err != nil {
			return g, work.TakenIf(err, "there is a group %s already", want.Name)
		}
		return s.setMembers(u, id, was, want.Members)
	})
}

func membersOf(g store.ProvisionedGroup) []int64 {
	ids := make([]int64, len(g.Members.V))
	for i, m := range g.Members.V {
		ids[i] = m.ID
	}
	return ids
}

// DeleteProvisionedGroup deletes a group: whoever was in it has no longer what it means.
func (s *Service) DeleteProvisionedGroup(ctx context.Context, id int64) error {
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		if err := u.LockPeople(); err != nil {
			return err
		}
		g, err := u.ProvisionedGroup(id)
		if err != nil {
			return work.Found(err, work.MissingF("there is no group %d", id))
		}
		if err := u.DeleteProvisionedGroup(id); err != nil {
			return err
		}
		return s.regroup(u, membersOf(g))
	})
}

// setMembers says who is in a group, and gives those who came and went what their groups mean.
func (s *Service) setMembers(u *work.Unit, id int64, was, want []int64) (store.ProvisionedGroup, error) {
	people, err := u.People()
	if err != nil {
		return store.ProvisionedGroup{}, err
	}
	for _, m := range want {
		if !slices.ContainsFunc(people, func(p store.Person) bool { return p.ID == m }) {
			return store.ProvisionedGroup{}, work.Wrong("/members", "member", "there is nobody %d", m)
		}
	}
	if err := u.SetProvisionedMembers(id, want); err != nil {
		return store.ProvisionedGroup{}, err
	}
	if err := s.regroup(u, slices.Concat(was, want)); err != nil {
		return store.ProvisionedGroup{}, err
	}
	return u.ProvisionedGroup(id)
}

// regroup gives people what their groups mean now. The last curator stays one.
func (s *Service) regroup(u *work.Unit, ids []int64) error {
	g, err := groupsOf(u.Reader)
	if err != nil {
		return err
	}
	for _, id := range slices.Compact(slices.Sorted(slices.Values(ids))) {
		p, err := u.ProvisionedPerson(id)
		if errors.Is(err, store.ErrNotFound) {
			continue
		}
		if err != nil {
			return err
		}
		var names []string
		for _, of := range p.Groups.V {
			names = append(names, of.Name)
		}
		role, department, _ := meaning(g, names)
		if err := s.follow(u, &p.Person, signon.Identity{SaysGroups: true, Groups: names}, g, role, department); err != nil {
			return fmt.Errorf("what the groups of %s mean: %w", p.Name, err)
		}
	}
	return nil
}

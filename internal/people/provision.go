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

// Directory is who calls for the company's directory: a key, and the issuer of the sign-on to
// which the directory's external ids are known, or none.
type Directory struct{ Key, Issuer string }

// record records what the directory did, with the key that it called by.
func (d Directory) record(u *work.Unit, action entry.Action, detail map[string]any) {
	detail["by"], detail["key"] = "directory", d.Key
	u.Record(action, 0, 0, detail)
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
func (s *Service) AddProvisioned(ctx context.Context, d Directory, in Provision) (store.Provisioned, error) {
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
		made, err := s.addCalled(u, signon.Identity{Issuer: d.Issuer, Subject: in.ExternalID, Name: called, FullName: in.FullName}, entry.Reader, "")
		if err != nil {
			return p, err
		}
		if err := u.SetProvisioned(made.ID, in.UserName, in.ExternalID); err != nil {
			return p, taken(err)
		}
		if err := linkProvisioned(u, d, made, in.ExternalID); err != nil {
			return p, err
		}
		d.record(u, "provision-person", map[string]any{"person": made.Name, "user_name": in.UserName, "external_id": in.ExternalID})
		if !in.Active {
			made.Active = false
			if err := u.SetPerson(made); err != nil {
				return p, err
			}
		}
		return u.ProvisionedPerson(made.ID)
	})
}

// linkProvisioned makes somebody known to the sign-on by their external id in the directory.
// It returns [work.Taken] if the sign-on knows somebody else by it.
func linkProvisioned(u *work.Unit, d Directory, p store.Person, externalID string) error {
	if d.Issuer == "" || externalID == "" {
		return nil
	}
	other, err := u.PersonByIdentity(d.Issuer, externalID)
	if errors.Is(err, store.ErrNotFound) {
		d.record(u, "link-sign-on", map[string]any{"person": p.Name, "subject": externalID})
		return u.AddIdentity(d.Issuer, externalID, p.ID)
	}
	if err == nil && other.ID != p.ID {
		err = &work.Taken{What: message.Say("the sign-on knows somebody else by %.80q", externalID)}
	}
	return err
}

// subjectsOf returns by what the directory's sign-on knows somebody.
func (d Directory) subjectsOf(u *work.Unit, person int64) (all []string, err error) {
	known, err := u.IdentitiesOf(person)
	for _, k := range known {
		if k.Issuer == d.Issuer {
			all = append(all, k.Subject)
		}
	}
	return all, err
}

// mayDirect returns an [entry.Refusal] for an account that the directory neither made nor is
// linked to: only its person or a curator links one, by the sign-on.
func (d Directory) mayDirect(u *work.Unit, p store.Provisioned) error {
	if p.At.Unix() > 0 {
		return nil
	}
	subjects, err := d.subjectsOf(u, p.ID)
	if err == nil && (d.Issuer == "" || len(subjects) == 0) {
		err = &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("the directory did not make the account of %s, which is not linked to the sign-on either; its person or a curator links it first", p.Name)}
	}
	return err
}

// mayHaveExternalID refuses an external id by which somebody else could sign in to an account:
// it is set once, on an account without a password that the directory made, or is one by which
// the sign-on knows its person already.
func (d Directory) mayHaveExternalID(u *work.Unit, p store.Provisioned, externalID string) error {
	subjects, err := d.subjectsOf(u, p.ID)
	if err != nil || slices.Contains(subjects, externalID) || d.Issuer == "" || externalID == "" {
		return err
	}
	if len(subjects) > 0 || p.At.Unix() <= 0 || p.Password != nil {
		return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("the external id of %s stays: the sign-on knows its person by another", p.Name)}
	}
	return nil
}

// ChangeProvisioned changes somebody as the directory says. Who is no longer active is signed out
// everywhere; the last curator stays.
func (s *Service) ChangeProvisioned(ctx context.Context, d Directory, id int64, change func(*Provision) error) (store.Provisioned, error) {
	return work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (p store.Provisioned, err error) {
		if err := u.LockPeople(); err != nil {
			return p, err
		}
		if p, err = u.ProvisionedPerson(id); err != nil {
			return p, work.Found(err, work.MissingF("there is nobody %d", id))
		}
		if err := d.mayDirect(u, p); err != nil {
			return p, err
		}
		want := provisionOf(p)
		if err := change(&want); err != nil {
			return p, err
		}
		if want.ExternalID != p.ExternalID {
			if err := d.mayHaveExternalID(u, p, want.ExternalID); err != nil {
				return p, err
			}
		}
		if err := want.problems().Err(); err != nil {
			return p, err
		}
		now := p.Person
		now.Active = want.Active
		if strings.TrimSpace(want.FullName) != "" {
			now.FullName = want.FullName
		}
		if err := setAsDirected(u, d, p.Person, now); err != nil {
			return p, err
		}
		if want.UserName != p.UserName || want.ExternalID != p.ExternalID {
			d.record(u, "provision-person", map[string]any{"person": p.Name, "user_name": want.UserName, "external_id": want.ExternalID})
		}
		if err := u.SetProvisioned(id, want.UserName, want.ExternalID); err != nil {
			return p, work.TakenIf(err, "somebody is called %s already", want.UserName)
		}
		if want.ExternalID != p.ExternalID {
			if err := linkProvisioned(u, d, p.Person, want.ExternalID); err != nil {
				return p, err
			}
		}
		return u.ProvisionedPerson(id)
	})
}

// setAsDirected changes somebody, unless that would leave nobody to curate.
func setAsDirected(u *work.Unit, d Directory, was, now store.Person) error {
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
	d.record(u, "change-person", map[string]any{"person": now.Name, "active": now.Active, "full_name": now.FullName, "role": now.Role, "department": now.Department})
	u.Forget(work.Sessions)
	return u.SetPerson(now)
}

// DeleteProvisioned has somebody leave whom the directory has deleted.
func (s *Service) DeleteProvisioned(ctx context.Context, d Directory, id int64) error {
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		if err := u.LockPeople(); err != nil {
			return err
		}
		p, err := u.ProvisionedPerson(id)
		if err != nil {
			return work.Found(err, work.MissingF("there is nobody %d", id))
		}
		if err := d.mayDirect(u, p); err != nil {
			return err
		}
		d.record(u, "unprovision-person", map[string]any{"person": p.Name})
		now := p.Person
		now.Active = false
		if err := setAsDirected(u, d, p.Person, now); err != nil {
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
func (s *Service) AddProvisionedGroup(ctx context.Context, d Directory, in ProvisionedGroup) (store.ProvisionedGroup, error) {
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
		return s.setMembers(u, d, id, nil, in)
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
func (s *Service) ChangeProvisionedGroup(ctx context.Context, d Directory, id int64, change func(*ProvisionedGroup) error) (store.ProvisionedGroup, error) {
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
		return s.setMembers(u, d, id, was, want)
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
func (s *Service) DeleteProvisionedGroup(ctx context.Context, d Directory, id int64) error {
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		if err := u.LockPeople(); err != nil {
			return err
		}
		g, err := u.ProvisionedGroup(id)
		if err != nil {
			return work.Found(err, work.MissingF("there is no group %d", id))
		}
		d.record(u, "delete-directory-group", map[string]any{"group": g.Name, "members": len(g.Members.V)})
		if err := u.DeleteProvisionedGroup(id); err != nil {
			return err
		}
		return s.regroup(u, membersOf(g))
	})
}

// setMembers says who is in a group, and gives those who came and went what their groups mean.
// A member is an account that the directory may change.
func (s *Service) setMembers(u *work.Unit, d Directory, id int64, was []int64, in ProvisionedGroup) (store.ProvisionedGroup, error) {
	everyone, err := u.ProvisionedPeople()
	if err != nil {
		return store.ProvisionedGroup{}, err
	}
	of := make(map[int64]store.Provisioned, len(everyone))
	for _, p := range everyone {
		of[p.ID] = p
	}
	for _, m := range in.Members {
		p, is := of[m]
		if !is {
			return store.ProvisionedGroup{}, work.Wrong("/members", "member", "there is nobody %d", m)
		}
		if slices.Contains(was, m) {
			continue
		}
		if err := d.mayDirect(u, p); err != nil {
			return store.ProvisionedGroup{}, err
		}
	}
	if err := u.SetProvisionedMembers(id, in.Members); err != nil {
		return store.ProvisionedGroup{}, err
	}
	came, went := without(in.Members, was), without(was, in.Members)
	d.record(u, "set-directory-group", map[string]any{"group": in.Name, "came": namesOf(of, came), "went": namesOf(of, went)})
	if err := s.regroup(u, slices.Concat(was, in.Members)); err != nil {
		return store.ProvisionedGroup{}, err
	}
	return u.ProvisionedGroup(id)
}

func without(all, those []int64) (rest []int64) {
	skip := make(map[int64]bool, len(those))
	for _, id := range those {
		skip[id] = true
	}
	for _, id := range all {
		if !skip[id] {
			rest = append(rest, id)
		}
	}
	return rest
}

// mostRecorded is how many names a record lists.
const mostRecorded = 100

func namesOf(of map[int64]store.Provisioned, ids []int64) []string {
	names := []string{}
	for _, id := range ids[:min(len(ids), mostRecorded)] {
		names = append(names, of[id].Name)
	}
	return names
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

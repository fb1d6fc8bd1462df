package people

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/signon"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

const (
	signOnWithin = 10 * time.Minute
	mostGroups   = 500 // that mean something
	mostNames    = 100 // that are tried for somebody whose name is taken
)

// SignOnRefused means that a sign-on at the company's provider lets nobody in here.
type SignOnRefused struct{ Why message.Text }

func (s *SignOnRefused) Error() string { return s.Why.String() }

// Said gives the reason.
func (s *SignOnRefused) Said() message.Text { return s.Why }

// BeginSignOn keeps a sign-on that was begun, and gives what its browser is to bring back.
// Whoever is signed in links their account by it.
func (s *Service) BeginSignOn(ctx context.Context, by work.Caller, b signon.Begun) (browser string, err error) {
	browser = newSecret()
	return browser, work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		if err := u.DropSignOns(); err != nil {
			return err
		}
		return u.AddSignOn(store.SignOn{
			State: tokenHash(b.State), Browser: tokenHash(browser), Nonce: b.Nonce, Verifier: b.Verifier, Person: by.ID, Until: u.Now().Add(signOnWithin),
		})
	})
}

// TakeSignOn gives a sign-on that has come back, this once: in the browser that began it, and in
// time. Links is whose account is linked by it, or 0. It returns [SignOnRefused] otherwise.
func (s *Service) TakeSignOn(ctx context.Context, state, browser string) (b signon.Begun, links int64, err error) {
	refused := &SignOnRefused{message.Say("this sign-on was not begun here, has ended, or has come back already; begin it again")}
	kept, err := work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (store.SignOn, error) { return u.TakeSignOn(tokenHash(state)) })
	if err != nil {
		return b, 0, work.Found(err, refused)
	}
	if !bytes.Equal(kept.Browser, tokenHash(browser)) || s.db.Now().After(kept.Until) {
		return b, 0, refused
	}
	return signon.Begun{State: state, Nonce: kept.Nonce, Verifier: kept.Verifier}, kept.Person, nil
}

// SignOn signs in whom the company's provider knows. Who comes for the first time is made here;
// what their groups mean is theirs from then on. It returns [SignOnRefused] for whoever does not
// come in.
func (s *Service) SignOn(ctx context.Context, from Origin, who signon.Identity) (api.Session, error) {
	return work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (api.Session, error) {
		p, err := s.come(u, who)
		if err != nil {
			return api.Session{}, err
		}
		u.RecordAs(work.CallerOf(p, work.ViaConsole), "sign-in", 0, 0, map[string]any{"address": from.Address, "issuer": who.Issuer})
		session, err := openSessionBy(u, p, from, true)
		session.SignOn = true
		return session, err
	})
}

// come gives who somebody is here, made or changed as their groups say.
func (s *Service) come(u *work.Unit, who signon.Identity) (store.Person, error) {
	// Two first sign-ons of one person, or two of one name, come one after the other; and so
	// does whoever would take the last curator away.
	if err := u.LockPeople(); err != nil {
		return store.Person{}, err
	}
	g, err := groupsOf(u.Reader)
	if err != nil {
		return store.Person{}, err
	}
	role, department, known := meaning(g, who.Groups)
	if g.Only && !known {
		return store.Person{}, &SignOnRefused{message.Say("none of the groups that you are in lets you in here; ask a curator")}
	}
	terms, err := u.Terms()
	if err != nil {
		return store.Person{}, err
	}
	if texts.DepartmentProblems("", department, terms) != nil {
		department = "" // it is gone since it was said what the group means
	}
	p, err := u.PersonByIdentity(who.Issuer, who.Subject)
	if errors.Is(err, store.ErrNotFound) {
		return s.addKnown(u, who, role, department)
	}
	if err != nil {
		return p, err
	}
	if !p.Active {
		return p, &SignOnRefused{message.Say("%s has left, and signs in no more; ask a curator", p.FullName)}
	}
	return p, s.follow(u, &p, who, g, role, department)
}

// addKnown adds somebody whom the provider knows and nobody here does.
func (s *Service) addKnown(u *work.Unit, who signon.Identity, role entry.Role, department string) (store.Person, error) {
	p, err := s.addCalled(u, who, role, department)
	if err != nil {
		return p, err
	}
	return p, u.AddIdentity(who.Issuer, who.Subject, p.ID)
}

// addCalled adds somebody by what they are called elsewhere.
func (s *Service) addCalled(u *work.Unit, who signon.Identity, role entry.Role, department string) (store.Person, error) {
	name, err := freeName(u, who)
	if err != nil {
		return store.Person{}, err
	}
	full := strings.TrimSpace(who.FullName)
	if full == "" || problem.Line("", "", full) != nil || len(full) > 200 {
		full = name
	}
	return add(u, api.Person{Name: name, FullName: full, Department: department, Role: role}, nil)
}

// follow gives somebody what their groups mean now. The last curator stays one.
func (s *Service) follow(u *work.Unit, p *store.Person, who signon.Identity, g api.SignOnGroups, role entry.Role, department string) error {
	now := *p
	if who.SaysGroups && slices.ContainsFunc(g.Items, func(i api.SignOnGroup) bool { return i.Role != "" }) {
		now.Role = string(role)
	}
	if department != "" {
		now.Department = department
	}
	var last problem.List
	if err := lastCurator(u.Reader, now, &last); err != nil {
		return err
	}
	if last != nil {
		now.Role = p.Role
	}
	if now == *p {
		return nil
	}
	u.Record("change-person", 0, 0, map[string]any{"person": now.Name, "role": now.Role, "department": now.Department, "by": "sign-on"})
	u.Forget(work.Sessions)
	*p = now
	return u.SetPerson(now)
}

// freeName gives what somebody signs in as here: as they are called there, if nobody else is.
func freeName(u *work.Unit, who signon.Identity) (string, error) {
	name := strings.Trim(strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9', r == '.', r == '-':
			return r
		case r == ' ', r == '_':
			return '.'
		}
		return -1
	}, strings.ToLower(who.Name)), ".-")
	if len(name) < 2 {
		sum := sha256.Sum256([]byte(who.Issuer + "\n" + who.Subject))
		name = fmt.Sprintf("person-%x", sum[:4])
	}
	name = name[:min(len(name), 60)]
	for n := 1; n <= mostNames; n++ {
		tried := name
		if n > 1 {
			tried = fmt.Sprintf("%s-%d", name, n)
		}
		taken, err := u.NameTaken(tried)
		if err != nil || !taken {
			return tried, err
		}
	}
	return "", &SignOnRefused{message.Say("there are too many who are called %s; ask a curator to add you, and link your account then", name)}
}

// meaning gives what groups mean: the highest role, the first department, and whether any of
// them means anything. Who is in none is a reader.
func meaning(g api.SignOnGroups, groups []string) (role entry.Role, department string, known bool) {
	role = entry.Reader
	for _, i := range g.Items {
		if !slices.Contains(groups, i.Group) {
			continue
		}
		known = true
		if i.Role != "" && i.Role.Includes(role) {
			role = i.Role
		}
		if department == "" {
			department = i.Department
		}
	}
	return role, department, known
}

// Link has whoever began a sign-on while they were signed in be known by it from now on. It
// returns [SignOnRefused] if somebody is already.
func (s *Service) Link(ctx context.Context, person int64, who signon.Identity) error {
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		p, err := u.PersonByID(person)
		if err != nil {
			return err
		}
		if !p.Active {
			return &SignOnRefused{message.Say("you have left meanwhile")}
		}
		switch other, err := u.PersonByIdentity(who.Issuer, who.Subject); {
		case err == nil && other.ID == p.ID:
			return nil
		case err == nil:
			return &SignOnRefused{message.Say("%s is known by this sign-on already; they unlink it first", other.FullName)}
		case !errors.Is(err, store.ErrNotFound):
			return err
		}
		u.RecordAs(work.CallerOf(p, work.ViaConsole), "link-sign-on", 0, 0, map[string]any{"issuer": who.Issuer})
		return u.AddIdentity(who.Issuer, who.Subject, p.ID)
	})
}

// SignOnLinks gives by what providers know the caller.
func (s *Service) SignOnLinks(ctx context.Context, by work.Caller) (api.SignOnLinks, error) {
	return work.Ask(ctx, s.db, func(v work.View) (api.SignOnLinks, error) {
		out := api.SignOnLinks{Items: []api.SignOnLink{}}
		rows, err := v.IdentitiesOf(by.ID)
		for _, r := range rows {
			out.Items = append(out.Items, api.SignOnLink{Issuer: r.Issuer, Subject: r.Subject, AddedAt: r.AddedAt.UTC()})
		}
		return out, err
	})
}

// Unlink has the caller be known so no more. Who has no password could not come in again.
func (s *Service) Unlink(ctx context.Context, by work.Caller, in api.SignOnLink) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		p, err := u.PersonByID(by.ID)
		if err != nil {
			return err
		}
		all, err := u.IdentitiesOf(by.ID)
		if err != nil {
			return err
		}
		if p.Password == nil && len(all) < 2 {
			return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("you have no password, and could not sign in again; ask a curator for a link to set one first")}
		}
		u.Record("unlink-sign-on", 0, 0, map[string]any{"issuer": in.Issuer})
		return work.Found(u.DeleteIdentity(in.Issuer, in.Subject, by.ID), work.MissingF("you are not known by that sign-on"))
	})
}

// SignedOut ends every session of whom the provider says that they have signed out there, or may
// come in no more.
func (s *Service) SignedOut(ctx context.Context, issuer, subject string) error {
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		p, err := u.PersonByIdentity(issuer, subject)
		if errors.Is(err, store.ErrNotFound) {
			return nil // they were never here
		}
		if err != nil {
			return err
		}
		u.Forget(work.Sessions)
		u.RecordAs(work.CallerOf(p, work.ViaService), "signed-out-by-provider", 0, 0, nil)
		return u.SignOutEverywhere(p.ID)
	})
}

// ByIdentity gives whom a provider knows by a subject: one who has signed in here before and has
// not left. It returns ErrSignIn for others.
func (s *Service) ByIdentity(ctx context.Context, issuer, subject string) (work.Caller, error) {
	p, err := work.Ask(ctx, s.db, func(v work.View) (store.Person, error) { return v.PersonByIdentity(issuer, subject) })
	if err != nil {
		return work.Caller{}, work.Found(err, ErrSignIn)
	}
	if !p.Active {
		return work.Caller{}, ErrSignIn
	}
	return work.CallerOf(p, work.ViaAPI), nil
}

func groupsOf(r store.Reader) (g api.SignOnGroups, err error) {
	row, err := r.SignOnGroups()
	if err != nil {
		return g, err
	}
	g = api.SignOnGroups{Items: []api.SignOnGroup{}, Only: row.Only, Number: row.Number}
	return g, json.Unmarshal(row.Groups, &g.Items)
}

// SignOnGroups gives which groups of the provider mean what, for curators.
func (s *Service) SignOnGroups(ctx context.Context, by work.Caller) (api.SignOnGroups, error) {
	if err := by.MustCurate("see what the groups of the sign-on mean"); err != nil {
		return api.SignOnGroups{}, err
	}
	return work.Ask(ctx, s.db, func(v work.View) (api.SignOnGroups, error) { return groupsOf(v.Reader) })
}

// SetSignOnGroups says which groups of the provider mean what, over the state of a number.
func (s *Service) SetSignOnGroups(ctx context.Context, by work.Caller, on int, in api.SignOnGroups) (api.SignOnGroups, error) {
	if err := by.MustCurate("say what the groups of the sign-on mean"); err != nil {
		return api.SignOnGroups{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.SignOnGroups, error) {
		terms, err := u.Terms()
		if err != nil {
			return in, err
		}
		if err := groupProblems(in, terms).Err(); err != nil {
			return in, err
		}
		if in.Items == nil {
			in.Items = []api.SignOnGroup{}
		}
		text, err := json.Marshal(in.Items)
		if err != nil {
			return in, err
		}
		in.Number, err = u.SetSignOnGroups(store.SignOnGroups{Groups: text, Only: in.Only, Number: on})
		if err != nil {
			return in, work.Found(err, &work.Outdated{What: message.Say("someone else has changed the groups since you read them; read them again, and change them then")})
		}
		u.Record("set-sign-on-groups", 0, 0, map[string]any{"groups": in.Items, "only": in.Only})
		return in, nil
	})
}

func groupProblems(in api.SignOnGroups, terms []store.Term) (wrong problem.List) {
	if len(in.Items) > mostGroups {
		wrong.Add("/items", "count", "there are %d groups; %d are the most", len(in.Items), mostGroups)
	}
	seen := map[string]bool{}
	for i, g := range in.Items {
		at := problem.Pointer("items", i)
		wrong = append(wrong, problem.Line(at+"/group", "the group", g.Group)...)
		switch {
		case g.Group == "":
			wrong.Add(at+"/group", "missing", "the group's name is missing")
		case len(g.Group) > 200:
			wrong.Add(at+"/group", "size", "the group's name has %d bytes; it has at most 200", len(g.Group))
		case seen[g.Group]:
			wrong.Add(at+"/group", "twice", "the group %.80q stands here twice", g.Group)
		}
		seen[g.Group] = true
		if g.Role == "" && g.Department == "" {
			wrong.Add(at, "missing", "say which role or which department the group %.80q means", g.Group)
		}
		if g.Role != "" && !slices.Contains(entry.Roles(), g.Role) {
			wrong.Add(at+"/role", "role", "the role is %q; the roles are reader, contributor, reviewer and curator", g.Role)
		}
		wrong = append(wrong, texts.DepartmentProblems(at+"/department", g.Department, terms)...)
	}
	return wrong
}

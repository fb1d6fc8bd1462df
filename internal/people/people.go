// Package people has the use cases around people: who they are and what they may do,
// how they sign in, and how the first of them gets in.
package people

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/table"
	"goldshelf/internal/sealed"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct {
	db      *work.DB
	hashing chan struct{} // bounds the password hashes being worked out at once
	known   work.Known[store.Holder]
	holders work.Batch[[]byte, store.Holder]
	turns   turns       // to sign in, of addresses over their limit
	key     *sealed.Key // nil where no secrets can be kept
}

// New gives the use cases on a library.
func New(db *work.DB) *Service {
	s := &Service{db: db, hashing: make(chan struct{}, hashesAtOnce)}
	s.holders.Do = s.lookUpHolders
	db.OnForget(work.Sessions, s.known.Forget)
	return s
}

// All lists everyone, with how many entries each owns of those that the caller may see.
func (s *Service) All(ctx context.Context, by work.Caller) (api.People, error) {
	return work.See(ctx, s.db, func(v work.View) (api.People, error) {
		out := api.People{Items: []api.Colleague{}}
		people, err := v.People()
		if err != nil {
			return out, err
		}
		owned, err := v.Owned(by.Sight())
		for _, p := range people {
			if p.NamelessAt != nil {
				continue
			}
			c := colleague(p)
			c.Owns = owned[p.ID]
			out.Items = append(out.Items, c)
		}
		return out, err
	})
}

func colleague(p store.Person) api.Colleague {
	day := func(t *time.Time) string {
		if t == nil {
			return ""
		}
		return t.Format(time.DateOnly)
	}
	return api.Colleague{Person: person(p), Active: p.Active, Language: message.Language(p.Language), AwayFrom: day(p.AwayFrom), AwayUntil: day(p.AwayUntil)}
}

func person(p store.Person) api.Person {
	return api.Person{Name: p.Name, FullName: p.FullName, Department: p.Department, Role: entry.Role(p.Role)}
}

// Add adds someone to the library's people, and gives a link by which they set a password
// of their own. It returns a [problem.List] if what is given does not hold, and
// [work.Taken] if the name is in use.
func (s *Service) Add(ctx context.Context, by work.Caller, req api.Person) (api.PasswordLink, error) {
	if err := by.MustCurate("add people"); err != nil {
		return api.PasswordLink{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.PasswordLink, error) {
		p, err := add(u, req, nil)
		if err != nil {
			return api.PasswordLink{}, err
		}
		return addPasswordLink(u, p)
	})
}

// AddWithPassword is Add by whoever keeps the machine itself, who reads a password from
// its person there.
func (s *Service) AddWithPassword(ctx context.Context, req api.Person, password string) error {
	wrong := append(personProblems(req), passwordProblems("/password", password)...)
	if err := wrong.Err(); err != nil {
		return err
	}
	hash, err := s.hash(ctx, password)
	if err != nil {
		return err
	}
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		_, err := add(u, req, &hash)
		return err
	})
}

// ResetPassword sets somebody's password by whoever keeps the machine itself, and signs
// them out everywhere.
func (s *Service) ResetPassword(ctx context.Context, name, password string) error {
	if err := passwordProblems("/password", password).Err(); err != nil {
		return err
	}
	hash, err := s.hash(ctx, password)
	if err != nil {
		return err
	}
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		p, err := u.PersonByName(name)
		if err != nil {
			return work.Found(err, nobody(name))
		}
		u.Record("reset-password", 0, 0, map[string]any{"person": p.Name})
		return s.setPassword(u, p, hash)
	})
}

func nobody(name string) error {
	return work.MissingF("there is nobody called %q; see the people", name)
}

func add(u *work.Unit, req api.Person, hash *string) (store.Person, error) {
	terms, err := u.Terms()
	if err != nil {
		return store.Person{}, err
	}
	if err := append(personProblems(req), texts.DepartmentProblems("/department", req.Department, terms)...).Err(); err != nil {
		return store.Person{}, err
	}
	p := store.Person{Name: req.Name, FullName: req.FullName, Department: req.Department, Role: string(req.Role), Password: hash, Active: true}
	p.ID, err = u.AddPerson(p)
	if errors.Is(err, store.ErrTaken) {
		return p, &work.Taken{What: message.Say("there is someone with the name %s already; choose another", p.Name)}
	}
	u.Record("add-person", 0, 0, map[string]any{"person": p.Name, "role": p.Role})
	return p, err
}

// mostImported is how many people come in at once at the most.
const mostImported = 10_000

// Import adds people from a table with the columns name, full_name, role and department:
// all of them or none. Each gets a link to set a password with, which is shown this
// once. It returns a [problem.List] with all that is wrong, row by row.
func (s *Service) Import(ctx context.Context, by work.Caller, data []byte) (api.PeopleImported, error) {
	if err := by.MustCurate("add people"); err != nil {
		return api.PeopleImported{}, err
	}
	rows, err := readTable(data)
	if err != nil {
		return api.PeopleImported{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.PeopleImported, error) {
		out := api.PeopleImported{Items: []api.PasswordLink{}}
		if err := u.LockPeople(); err != nil {
			return out, err
		}
		if err := importProblems(u.Reader, rows); err != nil {
			return out, err
		}
		for _, row := range rows {
			p, err := add(u, row.Person, nil)
			if err != nil {
				return out, err
			}
			link, err := addPasswordLink(u, p)
			if err != nil {
				return out, err
			}
			out.Items = append(out.Items, link)
		}
		return out, nil
	})
}

// CheckImport says what keeps a table of people from coming in, and changes nothing.
func (s *Service) CheckImport(ctx context.Context, data []byte) error {
	rows, err := readTable(data)
	if err != nil {
		return err
	}
	_, err = work.See(ctx, s.db, func(v work.View) (none struct{}, err error) { return none, importProblems(v.Reader, rows) })
	return err
}

// importProblems says of all rows what is wrong with them.
func importProblems(r store.Reader, rows []newPerson) error {
	terms, err := r.Terms()
	if err != nil {
		return err
	}
	there, err := r.People()
	if err != nil {
		return err
	}
	first := map[string]int{}
	var wrong problem.List
	for i, p := range rows {
		found := append(personProblems(p.Person), texts.DepartmentProblems("/department", p.Department, terms)...)
		if slices.ContainsFunc(there, func(t store.Person) bool { return t.Name == p.Name }) {
			found.Add("/name", "taken", "there is someone with the name %s already", p.Name)
		}
		if j, twice := first[p.Name]; twice {
			found.Add("/name", "twice", "the name %s stands in line %d too", p.Name, rows[j].row.Line)
		}
		first[p.Name] = i
		wrong = append(wrong, p.row.Problems(found)...)
	}
	return wrong.Err()
}

// newPerson is someone in a table, with their row.
type newPerson struct {
	api.Person
	row table.Row
}

func readTable(data []byte) ([]newPerson, error) {
	rows, err := table.Columns{Must: []string{"name", "full_name", "role"}, May: []string{"department"}, Most: mostImported}.Read(data)
	people := make([]newPerson, len(rows))
	for i, row := range rows {
		people[i] = newPerson{api.Person{
			Name: strings.ToLower(row.Cell("name")), FullName: row.Cell("full_name"),
			Role: entry.Role(strings.ToLower(row.Cell("role"))), Department: row.Cell("department"),
		}, row}
	}
	return people, err
}

// Change changes what is known of someone. Everyone may say when they are away and which
// language they want; the rest is for curators. Who is deactivated is signed out everywhere, and nothing of
// theirs is removed. The last curator stays one.
func (s *Service) Change(ctx context.Context, by work.Caller, name string, req api.PersonChange) (api.Colleague, error) {
	if own := name == by.Name && req.FullName == nil && req.Department == nil && req.Role == nil && req.Active == nil; !own {
		if err := by.MustCurate("change people; of yourself you may say when you are away, and your language"); err != nil {
			return api.Colleague{}, err
		}
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Colleague, error) {
		if err := u.LockPeople(); err != nil {
			return api.Colleague{}, err
		}
		p, err := u.PersonByName(name)
		if err != nil {
			return api.Colleague{}, work.Found(err, nobody(name))
		}
		terms, err := u.Terms()
		if err != nil {
			return api.Colleague{}, err
		}
		if err := stillIs(u, by); err != nil {
			return api.Colleague{}, err
		}
		wrong, detail := apply(&p, req, terms)
		wrong = append(wrong, personProblems(person(p))...)
		if err := lastCurator(u.Reader, p, &wrong); err != nil {
			return api.Colleague{}, err
		}
		if err := wrong.Err(); err != nil {
			return api.Colleague{}, err
		}
		if err := u.SetPerson(p); err != nil {
			return api.Colleague{}, err
		}
		own := by
		own.Role = "" // it may be the caller's own that changes here
		u.RecordAs(own, "change-person", 0, 0, detail)
		u.Forget(work.Sessions)
		return colleague(p), nil
	})
}

// stillIs is for where everyone waits: who may no longer say so does not.
func stillIs(u *work.Unit, by work.Caller) error {
	if now, err := u.PersonByName(by.Name); by.ID != 0 && (err != nil || !now.Active || now.Role != string(by.Role)) {
		return errors.Join(err, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("your role has changed since you asked; see what you may do now")})
	}
	return nil
}

// lastCurator adds a problem where nobody would be a curator once p is as it is.
func lastCurator(r store.Reader, p store.Person, wrong *problem.List) error {
	people, err := r.People()
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
	return nil
}

// apply changes p as asked, and gives what is wrong with that and what it is in the
// record of changes.
func apply(p *store.Person, req api.PersonChange, terms []store.Term) (problem.List, map[string]any) {
	detail := map[string]any{"person": p.Name}
	var wrong problem.List
	if req.FullName != nil {
		p.FullName, detail["full_name"] = *req.FullName, *req.FullName
	}
	if req.Department != nil {
		p.Department, detail["department"] = *req.Department, *req.Department
		wrong = append(wrong, texts.DepartmentProblems("/department", p.Department, terms)...)
	}
	if req.Role != nil {
		p.Role, detail["role"] = string(*req.Role), *req.Role
	}
	if req.Active != nil {
		p.Active, detail["active"] = *req.Active, *req.Active
	}
	if req.Language != nil {
		p.Language, detail["language"] = string(*req.Language), *req.Language
		wrong = append(wrong, problem.Language("/language", *req.Language)...)
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
		if err != nil || t.Year() < 1 {
			wrong.Add("/"+d.field, "date", "%q is no day; write one as 2006-01-02", *d.day)
			continue
		}
		*d.to = &t
	}
	return append(wrong, entry.AwayProblems(p.AwayFrom, p.AwayUntil)...), detail
}

func personProblems(p api.Person) problem.List {
	var found problem.List
	if strings.Trim(p.Name, "abcdefghijklmnopqrstuvwxyz0123456789.-") != "" || len(p.Name) < 2 || len(p.Name) > 64 || strings.Trim(p.Name[:1], ".-") == "" {
		found.Add("/name", "name", "the name is %q; a name to sign in with has 2 to 64 lower-case letters, digits, dots and hyphens, and begins with a letter or digit", p.Name)
	}
	if strings.TrimSpace(p.FullName) == "" {
		found.Add("/full_name", "missing", "the full name is missing")
	}
	if len(p.FullName) > 200 {
		found.Add("/full_name", "size", "the full name has %d bytes; it has at most 200", len(p.FullName))
	}
	found = append(found, problem.Line("/full_name", "the full name", p.FullName)...)
	found = append(found, problem.Line("/department", "the department", p.Department)...)
	if !slices.Contains(entry.Roles(), p.Role) {
		found.Add("/role", "role", "the role is %q; the roles are reader, contributor, reviewer and curator", p.Role)
	}
	return found
}

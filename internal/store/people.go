package store

import (
	"time"
)

// Person is a row of people.
type Person struct {
	ID         int64   `db:"id"`
	Name       string  `db:"name"`
	FullName   string  `db:"full_name"`
	Department string  `db:"department"`
	Role       string  `db:"role"`
	Password   *string `db:"password"`
	Active     bool    `db:"active"`

	NamelessAt *time.Time `db:"nameless_at"` // all that was theirs is gone since

	Language string `db:"language"` // that they are spoken to in, or nothing

	AwayFrom  *time.Time `db:"away_from"` // a day, or nil
	AwayUntil *time.Time `db:"away_until"`
}

const personColumns = `
select id, name, full_name, department, role, password, active, nameless_at, language, away_from, away_until
from people`

const personByName = personColumns + `
where name = $1 and nameless_at is null`

// PersonByName gives the person with a sign-in name, or ErrNotFound: nobody is found by what
// somebody nameless is called.
func (r Reader) PersonByName(name string) (p Person, err error) {
	return p, r.get(&p, personByName, name)
}

const personByID = personColumns + `
where id = $1`

// PersonByID gives somebody, or ErrNotFound.
func (r Reader) PersonByID(id int64) (p Person, err error) { return p, r.get(&p, personByID, id) }

const people = personColumns + `
order by id`

// People gives everyone, in the order in which they were added.
func (r Reader) People() (all []Person, err error) {
	return all, r.all(&all, people)
}

const addPerson = `
insert into people (name, full_name, department, role, password)
values ($1, $2, $3, $4, $5)
returning id`

// AddPerson adds someone and gives their id, or ErrTaken.
func (tx Tx) AddPerson(p Person) (id int64, err error) {
	return id, tx.get(&id, addPerson, p.Name, p.FullName, p.Department, p.Role, p.Password)
}

const addToken = `
insert into tokens (hash, person_id, cookie, created_at, used_at, expires_at, sign_on, agent)
values ($1, $2, $3, $4, $4, $5, $6, $7)`

// Token is what is kept of a sign-in: the hash of its token. A cookie ends when it is
// left idle.
type Token struct {
	Hash    []byte
	Person  int64
	Cookie  bool
	SignOn  bool   // by the company's provider
	Agent   string // the program that somebody signed in with
	Expires time.Time
}

// AddToken keeps the hash of a sign-in token.
func (tx Tx) AddToken(t Token) error {
	return tx.exec(addToken, t.Hash, t.Person, t.Cookie, tx.at, t.Expires, t.SignOn, t.Agent)
}

// Holder is a token's person and when the token ends.
type Holder struct {
	Person
	Hash    []byte    `db:"hash"`
	Expires time.Time `db:"expires_at"`
	Cookie  bool      `db:"cookie"`
	UsedAt  time.Time `db:"used_at"`
	SignOn  bool      `db:"sign_on"`
}

const tokenHolders = `
select p.id, p.name, p.full_name, p.department, p.role, p.password, p.active, p.language, p.away_from, p.away_until, t.hash, t.cookie, t.used_at, t.sign_on,
       least(t.expires_at, case when t.cookie then t.used_at + make_interval(hours => l.idle_hours) end) as expires_at
from tokens t
join people p on p.id = t.person_id
cross join library l
where t.hash = any ($1) and t.expires_at > $2 and p.active
  and (not t.cookie or t.used_at + make_interval(hours => l.idle_hours) > $2)`

// TokenHolders gives whose tokens have these hashes, in no order: those that are
// known and have not ended, and whose people are active.
func (r Reader) TokenHolders(hashes [][]byte, now time.Time) (all []Holder, err error) {
	return all, r.all(&all, tokenHolders, hashes, now)
}

// OpenSession is a row of tokens, as its person sees it.
type OpenSession struct {
	Hash      []byte    `db:"hash"`
	Cookie    bool      `db:"cookie"`
	SignOn    bool      `db:"sign_on"`
	Agent     string    `db:"agent"`
	CreatedAt time.Time `db:"created_at"`
	UsedAt    time.Time `db:"used_at"`
	ExpiresAt time.Time `db:"expires_at"`
}

const openSessions = `
select t.hash, t.cookie, t.sign_on, t.agent, t.created_at, t.used_at, t.expires_at
from tokens t
cross join library l
where t.person_id = $1 and t.expires_at > $2 and (not t.cookie or t.used_at + make_interval(hours => l.idle_hours) > $2)
order by t.used_at desc, t.hash`

// OpenSessions gives the sessions of somebody that have not ended, the last used first.
func (r Reader) OpenSessions(person int64) (all []OpenSession, err error) {
	return all, r.all(&all, openSessions, person, r.at)
}

const removeOwnToken = `delete from tokens where person_id = $1 and encode(hash, 'hex') like $2 || '%' returning hash`

// RemoveOwnToken ends the session of somebody whose hash begins so, or gives ErrNotFound.
func (tx Tx) RemoveOwnToken(person int64, begins string) error {
	var hash []byte
	return tx.get(&hash, removeOwnToken, person, begins)
}

const touchToken = `update tokens set used_at = $2 where hash = $1`

// TouchToken says that a session is in use.
func (tx Tx) TouchToken(hash []byte) error { return tx.exec(touchToken, hash, tx.at) }

const removeToken = `delete from tokens where hash = $1`

// RemoveToken forgets a token.
func (tx Tx) RemoveToken(hash []byte) error { return tx.exec(removeToken, hash) }

const signOutEverywhere = `
with browsers as (delete from known_browsers where person_id = $1)
delete from tokens where person_id = $1`

// SignOutEverywhere forgets all tokens of a person, and every browser that they are
// known by.
func (tx Tx) SignOutEverywhere(person int64) error { return tx.exec(signOutEverywhere, person) }

const countTry = `
insert into sign_in_tries (source, name, failures, last_at)
values ($1, $2, 1, $3)
on conflict (source, name) do update
set failures = case when sign_in_tries.last_at < $4 then 1 else sign_in_tries.failures + 1 end,
    last_at = excluded.last_at
returning failures`

// There is a row to lock from the first try on.
const tries = `
insert into sign_in_tries as t (source, name, failures, last_at)
values ($1, $2, 0, $3)
on conflict (source, name) do update set failures = t.failures
returning failures, last_at`

// Tries gives how often in a row signing in from somewhere under a name has failed, and
// when last. Nobody else counts another until the transaction ends.
func (tx Tx) Tries(source, name string) (failures int, last time.Time, err error) {
	var row struct {
		Failures int       `db:"failures"`
		LastAt   time.Time `db:"last_at"`
	}
	err = tx.get(&row, tries, source, name, tx.at)
	return row.Failures, row.LastAt, err
}

// CountTry counts a try as a failure, and gives how many there are; those before since
// no longer count.
func (tx Tx) CountTry(source, name string, since time.Time) (failures int, err error) {
	return failures, tx.get(&failures, countTry, source, name, tx.at, since)
}

const forgetTry = `
with own as (delete from sign_in_tries where source = $1 and name = $2)
update sign_in_tries
set failures = greatest(failures - 1, 0)
where source = $1 and name = ''`

// ForgetTries says that a try was good: those under the name count no more, and this one
// not among those of its source.
func (tx Tx) ForgetTries(source, name string) error { return tx.exec(forgetTry, source, name) }

const knownBrowser = `select person_id from known_browsers where hash = $1 and until > $2`

// KnownBrowser gives who has signed in with a browser before, or ErrNotFound.
func (r Reader) KnownBrowser(hash []byte) (person int64, err error) {
	return person, r.get(&person, knownBrowser, hash, r.at)
}

const addKnownBrowser = `insert into known_browsers (hash, person_id, until) values ($1, $2, $3)`

// AddKnownBrowser has a browser known again.
func (tx Tx) AddKnownBrowser(hash []byte, person int64, until time.Time) error {
	return tx.exec(addKnownBrowser, hash, person, until)
}

const setPerson = `
with signed_out as (delete from tokens where person_id = $1 and not $5)
update people
set full_name = $2, department = $3, role = $4, active = $5, away_from = $6, away_until = $7, language = $8
where id = $1`

// SetPerson changes what is known of someone. Who is no longer active is signed
// out everywhere.
func (tx Tx) SetPerson(p Person) error {
	return tx.exec(setPerson, p.ID, p.FullName, p.Department, p.Role, p.Active, p.AwayFrom, p.AwayUntil, p.Language)
}

const lockPeople = `lock table people in share row exclusive mode`

// LockPeople has others wait until the transaction ends before they change anyone.
func (tx Tx) LockPeople() error { return tx.exec(lockPeople) }

const setPassword = `update people set password = $2 where id = $1`

// SetPassword keeps the hash of someone's new password.
func (tx Tx) SetPassword(id int64, hash string) error {
	return tx.exec(setPassword, id, hash)
}

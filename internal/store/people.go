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

	AwayFrom  *time.Time `db:"away_from"` // a day, or nil
	AwayUntil *time.Time `db:"away_until"`
}

const personByName = `
select id, name, full_name, department, role, password, active, away_from, away_until
from people
where name = $1`

// PersonByName gives the person with a sign-in name, or ErrNotFound.
func (r Reader) PersonByName(name string) (p Person, err error) {
	return p, r.get(&p, personByName, name)
}

const people = `
select id, name, full_name, department, role, password, active, away_from, away_until
from people
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
insert into tokens (hash, person_id, expires_at)
values ($1, $2, $3)`

// AddToken keeps the hash of a sign-in token.
func (tx Tx) AddToken(hash []byte, person int64, expires time.Time) error {
	return tx.exec(addToken, hash, person, expires)
}

// Holder is a token's person and when the token ends.
type Holder struct {
	Person
	Hash    []byte    `db:"hash"`
	Expires time.Time `db:"expires_at"`
}

const tokenHolders = `
select p.id, p.name, p.full_name, p.department, p.role, p.password, p.active, p.away_from, p.away_until, t.hash, t.expires_at
from tokens t
join people p on p.id = t.person_id
where t.hash = any ($1) and t.expires_at > $2 and p.active`

// TokenHolders gives whose tokens have these hashes, in no order: those that are
// known and have not ended, and whose people are active.
func (r Reader) TokenHolders(hashes [][]byte, now time.Time) (all []Holder, err error) {
	return all, r.all(&all, tokenHolders, hashes, now)
}

const removeToken = `delete from tokens where hash = $1`

// RemoveToken forgets a token.
func (tx Tx) RemoveToken(hash []byte) error { return tx.exec(removeToken, hash) }

const signOutEverywhere = `delete from tokens where person_id = $1`

// SignOutEverywhere forgets all tokens of a person.
func (tx Tx) SignOutEverywhere(person int64) error { return tx.exec(signOutEverywhere, person) }

const failedSignIns = `
select failures, last_at
from failed_sign_ins
where name = $1`

// FailedSignIns gives how often in a row signing in under a name has failed,
// and when last.
func (r Reader) FailedSignIns(name string) (failures int, last time.Time, err error) {
	var row struct {
		Failures int       `db:"failures"`
		LastAt   time.Time `db:"last_at"`
	}
	err = r.get(&row, failedSignIns, name)
	if err == ErrNotFound {
		err = nil
	}
	return row.Failures, row.LastAt, err
}

const addFailedSignIn = `
insert into failed_sign_ins (name, failures, last_at)
values ($1, 1, $2)
on conflict (name) do update
set failures = case when failed_sign_ins.last_at < $3 then 1 else failed_sign_ins.failures + 1 end,
    last_at = excluded.last_at`

// AddFailedSignIn counts a failure; those before since no longer count.
func (tx Tx) AddFailedSignIn(name string, now, since time.Time) error {
	return tx.exec(addFailedSignIn, name, now, since)
}

const clearFailedSignIns = `delete from failed_sign_ins where name = $1`

// ClearFailedSignIns forgets the failures of a name.
func (tx Tx) ClearFailedSignIns(name string) error { return tx.exec(clearFailedSignIns, name) }

const setPerson = `
with signed_out as (delete from tokens where person_id = $1 and not $5)
update people
set full_name = $2, department = $3, role = $4, active = $5, away_from = $6, away_until = $7
where id = $1`

// SetPerson changes what is known of someone. Who is no longer active is signed
// out everywhere.
func (tx Tx) SetPerson(p Person) error {
	return tx.exec(setPerson, p.ID, p.FullName, p.Department, p.Role, p.Active, p.AwayFrom, p.AwayUntil)
}

const lockPeople = `lock table people in share row exclusive mode`

// LockPeople has others wait until the transaction ends before they change anyone.
func (tx Tx) LockPeople() error { return tx.exec(lockPeople) }

const setPassword = `update people set password = $2 where id = $1`

// SetPassword keeps the hash of someone's new password.
func (tx Tx) SetPassword(id int64, hash string) error {
	return tx.exec(setPassword, id, hash)
}

package store

import (
	"encoding/json"
	"time"
)

// SignOn is a row of sign_ons: one that was begun.
type SignOn struct {
	State    []byte    `db:"state"`
	Browser  []byte    `db:"browser"`
	Nonce    string    `db:"nonce"`
	Verifier string    `db:"verifier"`
	Person   int64     `db:"person"` // who links their account; 0 for nobody
	Until    time.Time `db:"until"`
}

const addSignOn = `
insert into sign_ons (state, browser, nonce, verifier, person_id, until)
values ($1, $2, $3, $4, nullif($5, 0), $6)`

// AddSignOn keeps a sign-on that was begun.
func (tx Tx) AddSignOn(s SignOn) error {
	return tx.exec(addSignOn, s.State, s.Browser, s.Nonce, s.Verifier, s.Person, s.Until)
}

const takeSignOn = `
delete from sign_ons where state = $1
returning state, browser, nonce, verifier, coalesce(person_id, 0) as person, until`

// TakeSignOn gives a sign-on that was begun, this once, or ErrNotFound.
func (tx Tx) TakeSignOn(state []byte) (s SignOn, err error) { return s, tx.get(&s, takeSignOn, state) }

const dropSignOns = `delete from sign_ons where until < $1`

// DropSignOns forgets those that nobody has ended in time.
func (tx Tx) DropSignOns() error { return tx.exec(dropSignOns, tx.at) }

// Identity is by what somebody is known to a provider.
type Identity struct {
	Issuer  string    `db:"issuer"`
	Subject string    `db:"subject"`
	AddedAt time.Time `db:"added_at"`
}

const personByIdentity = `
select p.id, p.name, p.full_name, p.department, p.role, p.password, p.active, p.language, p.away_from, p.away_until
from identities i
join people p on p.id = i.person_id
where i.issuer = $1 and i.subject = $2`

// PersonByIdentity gives whom a provider knows by a subject, or ErrNotFound.
func (r Reader) PersonByIdentity(issuer, subject string) (p Person, err error) {
	return p, r.get(&p, personByIdentity, issuer, subject)
}

const identitiesOf = `select issuer, subject, added_at from identities where person_id = $1 order by added_at, issuer, subject`

// IdentitiesOf gives by what providers know somebody.
func (r Reader) IdentitiesOf(person int64) (all []Identity, err error) {
	return all, r.all(&all, identitiesOf, person)
}

const addIdentity = `insert into identities (issuer, subject, person_id, added_at) values ($1, $2, $3, $4)`

// AddIdentity has a person be known to a provider by a subject, or gives ErrTaken.
func (tx Tx) AddIdentity(issuer, subject string, person int64) error {
	return tx.exec(addIdentity, issuer, subject, person, tx.at)
}

const deleteIdentity = `delete from identities where issuer = $1 and subject = $2 and person_id = $3 returning subject`

// DeleteIdentity has a person be known so no more, or gives ErrNotFound.
func (tx Tx) DeleteIdentity(issuer, subject string, person int64) error {
	var was string
	return tx.get(&was, deleteIdentity, issuer, subject, person)
}

// SignOnGroups say which groups of the provider mean what.
type SignOnGroups struct {
	Groups json.RawMessage `db:"groups"`
	Only   bool            `db:"only"`
	Number int             `db:"number"`
}

const signOnGroups = `select groups, "only", number from sign_on_groups`

// SignOnGroups gives which groups mean what.
func (r Reader) SignOnGroups() (g SignOnGroups, err error) { return g, r.get(&g, signOnGroups) }

const setSignOnGroups = `
update sign_on_groups set groups = $1, "only" = $2, number = number + 1 where number = $3 returning number`

// SetSignOnGroups changes what was read under a number, or gives ErrNotFound.
func (tx Tx) SetSignOnGroups(g SignOnGroups) (number int, err error) {
	return number, tx.get(&number, setSignOnGroups, string(g.Groups), g.Only, g.Number)
}

const nameTaken = `select exists (select from people where name = $1)`

// NameTaken says whether somebody signs in with a name.
func (r Reader) NameTaken(name string) (taken bool, err error) {
	return taken, r.get(&taken, nameTaken, name)
}

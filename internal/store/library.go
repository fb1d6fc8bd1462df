package store

import "time"

// Library is what is set up once for a whole library.
type Library struct {
	Name   string `db:"name"`
	Zone   string `db:"zone"`   // an IANA time zone
	Number int    `db:"number"` // grows with every change

	IdleHours   int `db:"idle_hours"`   // until a browser's session ends unused
	SessionDays int `db:"session_days"` // until any session ends

	Keep

	HeldSince *time.Time `db:"held_since"` // it was restored, and does nothing by itself since
}

// Keep is for how many days what people leave behind is kept.
type Keep struct {
	Talks  int `db:"keep_talks"` // and runs of relays
	Missed int `db:"keep_missed"`
	Uses   int `db:"keep_uses"`
	News   int `db:"keep_news"` // and deliveries to channels
}

const library = `select name, zone, number, idle_hours, session_days, keep_talks, keep_missed, keep_uses, keep_news, held_since from library`

// Library gives what the library is called and by which clock it goes.
func (r Reader) Library() (l Library, err error) { return l, r.get(&l, library) }

const setLibrary = `
update library
set name = $1, zone = $2, idle_hours = $4, session_days = $5, keep_talks = $6, keep_missed = $7, keep_uses = $8, keep_news = $9, number = number + 1
where number = $3
returning number`

// SetLibrary changes what was read as number, or gives ErrChanged.
func (tx Tx) SetLibrary(l Library) (number int, err error) {
	err = tx.get(&number, setLibrary, l.Name, l.Zone, l.Number, l.IdleHours, l.SessionDays, l.Talks, l.Missed, l.Uses, l.News)
	if err == ErrNotFound {
		err = ErrChanged
	}
	return number, err
}

const hold = `update library set held_since = $1, number = number + 1`

// Hold has nothing be published, told or asked by itself any more.
func (tx Tx) Hold() error { return tx.exec(hold, tx.at) }

const resume = `update library set held_since = null, number = number + 1 where held_since is not null returning name`

// Resume has the library do again what is due, or gives ErrNotFound where nothing is held.
func (tx Tx) Resume() error {
	var name string
	return tx.get(&name, resume)
}

const shelfNumber = `select number from shelf_changes`

// ShelfNumber grows with every change of what is on the shelf.
func (r Reader) ShelfNumber() (n int64, err error) { return n, r.get(&n, shelfNumber) }

const hasCurator = `select exists (select from people where role = 'curator' and active and (password is not null or id in (select person_id from identities)))`

// HasCurator says whether anyone can look after the library.
func (r Reader) HasCurator() (has bool, err error) { return has, r.get(&has, hasCurator) }

const setSetupCode = `
insert into setup_codes (hash, until)
values ($1, $2)
on conflict (one) do update
set hash = excluded.hash, until = excluded.until, tries = 0`

// SetSetupCode keeps the hash of the code that makes the first curator. One that was
// given before is dead.
func (tx Tx) SetSetupCode(hash []byte, until time.Time) error {
	return tx.exec(setSetupCode, hash, until)
}

const trySetupCode = `
update setup_codes
set tries = tries + 1
returning hash, until, tries`

// SetupCode is the code that makes the first curator.
type SetupCode struct {
	Hash  []byte    `db:"hash"`
	Until time.Time `db:"until"`
	Tries int       `db:"tries"` // this one counted
}

// TrySetupCode counts a try and gives the code, which nobody else tries until the
// transaction ends; or ErrNotFound.
func (tx Tx) TrySetupCode() (c SetupCode, err error) { return c, tx.get(&c, trySetupCode) }

const dropSetupCode = `delete from setup_codes`

// DropSetupCode forgets the code.
func (tx Tx) DropSetupCode() error { return tx.exec(dropSetupCode) }

const addPasswordLink = `
insert into password_links (hash, person_id, by_id, until)
values ($1, $2, nullif($3::bigint, 0), $4)
on conflict (person_id) do update
set hash = excluded.hash, by_id = excluded.by_id, until = excluded.until`

// AddPasswordLink keeps the hash of a link by which someone sets a password. One that
// they had before is dead.
func (tx Tx) AddPasswordLink(hash []byte, person, by int64, until time.Time) error {
	return tx.exec(addPasswordLink, hash, person, by, until)
}

const passwordLink = `
select p.id, p.name, p.full_name, p.department, p.role, p.password, p.active, p.language, p.away_from, p.away_until
from password_links l
join people p on p.id = l.person_id
where l.hash = $1 and l.until > $2 and p.active`

// PasswordLink gives whose a link is, if it can be used, or ErrNotFound.
func (r Reader) PasswordLink(hash []byte) (p Person, err error) {
	return p, r.get(&p, passwordLink, hash, r.at)
}

const usePasswordLink = `delete from password_links where hash = $1 returning person_id`

// UsePasswordLink ends a link, or gives ErrNotFound if another has used it.
func (tx Tx) UsePasswordLink(hash []byte) (person int64, err error) {
	return person, tx.get(&person, usePasswordLink, hash)
}

const dropExpired = `
with tokens_gone as (delete from tokens where expires_at < $1),
     links_gone as (delete from password_links where until < $1),
     browsers_gone as (delete from known_browsers where until < $1),
     failures_gone as (delete from sign_in_tries where last_at < $2)
delete from imports where at < $3`

// DropExpired forgets tokens and links that have ended, failed sign-ins from before a
// time, and imports that were brought before another.
func (tx Tx) DropExpired(failures, imports time.Time) error {
	return tx.exec(dropExpired, tx.at, failures, imports)
}

package store

import "time"

// Codes is a row of one_time_codes, with how many spare ones are left.
type Codes struct {
	Sealed      []byte     `db:"sealed"`
	AddedAt     time.Time  `db:"added_at"`
	ConfirmedAt *time.Time `db:"confirmed_at"`
	LastStep    int64      `db:"last_step"`
	Spare       int        `db:"spare"`
}

const codesOf = `
select sealed, added_at, confirmed_at, last_step, (select count(*) from spare_codes s where s.person_id = c.person_id)::int as spare
from one_time_codes c
where person_id = $1`

// CodesOf gives the one-time codes of somebody, or ErrNotFound.
func (r Reader) CodesOf(person int64) (c Codes, err error) { return c, r.get(&c, codesOf, person) }

const beginCodes = `
insert into one_time_codes (person_id, sealed, added_at)
values ($1, $2, $3)
on conflict (person_id) do update
set sealed = excluded.sealed, added_at = excluded.added_at, last_step = 0
where one_time_codes.confirmed_at is null
returning person_id`

// BeginCodes keeps what somebody's codes are to be made of, or gives ErrNotFound where they have
// some already.
func (tx Tx) BeginCodes(person int64, sealed []byte) error {
	var id int64
	return tx.get(&id, beginCodes, person, sealed, tx.at)
}

const confirmCodes = `update one_time_codes set confirmed_at = $2, last_step = $3 where person_id = $1`

// ConfirmCodes has somebody need a code from now on.
func (tx Tx) ConfirmCodes(person, step int64) error {
	return tx.exec(confirmCodes, person, tx.at, step)
}

const useStep = `update one_time_codes set last_step = $2 where person_id = $1 and last_step < $2 returning last_step`

// UseStep has a code be used, or gives ErrNotFound where it or a later one was before.
func (tx Tx) UseStep(person, step int64) error {
	var at int64
	return tx.get(&at, useStep, person, step)
}

const addSpareCode = `insert into spare_codes (hash, person_id) values ($1, $2)`

// AddSpareCode keeps the hash of a code for an emergency.
func (tx Tx) AddSpareCode(hash []byte, person int64) error {
	return tx.exec(addSpareCode, hash, person)
}

const useSpareCode = `delete from spare_codes where hash = $1 and person_id = $2 returning person_id`

// UseSpareCode uses one up, or gives ErrNotFound.
func (tx Tx) UseSpareCode(hash []byte, person int64) error {
	var id int64
	return tx.get(&id, useSpareCode, hash, person)
}

const dropCodes = `
with spare as (delete from spare_codes where person_id = $1)
delete from one_time_codes where person_id = $1`

// DropCodes has somebody need none any more.
func (tx Tx) DropCodes(person int64) error { return tx.exec(dropCodes, person) }

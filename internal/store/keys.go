package store

import "time"

// Key is a row of application_keys, with how its secrets stand.
type Key struct {
	ID          int64          `db:"id"`
	Name        string         `db:"name"`
	May         JSON[[]string] `db:"may"`
	Departments JSON[[]string] `db:"departments"`
	PerMinute   int            `db:"per_minute"`
	Until       time.Time      `db:"until"`
	Number      int            `db:"number"`
	By          string         `db:"by"` // a full name
	CreatedAt   time.Time      `db:"created_at"`

	OldUntil *time.Time `db:"old_until"` // when the secret before ends, where there is one that is good
	UsedAt   *time.Time `db:"used_at"`
}

const keyColumns = `
select k.id, k.name, to_jsonb(k.may) as may, to_jsonb(k.departments) as departments, k.per_minute, k.until, k.number,
       coalesce(p.full_name, '') as by, k.created_at, s.old_until, s.used_at
from application_keys k
left join people p on p.id = k.created_by
cross join lateral (
    select max(until) filter (where until > $1) as old_until, max(used_at) as used_at
    from key_secrets
    where key_id = k.id
) s
`

const keys = keyColumns + `order by k.name`

// Keys gives the keys of applications, by name.
func (r Reader) Keys() (all []Key, err error) { return all, r.all(&all, keys, r.at) }

const keyByName = keyColumns + `where k.name = $2`

// KeyByName gives a key, or ErrNotFound.
func (r Reader) KeyByName(name string) (k Key, err error) {
	return k, r.get(&k, keyByName, r.at, name)
}

const lockKey = `select id from application_keys where name = $1 for update`

// LockKey keeps others from changing a key until the transaction ends, or ErrNotFound.
func (tx Tx) LockKey(name string) error {
	var id int64
	return tx.get(&id, lockKey, name)
}

const addKey = `
insert into application_keys (name, may, departments, per_minute, until, created_by, created_at)
values ($1, $2, $3, $4, $5, nullif($6, 0), $7)
returning id`

// AddKey adds a key and gives its id, or ErrTaken.
func (tx Tx) AddKey(k Key, by int64) (id int64, err error) {
	return id, tx.get(&id, addKey, k.Name, k.May.V, k.Departments.V, k.PerMinute, k.Until, by, tx.at)
}

const setKey = `
update application_keys
set may = $2, departments = $3, per_minute = $4, until = $5, number = number + 1
where id = $1`

// SetKey changes what a key may do.
func (tx Tx) SetKey(k Key) error {
	return tx.exec(setKey, k.ID, k.May.V, k.Departments.V, k.PerMinute, k.Until)
}

const addKeySecret = `
with old as (
    update key_secrets set until = least(until, $3) where key_id = $2
), ended as (
    delete from key_secrets where key_id = $2 and until is not null
)
insert into key_secrets (hash, key_id, created_at) values ($1, $2, $4)`

// AddKeySecret gives a key another secret. The one before is good until then; an older one
// ends at once.
func (tx Tx) AddKeySecret(hash []byte, key int64, oldUntil time.Time) error {
	return tx.exec(addKeySecret, hash, key, oldUntil, tx.at)
}

const deleteKey = `delete from application_keys where id = $1`

// DeleteKey ends a key at once.
func (tx Tx) DeleteKey(id int64) error { return tx.exec(deleteKey, id) }

const touchKey = `update key_secrets set used_at = $2 where hash = $1`

// TouchKey says that a secret is in use.
func (tx Tx) TouchKey(hash []byte) error { return tx.exec(touchKey, hash, tx.at) }

// KeyHolder is the key that a secret belongs to.
type KeyHolder struct {
	Hash        []byte         `db:"hash"`
	ID          int64          `db:"id"`
	Name        string         `db:"name"`
	May         JSON[[]string] `db:"may"`
	Departments JSON[[]string] `db:"departments"`
	PerMinute   int            `db:"per_minute"`
	Until       time.Time      `db:"until"`
	UsedAt      *time.Time     `db:"used_at"`
}

const keyHolder = `
select s.hash, k.id, k.name, to_jsonb(k.may) as may, to_jsonb(k.departments) as departments, k.per_minute, least(k.until, s.until) as until, s.used_at
from key_secrets s
join application_keys k on k.id = s.key_id
where s.hash = $1 and k.until > $2 and (s.until is null or s.until > $2)`

// KeyHolder gives whose secret has a hash, if it is good, or ErrNotFound.
func (r Reader) KeyHolder(hash []byte) (h KeyHolder, err error) {
	return h, r.get(&h, keyHolder, hash, r.at)
}

const departmentsOfNamed = `
select coalesce(jsonb_agg(l.term), '[]') as terms
from labels l
where l.facet = 'department' and l.entry_id = `

var namedDepartments = departmentsOfNamed + byName("$1")

// NamedDepartments gives the departments that an entry is labelled with, by slug or short code,
// one that it had too.
func (r Reader) NamedDepartments(name string) ([]string, error) {
	var terms JSON[[]string]
	return terms.V, r.get(&terms, namedDepartments, name)
}

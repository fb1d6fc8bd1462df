package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// ServiceRole is whom the service works as in a private cluster: it reads and
// writes the library, owns nothing, and can only add to the record of changes.
const ServiceRole = "goldshelf_app"

const ensureRole = `
do $$ begin
    if not exists (select from pg_roles where rolname = 'goldshelf_service') then
        create role goldshelf_service nologin;
    end if;
end $$`

// EnsureRole makes the role that the service's rights are given to, where there is none.
func (d *DB) EnsureRole(ctx context.Context) error {
	return d.Change(ctx, time.Now(), func(tx Tx) error { return tx.exec(ensureRole) })
}

// LetServiceIn gives the service's role a password of letters and digits, and
// makes the role where there is none. Only the database's owner can.
func (d *DB) LetServiceIn(ctx context.Context, password string) error {
	if password == "" || strings.Trim(password, "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789") != "" {
		return errors.New("the password of the service's role has other characters than letters and digits")
	}
	role := pgx.Identifier{ServiceRole}.Sanitize()
	return d.Change(ctx, time.Now(), func(tx Tx) error {
		var there bool
		if err := tx.get(&there, `select exists (select from pg_roles where rolname = $1)`, ServiceRole); err != nil {
			return err
		}
		do := "create"
		if there {
			do = "alter"
		}
		if err := tx.exec(fmt.Sprintf("%s role %s login password '%s'", do, role, password)); err != nil {
			return fmt.Errorf("let the service's role in: %w", err)
		}
		return tx.exec("grant goldshelf_service to " + role)
	})
}

// AuditQuery narrows the record of changes. What is empty narrows nothing.
type AuditQuery struct {
	Person string // a sign-in name
	Slug   string
	Action string
	Via    string
	Words  string // in the details
	From   *time.Time
	Until  *time.Time
	Before int64 // numbers below this one; 0 is all
	Limit  int
}

// Record is one change in the record.
type Record struct {
	Number   int64                `db:"id"`
	At       time.Time            `db:"at"`
	By       string               `db:"by"` // a sign-in name; empty for the service itself
	ByName   string               `db:"by_name"`
	Via      string               `db:"via"`
	Action   string               `db:"action"`
	Slug     string               `db:"slug"`
	Version  int                  `db:"number"`
	Detail   JSON[map[string]any] `db:"detail"`
	Hash     string               `db:"hash"`
	Previous string               `db:"previous"`
}

const audit = `
select v.id, v.at, coalesce(p.name, '') as by, coalesce(p.full_name, '') as by_name, v.via, v.action, coalesce(v.slug, e.slug, '') as slug,
       coalesce(v.number, 0) as number, v.detail, encode(v.hash, 'hex') as hash, encode(v.previous, 'hex') as previous
from events v
left join people p on p.id = v.person_id
left join entries e on e.id = v.entry_id
where ($1 = '' or v.person_id = (select id from people where name = $1))
  and ($2 = '' or v.entry_id = (select entry_id from names where how = 'slug' and name = $2))
  and ($3 = '' or v.action = $3)
  and ($4 = '' or v.via = $4)
  and ($5 = '' or v.detail::text ilike '%' || $5 || '%')
  and ($6::timestamptz is null or v.at >= $6)
  and ($7::timestamptz is null or v.at < $7)
  and ($8::bigint = 0 or v.id < $8)
order by v.id desc
limit $9`

var wild = strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`)

// Audit gives records that match, the newest first.
func (r Reader) Audit(q AuditQuery) (all []Record, err error) {
	return all, r.all(&all, audit, q.Person, q.Slug, q.Action, q.Via, wild.Replace(q.Words), q.From, q.Until, q.Before, q.Limit)
}

// Verified says how the record of changes stands.
type Verified struct {
	Records int64  `db:"records"`
	Hash    string `db:"hash"`   // of the last
	Broken  int64  `db:"broken"` // the number of the first that does not hold; 0 if all do
	Why     string `db:"why"`    // gap, order, changed or name

	Nameless int64 `db:"nameless"` // records that said the name of someone who was deleted
}

const verify = `
with left_over as (
    select nameless as together, nameless_left(nameless) as is_left
    from (select distinct nameless from events where nameless is not null) n
),
vouched as (
    select l.together
    from left_over l
    join events d on d.action = 'delete-person' and d.formula = 2 and d.detail ->> 'together' = l.together::text and d.detail ->> 'left' = l.is_left
),
chain as (
    select id, hash, previous,
           row_number() over (order by id) as place,
           lag(hash, 1, ''::bytea) over (order by id) as before,
           case formula
               when 1 then event_hash(previous, id, at, person_id, via, action, entry_id, number, detail)
               -- What it said is gone; what is left of it another record vouches for.
               when 3 then case when nameless in (select together from vouched) then hash end
               else event_hash_2(previous, id, at, person_id, who, via, action, entry_id, slug, number, detail)
           end as should,
           -- Of one who was made nameless there is nothing to hold the name against.
           who is null or not exists (select from salts s join people p on p.id = s.person_id
                                      where s.person_id = events.person_id and name_hash(s.salt, p.name) <> events.who) as named
    from events
),
broken as (
    select id, case when id <> place then 'gap' when previous <> before then 'order' when hash is distinct from should then 'changed' else 'name' end as why
    from chain
    where id <> place or previous <> before or hash is distinct from should or not named
    order by id
    limit 1
)
select (select count(*) from events) as records,
       coalesce((select encode(hash, 'hex') from events order by id desc limit 1), '') as hash,
       coalesce((select id from broken), 0) as broken,
       coalesce((select why from broken), '') as why,
       (select count(*) from events where formula = 3) as nameless`

// VerifyAudit holds every record against the one before it and against its own
// hash, and says which is the first that does not hold.
func (r Reader) VerifyAudit() (v Verified, err error) {
	return v, r.get(&v, verify)
}

const lastEvent = `select coalesce(max(at), 'epoch') from events`

// LastEvent is when the newest record is of.
func (r Reader) LastEvent() (at time.Time, err error) { return at, r.get(&at, lastEvent) }

const auditHead = `select id as records, encode(hash, 'hex') as hash from events order by id desc limit 1`

// AuditHead gives the number and the hash of the newest record, or ErrNotFound.
func (r Reader) AuditHead() (number int64, hash string, err error) {
	var row Verified
	err = r.get(&row, auditHead)
	return row.Records, row.Hash, err
}

const hashOf = `select encode(hash, 'hex') as hash from events where id = $1`

// AuditHash gives the hash of the record with a number, or ErrNotFound.
func (r Reader) AuditHash(number int64) (hash string, err error) {
	return hash, r.get(&hash, hashOf, number)
}

package store

import "time"

const useKey = `
with made as (
    insert into use_key (key) values ($1) on conflict do nothing returning key
)
select key from made union all select key from use_key`

// UseKey gives the key of the hashes that stand for people where uses are counted. The
// first one that is asked with stays.
func (tx Tx) UseKey(fresh []byte) (key []byte, err error) {
	return key, tx.get(&key, useKey, fresh)
}

// Use is that somebody has used a version. It has no values.
type Use struct {
	At          time.Time
	Slug        string
	Number      int
	By          int64  // only to tell whether it is their own; not kept
	Person      []byte // a hash
	Application string
	Department  string
	How         string
	Persona     string // instead of the recommended one; none for without, empty as recommended
}

const addUses = `
with u as (
    select * from unnest($1::timestamptz[], $2::text[], $3::int[], $4::bigint[], $5::bytea[], $6::text[], $7::text[], $8::text[], $9::text[])
        as u (at, slug, number, by, person, application, department, how, persona)
),
pairs as materialized (select distinct slug, by from u),
known as (
    select p.slug, p.by, e.id,
           p.by in (e.owner_id, e.deputy_id) is true or exists (
               select from writers w join versions v on v.id = w.version_id
               where v.entry_id = e.id and w.person_id = p.by) as own
    from pairs p
    join names n on n.how = 'slug' and n.name = p.slug
    join entries e on e.id = n.entry_id
)
insert into uses (at, entry_id, number, person, own, application, department, how, persona)
select u.at, k.id, u.number, u.person, k.own, u.application, u.department, u.how, u.persona
from u
join known k on k.slug = u.slug and k.by = u.by`

// AddUses counts uses.
func (tx Tx) AddUses(all []Use) error {
	return tx.exec(addUses,
		column(all, func(u Use) time.Time { return u.At }), column(all, func(u Use) string { return u.Slug }),
		column(all, func(u Use) int { return u.Number }), column(all, func(u Use) int64 { return u.By }),
		column(all, func(u Use) []byte { return u.Person }), column(all, func(u Use) string { return u.Application }),
		column(all, func(u Use) string { return u.Department }), column(all, func(u Use) string { return u.How }), column(all, func(u Use) string { return u.Persona }))
}

// column gives one value of each row.
func column[Row, Value any](rows []Row, of func(Row) Value) []Value {
	all := make([]Value, len(rows))
	for i, r := range rows {
		all[i] = of(r)
	}
	return all
}

const dropUses = `delete from uses where at < $1`

// DropUses forgets the uses before a time.
func (tx Tx) DropUses(before time.Time) error { return tx.exec(dropUses, before) }

// EntryUse is how much an entry is used and liked. Nobody counts for what they answer for
// or wrote, and nobody counts twice on one day.
type EntryUse struct {
	EntryID    int64 `db:"entry_id"`
	OwnerID    int64 `db:"owner_id"`
	Uses30     int   `db:"uses_30"`
	Uses90     int   `db:"uses_90"`
	Uses365    int   `db:"uses_365"`
	Favourites int   `db:"favourites"`
	Worked     int   `db:"worked"`
	FellShort  int   `db:"fell_short"`
}

const entryUses = `
with used as (
    select entry_id, sum(n) filter (where day >= library_day($1) - 30)::int as uses_30, sum(n) filter (where day >= library_day($1) - 90)::int as uses_90, sum(n)::int as uses_365
    from (select entry_id, library_day(at) as day, count(distinct person) as n
          from uses
          where not own and at >= $1::timestamptz - interval '365 days'
          group by entry_id, library_day(at)) by_day
    group by entry_id
),
liked as (
    select f.entry_id, count(*)::int as favourites
    from favourites f
    join entries e on e.id = f.entry_id
    where f.person_id not in (e.owner_id, coalesce(e.deputy_id, 0))
    group by f.entry_id
),
told as (
    select r.entry_id, count(distinct r.person_id) filter (where r.worked)::int as worked,
           count(distinct r.person_id) filter (where not r.worked and r.settled_at is null)::int as fell_short
    from reports r
    join entries e on e.id = r.entry_id
    where r.person_id not in (e.owner_id, coalesce(e.deputy_id, 0))
    group by r.entry_id
)
select e.id as entry_id, e.owner_id, coalesce(uses_30, 0) as uses_30, coalesce(uses_90, 0) as uses_90, coalesce(uses_365, 0) as uses_365,
       coalesce(favourites, 0) as favourites, coalesce(worked, 0) as worked, coalesce(fell_short, 0) as fell_short
from used
full join liked using (entry_id)
full join told using (entry_id)
join entries e on e.id = entry_id`

// EntryUses gives how much every entry is used and liked that is at all.
func (r Reader) EntryUses() (all []EntryUse, err error) {
	return all, r.all(&all, entryUses, r.at)
}

// Report is what somebody who used a version says of it.
type Report struct {
	ID        int64      `db:"id"`
	EntryID   int64      `db:"entry_id"`
	Number    int        `db:"number"`
	PersonID  int64      `db:"person_id"`
	By        string     `db:"by"`
	ByName    string     `db:"by_name"`
	At        time.Time  `db:"at"`
	Worked    bool       `db:"worked"`
	Model     string     `db:"model"`
	Words     string     `db:"words"`
	Reply     string     `db:"reply"`
	SettledIn int        `db:"settled_in"` // 0 without one
	SettledAt *time.Time `db:"settled_at"`
	Answer    string     `db:"answer"`
}

const addReport = `
insert into reports (entry_id, number, person_id, at, worked, model, words, reply)
values ($1, $2, $3, $4, $5, $6, $7, $8)
returning id`

// AddReport keeps what somebody says, and gives its id.
func (tx Tx) AddReport(r Report) (id int64, err error) {
	return id, tx.get(&id, addReport, r.EntryID, r.Number, r.PersonID, r.At, r.Worked, r.Model, r.Words, r.Reply)
}

const countReports = `select count(*) from reports where entry_id = $1 and person_id = $2 and settled_at is null`

// CountReports is how many reports of somebody's on an entry wait.
func (r Reader) CountReports(entryID, person int64) (n int, err error) {
	return n, r.get(&n, countReports, entryID, person)
}

const reports = `
select r.id, r.entry_id, r.number, r.person_id, p.name as by, p.full_name as by_name, r.at, r.worked, r.model, r.words, r.reply,
       coalesce(r.settled_in, 0) as settled_in, r.settled_at, r.answer
from reports r
join people p on p.id = r.person_id
where r.entry_id = $1 and ($2::bigint = 0 or r.id < $2)
order by r.id desc
limit $3`

// Reports gives what was said of an entry, the newest first, below an id or from the
// newest on.
func (r Reader) Reports(entryID, before int64, limit int) (all []Report, err error) {
	return all, r.all(&all, reports, entryID, before, limit)
}

// ReportCount is how it went with an entry, in numbers.
type ReportCount struct {
	Worked    int `db:"worked"`
	FellShort int `db:"fell_short"`
	Open      int `db:"open"` // fell short, and not settled
}

const reportCount = `
select count(*) filter (where worked) as worked, count(*) filter (where not worked) as fell_short,
       count(*) filter (where not worked and settled_at is null) as open
from reports
where entry_id = $1`

// ReportCount gives how often an entry worked and fell short.
func (r Reader) ReportCount(entryID int64) (n ReportCount, err error) {
	return n, r.get(&n, reportCount, entryID)
}

const nameReports = `
with named as (
    update reports set settled_in = $2
    where entry_id = $1 and settled_at is null and id = any ($3)
    returning id
),
others as (
    update reports set settled_in = null
    where entry_id = $1 and settled_at is null and settled_in = $2 and id <> all ($3)
)
select id from named`

// NameReports says which reports of an entry a version is to settle, and no others; it
// gives those that there are.
func (tx Tx) NameReports(entryID int64, number int, ids []int64) (named []int64, err error) {
	return named, tx.all(&named, nameReports, entryID, number, ids)
}

const settleReports = `update reports set settled_at = $3 where entry_id = $1 and settled_in = $2 and settled_at is null`

// SettleReports has a version settle the reports that it names.
func (tx Tx) SettleReports(entryID int64, number int) error {
	return tx.exec(settleReports, entryID, number, tx.at)
}

const answerReport = `
update reports set settled_at = $3, answer = $4, settled_in = null
where entry_id = $1 and id = $2 and settled_at is null
returning number`

// AnswerReport settles a report by words, and gives the version that it is of; ErrNotFound
// where there is no such one that waits.
func (tx Tx) AnswerReport(entryID, id int64, answer string) (number int, err error) {
	return number, tx.get(&number, answerReport, entryID, id, tx.at, answer)
}

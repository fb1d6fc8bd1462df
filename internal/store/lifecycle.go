package store

import (
	"time"

	"goldshelf/core/message"
)

const setReviewBy = `update entries set review_by = library_day($2) + $3::int where id = $1`

// SetReviewBy says in how many days what an entry has on the shelf is to be looked at
// again.
func (tx Tx) SetReviewBy(entryID int64, keepFor int) error {
	return tx.exec(setReviewBy, entryID, tx.at, keepFor)
}

const takeBack = `update versions set taken_back = $2, taken_back_by = $3, taken_back_at = $4 where id = $1`

// TakeBack hides a version from readers, with a reason. Its state stays.
func (tx Tx) TakeBack(id, by int64, because string) error {
	tx.shelf.changed = true
	return tx.exec(takeBack, id, because, by, tx.at)
}

const unpublish = `
update versions
set state = 'superseded', taken_back = $2, taken_back_by = $3, taken_back_at = $4
where id = $1`

const before = `
select id
from versions
where entry_id = $1 and state = 'superseded' and taken_back_at is null
order by number desc
limit 1`

const backOnShelf = `
with on_shelf as (update versions set state = 'published' where id = $2 returning code, published_at)
update entries
set code = (select nullif(code, '') from on_shelf), review_by = library_day($3) + $4::int
where id = $1`

// Before gives the id of the version that was on the shelf before the one that is
// there, or ErrNotFound.
func (r Reader) Before(entryID int64) (id int64, err error) {
	return id, r.get(&id, before, entryID)
}

// Unpublish undoes the publication of a version with a reason, and puts the one
// before it back, to be looked at again after so many days. It gives ErrTaken if another entry has
// that one's short code by now.
func (tx Tx) Unpublish(entryID, id, before, by int64, because string, keepFor int) error {
	tx.shelf.changed = true
	if err := tx.exec(unpublish, id, because, by, tx.at); err != nil {
		return err
	}
	return tx.exec(backOnShelf, entryID, before, tx.at, keepFor)
}

const setOwners = `
with raised as (
    -- What a draft's readers know of it has changed, so its next save must name this.
    update versions set saved_at = saved_at where entry_id = $1 and state in ('draft', 'in-review', 'approved')
),
done as (
    delete from offers f using entries e
    where f.entry_id = $1 and e.id = $1 and e.owner_id <> $2
)
update entries
set owner_id = $2, deputy_id = nullif($3::bigint, 0), department = $4
where id = $1`

// SetOwners says who answers for an entry, and which department it belongs to.
// A new owner settles an offer that was open.
func (tx Tx) SetOwners(entryID, owner, deputy int64, department string) error {
	return tx.exec(setOwners, entryID, owner, deputy, department)
}

const addOffer = `
insert into offers (entry_id, to_id, by_id, at)
values ($1, $2, $3, $4)
on conflict (entry_id) do update
set to_id = excluded.to_id, by_id = excluded.by_id, at = excluded.at`

// AddOffer offers an entry to a new owner, in the place of an offer made before.
func (tx Tx) AddOffer(entryID, to, by int64, at time.Time) error {
	return tx.exec(addOffer, entryID, to, by, at)
}

const dropOffer = `delete from offers where entry_id = $1`

// DropOffer takes an offer away.
func (tx Tx) DropOffer(entryID int64) error {
	return tx.exec(dropOffer, entryID)
}

const ownedBy = `select slug from entries where owner_id = $1 order by slug`

// OwnedBy gives the slugs of the entries that a person owns.
func (r Reader) OwnedBy(person int64) (slugs []string, err error) {
	return slugs, r.all(&slugs, ownedBy, person)
}

const owned = `
select e.owner_id as id, count(*) as n
from entries e
where $1 or e.owner_id = $2 or e.deputy_id = $2 or exists (select from versions v where v.entry_id = e.id and v.published_at is not null)
group by e.owner_id`

// Owned gives how many entries each person owns, of those that may be seen, by the
// person's id.
func (r Reader) Owned(sight Sight) (map[int64]int, error) {
	var rows []struct {
		ID int64 `db:"id"`
		N  int   `db:"n"`
	}
	err := r.all(&rows, owned, sight.All, sight.Own)
	counts := map[int64]int{}
	for _, row := range rows {
		counts[row.ID] = row.N
	}
	return counts, err
}

// Ownership is what belongs to a department, in figures.
type Ownership struct {
	Department string `db:"department"` // a term; empty for entries of none
	Title      string `db:"title"`
	Entries    int    `db:"entries"`
	Published  int    `db:"published"`
	Open       int    `db:"open"`
	Stale      int    `db:"stale"`
	Orphans    int    `db:"orphans"` // whose owner has left
	NoDeputy   int    `db:"no_deputy"`
	Owners     int    `db:"owners"`
}

const ownership = `
select e.department, coalesce(t.title, '') as title,
       count(*) as entries,
       count(*) filter (where p.id is not null) as published,
       count(*) filter (where o.id is not null) as open,
       count(*) filter (where p.id is not null and e.review_by < library_day($1)) as stale,
       count(*) filter (where not owner.active) as orphans,
       count(*) filter (where e.deputy_id is null) as no_deputy,
       count(distinct e.owner_id) as owners
from entries e
join people owner on owner.id = e.owner_id
left join terms t on t.facet = 'department' and t.name = e.department
left join versions p on p.entry_id = e.id and p.state = 'published'
left join versions o on o.entry_id = e.id and o.state in ('draft', 'in-review', 'approved') and ($2 or e.owner_id = $3 or e.deputy_id = $3)
where $2 or e.owner_id = $3 or e.deputy_id = $3 or exists (select from versions s where s.entry_id = e.id and s.published_at is not null)
group by e.department, t.title, t.position
order by t.position nulls last`

// Ownership gives what belongs to each department, of what may be seen.
func (r Reader) Ownership(sight Sight) (all []Ownership, err error) {
	return all, r.all(&all, ownership, r.at, sight.All, sight.Own)
}

// Publication is what is to be published at a time, together.
type Publication struct {
	ID     string         `db:"id"`
	At     time.Time      `db:"at"`
	SetBy  string         `db:"set_by"`
	SetAt  time.Time      `db:"set_at"`
	Failed Said           `db:"failed"`
	Slugs  JSON[[]string] `db:"slugs"`
}

const publications = `
select c.id, c.at, p.full_name as set_by, c.set_at, c.failed,
       (select coalesce(jsonb_agg(e.slug order by e.slug), '[]')
          from publication_versions pv
          join versions v on v.id = pv.version_id
          join entries e on e.id = v.entry_id
         where pv.publication_id = c.id) as slugs
from publications c
join people p on p.id = c.set_by
order by c.at, c.id`

// Publications gives what waits for its time, and what failed at it, by time.
func (r Reader) Publications() (all []Publication, err error) {
	return all, r.all(&all, publications)
}

// Due is a publication whose time has come, with who set it.
type Due struct {
	ID       string         `db:"id"`
	Slugs    JSON[[]string] `db:"slugs"`
	By       int64          `db:"by"`
	Name     string         `db:"name"`
	FullName string         `db:"full_name"`
	Role     string         `db:"role"`
	Active   bool           `db:"active"`
}

const nextPublication = `
select id::text from publications c
where c.at <= $1 and c.failed = '' and (select held_since from library) is null
  and not exists (select from set_aside where job = 'publications' and item = c.id::text and until > $1)
order by c.at, c.id
limit 1`

// NextPublication gives the first publication whose time has come, or ErrNotFound.
func (r Reader) NextPublication() (id string, err error) {
	return id, r.get(&id, nextPublication, r.at)
}

const duePublication = `
select c.id, p.id as by, p.name, p.full_name, p.role, p.active,
       (select coalesce(jsonb_agg(e.slug order by e.slug), '[]')
          from publication_versions pv
          join versions v on v.id = pv.version_id
          join entries e on e.id = v.entry_id
         where pv.publication_id = c.id) as slugs
from publications c
join people p on p.id = c.set_by
where c.id::text = $1 and c.at <= $2 and c.failed = '' and (select held_since from library) is null
for update of c skip locked`

// DuePublication gives a publication whose time has come and which no other service is at work
// on, or ErrNotFound.
func (tx Tx) DuePublication(id string) (d Due, err error) {
	return d, tx.get(&d, duePublication, id, tx.at)
}

const addPublication = `insert into publications (id, at, set_by, set_at) values ($1, $2, $3, $4)`

const addPublicationVersions = `
insert into publication_versions (version_id, publication_id)
select unnest($2::bigint[]), $1
on conflict (version_id) do update
set publication_id = excluded.publication_id`

const dropEmptyPublications = `
delete from publications c
where not exists (select from publication_versions where publication_id = c.id)`

// AddPublication sets versions to be published together at a time. Those that were
// set for another time no longer are.
func (tx Tx) AddPublication(id string, versions []int64, by int64, at, now time.Time) error {
	if err := tx.exec(addPublication, id, at, by, now); err != nil {
		return err
	}
	if err := tx.exec(addPublicationVersions, id, versions); err != nil {
		return err
	}
	return tx.exec(dropEmptyPublications)
}

const dropPublication = `delete from publications where id = $1 returning id`

// DropPublication forgets a publication, or gives ErrNotFound.
func (tx Tx) DropPublication(id string) error {
	return tx.get(&id, dropPublication, id)
}

const failPublication = `update publications set failed = $2 where id = $1`

// FailPublication keeps why a publication failed at its time.
func (tx Tx) FailPublication(id string, why message.Text) error {
	return tx.exec(failPublication, id, Said{why})
}

const unschedule = `
with off as (delete from publication_versions where version_id = $1 returning publication_id),
left_over as (
    select c.id, exists (select from publication_versions pv where pv.publication_id = c.id and pv.version_id <> $1) as others
    from publications c join off on off.publication_id = c.id
),
gone as (delete from publications c using left_over l where c.id = l.id and not l.others)
update publications c
set failed = $2
from left_over l
where c.id = l.id and l.others`

// Unschedule takes a version out of what it was to be published with. The others
// wait for a curator's word, with why they do.
func (tx Tx) Unschedule(versionID int64, why message.Text) error {
	return tx.exec(unschedule, versionID, Said{why})
}

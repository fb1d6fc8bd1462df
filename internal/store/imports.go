package store

import (
	"encoding/json"
	"time"

	"goldshelf/core/bundle"
)

// Import is data that somebody has brought, between its plan and its end.
type Import struct {
	ID       string                        `db:"id"`
	PersonID int64                         `db:"person_id"`
	Name     string                        `db:"name"`
	Data     []byte                        `db:"data"`
	Reading  JSON[bundle.Reading]          `db:"reading"`
	Alike    JSON[map[int]json.RawMessage] `db:"alike"` // by the number of the entry; what is in it is the caller's
	At       time.Time                     `db:"at"`
}

const addImport = `
insert into imports (id, person_id, name, data, reading, alike, at)
values ($1, $2, $3, $4, $5, $6, $7)
on conflict (id) do update set reading = excluded.reading, alike = excluded.alike`

// AddImport keeps what somebody has brought, or reads it in another way.
func (tx Tx) AddImport(i Import) error {
	reading, err := jsonText(i.Reading.V)
	if err != nil {
		return err
	}
	alike, err := jsonText(i.Alike.V)
	if err != nil {
		return err
	}
	if i.Alike.V == nil {
		alike = "{}"
	}
	return tx.exec(addImport, i.ID, i.PersonID, i.Name, i.Data, reading, alike, i.At)
}

const readImport = `
select id, person_id, name, data, reading, alike, at
from imports
where id = $1 and person_id = $2`

// Import gives what a person has brought, or ErrNotFound.
func (r Reader) Import(id string, person int64) (i Import, err error) {
	return i, r.get(&i, readImport, id, person)
}

// Survey has queries planned by what the library holds now, where much of it has
// just come in. Left alone PostgreSQL does so too, a minute later.
func (tx Tx) Survey() error {
	return tx.exec(`select survey_tables()`)
}

const dropImport = `delete from imports where id = $1`

// DropImport forgets what was brought.
func (tx Tx) DropImport(id string) error { return tx.exec(dropImport, id) }

const dropOldImports = `
delete from imports
where person_id = $1 and id not in (select id from imports where person_id = $1 order by at desc, id limit $2)`

// DropOldImports forgets what a person has brought, but for the newest.
func (tx Tx) DropOldImports(person int64, keep int) error {
	return tx.exec(dropOldImports, person, keep)
}

const saveMapping = `
insert into mappings (name, reading, set_by, at)
values ($1, $2, $3, $4)
on conflict (name) do update set reading = excluded.reading, set_by = excluded.set_by, at = excluded.at`

// SaveMapping keeps a way to read tables under a name.
func (tx Tx) SaveMapping(name string, how bundle.Reading, by int64, at time.Time) error {
	reading, err := jsonText(how)
	if err != nil {
		return err
	}
	return tx.exec(saveMapping, name, reading, by, at)
}

const mapping = `select reading from mappings where name = $1`

// Mapping gives the way to read tables that has a name, or ErrNotFound.
func (r Reader) Mapping(name string) (bundle.Reading, error) {
	var row JSON[bundle.Reading]
	err := r.get(&row, mapping, name)
	return row.V, err
}

const mappingNames = `select name from mappings order by name`

// MappingNames gives the names under which ways to read tables are kept.
func (r Reader) MappingNames() (names []string, err error) {
	return names, r.all(&names, mappingNames)
}

var versionsOf = columns + `
where $1::text[] is null or entry_id in (select entry_id from names where how = 'slug' and name = any ($1))
order by slug, number`

// VersionsOf gives all versions of entries, or without slugs of all entries.
func (r Reader) VersionsOf(slugs []string) (rows []Version, err error) {
	return rows, r.all(&rows, versionsOf, slugs)
}

var currentOf = `
with chosen as materialized (
    select v.id, v.entry_id, e.slug, e.kind, v.number, v.state, v.revision, v.title, v.summary, v.code, v.language, v.plain,
           v.persona, v.style, to_jsonb(v.sheets) as sheets, v.steps, v.source, v.pictures, v.body, v.note, e.owner_id, e.deputy_id
    from versions v
    join entries e on e.id = v.entry_id
    where ($1::text[] is null or e.id in (select entry_id from names where how = 'slug' and name = any ($1))) and v.state <> 'superseded'
),
l as (
    select entry_id, jsonb_object_agg(facet, terms) as labels
    from (select entry_id, facet, jsonb_agg(term order by position) as terms
          from labels where entry_id in (select entry_id from chosen) group by entry_id, facet) f
    group by entry_id
),
b as (
    select version_id, jsonb_agg(jsonb_strip_nulls(jsonb_build_object(
               'name', name, 'ask', ask, 'hint', hint, 'type', type, 'options', options,
               'default', default_value, 'optional', optional, 'sample', sample, 'min', least, 'max', most))
               order by position) as blanks
    from blanks where version_id in (select id from chosen) group by version_id
)
select c.id, c.entry_id, c.slug, c.kind, c.number, c.state, c.revision, c.title, c.summary, c.code, c.language, c.plain,
       c.persona, c.style, c.sheets, c.steps, c.source, c.pictures, ` + answeringOf("c.id") + ` as answering, c.body, c.note, owner.name as owner, coalesce(deputy.name, '') as deputy,
       coalesce(l.labels, '{}') as labels, coalesce(b.blanks, '[]') as blanks
from chosen c
join people owner on owner.id = c.owner_id
left join people deputy on deputy.id = c.deputy_id
left join l on l.entry_id = c.entry_id
left join b on b.version_id = c.id
order by c.slug, c.number`

// CurrentOf gives the versions of entries that are open, on the shelf or retired,
// or without slugs those of all entries: their texts, without their histories.
func (r Reader) CurrentOf(slugs []string) (rows []Version, err error) {
	return rows, r.all(&rows, currentOf, slugs)
}

const retirements = `
select e.slug, e.retired_at as at, e.retired_because as because, coalesce(i.slug, '') as instead
from entries e
left join entries i on i.id = e.instead_id
where e.retired_at is not null`

// Retirement is why an entry was retired.
type Retirement struct {
	Slug    string    `db:"slug"`
	At      time.Time `db:"at"`
	Because string    `db:"because"`
	Instead string    `db:"instead"`
}

// Retirements gives why entries were retired.
func (r Reader) Retirements() (all []Retirement, err error) {
	return all, r.all(&all, retirements)
}

const codeHolders = `
select code, slug
from (select n.name as code, e.slug from names n join entries e on e.id = n.entry_id where n.how = 'code' and n.name = any ($1)
      union
      select v.code, e.slug from versions v join entries e on e.id = v.entry_id
      where v.code = any ($1) and v.state in ('draft', 'in-review', 'approved')) holders`

// CodeHolders gives the entries that have or claim short codes, by code.
func (r Reader) CodeHolders(codes []string) (map[string]string, error) {
	var rows []struct {
		Code string `db:"code"`
		Slug string `db:"slug"`
	}
	err := r.all(&rows, codeHolders, codes)
	by := map[string]string{}
	for _, row := range rows {
		by[row.Code] = row.Slug
	}
	return by, err
}

const similarMany = `
select distinct i.n, r.id
from unnest($1::int[], $2::bigint[]) as i (n, band)
join (select v.id, unnest(p.bands) as band
      from prints p
      join versions v on v.id = p.version_id and v.state in ('draft', 'in-review', 'approved', 'published')) r using (band)
order by i.n, r.id
limit 50000`

// Pair is a text, by its place in a list, and a version that may be like it.
type Pair struct {
	N  int   `db:"n"`
	ID int64 `db:"id"`
}

// SimilarMany gives, for texts by their bands, versions that share a band.
func (r Reader) SimilarMany(bands map[int][]int64) (pairs []Pair, err error) {
	ns, all := []int64{}, []int64{}
	for n, b := range bands {
		for _, band := range b {
			ns, all = append(ns, int64(n)), append(all, band)
		}
	}
	return pairs, r.all(&pairs, similarMany, ns, all)
}

// History is what became of a version in another library.
type History struct {
	ID          int64          `json:"id"` // of the version, a draft so far
	State       string         `json:"state"`
	Note        string         `json:"note"`
	CreatedAt   time.Time      `json:"created_at"`
	SavedAt     time.Time      `json:"saved_at"`
	SubmittedAt *time.Time     `json:"submitted_at"`
	PublishedAt *time.Time     `json:"published_at"`
	Origin      map[string]any `json:"origin"`
}

// settle takes drafts through the states that they had elsewhere, one after the
// other as the database wants it.
var settle = []string{`
update versions v
set state = case when h.state = 'draft' then 'draft' else 'in-review' end, note = h.note, submitted_at = h.submitted_at, origin = h.origin
from jsonb_to_recordset($1::jsonb) as h (id bigint, state text, note text, submitted_at timestamptz, origin jsonb)
where v.id = h.id`, `
update versions v
set state = 'approved'
from jsonb_to_recordset($1::jsonb) as h (id bigint, state text)
where v.id = h.id and h.state <> 'draft'`, `
update versions v
set state = 'published', published_by = $2, published_at = h.published_at, saved_at = h.saved_at
from jsonb_to_recordset($1::jsonb) as h (id bigint, state text, saved_at timestamptz, published_at timestamptz)
where v.id = h.id and h.state <> 'draft'`, `
update versions v
set state = h.state
from jsonb_to_recordset($1::jsonb) as h (id bigint, state text)
where v.id = h.id and h.state in ('superseded', 'retired')`, `
update entries e
set code = nullif(v.code, ''), review_by = library_day($2) + $3::int
from jsonb_to_recordset($1::jsonb) as h (id bigint, state text)
join versions v on v.id = h.id
where e.id = v.entry_id and h.state in ('published', 'retired')`}

const moveIn = `insert into moving_in values (pg_current_xact_id())`

// MoveIn says that this transaction moves a whole library in. Only the owner of the
// database can.
func (tx Tx) MoveIn() error { return tx.exec(moveIn) }

const hasEntries = `select exists (select from entries)`

// HasEntries says whether the library has any entry.
func (r Reader) HasEntries() (has bool, err error) { return has, r.get(&has, hasEntries) }

// Elsewhere is what a version was in the library that its entry comes from: who wrote
// and approved it there, without its text.
type Elsewhere struct {
	EntryID int64             `db:"entry_id" json:"entry_id"`
	Number  int               `db:"number" json:"number"`
	Life    JSON[bundle.Life] `db:"life" json:"life"`
	Digest  string            `db:"digest" json:"digest"` // of what it said
}

const addElsewhere = `
insert into elsewhere (entry_id, number, life, digest)
select entry_id, number, life, digest
from jsonb_to_recordset($1::jsonb) as e (entry_id bigint, number int, life jsonb, digest text)
on conflict (entry_id, number) do update set life = excluded.life, digest = excluded.digest`

// AddElsewhere keeps what versions were elsewhere, in the place of what was known of it.
func (tx Tx) AddElsewhere(all []Elsewhere) error {
	if len(all) == 0 {
		return nil
	}
	text, err := jsonText(all)
	if err != nil {
		return err
	}
	return tx.exec(addElsewhere, text)
}

const readElsewhere = `select entry_id, number, life, digest from elsewhere where entry_id = $1 order by number desc`

// Elsewhere gives what an entry was in the library that it comes from, the newest first.
func (r Reader) Elsewhere(entryID int64) (all []Elsewhere, err error) {
	return all, r.all(&all, readElsewhere, entryID)
}

// Settle gives drafts the history that they had elsewhere: published, superseded
// and retired ones become that, on the days on which they did. It gives ErrTaken
// if another entry has a short code. What comes on the shelf is looked at again after so many days.
func (tx Tx) Settle(histories []History, by int64, keepFor int) error {
	tx.shelf.changed = true
	text, err := jsonText(histories)
	if err != nil {
		return err
	}
	for i, statement := range settle {
		args := []any{text}
		switch i {
		case 2:
			args = append(args, by)
		case 4:
			args = append(args, tx.at, keepFor)
		}
		if err := tx.exec(statement, args...); err != nil {
			return err
		}
	}
	return nil
}

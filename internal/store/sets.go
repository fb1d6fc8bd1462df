package store

import (
	"time"

	"goldshelf/core/sheet"
)

// SetVersion is one version of a question set.
type SetVersion struct {
	Name   string              `db:"name"`
	Number int                 `db:"number"`
	Title  string              `db:"title"`
	Groups JSON[[]sheet.Group] `db:"groups"`
	Note   string              `db:"note"`
	By     string              `db:"by"` // a full name
	At     time.Time           `db:"at"`
	Newest int                 `db:"newest"`
	Sheets int                 `db:"sheets"` // entries on the shelf that answer any version of it
}

// Set is the version as what sheets answer.
func (v SetVersion) Set() sheet.Set {
	return sheet.Set{Name: v.Name, Version: v.Number, Title: v.Title, Groups: v.Groups.V}
}

const setColumns = `
select s.name, s.number, s.title, s.groups, s.note, p.full_name as by, s.created_at as at,
       (select max(number) from set_versions n where n.name = s.name) as newest,
       (select count(*) from versions v where v.set_name = s.name and v.state = 'published') as sheets
from set_versions s
join people p on p.id = s.created_by`

const sets = setColumns + `
where s.number = (select max(number) from set_versions n where n.name = s.name)
order by s.title, s.name`

// Sets gives the newest version of every question set.
func (r Reader) Sets() (all []SetVersion, err error) { return all, r.all(&all, sets) }

const setVersions = setColumns + `
where s.name = $1
order by s.number desc`

// SetVersions gives the versions of a question set, the newest first.
func (r Reader) SetVersions(name string) (all []SetVersion, err error) {
	return all, r.all(&all, setVersions, name)
}

const setVersion = setColumns + `
where s.name = $1 and s.number = case when $2 > 0 then $2 else (select max(number) from set_versions n where n.name = $1) end`

// SetVersion gives one version of a question set, with 0 the newest, or ErrNotFound.
func (r Reader) SetVersion(name string, number int) (v SetVersion, err error) {
	return v, r.get(&v, setVersion, name, number)
}

const setsByRef = setColumns + `
where s.name || '@' || s.number = any ($1)
order by s.name, s.number`

// SetsByRef gives versions of question sets, each named as audience@2. What is not there is
// left out.
func (r Reader) SetsByRef(refs []string) (all []SetVersion, err error) {
	return all, r.all(&all, setsByRef, refs)
}

const addSet = `insert into question_sets (name, created_at) values ($1, $2) on conflict do nothing`

const lockSet = `select name from question_sets where name = $1 for update`

// LockSet keeps others from adding a version to a question set until the transaction ends,
// or gives ErrNotFound.
func (tx Tx) LockSet(name string) error { return tx.get(&name, lockSet, name) }

const addSetVersion = `
insert into set_versions (name, number, title, groups, note, created_by, created_at)
values ($1, $2, $3, $4, $5, $6, $7)`

// AddSetVersion adds a version to a question set, which is made where it is the first. It
// gives ErrTaken where there is one of that number.
func (tx Tx) AddSetVersion(s sheet.Set, note string, by int64) error {
	groups, err := jsonText(s.Groups)
	if err != nil {
		return err
	}
	if err := tx.exec(addSet, s.Name, tx.at); err != nil {
		return err
	}
	return tx.exec(addSetVersion, s.Name, s.Version, s.Title, groups, note, by, tx.at)
}

const sheetsOfSet = `
select e.slug, v.title, v.summary, v.set_number as number, v.state, p.full_name as owner_name
from versions v
join entries e on e.id = v.entry_id
join people p on p.id = e.owner_id
where v.set_name = $1 and not e.private
  and (v.state = 'published' or $2 and v.state in ('draft', 'in-review', 'approved'))
  and (select bool_and(strpos(lower(v.title || ' ' || v.summary || ' ' || e.slug), lower(word)) > 0) from unnest($3::text[]) word) is not false
order by v.title, e.slug, v.state
limit $4`

// SheetOfSet is a version of an entry that answers a question set.
type SheetOfSet struct {
	Slug      string `db:"slug"`
	Title     string `db:"title"`
	Summary   string `db:"summary"`
	Number    int    `db:"number"` // of the set
	State     string `db:"state"`
	OwnerName string `db:"owner_name"`
}

// SheetsOfSet gives the published sheets that answer a question set, and with drafts the
// open ones too, that have all of some words in title, summary or slug.
func (r Reader) SheetsOfSet(name string, drafts bool, words []string, most int) (all []SheetOfSet, err error) {
	return all, r.all(&all, sheetsOfSet, name, drafts, append([]string{}, words...), most)
}

const factFollowers = `
select v.id, e.slug
from mentions m
join names n on n.how = 'slug' and n.name = m.slug
join versions v on v.id = m.version_id and v.state = 'published'
join entries e on e.id = v.entry_id
where n.entry_id = $1 and m.how = 'fact' and m.number = 0
order by e.slug`

// FactFollower is a published version that has facts of a sheet's published version.
type FactFollower struct {
	VersionID int64  `db:"id"`
	Slug      string `db:"slug"`
}

// FactFollowers gives them.
func (r Reader) FactFollowers(entryID int64) (all []FactFollower, err error) {
	return all, r.all(&all, factFollowers, entryID)
}

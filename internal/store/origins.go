package store

import (
	"fmt"
	"time"
)

const look = `select set_config('goldshelf.person', $1, true)`

// Look has what is read from here on show what is a person's alone, until the transaction
// ends.
func (r Reader) Look(person int64) error { return r.lookAs(fmt.Sprint(person)) }

// LookAtAll has what is read from here on show what is anybody's alone. It is for what the
// service does by itself.
func (r Reader) LookAtAll() error { return r.lookAs("all") }

func (r Reader) lookAs(who string) error {
	var set string
	return r.get(&set, look, who)
}

// Origin is where an entry came from.
type Origin struct {
	EntryID int64
	OfID    int64
	How     string // adaptation or rendition
	Number  int    // of the other's version that was last taken into account
	Purpose string
}

const addOrigin = `insert into origins (entry_id, of_id, how, number, purpose, at) values ($1, $2, $3, $4, $5, $6)`

// AddOrigin says where an entry came from.
func (tx Tx) AddOrigin(o Origin) error {
	return tx.exec(addOrigin, o.EntryID, o.OfID, o.How, o.Number, o.Purpose, tx.at)
}

const hide = `update entries set private = true where id = $1`

// Hide has an entry be its owner's alone.
func (tx Tx) Hide(entryID int64) error { return tx.exec(hide, entryID) }

const share = `update entries set private = false where id = $1 and private returning id`

// Share has an entry be its owner's alone no longer, and says whether it was.
func (tx Tx) Share(entryID int64) (was bool, err error) {
	var ids []int64
	err = tx.all(&ids, share, entryID)
	return len(ids) > 0, err
}

const setOriginNumber = `update origins set number = $2 where entry_id = $1`

// SetOriginNumber says which version of the origin was taken into account last.
func (tx Tx) SetOriginNumber(entryID int64, number int) error {
	return tx.exec(setOriginNumber, entryID, number)
}

// Rendition is an entry on the shelf beside those that say the same.
type Rendition struct {
	EntryID      int64          `db:"entry_id"`
	VersionID    int64          `db:"version_id"`
	Base         bool           `db:"base"`
	Slug         string         `db:"slug"`
	Title        string         `db:"title"`
	Language     string         `db:"language"`
	Applications JSON[[]string] `db:"applications"`
	Models       JSON[[]string] `db:"models"`
}

const renditions = `
with base as (
    select coalesce((select of_id from origins where entry_id = v.entry_id and how = 'rendition'), v.entry_id) as id
    from versions v
    where v.id = $1
),
family as (
    select id, true as base from base
    union all
    select o.entry_id, false from origins o join base on base.id = o.of_id where o.how = 'rendition'
)
select f.id as entry_id, v.id as version_id, f.base, e.slug, v.title, v.language,
       (select coalesce(jsonb_agg(term order by position), '[]') from labels where entry_id = f.id and facet = 'application') as applications,
       (select coalesce(jsonb_agg(term order by position), '[]') from labels where entry_id = f.id and facet = 'model') as models
from family f
join entries e on e.id = f.id
join versions v on v.entry_id = f.id and v.state = 'published'
order by f.base desc, e.slug`

// RenditionsOf gives the renditions that are on the shelf of the entry that a version is of,
// itself and its base among them, the base first. One alone has none.
func (r Reader) RenditionsOf(versionID int64) (all []Rendition, err error) {
	if err := r.all(&all, renditions, versionID); err != nil || len(all) < 2 {
		return nil, err
	}
	return all, nil
}

// Adapted is an adaptation of an entry, as far as it is shared.
type Adapted struct {
	EntryID   int64     `db:"entry_id"`
	Slug      string    `db:"slug"`
	Title     string    `db:"title"`
	Owner     string    `db:"owner"`
	OwnerName string    `db:"owner_name"`
	OwnerID   int64     `db:"owner_id"`
	DeputyID  int64     `db:"deputy_id"`
	State     string    `db:"state"`
	Purpose   string    `db:"purpose"`
	Private   bool      `db:"private"`
	Of        int       `db:"of"` // the origin's version that it takes into account
	At        time.Time `db:"at"`
	Body      string    `db:"body"`
	Base      string    `db:"base"` // the text of that version
}

const adaptations = `
select o.entry_id, e.slug, v.title, p.name as owner, p.full_name as owner_name, e.owner_id, coalesce(e.deputy_id, 0) as deputy_id, v.state,
       o.purpose, e.private, o.number as of, o.at, v.body, b.body as base
from origins o
join entries e on e.id = o.entry_id
join people p on p.id = e.owner_id
join lateral (
    select title, state, body
    from versions
    where entry_id = o.entry_id and (state = 'published' or $2 and state in ('draft', 'in-review', 'approved'))
    order by state = 'published' desc
    limit 1
) v on true
join versions b on b.entry_id = o.of_id and b.number = o.number
where o.of_id = $1 and o.how = 'adaptation'
order by o.at desc
limit 200`

// Adaptations gives the adaptations of an entry that are on the shelf, and with drafts those
// that were never published, the newest first.
func (r Reader) Adaptations(entryID int64, drafts bool) (all []Adapted, err error) {
	return all, r.all(&all, adaptations, entryID, drafts)
}

const renditionBases = `
select e.slug, b.slug as base
from origins o
join entries e on e.id = o.entry_id
join entries b on b.id = o.of_id
where o.how = 'rendition'`

// RenditionBases gives the slug of the base of every rendition, by its own.
func (r Reader) RenditionBases() (map[string]string, error) {
	var rows []struct {
		Slug string `db:"slug"`
		Base string `db:"base"`
	}
	err := r.all(&rows, renditionBases)
	bases := map[string]string{}
	for _, row := range rows {
		bases[row.Slug] = row.Base
	}
	return bases, err
}

const addRenditions = `
insert into origins (entry_id, of_id, how, number, at)
select n.entry_id, b.entry_id, 'rendition', (select max(number) from versions where entry_id = b.entry_id and state in ('published', 'retired', 'draft', 'in-review', 'approved')), $2
from jsonb_to_recordset($1::jsonb) as r (slug text, base text)
join names n on n.how = 'slug' and n.name = r.slug
join names b on b.how = 'slug' and b.name = r.base and b.entry_id <> n.entry_id
on conflict do nothing
returning entry_id`

// AddRenditions says of entries, by slug, of which others they are renditions, and how many
// of them there are now.
func (tx Tx) AddRenditions(bases map[string]string) (n int, err error) {
	type row struct {
		Slug string `json:"slug"`
		Base string `json:"base"`
	}
	rows := []row{}
	for slug, base := range bases {
		rows = append(rows, row{slug, base})
	}
	text, err := jsonText(rows)
	if err != nil {
		return 0, err
	}
	var ids []int64
	err = tx.all(&ids, addRenditions, text, tx.at)
	return len(ids), err
}

package store

import (
	"goldshelf/core/fill"
)

const shelvedIDs = `
select asked.slug, asked.number, v.id, e.kind
from jsonb_to_recordset($1::jsonb) as asked (slug text, number int)
join names n on n.how = 'slug' and n.name = asked.slug
join entries e on e.id = n.entry_id
join versions v on v.entry_id = e.id
 and case when asked.number > 0 then v.number = asked.number and ` + onceShown + ` else v.state = 'published' end`

// ShelvedIDs is ShelvedID, by slug alone, for several entries. What is not on
// the shelf is left out.
func (r Reader) ShelvedIDs(refs []fill.Ref) (all []Needed, err error) {
	text, err := refsJSON(refs)
	if err != nil {
		return nil, err
	}
	return all, r.all(&all, shelvedIDs, text)
}

const closure = `
with recursive need (slug, number, id, fact) as (
    select '', 0, root, false from unnest($1::bigint[]) root
    union
    select m.slug, m.number, v.id, m.how = 'fact'
    from need
    join mentions m on m.version_id = need.id and m.how in ('include', 'fact') and not need.fact
    join names n on n.how = 'slug' and n.name = m.slug
    join entries e on e.id = n.entry_id
    join versions v on v.entry_id = e.id
     and case when m.number > 0 then v.number = m.number and ` + onceShown + ` else v.state = 'published' end
)
select distinct slug, number, id from need`

// Needed is a version that goes into a text, under the name by which it is
// asked for there: its slug, with a number or 0 for whichever is published.
// The texts themselves have no name.
type Needed struct {
	Slug   string `db:"slug"`
	Number int    `db:"number"`
	ID     int64  `db:"id"`
	Kind   string `db:"kind"` // where ShelvedIDs gives it
}

// Asked is the name by which the version is asked for.
func (n Needed) Asked() fill.Ref { return fill.Ref{Entry: n.Slug, Version: n.Number} }

// Closure gives the versions that published versions include or have a fact of, directly
// and through others, and those versions themselves. Of a sheet that only gives a fact,
// what it includes is not needed. What is not there is left out.
func (r Reader) Closure(ids []int64) (all []Needed, err error) {
	return all, r.all(&all, closure, ids)
}

var included = `
with recursive wanted (slug, asked, fact) as (
    select m.slug, m.number, m.how = 'fact' from jsonb_to_recordset($1::jsonb) as m (slug text, number int, how text)
    union
    select m.slug, m.number, m.how = 'fact'
    from wanted w
    join names n on n.how = 'slug' and n.name = w.slug
join entries e on e.id = n.entry_id
    join versions v on v.entry_id = e.id and ` + answering + `
    join mentions m on m.version_id = v.id and m.how in ('include', 'fact') and not w.fact
)
select w.asked, w.slug as asked_slug, whole.*
from (select distinct slug, asked from wanted) w
join names n on n.how = 'slug' and n.name = w.slug
join entries e on e.id = n.entry_id
join versions v on v.entry_id = e.id and ` + answering + `
join lateral (` + columns + ` where id = v.id) whole on true`

// answering picks the version that an include gets: the one it is pinned to,
// if that was ever published; or the published one; or, where drafts may be
// seen ($2 all, or $3 one's own) and nothing is published, the newest.
const answering = `case
        when w.asked > 0 then v.number = w.asked and ` + onceShown + `
        else v.state = 'published' or ($2 or e.owner_id = $3 or e.deputy_id = $3) and v.published_at is null and not exists (
            select from versions p where p.entry_id = e.id and (p.state = 'published' or p.number > v.number))
    end`

// Included is a version that an include gets, with the number it asked for:
// 0 for whichever is published.
type Included struct {
	Asked     int    `db:"asked"`
	AskedSlug string `db:"asked_slug"` // one that its entry has or had
	Version
}

// Included gives, in one round trip, every version that texts with the given
// includes and facts put in place, directly and through others. What is not there is
// left out. Entries that were never published answer with their newest version
// where that may be seen.
func (r Reader) Included(named []Mention, sight Sight) (all []Included, err error) {
	text, err := jsonText(named)
	if err != nil {
		return nil, err
	}
	return all, r.all(&all, included, text, sight.All, sight.Own)
}

// refsJSON gives references as rows (slug, number) for a parameter.
func refsJSON(refs []fill.Ref) (string, error) {
	list := make([]Mention, len(refs))
	for i, ref := range refs {
		list[i] = Mention{Slug: ref.Entry, Number: ref.Version}
	}
	return jsonText(list)
}

const usersOf = `
with recursive users (version_id, entry_id, number, state, via, how, pinned, follows) as (
    select v.id, v.entry_id, v.number, v.state, '', m.how, m.number, m.number = 0
    from mentions m
    join versions v on v.id = m.version_id
    where m.slug in (select name from names where how = 'slug' and entry_id = (select entry_id from names where how = 'slug' and name = $1))
    union
    select v.id, v.entry_id, v.number, v.state, e.slug, m.how, m.number, u.follows and m.number = 0
    from users u
    join entries e on e.id = u.entry_id
    join names n on n.how = 'slug' and n.entry_id = e.id
    join mentions m on m.slug = n.name and m.how <> 'fact' and (m.number = u.number or m.number = 0 and u.state = 'published')
    join versions v on v.id = m.version_id
)
select e.slug, e.kind, w.title, u.number, u.state, p.full_name as owner_name,
       min(u.how) filter (where u.via = '') as how,
       coalesce(max(u.pinned) filter (where u.via = ''), 0) as pinned,
       coalesce(jsonb_agg(distinct u.via) filter (where u.via <> ''), '[]') as through,
       bool_or(u.follows) as follows
from users u
join entries e on e.id = u.entry_id
join versions w on w.id = u.version_id
join people p on p.id = e.owner_id
where u.state = 'published' or $2 and u.state in ('draft', 'in-review', 'approved')
group by e.slug, e.kind, w.title, u.number, u.state, p.full_name
order by min(u.how) filter (where u.via = '') is null, w.title, e.slug, u.number`

// User is a version that uses an entry, directly or through others.
type User struct {
	Slug      string         `db:"slug"`
	Kind      string         `db:"kind"`
	Title     string         `db:"title"`
	Number    int            `db:"number"`
	State     string         `db:"state"`
	OwnerName string         `db:"owner_name"`
	How       *string        `db:"how"`     // include, persona, style, sheet, step or fact; nil if only through others
	Pinned    int            `db:"pinned"`  // the version it stays at; 0 if it follows or is not direct
	Through   JSON[[]string] `db:"through"` // slugs of the users in between
	Follows   bool           `db:"follows"` // publishing a new version changes it
}

// UsersOf gives the published versions that use an entry, and with drafts the
// open ones too; direct users first.
func (r Reader) UsersOf(slug string, drafts bool) (all []User, err error) {
	return all, r.all(&all, usersOf, slug, drafts)
}

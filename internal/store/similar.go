package store

import (
	"goldshelf/core/likeness"
)

// mostSimilar is how many texts are looked at more closely.
const mostSimilar = 40

const similar = `
with near as (
    (select version_id, 1 as how from prints where bands && $1 limit 400)
    union all
    (select version_id, 0 as how from prints where units && $2 limit 400)
),
seen as (
    select v.id, e.slug, e.kind, v.number, v.state, v.title, p.full_name as owner_name, max(near.how) as how,
           (select count(*) from unnest(r.bands) b where b = any ($1)) +
           (select count(*) from unnest(r.units) u where u = any ($2)) as shared
    from near
    join prints r using (version_id)
    join versions v on v.id = near.version_id
    join entries e on e.id = v.entry_id
    join people p on p.id = e.owner_id
    where e.id is distinct from (select entry_id from names where how = 'slug' and name = $3)
      and (v.state = 'published' or v.state in ('draft', 'in-review', 'approved') and ($4 or e.owner_id = $5 or e.deputy_id = $5))
    group by v.id, e.slug, e.kind, p.full_name, r.version_id
    order by how desc, shared desc, v.id
    limit $6
)
select s.id, s.slug, s.kind, s.number, s.state, s.title, s.owner_name, v.body
from seen s
join versions v using (id)`

// Near is a version whose text may be like another.
type Near struct {
	ID        int64  `db:"id"`
	Slug      string `db:"slug"`
	Kind      string `db:"kind"`
	Number    int    `db:"number"`
	State     string `db:"state"`
	Title     string `db:"title"`
	OwnerName string `db:"owner_name"`
	Body      string `db:"body"`
}

// Similar gives the versions that share a band or a unit with a print, those
// first that share the most: published ones, and open ones that the viewer may
// see. The entry with the slug not is left out.
func (r Reader) Similar(p likeness.Print, not string, sight Sight) (all []Near, err error) {
	return all, r.all(&all, similar, append([]int64{}, p.Bands...), append([]int64{}, p.Units...), not, sight.All, sight.Own, mostSimilar)
}

const sharedBands = `
select to_jsonb((array_agg(version_id order by version_id))[1:30]) as ids
from (
    select r.version_id, band
    from prints r
    join versions v on v.id = r.version_id and v.state in ('draft', 'in-review', 'approved', 'published'),
    unnest(r.bands) band
) each_band
group by band
having count(*) > 1
order by count(*) desc, min(version_id)
limit 20000`

const sharedUnits = `
select to_jsonb((array_agg(version_id order by version_id))[1:30]) as ids
from (
    select r.version_id, v.entry_id, unit
    from prints r
    join versions v on v.id = r.version_id and v.state = 'published',
    unnest(r.units) unit
) each_unit
group by unit
having count(distinct entry_id) > 2
order by count(*) desc, min(version_id)
limit 500`

// SharedBands gives, for each band that several current versions have, their ids, those that
// the most have first: 20,000 at most, and of each thirty ids.
func (r Reader) SharedBands() ([][]int64, error) {
	return r.idLists(sharedBands)
}

// SharedUnits gives, for each sentence that three published entries or more
// have, the ids of their versions, the commonest first: 500 at most, and of each thirty ids.
func (r Reader) SharedUnits() ([][]int64, error) {
	return r.idLists(sharedUnits)
}

func (r Reader) idLists(query string) ([][]int64, error) {
	var rows []JSON[[]int64]
	if err := r.all(&rows, query); err != nil {
		return nil, err
	}
	lists := make([][]int64, len(rows))
	for i, row := range rows {
		lists[i] = row.V
	}
	return lists, nil
}

const nearByID = `
select v.id, e.slug, e.kind, v.number, v.state, v.title, p.full_name as owner_name, v.body
from versions v
join entries e on e.id = v.entry_id
join people p on p.id = e.owner_id
where v.id = any ($1)
order by e.slug, v.number`

// NearByID gives versions by their ids, in the order of their slugs.
func (r Reader) NearByID(ids []int64) (all []Near, err error) {
	return all, r.all(&all, nearByID, ids)
}

const drifted = `
select e.slug, v.title, o.how, b.slug as of, i.title as of_title, o.number as from_number, i.number as now_number, v.body, w.body as was, i.body as is_now
from origins o
join entries e on e.id = o.entry_id
join entries b on b.id = o.of_id
join lateral (
    select title, body
    from versions
    where entry_id = o.entry_id and state in ('published', 'draft', 'in-review', 'approved')
    order by state = 'published' desc
    limit 1
) v on true
join versions i on i.entry_id = o.of_id and i.state = 'published'
join versions w on w.entry_id = o.of_id and w.number = o.number
where i.number > o.number and not e.private
order by i.number - o.number desc, e.slug
limit 1000`

// Drifted is an entry whose origin has moved on since it was compared with that
// last: its text, and the origin's as it was then and as it is.
type Drifted struct {
	Slug    string `db:"slug"`
	Title   string `db:"title"`
	How     string `db:"how"` // adaptation or rendition
	Of      string `db:"of"`
	OfTitle string `db:"of_title"`
	From    int    `db:"from_number"`
	Now     int    `db:"now_number"`
	Body    string `db:"body"`
	Was     string `db:"was"`
	Is      string `db:"is_now"`
}

// Drifted gives the entries, on the shelf or still drafts, whose origin has moved on, those first that are the
// most versions behind; a thousand at most.
func (r Reader) Drifted() (all []Drifted, err error) { return all, r.all(&all, drifted) }

const dropPrints = `delete from prints where version_id in (select id from versions where entry_id = $1 and state = 'superseded')`

package store

import (
	"time"
)

// Viewer is whose desk it is, and when.
type Viewer struct {
	ID         int64
	Makes      bool // drafts
	Reviews    bool
	Curates    bool
	Patience   time.Duration // until the next reviewer is asked too
	Overdue    time.Time     // reviews asked for before are reminded of
	Untouched  time.Time     // drafts saved last before are left lying
	DeskCursor               // where the page before ended
	Limit      int
}

// DeskCursor is a place on a desk. It stays right while things come and go.
type DeskCursor struct {
	Rank  int       `json:"r" db:"rank"`
	Since time.Time `json:"s" db:"since"`
	Entry int64     `json:"e" db:"entry_id"`
}

// Waiting is one thing that waits on somebody's desk. Why says what it is.
type Waiting struct {
	DeskCursor
	VersionID int64  `db:"version_id"`
	Why       string `db:"why"`
	What      string `db:"what"` // a reason, a slug or a name, by what it is
}

// The reasons why something waits, in the order of need.
const (
	WhyFailed    = "failed"    // its publication failed at its time; What says why
	WhyOffered   = "offered"   // someone offers it to the viewer; What is who
	WhyOverdue   = "overdue"   // a review that has waited long
	WhyReview    = "review"    // a review
	WhyReturned  = "returned"  // a draft that was returned; What is the reason
	WhyCommented = "commented" // someone else had the last word; What is in how many threads
	WhyApproved  = "approved"  // to be published
	WhyLost      = "lost"      // on the shelf, and uses what is not; What is that
	WhyOrphan    = "orphan"    // whose owner has left; What is who
	WhyStale     = "stale"     // to be looked at again
	WhyDraft     = "draft"     // a draft
	WhyUntouched = "untouched" // a draft left lying
	WhyMoved     = "moved"     // came of what has a newer version on the shelf; What is that
	WhyGone      = "gone"      // labelled with an application or a model that is gone; What is its title
	WhyAsked     = "asked"     // a sheet whose question set has moved on; What is its newest version
	WhyReported  = "reported"  // somebody says that it fell short; What is how many
)

// Where it says of a state what follows from it, it leads to an index of those states.
const desk = `
with item as (
    select 0 as rank, 'failed' as why, (select entry_id from versions where id = pv.version_id) as entry_id, pv.version_id,
           c.at as since, c.failed as what
    from publications c
    join publication_versions pv on pv.publication_id = c.id
    where $4 and c.failed <> ''
    union all
    select 1, 'offered', o.entry_id, (select v.id from versions v where v.entry_id = o.entry_id order by v.number desc limit 1), o.at, b.full_name
    from offers o
    join people b on b.id = o.by_id
    where o.to_id = $1
    union all
    select case when v.submitted_at <= $7 then 2 else 3 end,
           case when v.submitted_at <= $7 then 'overdue' else 'review' end,
           v.entry_id, v.id, v.submitted_at, ''
    from versions v
    where v.state = 'in-review' and v.state in ('in-review', 'approved') and $3
      and not exists (select from writers where version_id = v.id and person_id = $1)
      and not exists (select from approvals where version_id = v.id and person_id = $1)
      and (v.asked = '{}'
           or $1 = any (v.asked)
              -- as many of those who are here are asked as approvals are needed, and one more each time the others let it wait
              and (select count(*)
                   from unnest(v.asked) with ordinality a (id, n)
                   join people p on p.id = a.id
                   where a.n <= array_position(v.asked, $1) and p.active and (library_day($5) between p.away_from and p.away_until) is not true)
                  <= v.approvals_needed + floor(extract(epoch from $5::timestamptz - v.submitted_at) / $6::float8))
    union all
    select 5, 'commented', c.entry_id, max(c.version_id), min(c.at), count(*)::text
    from comments c
    join entries e on e.id = c.entry_id and (e.owner_id = $1 or e.deputy_id = $1)
    where $2 and c.answer_to is null and c.settled_at is null
      and coalesce((select a.person_id from comments a where a.answer_to = c.id order by a.id desc limit 1), c.person_id) <> $1
    group by c.entry_id
    union all
    select 5, 'reported', r.entry_id, max(v.id), min(r.at), count(*)::text
    from reports r
    join entries e on e.id = r.entry_id and (e.owner_id = $1 or e.deputy_id = $1)
    join versions v on v.entry_id = e.id and v.state = 'published'
    where $2 and not r.worked and r.settled_at is null and r.settled_in is null
    group by r.entry_id
    union all
    select 6, 'approved', v.entry_id, v.id, coalesce(v.submitted_at, v.saved_at), ''
    from versions v
    where v.state = 'approved' and v.state in ('in-review', 'approved') and $4 and not exists (select from publication_versions where version_id = v.id)
    union all
    select case when v.returned <> '' then 4 when v.saved_at < $8 then 11 else 10 end,
           case when v.returned <> '' then 'returned' when v.saved_at < $8 then 'untouched' else 'draft' end,
           v.entry_id, v.id, v.saved_at, v.returned
    from entries e
    join versions v on v.entry_id = e.id and v.state in ('draft', 'in-review', 'approved') and v.state = 'draft'
    where $2 and (e.owner_id = $1 or e.deputy_id = $1)
    union all
    select distinct on (v.entry_id) 7, 'lost', v.entry_id, v.id, v.published_at, m.slug
    from entries e
    join versions v on v.entry_id = e.id and v.state = 'published'
    join mentions m on m.version_id = v.id
    where $2 and (e.owner_id = $1 or e.deputy_id = $1)
      and not exists (select from names t join versions tv on tv.entry_id = t.entry_id
                      where t.how = 'slug' and t.name = m.slug
                        and case when m.number = 0 then tv.state = 'published' else tv.number = m.number and tv.published_at is not null and tv.taken_back = '' end)
    union all
    select 8, 'orphan', e.id, v.id, v.saved_at, p.full_name
    from entries e
    join people p on p.id = e.owner_id and not p.active
    join lateral (select id, saved_at, state from versions where entry_id = e.id order by number desc limit 1) v on true
    where $4 and v.state <> 'retired'
    union all
    select 9, 'moved', og.entry_id, v.id, ov.published_at, oe.slug
    from entries e
    join origins og on og.entry_id = e.id
    join entries oe on oe.id = og.of_id
    join versions ov on ov.entry_id = og.of_id and ov.state = 'published' and ov.number > og.number
    join lateral (select id, state from versions where entry_id = e.id order by number desc limit 1) v on v.state <> 'retired'
    where $2 and (e.owner_id = $1 or e.deputy_id = $1)
    union all
    select distinct on (e.id) 8, 'gone', e.id, v.id, v.published_at, t.title
    from register r
    join terms t on t.facet = r.facet and t.name = r.term
    join labels l on l.facet = r.facet and l.term = r.term
    join entries e on e.id = l.entry_id
    join versions v on v.entry_id = e.id and v.state = 'published'
    where $2 and r.details ->> 'status' = 'gone' and (e.owner_id = $1 or e.deputy_id = $1)
    union all
    select 9, 'asked', e.id, v.id, s.created_at, s.name || '@' || s.number
    from entries e
    join lateral (select id, set_name, set_number, state from versions where entry_id = e.id order by number desc limit 1) v on v.set_name is not null and v.state <> 'retired'
    join set_versions s on s.name = v.set_name and s.number > v.set_number and s.number = (select max(number) from set_versions n where n.name = v.set_name)
    where $2 and (e.owner_id = $1 or e.deputy_id = $1)
    union all
    select 9, 'stale', e.id, v.id, e.review_by::timestamp at time zone (select zone from library), ''
    from entries e
    join versions v on v.entry_id = e.id and v.state = 'published'
    where $2 and (e.owner_id = $1 or e.deputy_id = $1) and e.review_by < library_day($5)
),
total as (select why, count(*)::int as n from item group by why)
select item.*, null::int as n
from (
    select * from item
    where (rank, since, entry_id) > ($9::int, $10::timestamptz, $11::bigint)
    order by rank, since, entry_id
    limit $12
) item
union all
select null, why, null, null, null, null, n from total`

const heads = `
select id, slug, kind, number, state, title, summary, code, labels, owner, owner_name, saver_name, submitter, publisher, note, seen, saved_at, published_at
from whole_versions
where id = any ($1)`

// Heads gives versions by their ids, in no order, with what a desk says of them:
// not their texts, nor the parts of these.
func (r Reader) Heads(ids []int64) (all []Version, err error) {
	return all, r.all(&all, heads, ids)
}

// Desk gives what waits for someone, in the order of need and then the oldest
// first, and how much there is of each.
func (r Reader) Desk(v Viewer) (page []Waiting, counts map[string]int, err error) {
	var rows []struct {
		Rank      *int       `db:"rank"`
		Why       string     `db:"why"`
		EntryID   *int64     `db:"entry_id"`
		VersionID *int64     `db:"version_id"`
		Since     *time.Time `db:"since"`
		What      *string    `db:"what"`
		N         *int       `db:"n"`
	}
	err = r.all(&rows, desk, v.ID, v.Makes, v.Reviews, v.Curates, r.at, v.Patience.Seconds(), v.Overdue, v.Untouched,
		v.Rank, v.Since, v.Entry, v.Limit)
	counts = map[string]int{}
	for _, row := range rows {
		if row.N != nil {
			counts[row.Why] = *row.N
			continue
		}
		page = append(page, Waiting{DeskCursor{*row.Rank, *row.Since, *row.EntryID}, *row.VersionID, row.Why, *row.What})
	}
	return page, counts, err
}

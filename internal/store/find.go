package store

import (
	"encoding/json"
	"time"
)

// Query narrows a list of entries.
type Query struct {
	Words  []string            // each must occur; letters and digits only
	Labels map[string][]string // by facet, "kind" included: any of the terms
	State  string              // with All: only versions in this state
	All    bool                // not only what is published
	Sight  Sight               // with All: which drafts to include
	Mine   bool                // with All: only what the viewer owns or stands in for
	Newest bool                // the newest first, not the best match
	After  *Place              // where the page before ended
	Limit  int
}

// Sight is which versions that were never published somebody may see: all of them, or
// those of the entries that a person answers for. The zero Sight sees none.
type Sight struct {
	All bool
	Own int64 // a person, or 0
}

// Place is where an entry stands in a list. It stays right while others are
// added or taken away.
type Place struct {
	Rank  float64 `json:"r"`
	Title string  `json:"t"`
	ID    int64   `json:"i"`
}

// Found is a page of a list, with the number of all entries that match and,
// for each term, of those that match the rest of the query.
type Found struct {
	Items []FoundItem
	Total int
	Terms []TermCount
}

// FoundItem is an entry in a list.
type FoundItem struct {
	ID          int64               `json:"id"`
	Rank        float64             `json:"rank"`
	Slug        string              `json:"slug"`
	Kind        string              `json:"kind"`
	Title       string              `json:"title"`
	Summary     string              `json:"summary"`
	Code        string              `json:"code"`
	Number      int                 `json:"number"`
	State       string              `json:"state"`
	Owner       string              `json:"owner"`
	OwnerName   string              `json:"owner_name"`
	SavedAt     time.Time           `json:"saved_at"`
	PublishedAt *time.Time          `json:"published_at"`
	Labels      map[string][]string `json:"labels"`
	Body        string              `json:"body"` // empty unless words were asked for
}

// TermCount is how many entries have a term.
type TermCount struct {
	Facet string `json:"facet"`
	Term  string `json:"term"`
	Count int    `json:"count"`
}

const find = `
with chosen as (
    select key as facet, array(select jsonb_array_elements_text(value)) as terms
    from jsonb_each($1::jsonb)
),
hit as (
    select v.id, v.entry_id, e.slug, e.kind, v.title, v.summary, v.code, v.number, v.state, v.saved_at, v.published_at, e.owner_id,
           case when $11 then -extract(epoch from coalesce(v.published_at, v.saved_at))::float8
                when $2::text[] = '{}' then 0
                else -ts_rank(v.search, search_query($2))::float8 end as rank,
           array(select c.facet from chosen c
                 where case when c.facet = 'kind' then e.kind <> all (c.terms)
                       else not exists (select from labels l where l.entry_id = v.entry_id and l.facet = c.facet and l.term = any (c.terms)) end
           ) as failed
    from versions v
    join entries e on e.id = v.entry_id
    where ($2 = '{}' or v.search @@ search_query($2))
      and case when $3 then
              v.id = (select o.id from versions o
                      where o.entry_id = e.id and (o.state = 'published' or
                            o.state <> 'superseded' and ($4 or e.owner_id = $5 or e.deputy_id = $5))
                      order by o.number desc limit 1)
              and ($6 = '' or v.state = $6) and (not $12 or e.owner_id = $5 or e.deputy_id = $5)
          else v.state = 'published' end
),
page as (
    select * from hit
    where failed = '{}' and ($7::text is null or (rank, title, id) > ($8::float8, $7, $9::bigint))
    order by rank, title, id
    limit $10
)
select (select count(*) from hit where failed = '{}') as total,
       (select coalesce(jsonb_agg(jsonb_build_object('facet', facet, 'term', term, 'count', n)), '[]')
        from (select facet, term, count(*) filter (where failed = '{}' or failed = array[facet]) as n
              from (select l.facet, l.term, failed from hit join labels l using (entry_id)
                    union all
                    select 'kind', kind, failed from hit) each_label
              group by facet, term) counted) as terms,
       (select coalesce(jsonb_agg(to_jsonb(page) || jsonb_build_object(
                   'owner', p.name, 'owner_name', p.full_name,
                   'body', case when $2 = '{}' then '' else (select body from versions where id = page.id) end,
                   'labels', labels_of(page.entry_id))
                   order by page.rank, page.title, page.id), '[]')
        from page join people p on p.id = page.owner_id) as items`

// Find lists entries, the best match first and by title where nothing is
// searched for, in one round trip.
func (r Reader) Find(q Query) (Found, error) {
	labels, err := jsonText(q.Labels)
	if err != nil {
		return Found{}, err
	}
	if len(q.Labels) == 0 {
		labels = "{}"
	}
	var after Place
	var title *string
	if q.After != nil {
		after, title = *q.After, &q.After.Title
	}
	var row struct {
		Total int    `db:"total"`
		Terms []byte `db:"terms"`
		Items []byte `db:"items"`
	}
	err = r.get(&row, find, labels, append([]string{}, q.Words...), q.All, q.Sight.All, q.Sight.Own, q.State,
		title, after.Rank, after.ID, q.Limit, q.Newest, q.Mine)
	if err != nil {
		return Found{}, err
	}
	found := Found{Total: row.Total}
	if err := json.Unmarshal(row.Terms, &found.Terms); err != nil {
		return Found{}, err
	}
	return found, json.Unmarshal(row.Items, &found.Items)
}

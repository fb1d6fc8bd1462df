package store

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"goldshelf/core/entry"
	"goldshelf/core/search"
)

// SearchState is a moment of the library, as far as an index of it goes.
type SearchState struct {
	Moment   string  // a pg_snapshot
	Changed  []int64 // entries that changed between another moment and this one
	Synonyms int     // the number of the lists of words that mean the same
	Labels   int     // the number of the facets and their terms
}

const searchState = `
select pg_current_snapshot()::text as moment,
       case when $1 = '' then '[]' else search_changes_since(nullif($1, '')::pg_snapshot) end as changed,
       (select number from synonyms) as synonyms, (select number from labels_number) as labels`

// SearchState gives the moment that is read, and the entries that have changed since
// another one; none where that is empty.
func (s Snapshot) SearchState(since string) (SearchState, error) {
	var row struct {
		Moment   string        `db:"moment"`
		Changed  JSON[[]int64] `db:"changed"`
		Synonyms int           `db:"synonyms"`
		Labels   int           `db:"labels"`
	}
	err := s.get(&row, searchState, since)
	return SearchState{row.Moment, row.Changed.V, row.Synonyms, row.Labels}, err
}

const isLater = `
select (pg_snapshot_xmax($1::pg_snapshot), pg_snapshot_xmin($1::pg_snapshot)) > (pg_snapshot_xmax($2::pg_snapshot), pg_snapshot_xmin($2::pg_snapshot))
       or pg_snapshot_xmax($1::pg_snapshot) = pg_snapshot_xmax($2::pg_snapshot) and pg_snapshot_xmin($1::pg_snapshot) = pg_snapshot_xmin($2::pg_snapshot)
          and (select count(*) from pg_snapshot_xip($1::pg_snapshot)) <= (select count(*) from pg_snapshot_xip($2::pg_snapshot))`

// IsLater says whether one moment sees all that another does.
func (s Snapshot) IsLater(moment, than string) (is bool, err error) {
	return is, s.get(&is, isLater, moment, than)
}

const searchDocuments = `
select v.id, v.entry_id, v.state, e.kind, p.name, p.full_name, e.owner_id, coalesce(e.deputy_id, 0),
       extract(epoch from coalesce(v.published_at, v.saved_at))::bigint, e.private, e.slug, v.code, v.title, v.summary, v.body, v.language,
       concat_ws(' ', p.full_name, p.name, v.source ->> 'place', v.source ->> 'link', v.source ->> 'person',
                 (select string_agg(name, ' ') from names where entry_id = e.id and name <> e.slug),
                 case when v.set_name is not null then v.set_name || ' ' || (select string_agg(replace(key, '_', ' ') || ' ' || value, ' ') from jsonb_each_text(v.answers)) end)
from versions v
join entries e on e.id = v.entry_id
join people p on p.id = e.owner_id
where v.state <> 'superseded'`

const searchLabels = `
select l.facet, l.term, t.title, jsonb_agg(l.entry_id) as of
from labels l
join terms t on t.facet = l.facet and t.name = l.term
where true
group by l.facet, l.term, t.title
order by l.facet, l.term`

const searchBlanks = `
select b.version_id, string_agg(concat_ws(' ', b.name, b.ask, array_to_string(b.options, ' ')), ' ') as words
from blanks b
where true
group by b.version_id`

// searchOf has the queries read some entries alone.
var searchOf = strings.NewReplacer(
	"v.state <> 'superseded'", "v.state <> 'superseded' and v.entry_id = any ($1)",
	"from labels l\njoin terms t on t.facet = l.facet and t.name = l.term\nwhere true", "from labels l\njoin terms t on t.facet = l.facet and t.name = l.term\nwhere l.entry_id = any ($1)",
	"from blanks b\nwhere true", "from blanks b\nwhere b.version_id in (select id from versions where entry_id = any ($1) and state <> 'superseded')",
)

// SearchDocuments gives each version of some entries that may be found, or of all where
// entries is nil, one after the other.
func (s Snapshot) SearchDocuments(entries []int64, do func(search.Document)) error {
	documents, labels, blanks, args := searchDocuments, searchLabels, searchBlanks, []any{}
	if entries != nil {
		documents, labels, blanks, args = searchOf.Replace(documents), searchOf.Replace(labels), searchOf.Replace(blanks), []any{entries}
	}
	var terms []struct {
		Facet string        `db:"facet"`
		Term  string        `db:"term"`
		Title string        `db:"title"`
		Of    JSON[[]int64] `db:"of"`
	}
	var asked []struct {
		Version int64  `db:"version_id"`
		Words   string `db:"words"`
	}
	if err := s.all(&terms, labels, args...); err != nil {
		return err
	}
	if err := s.all(&asked, blanks, args...); err != nil {
		return err
	}
	of := map[int64][]uint16{} // terms of each entry, by their place in the list
	for i, t := range terms {
		for _, id := range t.Of.V {
			of[id] = append(of[id], uint16(i))
		}
		terms[i].Of.V = nil
	}
	words := map[int64]string{}
	for _, b := range asked {
		words[b.Version] = b.Words
	}
	rows, err := s.q.QueryContext(s.ctx, documents, args...)
	if err != nil {
		return known(err)
	}
	defer rows.Close()
	for rows.Next() {
		var d search.Document
		var from string
		if err := rows.Scan(&d.ID, &d.Entry, &d.State, &d.Kind, &d.Owner, &d.OwnerName, &d.People[0], &d.People[1],
			&d.At, &d.Private, &d.Slug, &d.Code, &d.Title, &d.Summary, &d.Body, &d.Language, &from); err != nil {
			return known(err)
		}
		d.Shelf = d.State == "published" || d.State == "retired"
		extra := []string{from, words[d.ID]}
		for _, i := range of[d.Entry] {
			d.Labels = append(d.Labels, search.Label{Facet: terms[i].Facet, Term: terms[i].Term})
			extra = append(extra, terms[i].Title)
		}
		d.Extra = strings.Join(extra, " ")
		do(d)
	}
	return known(rows.Err())
}

const holding = `
select id
from versions
where id = any ($1)
  and (select bool_and(strpos(lower(title collate "C"), phrase) > 0 or strpos(lower(summary collate "C"), phrase) > 0 or strpos(lower(body collate "C"), phrase) > 0)
       from unnest($2::text[]) phrase) is not false
  and (select bool_or(strpos(lower(title collate "C"), phrase) > 0 or strpos(lower(summary collate "C"), phrase) > 0 or strpos(lower(body collate "C"), phrase) > 0)
       from unnest($3::text[]) phrase) is not true`

// Holding gives those of some versions that hold all of some phrases and none of others,
// letter by letter but for the case of ASCII letters.
func (r Reader) Holding(ids []int64, all, none []string) (held []int64, err error) {
	return held, r.all(&held, holding, ids, lowerASCII(all), lowerASCII(none))
}

func lowerASCII(phrases []string) []string {
	lower := make([]string, len(phrases))
	for i, p := range phrases {
		lower[i] = strings.Map(func(r rune) rune {
			if r >= 'A' && r <= 'Z' {
				r += 'a' - 'A'
			}
			return r
		}, p)
	}
	return lower
}

const dropSearchChanges = `delete from search_changes where at < now() - make_interval(secs => $1)`

// DropSearchChanges forgets what changed longer ago: an index that is older is made anew.
func (tx Tx) DropSearchChanges(after time.Duration) error {
	return tx.exec(dropSearchChanges, after.Seconds())
}

const foundItems = `
select v.id, e.slug, e.kind, v.title, v.summary, v.code, v.number, v.state, v.saved_at, v.published_at, p.name as owner, p.full_name as owner_name,
       (select coalesce(string_agg(facet || ' ' || term || ' ' || position, ' '), '') from labels where entry_id = e.id) as labels,
       case when $2 then v.body else '' end as body, v.pictures -> 0 as picture
from versions v
join entries e on e.id = v.entry_id
join people p on p.id = e.owner_id
where v.id = any ($1)`

// FoundItem is an entry in a list.
type FoundItem struct {
	ID          int64                `db:"id"` // of the version
	Slug        string               `db:"slug"`
	Kind        string               `db:"kind"`
	Title       string               `db:"title"`
	Summary     string               `db:"summary"`
	Code        string               `db:"code"`
	Number      int                  `db:"number"`
	State       string               `db:"state"`
	Owner       string               `db:"owner"`
	OwnerName   string               `db:"owner_name"`
	SavedAt     time.Time            `db:"saved_at"`
	PublishedAt *time.Time           `db:"published_at"`
	Labels      labelList            `db:"labels"`
	Body        string               `db:"body"` // empty unless asked for
	Picture     JSON[*entry.Picture] `db:"picture"`
}

// labelList is labels as one text, which is made and read sooner than JSON: the name of a
// facet, the name of a term, its position, and so on. No name has a blank.
type labelList string

// ByFacet gives the terms of each facet in their order.
func (l labelList) ByFacet() map[string][]string {
	all := slices.Collect(slices.Chunk(strings.Fields(string(l)), 3))
	slices.SortFunc(all, func(a, b []string) int {
		return cmp.Or(len(a[2])-len(b[2]), strings.Compare(a[2], b[2])) // as numbers
	})
	of := map[string][]string{}
	for _, label := range all {
		of[label[0]] = append(of[label[0]], label[1])
	}
	return of
}

// FoundItems gives versions as lists show them, by id and in no order.
func (r Reader) FoundItems(ids []int64, bodies bool) (all []FoundItem, err error) {
	return all, r.all(&all, foundItems, ids, bodies)
}

const synonyms = `select lists, number from synonyms`

// Synonyms gives lists of words that mean the same, and the number of their last change.
func (r Reader) Synonyms() (lists [][]string, number int, err error) {
	var row struct {
		Lists  JSON[[][]string] `db:"lists"`
		Number int              `db:"number"`
	}
	err = r.get(&row, synonyms)
	return row.Lists.V, row.Number, err
}

const setSynonyms = `update synonyms set lists = $1, number = number + 1 where number = $2 returning number`

// SetSynonyms changes what was read as number, or gives ErrChanged.
func (tx Tx) SetSynonyms(lists [][]string, on int) (number int, err error) {
	text, err := jsonText(lists)
	if err != nil {
		return 0, err
	}
	if err = tx.get(&number, setSynonyms, text, on); err == ErrNotFound {
		err = ErrChanged
	}
	return number, err
}

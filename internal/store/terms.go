package store

import (
	"time"

	"github.com/google/uuid"

	"goldshelf/core/check"
)

const setTerm = `
update terms
set title = $3, under = nullif($4, ''), retired = $5
where facet = $1 and name = $2
returning name`

// SetTerm changes all that a term is but its name, or gives ErrNotFound.
func (tx Tx) SetTerm(t Term) error {
	return tx.get(&t.Name, setTerm, t.Facet, t.Name, t.Title, t.Under, t.Retired)
}

const pastTerms = `select facet, name, term as now from past_terms`

// PastTerm is the name of a term that became part of another.
type PastTerm struct {
	Facet string `db:"facet" json:"facet"`
	Name  string `db:"name" json:"name"`
	Now   string `db:"now" json:"now"`
}

// PastTerms gives every name that terms had, and what it is now.
func (r Reader) PastTerms() (all []PastTerm, err error) { return all, r.all(&all, pastTerms) }

// Merged is what a term was that became part of another, and all that was moved.
type Merged struct {
	Facet    string      `json:"facet"`
	Term     string      `json:"term"`
	Into     string      `json:"into"`
	Title    string      `json:"title"`
	Under    string      `json:"under"`
	Retired  bool        `json:"retired"`
	Position int         `json:"position"`
	Labels   []HadLabel  `json:"labels"`
	Parts    []string    `json:"parts"`   // the terms under it
	Past     []string    `json:"past"`    // names that were its own
	Entries  []int64     `json:"entries"` // of the department
	People   []int64     `json:"people"`
	Follows  []HadFollow `json:"follows"`
	Hooks    []int64     `json:"hooks"`
}

// HadLabel is an entry that had a term, where among its terms, and whether it had the
// other one too.
type HadLabel struct {
	Entry    int64 `json:"entry"`
	Position int   `json:"position"`
	Other    bool  `json:"other"`
}

// HadFollow is a person who followed a department, and whether the other one too.
type HadFollow struct {
	Person int64 `json:"person"`
	Other  bool  `json:"other"`
}

const lockHaving = `
select id from entries
where id in (select entry_id from labels where facet = $1 and term = $2)
order by slug
for no key update`

const lockMerged = `
select id from entries
where id in (select entry from jsonb_to_recordset($1::jsonb) as h (entry bigint))
order by slug
for no key update`

const mergeLabels = `
with had as (
    select entry_id, position, exists (select from labels o where o.entry_id = l.entry_id and o.facet = $1 and o.term = $3) as other
    from labels l
    where facet = $1 and term = $2
),
added as (
    insert into labels (entry_id, facet, term, position)
    select entry_id, $1, $3, position from had where not other
),
gone as (delete from labels where facet = $1 and term = $2)
select coalesce(jsonb_agg(jsonb_build_object('entry', entry_id, 'position', position, 'other', other)), '[]') as moved from had`

const mergeRest = `
with parts as (update terms set under = $3 where facet = $1 and under = $2 returning name),
     past as (update past_terms set term = $3 where facet = $1 and term = $2 returning name),
     entries as (update entries set department = $3 where $1 = 'department' and department = $2 returning id),
     people as (update people set department = $3 where $1 = 'department' and department = $2 returning id),
     followed as (
         select person_id, exists (select from follows o where o.person_id = f.person_id and o.what = 'department' and o.name = $3) as other
         from follows f
         where $1 = 'department' and what = 'department' and name = $2
     ),
     follow as (insert into follows select person_id, 'department', $3 from followed where not other),
     unfollow as (delete from follows where $1 = 'department' and what = 'department' and name = $2),
     hooks as (
         update hooks
         set departments = array(select distinct d from unnest(array_replace(departments, $2, $3)) d order by d)
         where $1 = 'department' and $2 = any (departments) and not $3 = any (departments)
         returning id
     )
select (select coalesce(jsonb_agg(name), '[]') from parts) as parts,
       (select coalesce(jsonb_agg(name), '[]') from past) as past,
       (select coalesce(jsonb_agg(id), '[]') from entries) as entries,
       (select coalesce(jsonb_agg(id), '[]') from people) as people,
       (select coalesce(jsonb_agg(jsonb_build_object('person', person_id, 'other', other)), '[]') from followed) as follows,
       (select coalesce(jsonb_agg(id), '[]') from hooks) as hooks`

const dropTerm = `delete from terms where facet = $1 and name = $2 returning title, coalesce(under, '') as under, retired, position`

const addPastTerm = `insert into past_terms values ($1, $2, $3)`

// MergeTerm makes a term a part of another, with all that was called by it, and gives what
// that was.
func (tx Tx) MergeTerm(facet, term, into string) (m Merged, err error) {
	m = Merged{Facet: facet, Term: term, Into: into}
	// Whoever labels one of them in this moment has the last word.
	if err := tx.exec(lockHaving, facet, term); err != nil {
		return m, err
	}
	var labels struct {
		Moved JSON[[]HadLabel] `db:"moved"`
	}
	if err := tx.get(&labels, mergeLabels, facet, term, into); err != nil {
		return m, err
	}
	var rest struct {
		Parts   JSON[[]string]    `db:"parts"`
		Past    JSON[[]string]    `db:"past"`
		Entries JSON[[]int64]     `db:"entries"`
		People  JSON[[]int64]     `db:"people"`
		Follows JSON[[]HadFollow] `db:"follows"`
		Hooks   JSON[[]int64]     `db:"hooks"`
	}
	if err := tx.get(&rest, mergeRest, facet, term, into); err != nil {
		return m, err
	}
	m.Labels, m.Parts, m.Past, m.Entries, m.People = labels.Moved.V, rest.Parts.V, rest.Past.V, rest.Entries.V, rest.People.V
	m.Follows, m.Hooks = rest.Follows.V, rest.Hooks.V
	var gone struct {
		Title    string `db:"title"`
		Under    string `db:"under"`
		Retired  bool   `db:"retired"`
		Position int    `db:"position"`
	}
	if err := tx.get(&gone, dropTerm, facet, term); err != nil {
		return m, err
	}
	m.Title, m.Under, m.Retired, m.Position = gone.Title, gone.Under, gone.Retired, gone.Position
	return m, tx.exec(addPastTerm, facet, term, into)
}

const addTermAgain = `
with gone as (delete from past_terms where facet = $1 and name = $2)
insert into terms (facet, name, title, under, retired, position)
values ($1, $2, $3, (select name from terms where facet = $1 and name = nullif($4, '')), $5, $6)`

const unmergeLabels = `
with had as (
    select h.* from jsonb_to_recordset($4::jsonb) as h (entry bigint, position int, other boolean)
    join labels l on l.entry_id = h.entry and l.facet = $1 and l.term = $3
),
gone as (delete from labels l using had where l.entry_id = had.entry and l.facet = $1 and l.term = $3 and not had.other)
insert into labels (entry_id, facet, term, position)
select entry, $1, $2, position from had
on conflict do nothing`

const unmergeRest = `
with parts as (update terms set under = $2 where facet = $1 and under = $3 and name in (select jsonb_array_elements_text($4::jsonb -> 'parts'))),
     past as (update past_terms set term = $2 where facet = $1 and term = $3 and name in (select jsonb_array_elements_text($4::jsonb -> 'past'))),
     entries as (update entries set department = $2 where department = $3 and id in (select jsonb_array_elements_text($4::jsonb -> 'entries')::bigint)),
     people as (update people set department = $2 where department = $3 and id in (select jsonb_array_elements_text($4::jsonb -> 'people')::bigint)),
     followed as (
         select f.person, f.other from jsonb_to_recordset($4::jsonb -> 'follows') as f (person bigint, other boolean)
         join follows o on o.person_id = f.person and o.what = 'department' and o.name = $3
     ),
     unfollow as (delete from follows o using followed f where o.person_id = f.person and o.what = 'department' and o.name = $3 and not f.other),
     follow as (insert into follows select person, 'department', $2 from followed on conflict do nothing)
update hooks set departments = array_replace(departments, $3, $2)
where $3 = any (departments) and id in (select jsonb_array_elements_text($4::jsonb -> 'hooks')::bigint)`

// UnmergeTerm makes a term again that became part of another, and moves back what has
// stayed as it was moved. It gives ErrTaken where there is such a term again.
func (tx Tx) UnmergeTerm(m Merged) error {
	labels, err := jsonText(append([]HadLabel{}, m.Labels...))
	if err != nil {
		return err
	}
	if err := tx.exec(lockMerged, labels); err != nil {
		return err
	}
	if err := tx.exec(addTermAgain, m.Facet, m.Term, m.Title, m.Under, m.Retired, m.Position); err != nil {
		return err
	}
	if err := tx.exec(unmergeLabels, m.Facet, m.Term, m.Into, labels); err != nil {
		return err
	}
	whole, err := jsonText(m)
	if err != nil {
		return err
	}
	return tx.exec(unmergeRest, m.Facet, m.Term, m.Into, whole)
}

const inReviewBy = `
select e.slug
from versions v
join entries e on e.id = v.entry_id
where v.state = 'in-review' and v.needed_from @> jsonb_build_array(jsonb_build_object('department', $1::text))
order by e.slug
limit 20`

// InReviewBy gives some entries with a version in review that needs an approval from a
// department.
func (r Reader) InReviewBy(department string) (slugs []string, err error) {
	return slugs, r.all(&slugs, inReviewBy, department)
}

const hasStarter = `select exists (select from starters where department = $1)`

// HasStarter says whether a department has a starter.
func (r Reader) HasStarter(department string) (has bool, err error) {
	return has, r.get(&has, hasStarter, department)
}

// LabelChange is a change of many labels that can be undone: a merge, or the labels of
// entries.
type LabelChange struct {
	Merged  *Merged        `json:"merged,omitempty"`
	Policy  *PolicyBefore  `json:"policy,omitempty"` // where it changed too
	Entries []LabelsBefore `json:"entries,omitempty"`
}

// PolicyBefore is what a policy was, and the number of the one in its place.
type PolicyBefore struct {
	Policy check.Policy `json:"policy"`
	Now    int          `json:"now"`
}

// LabelsBefore are the labels of an entry before a change, and after it.
type LabelsBefore struct {
	Slug   string              `json:"slug"`
	Before map[string][]string `json:"before"`
	After  map[string][]string `json:"after"`
}

const addLabelChange = `insert into label_changes (id, person_id, at, change) values ($1, $2, $3, $4)`

// AddLabelChange keeps a change for whoever may undo it, and gives by what it is called.
func (tx Tx) AddLabelChange(by int64, c LabelChange) (id string, err error) {
	text, err := jsonText(c)
	if err != nil {
		return "", err
	}
	id = uuid.NewString()
	return id, tx.exec(addLabelChange, id, by, tx.at, text)
}

const takeLabelChange = `delete from label_changes where id = $1 and person_id = $2 and at > $3 returning change`

// TakeLabelChange gives a change of somebody's own that was made after a time, this once,
// or ErrNotFound.
func (tx Tx) TakeLabelChange(id string, by int64, after time.Time) (c LabelChange, err error) {
	var row struct {
		Change JSON[LabelChange] `db:"change"`
	}
	if _, err := uuid.Parse(id); err != nil {
		return c, ErrNotFound
	}
	err = tx.get(&row, takeLabelChange, id, by, after)
	return row.Change.V, err
}

const dropLabelChanges = `delete from label_changes where at < $1`

// DropLabelChanges forgets changes that were made before a time.
func (tx Tx) DropLabelChanges(before time.Time) error { return tx.exec(dropLabelChanges, before) }

const lockEntries = `select id from entries where slug = any ($1) order by slug for no key update`

const labelledEntries = `
select e.id, e.slug, e.owner_id, coalesce(e.deputy_id, 0) as deputy_id, v.title, labels_of(e.id) as labels
from entries e
join lateral (select title from versions where entry_id = e.id order by number desc limit 1) v on true
where e.slug = any ($1)
order by e.slug`

// Labelled is an entry with its labels.
type Labelled struct {
	ID       int64                     `db:"id"`
	Slug     string                    `db:"slug"`
	OwnerID  int64                     `db:"owner_id"`
	DeputyID int64                     `db:"deputy_id"`
	Title    string                    `db:"title"`
	Labels   JSON[map[string][]string] `db:"labels"`
}

// LockLabelled gives entries with their labels, by slug, which nobody else changes until
// the transaction ends.
func (tx Tx) LockLabelled(slugs []string) (all []Labelled, err error) {
	// What others changed while this waited is seen by the next statement, and not by this.
	if err := tx.exec(lockEntries, slugs); err != nil {
		return nil, err
	}
	return all, tx.all(&all, labelledEntries, slugs)
}

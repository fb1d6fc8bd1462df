package store

import "slices"

// Term is a value in a facet, with the facet's own title.
type Term struct {
	Facet      string `db:"facet"`
	FacetTitle string `db:"facet_title"`
	FacetRules
	Name    string `db:"name"` // empty for a facet without terms
	Title   string `db:"title"`
	Under   string `db:"under"`   // the term that it is a part of, or none
	Retired bool   `db:"retired"` // nobody chooses it any more
}

// FacetRules are what a facet asks of those who label.
type FacetRules struct {
	Single      bool           `db:"single"`       // an entry has one term of it at most
	Open        bool           `db:"open"`         // contributors add terms too
	RequiredFor JSON[[]string] `db:"required_for"` // kinds
}

const terms = `
select f.name as facet, f.title as facet_title, f.single, f.open, to_jsonb(f.required_for) as required_for, coalesce(t.name, '') as name, coalesce(t.title, '') as title,
       coalesce(t.under, '') as under, coalesce(t.retired, false) as retired
from facets f
left join terms t on t.facet = f.name
order by f.position, t.position`

// Terms gives every term of every facet, in the order in which they are shown. A
// facet without terms has one row, without a name.
func (r Reader) Terms() (all []Term, err error) { return all, r.all(&all, terms) }

const addFacet = `
insert into facets (name, title, position)
values ($1, $2, (select coalesce(max(position), 0) + 1 from facets))
returning name`

// AddFacet adds a facet without terms, or gives ErrTaken.
func (tx Tx) AddFacet(name, title string) error { return tx.get(&name, addFacet, name, title) }

const addTerm = `
insert into terms (facet, name, title, position)
values ($1, $2, $3, (select coalesce(max(position), 0) + 1 from terms where facet = $1))`

// AddTerm adds a term to a facet that is there. It gives ErrTaken where the facet
// has the term.
func (tx Tx) AddTerm(t Term) error { return tx.exec(addTerm, t.Facet, t.Name, t.Title) }

const setFacet = `
update facets
set title = $2, single = $3, open = $4, required_for = array(select jsonb_array_elements_text($5::jsonb))
where name = $1`

// SetFacet changes what a facet is called, and what it asks.
func (tx Tx) SetFacet(name, title string, r FacetRules) error {
	kinds, err := jsonText(append([]string{}, r.RequiredFor.V...))
	if err != nil {
		return err
	}
	return tx.exec(setFacet, name, title, r.Single, r.Open, kinds)
}

const withSeveral = `
select e.slug
from labels l
join entries e on e.id = l.entry_id
where l.facet = $1
group by e.slug
having count(*) > 1
order by e.slug`

// WithSeveral gives how many entries have several terms of a facet, and some of them.
func (r Reader) WithSeveral(facet string) (n int, some []string, err error) {
	var slugs []string
	err = r.all(&slugs, withSeveral, facet)
	return len(slugs), slugs[:min(len(slugs), 3)], err
}

const lockLabels = `lock table facets, terms in share row exclusive mode`

// LockLabels has others wait until the transaction ends before they change facets
// or terms.
func (tx Tx) LockLabels() error { return tx.exec(lockLabels) }

const setLabels = `
with wanted as (
    select e.entry_id, f.facet, t.term, t.position
    from jsonb_to_recordset($1::jsonb) as e (entry_id bigint, labels jsonb),
         jsonb_each(e.labels) as f (facet, terms), jsonb_array_elements_text(f.terms) with ordinality as t (term, position)
),
gone as (
    delete from labels l
    where l.entry_id in (select entry_id from jsonb_to_recordset($1::jsonb) as e (entry_id bigint))
      and not exists (select from wanted w where (w.entry_id, w.facet, w.term) = (l.entry_id, l.facet, l.term))
)
insert into labels (entry_id, facet, term, position)
select * from wanted
on conflict (entry_id, facet, term) do update
set position = excluded.position`

// Labels are those of one entry, by facet.
type Labels struct {
	EntryID int64               `json:"entry_id"`
	Labels  map[string][]string `json:"labels"`
}

// labelledAtOnce is how many entries get their labels in one statement: each of them is held
// against all that the statement wants.
const labelledAtOnce = 200

// SetLabels gives entries these labels and no others.
func (tx Tx) SetLabels(all []Labels) error {
	tx.shelf.changed = true // they say which rendition an application gets
	return tx.FirstLabels(all)
}

// FirstLabels is SetLabels for entries that have never been on the shelf.
func (tx Tx) FirstLabels(all []Labels) error {
	for part := range slices.Chunk(all, labelledAtOnce) {
		for i, e := range part {
			part[i].Labels = map[string][]string{}
			for facet, terms := range e.Labels {
				part[i].Labels[facet] = append([]string{}, terms...) // none is a list too
			}
		}
		text, err := jsonText(part)
		if err != nil {
			return err
		}
		if err := tx.exec(setLabels, text); err != nil {
			return err
		}
	}
	return nil
}

const labelsOf = `select e.id, labels_of(e.id) as labels from entries e where e.id = any ($1)`

// LabelsOf gives the labels of entries, by id.
func (r Reader) LabelsOf(ids []int64) (map[int64]map[string][]string, error) {
	var rows []struct {
		ID     int64                     `db:"id"`
		Labels JSON[map[string][]string] `db:"labels"`
	}
	err := r.all(&rows, labelsOf, ids)
	of := map[int64]map[string][]string{}
	for _, row := range rows {
		of[row.ID] = row.Labels.V
	}
	return of, err
}

const pastLabels = `select facet, term from past_labels where entry_id = $1 order by facet, term`

// PastLabels gives the labels and departments that an entry has had since it was
// last published and may have no longer, by facet.
func (r Reader) PastLabels(entryID int64) (map[string][]string, error) {
	var rows []struct {
		Facet string `db:"facet"`
		Term  string `db:"term"`
	}
	err := r.all(&rows, pastLabels, entryID)
	past := map[string][]string{}
	for _, row := range rows {
		past[row.Facet] = append(past[row.Facet], row.Term)
	}
	return past, err
}

package store

import "context"

// Term is a value in a facet, with the facet's own title.
type Term struct {
	Facet      string `db:"facet"`
	FacetTitle string `db:"facet_title"`
	Name       string `db:"name"`
	Title      string `db:"title"`
}

const terms = `
select t.facet, f.title as facet_title, t.name, t.title
from terms t
join facets f on f.name = t.facet
order by f.position, t.position`

// Terms gives every term of every facet, in the order in which they are shown.
func (r Reader) Terms(ctx context.Context) (all []Term, err error) {
	return all, r.all(ctx, &all, terms)
}

const addFacet = `
insert into facets (name, title, position)
values ($1, $2, (select coalesce(max(position), 0) + 1 from facets))
on conflict (name) do nothing`

const addTerm = `
insert into terms (facet, name, title, position)
values ($1, $2, $3, (select coalesce(max(position), 0) + 1 from terms where facet = $1))`

// AddTerm adds a term, and its facet where that is new. It gives ErrTaken
// where the facet has the term.
func (tx Tx) AddTerm(ctx context.Context, t Term) error {
	if err := tx.exec(ctx, addFacet, t.Facet, t.FacetTitle); err != nil {
		return err
	}
	return tx.exec(ctx, addTerm, t.Facet, t.Name, t.Title)
}

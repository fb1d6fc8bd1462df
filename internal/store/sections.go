package store

import "goldshelf/core/entry"

// Section is a saved view of the shelf: a search or, without one, entries picked by hand.
type Section struct {
	Name         string               `db:"name"`
	Title        string               `db:"title"`
	Introduction string               `db:"introduction"`
	Query        string               `db:"query"`
	Starter      JSON[*entry.Content] `db:"starter"`
	Number       int                  `db:"number"`
	Entries      JSON[[]string]       `db:"entries"`  // slugs, in order
	Versions     JSON[[]int64]        `db:"versions"` // those of them that are on the shelf, in order
}

const sections = `
select s.name, s.title, s.introduction, s.query, s.starter, s.number,
       (select coalesce(jsonb_agg(e.slug order by se.position), '[]')
        from section_entries se join entries e on e.id = se.entry_id where se.section = s.name) as entries,
       (select coalesce(jsonb_agg(v.id order by se.position), '[]')
        from section_entries se join versions v on v.entry_id = se.entry_id and v.state = 'published' where se.section = s.name) as versions
from sections s
where $1 = '' or s.name = $1
order by s.position, s.name`

// Sections gives all sections in their order, or the one of a name.
func (r Reader) Sections(name string) (all []Section, err error) {
	return all, r.all(&all, sections, name)
}

const addSection = `
insert into sections (name, title, introduction, query, starter, position)
select $1, $2, $3, $4, $5::jsonb, coalesce(max(position), 0) + 1 from sections`

const setSection = `
update sections
set title = $2, introduction = $3, query = $4, starter = $5::jsonb, number = number + 1
where name = $1 and number = $6
returning number`

const dropSectionEntries = `delete from section_entries where section = $1`

const addSectionEntries = `
insert into section_entries (section, entry_id, position)
select $1, n.entry_id, min(slug.position)
from unnest($2::text[]) with ordinality as slug (name, position)
join names n on n.how = 'slug' and n.name = slug.name
group by n.entry_id`

// SetSection adds a section, whose Number is 0, or changes what was read under its Number.
// It gives ErrTaken of a name that is in use, and ErrChanged of one that is another by now.
func (tx Tx) SetSection(s Section) error {
	var starter *string
	if s.Starter.V != nil {
		text, err := jsonText(s.Starter.V)
		if err != nil {
			return err
		}
		starter = &text
	}
	if s.Number == 0 {
		if err := tx.exec(addSection, s.Name, s.Title, s.Introduction, s.Query, starter); err != nil {
			return err
		}
	} else {
		var number int
		if err := tx.get(&number, setSection, s.Name, s.Title, s.Introduction, s.Query, starter, s.Number); err != nil {
			if err == ErrNotFound {
				return ErrChanged
			}
			return err
		}
		if err := tx.exec(dropSectionEntries, s.Name); err != nil {
			return err
		}
	}
	return tx.exec(addSectionEntries, s.Name, append([]string{}, s.Entries.V...))
}

const dropSection = `delete from sections where name = $1 returning name`

// DropSection takes a section away; it gives ErrNotFound where there is none.
func (tx Tx) DropSection(name string) error {
	var gone string
	return tx.get(&gone, dropSection, name)
}

const orderSections = `
update sections s
set position = o.position
from unnest($1::text[]) with ordinality as o (name, position)
where s.name = o.name`

// OrderSections puts sections in an order.
func (tx Tx) OrderSections(names []string) error { return tx.exec(orderSections, names) }

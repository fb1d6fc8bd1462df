package store

// bySlug leads from a slug, as a parameter or a column gives it, to the entry that has or
// had it; byName does so for short codes too, slugs before them.
func bySlug(name string) string {
	return `(select entry_id from names where how = 'slug' and name = ` + name + `)`
}

func byName(name string) string {
	return `(select entry_id from names where how in ('slug', 'code') and name = ` + name + ` order by how = 'slug' desc limit 1)`
}

const rename = `
with follow as (update follows set name = $2 where what = 'entry' and name = (select slug from entries where id = $1))
update entries set slug = $2 where id = $1`

// Rename gives an entry another slug; it keeps those that it had. It gives ErrTaken if
// another entry has or had it.
func (tx Tx) Rename(entryID int64, slug string) error {
	tx.shelf.changed = true
	return tx.exec(rename, entryID, slug)
}

const slugsNow = `
select n.name, e.slug
from names n
join entries e on e.id = n.entry_id
where n.how = 'slug' and n.name = any ($1)`

// SlugsNow gives the slugs that entries have now, by slugs that they have or had.
func (r Reader) SlugsNow(slugs []string) (map[string]string, error) {
	var rows []struct {
		Name string `db:"name"`
		Slug string `db:"slug"`
	}
	err := r.all(&rows, slugsNow, slugs)
	now := map[string]string{}
	for _, row := range rows {
		now[row.Name] = row.Slug
	}
	return now, err
}

const namesOf = `select name from names where entry_id = $1 and how = 'slug' order by name`

// NamesOf gives the slugs that an entry has or had.
func (r Reader) NamesOf(entryID int64) (all []string, err error) {
	return all, r.all(&all, namesOf, entryID)
}

const slugsOfVersions = `select v.id, e.slug from versions v join entries e on e.id = v.entry_id where v.id = any ($1)`

// SlugsOfVersions gives what the entries of versions are called, by the versions' ids.
func (r Reader) SlugsOfVersions(ids []int64) (map[int64]string, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	var rows []struct {
		ID   int64  `db:"id"`
		Slug string `db:"slug"`
	}
	if err := r.all(&rows, slugsOfVersions, ids); err != nil {
		return nil, err
	}
	names := make(map[int64]string, len(rows))
	for _, row := range rows {
		names[row.ID] = row.Slug
	}
	return names, nil
}

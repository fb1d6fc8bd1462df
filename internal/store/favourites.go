package store

const addFavourite = `insert into favourites (person_id, entry_id, at) values ($1, $2, $3) on conflict do nothing`

// AddFavourite has someone keep an entry at hand.
func (tx Tx) AddFavourite(person, entryID int64) error {
	return tx.exec(addFavourite, person, entryID, tx.at)
}

const dropFavourite = `delete from favourites where person_id = $1 and entry_id = (select entry_id from names where how = 'slug' and name = $2)`

// DropFavourite has someone keep an entry at hand no longer, by slug.
func (tx Tx) DropFavourite(person int64, slug string) error {
	return tx.exec(dropFavourite, person, slug)
}

const favourites = `
select v.id
from favourites f
join versions v on v.entry_id = f.entry_id and v.state = 'published'
where f.person_id = $1
order by f.at desc, v.id`

// Favourites gives the published versions of what someone keeps at hand, the last that was
// added first.
func (r Reader) Favourites(person int64) (ids []int64, err error) {
	return ids, r.all(&ids, favourites, person)
}

const countFavourites = `select count(*) from favourites where person_id = $1`

// CountFavourites is how many someone has.
func (r Reader) CountFavourites(person int64) (n int, err error) {
	return n, r.get(&n, countFavourites, person)
}

const shelvedOf = `
select entry_id, id
from versions
where entry_id = any ($1) and state = 'published'`

// ShelvedOf gives the ids of the published versions of entries, by the entries' ids.
func (r Reader) ShelvedOf(entries []int64) (map[int64]int64, error) {
	var rows []struct {
		EntryID int64 `db:"entry_id"`
		ID      int64 `db:"id"`
	}
	err := r.all(&rows, shelvedOf, entries)
	byEntry := map[int64]int64{}
	for _, row := range rows {
		byEntry[row.EntryID] = row.ID
	}
	return byEntry, err
}

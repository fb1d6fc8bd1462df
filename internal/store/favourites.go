package store

const addFavourite = `insert into favourites (person_id, entry_id, at) values ($1, $2, $3) on conflict do nothing`

// AddFavourite has someone keep an entry at hand.
func (tx Tx) AddFavourite(person, entryID int64) error {
	return tx.exec(addFavourite, person, entryID, tx.at)
}

const dropFavourite = `delete from favourites where person_id = $1 and entry_id = (select id from entries where slug = $2)`

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

package store

import "time"

const addPicture = `
insert into pictures (id, type, width, height, large, medium, small, at)
values ($1, $2, $3, $4, $5, $6, $7, $8)
on conflict (id) do update set at = excluded.at`

// Picture is a picture in three sizes.
type Picture struct {
	ID     string `db:"id"`
	Type   string `db:"type"`
	Width  int    `db:"width"`
	Height int    `db:"height"`
	Large  []byte `db:"large"`
	Medium []byte `db:"medium"`
	Small  []byte `db:"small"`
}

// AddPicture keeps a picture; one that is there already is kept anew.
func (tx Tx) AddPicture(p Picture) error {
	return tx.exec(addPicture, p.ID, p.Type, p.Width, p.Height, p.Large, p.Medium, p.Small, tx.at)
}

const picture = `
select type, case $2 when 'large' then large when 'medium' then medium else small end as small
from pictures
where id = $1`

// Picture gives one size of a picture, in Small, or ErrNotFound.
func (r Reader) Picture(id, size string) (p Picture, err error) {
	return p, r.get(&p, picture, id, size)
}

const keepPictures = `update pictures set at = $2 where id = any ($1) returning id`

// KeepPictures has pictures kept for as long as new ones are, and gives those of them that
// are there: whoever names one must, or it could be forgotten in that moment.
func (tx Tx) KeepPictures(ids []string) (there []string, err error) {
	return there, tx.all(&there, keepPictures, ids, tx.at)
}

const picturesOf = `select id, type, large from pictures where id = any ($1)`

// PicturesOf gives the largest size of pictures.
func (r Reader) PicturesOf(ids []string) (all []Picture, err error) {
	return all, r.all(&all, picturesOf, ids)
}

const dropPictures = `
delete from pictures p
where p.at < $1 and not exists (
    select from versions v
    where v.pictures <> '[]' and v.pictures @> jsonb_build_array(jsonb_build_object('id', p.id)))`

// DropPictures forgets the pictures that were brought before a time and that no version has.
func (tx Tx) DropPictures(before time.Time) error { return tx.exec(dropPictures, before) }

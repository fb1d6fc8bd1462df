package store

import "time"

// Aside is something that a job could not do, and that is tried again later.
type Aside struct {
	Job    string    `db:"job"`
	Item   string    `db:"item"`
	Tries  int       `db:"tries"`
	Reason string    `db:"reason"`
	At     time.Time `db:"at"`
	Until  time.Time `db:"until"`
}

// Asides gives all that was set aside and has not been done since, the newest first.
func (r Reader) Asides() (all []Aside, err error) {
	return all, r.all(&all, `select * from set_aside order by at desc, job, item limit 1000`)
}

// AsideCount is how many items of a job are set aside.
type AsideCount struct {
	Job   string `db:"job"`
	Items int    `db:"items"`
}

const countAside = `
select job, count(a.job) as items
from unnest(array['indexing', 'publications', 'relays', 'replies of trials']) job
left join set_aside a using (job)
group by job
order by job`

// CountAside gives how many items are set aside of each job that does many things, of which one
// that fails holds up no other.
func (r Reader) CountAside() (all []AsideCount, err error) { return all, r.all(&all, countAside) }

// WasAside says whether an item of a job was set aside, and not done since.
func (r Reader) WasAside(job, item string) (was bool, err error) {
	return was, r.get(&was, `select exists (select from set_aside where job = $1 and item = $2)`, job, item)
}

const setAside = `
insert into set_aside as a (job, item, tries, reason, at, until)
values ($1, $2, 1, $3, $4, $4::timestamptz + interval '1 minute')
on conflict (job, item) do update
set tries = least(a.tries + 1, 1000), reason = excluded.reason, at = excluded.at,
    until = excluded.at + least(interval '1 minute' * 2 ^ least(a.tries, 20), interval '1 day')`

// SetAside sets an item of a job aside: for a minute, and for twice as long each time that it
// fails again, a day at most.
func (tx Tx) SetAside(job, item, reason string) error {
	return tx.exec(setAside, job, item, reason, tx.at)
}

// DropAside forgets that an item was set aside.
func (tx Tx) DropAside(job, item string) error {
	return tx.exec(`delete from set_aside where job = $1 and item = $2`, job, item)
}

// DropAsides forgets what has been set aside and not tried again since a time: it is gone.
func (tx Tx) DropAsides(before time.Time) error {
	return tx.exec(`delete from set_aside where until < $1`, before)
}

package store

import "time"

const addMissed = `
insert into missed_searches (day, words) values (library_day($2), $1)
on conflict (day, words) do update set times = missed_searches.times + 1`

// AddMissed counts that words were searched for and not found, today.
func (tx Tx) AddMissed(words string) error { return tx.exec(addMissed, words, tx.at) }

// Missed is what was searched for and not found.
type Missed struct {
	Words string    `db:"words"`
	Times int       `db:"times"`
	Last  time.Time `db:"last"` // a day
}

const missed = `
select words, sum(times)::int as times, max(day) as last
from missed_searches
where day >= library_day($1) and ($3::date is null or day < $3)
group by words
order by sum(times) desc, max(day) desc, words
limit $2`

// Missed gives what was searched for and not found since a time and, if there is one, before
// a day, the most often first.
func (r Reader) Missed(since time.Time, before *time.Time, most int) (all []Missed, err error) {
	return all, r.all(&all, missed, since, most, before)
}

const dropMissed = `delete from missed_searches where day < library_day($1)`

// DropMissed forgets what was searched for before a time.
func (tx Tx) DropMissed(before time.Time) error { return tx.exec(dropMissed, before) }

package store

import "time"

const addMissed = `
insert into missed_searches (day, words, times, unopened) values (library_day($3), $1, 1 - $2::int, $2::int)
on conflict (day, words) do update
set times = missed_searches.times + excluded.times, unopened = missed_searches.unopened + excluded.unopened`

// AddMissed counts that words were searched for today and not found or, if something was,
// that nothing of it was opened.
func (tx Tx) AddMissed(words string, unopened bool) error {
	n := 0
	if unopened {
		n = 1
	}
	return tx.exec(addMissed, words, n, tx.at)
}

// Missed is what was searched for in vain.
type Missed struct {
	Words    string    `db:"words"`
	Times    int       `db:"times"`    // not found
	Unopened int       `db:"unopened"` // found, and nothing of it opened
	Last     time.Time `db:"last"`     // a day
}

const missed = `
select words, sum(times)::int as times, sum(unopened)::int as unopened, max(day) as last
from missed_searches
where day >= library_day($1) and ($3::date is null or day < $3)
group by words
order by sum(times + unopened) desc, max(day) desc, words
limit $2`

// Missed gives what was searched for in vain since a time and, if there is one, before
// a day, the most often first.
func (r Reader) Missed(since time.Time, before *time.Time, most int) (all []Missed, err error) {
	return all, r.all(&all, missed, since, most, before)
}

const dropMissed = `delete from missed_searches where day < library_day($1)`

// DropMissed forgets what was searched for before a time.
func (tx Tx) DropMissed(before time.Time) error { return tx.exec(dropMissed, before) }

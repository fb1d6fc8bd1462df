package store

import "time"

// Queue is how much of something is due.
type Queue struct {
	Name    string  `db:"name"`
	Waiting int     `db:"waiting"`
	Oldest  float64 `db:"oldest"` // seconds that the first of it is due
}

const queues = `
select name, count(due)::int as waiting, coalesce(extract(epoch from $1::timestamptz - min(due)), 0)::float8 as oldest
from (values ('publications'), ('deliveries'), ('replies')) as known (name)
left join (
    select 'publications' as name, at as due from publications where at <= $1 and failed = ''
    union all
    select 'deliveries', next_at from deliveries where state in ('waiting', 'sending') and next_at <= $1
    union all
    select 'replies', due_at from replies where state = 'waiting' and due_at <= $1
) waiting using (name)
group by name
order by name`

// Queues gives how much is due of what jobs do.
func (r Reader) Queues() (all []Queue, err error) { return all, r.all(&all, queues, r.at) }

const standing = `
select (select tableowner = current_user from pg_tables where schemaname = 'public' and tablename = 'events') as owns, clock_timestamp() as clock`

// Standing says whether the schema is the caller's own, and what the database's clock says.
func (r Reader) Standing() (owns bool, clock time.Time, err error) {
	var row struct {
		Owns  bool      `db:"owns"`
		Clock time.Time `db:"clock"`
	}
	err = r.get(&row, standing)
	return row.Owns, row.Clock, err
}

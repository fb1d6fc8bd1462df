package store

import "time"

const daysToRoll = `
with first as (select least(library_day(min(at)), library_day($1)) as day from uses),
     days as (select generate_series(first.day, library_day($1), '1 day')::date as day from first where first.day is not null)
select day::timestamp as day
from days
where not exists (select from use_rolled r where r.day = days.day and library_day(r.at - make_interval(hours => 1)) > days.day)
order by day
limit $2`

// DaysToRoll gives the days whose uses are to be rolled up: those that never were since they
// ended, and an hour later, and today; the oldest first.
func (r Reader) DaysToRoll(most int) (days []time.Time, err error) {
	return days, r.all(&days, daysToRoll, r.at, most)
}

// weekOf are the uses of the week that days are in.
const weekOf = `
from uses u
where u.at >= date_trunc('week', $1::date)::date::timestamp at time zone (select zone from library)
  and u.at < (date_trunc('week', $2::date)::date + 7)::timestamp at time zone (select zone from library)
`

const theWeek = `select date_trunc('week', $1::date)::date as week, `

// What is rolled up of days and their week is made anew, so that it is the same however often
// that is done. Whoever else does so waits.
var rollUp = []string{
	`select pg_advisory_xact_lock(7420, 2), $1::date, $2::date`,
	`delete from use_days where day between $1::date and $2::date`,
	`insert into use_days (day, entry_id, application, department, uses, own)
	 select (u.at at time zone l.zone)::date, u.entry_id, u.application, u.department, count(*), count(*) filter (where u.own)
	 from uses u
	 cross join library l
	 where u.at >= $1::date::timestamp at time zone l.zone and u.at < ($2::date + 1)::timestamp at time zone l.zone
	 group by 1, 2, 3, 4`,
	`delete from use_weeks where week between date_trunc('week', $1::date)::date and $2::date`,
	`insert into use_weeks ` + theWeek + `entry_id, count(*), count(distinct person) filter (where not own)` + weekOf + `group by entry_id`,
	`delete from use_week_people where week between date_trunc('week', $1::date)::date and $2::date`,
	`insert into use_week_people ` + theWeek + `'all', '', count(*), count(distinct person)` + weekOf + `having count(*) > 0`,
	`insert into use_week_people ` + theWeek + `'application', application, count(*), count(distinct person)` + weekOf + `group by application`,
	`insert into use_week_people ` + theWeek + `'department', department, count(*), count(distinct person)` + weekOf + `group by department`,
	`insert into use_week_people ` + theWeek + `'kind', (select kind from entries e where e.id = u.entry_id), count(*), count(distinct person)` + weekOf + `group by 3`,
	`delete from use_personas where week between date_trunc('week', $1::date)::date and $2::date`,
	`insert into use_personas ` + theWeek + `entry_id, persona, count(*)` + weekOf + `and persona <> '' group by entry_id, persona`,
}

const rolled = `
insert into use_rolled (day, at)
select generate_series($1::date, $2::date, '1 day')::date, $3
on conflict (day) do update set at = excluded.at`

// RollUp works out anew what was used on days of one week, from the first to the last.
func (tx Tx) RollUp(first, last time.Time) error {
	for _, statement := range rollUp {
		if err := tx.exec(statement, first.Format(time.DateOnly), last.Format(time.DateOnly)); err != nil {
			return err
		}
	}
	return tx.exec(rolled, first.Format(time.DateOnly), last.Format(time.DateOnly), tx.at)
}

// keptWeeks is the Monday from which on all uses are kept: of the weeks before, only what is
// rolled up is left.
const keptWeeks = `(select date_trunc('week', library_day(min(at)) + 6)::date from uses)`

// ForgetRolled has what the uses that are kept still tell be worked out anew.
func (tx Tx) ForgetRolled() error {
	for _, statement := range []string{
		`delete from use_days where day >= ` + keptWeeks,
		`delete from use_weeks where week >= ` + keptWeeks,
		`delete from use_week_people where week >= ` + keptWeeks,
		`delete from use_personas where week >= ` + keptWeeks,
		`delete from use_rolled where day >= ` + keptWeeks,
	} {
		if err := tx.exec(statement); err != nil {
			return err
		}
	}
	return nil
}

const rolledSince = `
select coalesce(min(day), library_day($1))::timestamp as since, coalesce(max(day), library_day($1))::timestamp as until, coalesce(max(at), 'epoch') as at
from use_rolled`

// Rolled says of which days it is known what was used, and as of when.
type Rolled struct {
	Since time.Time `db:"since"`
	Until time.Time `db:"until"`
	At    time.Time `db:"at"`
}

// Rolled says so.
func (r Reader) Rolled() (all Rolled, err error) { return all, r.get(&all, rolledSince, r.at) }

const today = `select library_day($1)::timestamp as day`

// Today is the day that it is in the library's zone, at midnight UTC.
func (r Reader) Today() (day time.Time, err error) { return day, r.get(&day, today, r.at) }

const stock = `
select e.id, e.slug, e.kind, v.title, p.name as owner, p.full_name as owner_name, p.active as owner_active, e.department,
       v.state = 'retired' as retired, v.published_at, e.review_by::timestamp as review_by, e.deputy_id is not null as deputy,
       coalesce((select min(published_at) from versions w where w.entry_id = e.id), v.published_at) as first_at
from entries e
join versions v on v.entry_id = e.id and v.state = 'published'
join people p on p.id = e.owner_id
order by e.id`

// Stock is an entry on the shelf as the stocktake counts it.
type Stock struct {
	ID          int64      `db:"id"`
	Slug        string     `db:"slug"`
	Kind        string     `db:"kind"`
	Title       string     `db:"title"`
	Owner       string     `db:"owner"`
	OwnerName   string     `db:"owner_name"`
	OwnerActive bool       `db:"owner_active"`
	Department  string     `db:"department"` // that answers for it
	Retired     bool       `db:"retired"`
	PublishedAt time.Time  `db:"published_at"`
	FirstAt     time.Time  `db:"first_at"`
	ReviewBy    *time.Time `db:"review_by"`
	Deputy      bool       `db:"deputy"`
}

// Stock gives all that is on the shelf.
func (r Reader) Stock() (all []Stock, err error) { return all, r.all(&all, stock) }

const stockLabels = `
select l.facet, l.term, jsonb_agg(l.entry_id) as of
from labels l
join versions v on v.entry_id = l.entry_id and v.state = 'published'
group by 1, 2
order by 1, 2 -- so that an entry's labels come in the same order each time`

// StockLabels gives the entries on the shelf that have each label.
func (r Reader) StockLabels(do func(facet, term string, entries []int64)) error {
	var rows []struct {
		Facet string        `db:"facet"`
		Term  string        `db:"term"`
		Of    JSON[[]int64] `db:"of"`
	}
	err := r.all(&rows, stockLabels)
	for _, row := range rows {
		do(row.Facet, row.Term, row.Of.V)
	}
	return err
}

// EntrySum is how much an entry was used over some time. People are counted anew each week.
type EntrySum struct {
	ID     int64 `db:"entry_id"`
	Uses   int   `db:"uses"`
	People int   `db:"people"`
}

const entrySums = `
select entry_id, sum(uses)::int as uses, 0 as people
from use_days
where day >= $1::date and day < $2::date and ($3 = '' or application = $3) and ($4 = '' or department = $4)
group by entry_id`

const entryPeople = `
select entry_id, sum(uses)::int as uses, sum(people)::int as people
from use_weeks
where week >= $1::date and week < $2::date
group by entry_id`

// EntrySums gives how often entries were used from a day until before another, for an
// application and by a department, if these are said.
func (r Reader) EntrySums(since, until time.Time, application, department string) (all []EntrySum, err error) {
	return all, r.all(&all, entrySums, since.Format(time.DateOnly), until.Format(time.DateOnly), application, department)
}

// EntryPeople gives by how many people a week entries were used, from a Monday until before
// another, added up.
func (r Reader) EntryPeople(since, until time.Time) (all []EntrySum, err error) {
	return all, r.all(&all, entryPeople, since.Format(time.DateOnly), until.Format(time.DateOnly))
}

const weeks = `
select week::timestamp as week, term, uses, people
from use_week_people
where facet = $1 and week >= $2::date and week < $3::date
order by week, term`

// Week is how much was used in a week, and by how many people.
type Week struct {
	Week   time.Time `db:"week"`
	Term   string    `db:"term"`
	Uses   int       `db:"uses"`
	People int       `db:"people"`
}

// Weeks gives the weeks of a facet, or of everything, from a Monday until before another.
func (r Reader) Weeks(facet string, since, until time.Time) (all []Week, err error) {
	return all, r.all(&all, weeks, facet, since.Format(time.DateOnly), until.Format(time.DateOnly))
}

const entryWeeks = `
select week::timestamp as week, entry_id::text as term, uses, people
from generate_series($2::date, $3::date - 1, '7 days') monday
cross join unnest($1::bigint[]) entry
join use_weeks on week = monday::date and entry_id = entry
order by week`

// EntryWeeks gives the weeks of entries, named by their ids.
func (r Reader) EntryWeeks(entries []int64, since, until time.Time) (all []Week, err error) {
	return all, r.all(&all, entryWeeks, entries, since.Format(time.DateOnly), until.Format(time.DateOnly))
}

const swapped = `
select entry_id, persona, sum(uses)::int as uses
from use_personas
where week >= $1::date and week < $2::date
group by entry_id, persona`

// Swapped is how often an entry was used with another persona than it recommends, or without.
type Swapped struct {
	EntryID int64  `db:"entry_id"`
	Persona string `db:"persona"`
	Uses    int    `db:"uses"`
}

// Swapped gives that from a Monday until before another.
func (r Reader) Swapped(since, until time.Time) (all []Swapped, err error) {
	return all, r.all(&all, swapped, since.Format(time.DateOnly), until.Format(time.DateOnly))
}

const toldOf = `
select entry_id, count(distinct person_id) filter (where worked)::int as uses, count(distinct person_id) filter (where not worked)::int as people
from reports
where at >= $1 and at < $2
group by entry_id`

// ToldOf gives how many people said of entries that they worked (Uses), and fell short (People).
func (r Reader) ToldOf(since, until time.Time) (all []EntrySum, err error) {
	return all, r.all(&all, toldOf, since, until)
}

const toShelf = `
select e.department, coalesce(a.name, '') as reviewer, coalesce(a.full_name, '') as reviewer_name,
       extract(epoch from v.published_at - v.created_at) / 86400 as days
from versions v
join entries e on e.id = v.entry_id
left join lateral (select p.name, p.full_name from approvals ap join people p on p.id = ap.person_id where ap.version_id = v.id order by ap.at limit 1) a on true
where v.published_at >= $1 and v.published_at < $2 and v.origin is null`

// ToShelf is how long a version took from its first draft to the shelf.
type ToShelf struct {
	Department   string  `db:"department"`
	Reviewer     string  `db:"reviewer"` // who approved it first
	ReviewerName string  `db:"reviewer_name"`
	Days         float64 `db:"days"`
}

// ToShelf gives the versions that were published from a time until before another.
func (r Reader) ToShelf(since, until time.Time) (all []ToShelf, err error) {
	return all, r.all(&all, toShelf, since, until)
}

const inReview = `
select e.slug, v.title, e.department, v.submitted_at as at
from versions v
join entries e on e.id = v.entry_id
where v.state = 'in-review'
order by v.submitted_at`

// ToReview is a version that waits for its review.
type ToReview struct {
	Slug       string    `db:"slug"`
	Title      string    `db:"title"`
	Department string    `db:"department"`
	At         time.Time `db:"at"`
}

// InReview gives what waits for its review, the longest first.
func (r Reader) InReview() (all []ToReview, err error) { return all, r.all(&all, inReview) }

const returned = `
select e.department as term, count(*)::int as uses
from events v
join entries e on e.id = v.entry_id
where v.action = 'return' and v.at >= $1 and v.at < $2
group by 1
order by 2 desc, 1`

// Returned gives how often versions were returned, by department.
func (r Reader) Returned(since, until time.Time) (all []Week, err error) {
	return all, r.all(&all, returned, since, until)
}

const entryTitles = `
select distinct on (entry_id) entry_id as id, title
from versions
where entry_id = any ($1)
order by entry_id, published_at is null, number desc`

// EntryTitles gives what entries are called, by id: on the shelf if they were ever there.
func (r Reader) EntryTitles(ids []int64) (titles map[int64]string, err error) {
	var rows []struct {
		ID    int64  `db:"id"`
		Title string `db:"title"`
	}
	err = r.all(&rows, entryTitles, ids)
	titles = make(map[int64]string, len(rows))
	for _, row := range rows {
		titles[row.ID] = row.Title
	}
	return titles, err
}

const spentOn = `
select department as term, sum(words)::bigint as words, sum(cost)::float8 as cost, sum(replies)::int as replies
from spent
where month >= $1::date and month < $2::date
group by department
order by sum(cost) desc, department`

// Spent is what asking models has cost.
type Spent struct {
	Term    string  `db:"term"`
	Words   int64   `db:"words"`
	Cost    float64 `db:"cost"`
	Replies int     `db:"replies"`
}

// SpentByTeam gives that by department, from the beginning of a month until before another.
func (r Reader) SpentByTeam(since, until time.Time) (all []Spent, err error) {
	return all, r.all(&all, spentOn, since.Format(time.DateOnly), until.Format(time.DateOnly))
}

const spentByWay = `
select way as term, sum(words)::bigint as words, sum(cost)::float8 as cost, sum(replies)::int as replies
from spent_on
where month >= $1::date and month < $2::date
group by way
order by sum(cost) desc, way`

// SpentByWay is SpentByTeam by what models were asked for: talk, trial or run.
func (r Reader) SpentByWay(since, until time.Time) (all []Spent, err error) {
	return all, r.all(&all, spentByWay, since.Format(time.DateOnly), until.Format(time.DateOnly))
}

const spentByEntry = `
select s.entry_id, e.slug, sum(s.cost)::float8 as cost, sum(s.replies)::int as replies,
       coalesce(sum(s.cost) filter (where s.way = 'trial'), 0)::float8 as trials
from spent_on s
join entries e on e.id = s.entry_id
where s.month >= $1::date and s.month < $2::date
group by s.entry_id, e.slug
order by sum(s.cost) desc, s.entry_id
limit $3`

// SpentOnEntry is what asking models with an entry has cost.
type SpentOnEntry struct {
	EntryID int64   `db:"entry_id"`
	Slug    string  `db:"slug"`
	Cost    float64 `db:"cost"` // in all
	Replies int     `db:"replies"`
	Trials  float64 `db:"trials"` // of the cost
}

// SpentByEntry is SpentByTeam by entry: of the dearest so many.
func (r Reader) SpentByEntry(since, until time.Time, most int) (all []SpentOnEntry, err error) {
	return all, r.all(&all, spentByEntry, since.Format(time.DateOnly), until.Format(time.DateOnly), most)
}

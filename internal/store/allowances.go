package store

import "time"

// Allowance is what a person or a department may use up in a month, and what they have.
type Allowance struct {
	ID         int64     `db:"id"`
	Person     string    `db:"person"` // a sign-in name; "" where it is a department's
	FullName   string    `db:"full_name"`
	Department string    `db:"department"`
	Words      *int64    `db:"words"` // nothing for as many as one likes
	Money      *float64  `db:"money"` // the same
	Number     int       `db:"number"`
	By         string    `db:"by"` // a full name
	At         time.Time `db:"changed_at"`

	SpentWords int64   `db:"spent_words"` // this month
	SpentMoney float64 `db:"spent_money"`
}

const allowances = `
select a.id, coalesce(p.name, '') as person, coalesce(p.full_name, '') as full_name, coalesce(a.department, '') as department,
       a.words, a.money::float8 as money, a.number, coalesce(c.full_name, '') as by, a.changed_at,
       s.words as spent_words, s.cost as spent_money
from allowances a
left join people p on p.id = a.person_id
left join people c on c.id = a.changed_by
cross join lateral (
    select coalesce(sum(words), 0)::bigint as words, coalesce(sum(cost), 0)::float8 as cost
    from spent
    where month = date_trunc('month', library_day($1))::date and (person_id = a.person_id or department = a.department)
) s
where $2::bigint = 0 or a.person_id = $2 or a.department = (select department from people where id = $2)
order by a.department nulls last, p.full_name, a.id`

// Allowances gives all of them, or those that hold for a person, with what was used up this
// month.
func (r Reader) Allowances(person int64) (all []Allowance, err error) {
	return all, r.all(&all, allowances, r.at, person)
}

const lockAllowances = `
select id from allowances
where person_id = $1 or department = (select department from people where id = $1)
order by id
for update`

// LockAllowances has all wait who want to use up what a person may, until the transaction
// ends. It gives whether there is anything to wait for.
func (tx Tx) LockAllowances(person int64) (some bool, err error) {
	var ids []int64
	err = tx.all(&ids, lockAllowances, person)
	return len(ids) > 0, err
}

const awaited = `
select coalesce(sum(words), 0)::bigint as words, coalesce(sum(money), 0)::float8 as money
from (
    select 0.75 * tokens as words, ((g.details ->> 'price_in')::numeric * read + (g.details ->> 'price_out')::numeric * tokens) / 1e6 as money
    from (
        select r.model, least(coalesce((coalesce(r.sent, c.sent) -> 'settings' ->> 'max_tokens')::int, $3), $3) as tokens, length(coalesce(r.sent, c.sent)::text) / 4 as read
        from replies r
        left join cells c on c.trial_id = r.trial_id and c.fill = r.fill and c.set_up = r.set_up
        join people p on p.id = r.asked_by
        where r.state in ('waiting', 'running') and (p.name = $1 or p.department = $2)
    ) asked
    left join register g on g.facet = 'model' and g.term = asked.model
) all_asked`

// Awaited is about what the replies will use up that a person (by their sign-in name) or the
// people of a department wait for, each thought to have so many tokens at most. The
// transaction looks at all.
func (r Reader) Awaited(person, department string, tokens int) (words int64, money float64, err error) {
	var sum struct {
		Words int64   `db:"words"`
		Money float64 `db:"money"`
	}
	err = r.get(&sum, awaited, person, department, tokens)
	return sum.Words, sum.Money, err
}

const spentUp = `
select p.id
from allowances a
cross join lateral (
    select coalesce(sum(words), 0) as words, coalesce(sum(cost), 0) as cost
    from spent
    where month = date_trunc('month', library_day($1))::date and (person_id = a.person_id or department = a.department)
) s
join people p on p.id = a.person_id or p.department = a.department
where s.words >= a.words or s.cost >= a.money`

const askedBy = `select id from replies where id = any ($1::uuid[]) and asked_by = any ($2::bigint[])`

// SpentUp gives those of some replies for which there is nothing left this month. The
// transaction looks at all. Mostly nobody has come to an end, and the replies are not looked at.
func (tx Tx) SpentUp(replies []string) (ids []string, err error) {
	var people []int64
	if len(replies) == 0 {
		return nil, nil
	}
	if err := tx.all(&people, spentUp, tx.at); err != nil || len(people) == 0 {
		return nil, err
	}
	return ids, tx.all(&ids, askedBy, replies, people)
}

const sumSpent = `
with past as (
    delete from spent where month < date_trunc('month', library_day($1))::date returning *
)
insert into spent (month, person_id, department, words, cost, replies)
select month, person_id, department, sum(words), sum(cost), sum(replies) from past group by 1, 2, 3`

const sumSpentOn = `
with past as (
    delete from spent_on where month < date_trunc('month', library_day($1))::date returning *
)
insert into spent_on (month, entry_id, way, words, cost, replies)
select month, entry_id, way, sum(words), sum(cost), sum(replies) from past group by 1, 2, 3`

// SumSpent puts together what was used up in months that are over.
func (tx Tx) SumSpent() error {
	if err := tx.exec(sumSpent, tx.at); err != nil {
		return err
	}
	return tx.exec(sumSpentOn, tx.at)
}

const addAllowance = `
insert into allowances (person_id, department, words, money, changed_by, changed_at)
select (select id from people where name = nullif($1, '')), nullif($2, ''), $3, $4, nullif($5::bigint, 0), $6
on conflict do nothing
returning number`

const setAllowance = `
update allowances set words = $3, money = $4, changed_by = nullif($5::bigint, 0), changed_at = $6, number = number + 1
where (person_id = (select id from people where name = nullif($1, '')) or department = nullif($2, '')) and number = $7
returning number`

// SetAllowance says what a person or a department may use up in a month, over an allowance of a
// number, 0 for none; or gives ErrNotFound where it has another.
func (tx Tx) SetAllowance(a Allowance, by int64) error {
	var now int
	if a.Number == 0 {
		return tx.get(&now, addAllowance, a.Person, a.Department, a.Words, a.Money, by, tx.at)
	}
	return tx.get(&now, setAllowance, a.Person, a.Department, a.Words, a.Money, by, tx.at, a.Number)
}

const dropAllowance = `
delete from allowances
where (person_id = (select id from people where name = nullif($1, '')) or department = nullif($2, '')) and number = $3
returning number`

// DropAllowance has a person or a department use up as much as they like, or gives ErrNotFound.
func (tx Tx) DropAllowance(a Allowance) error {
	var was int
	return tx.get(&was, dropAllowance, a.Person, a.Department, a.Number)
}

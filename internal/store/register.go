package store

import (
	"time"

	"goldshelf/core/layout"
	"goldshelf/core/register"
)

// Registered is an application or a model: a term of that facet, with what is kept of it.
type Registered struct {
	Facet      string                 `db:"facet"`
	Name       string                 `db:"name"`
	Title      string                 `db:"title"`
	Details    JSON[register.Details] `db:"details"`
	KeeperName string                 `db:"keeper_name"` // in full; empty where there is no such person
	Entries    int                    `db:"entries"`     // on the shelf, with its label
	Layout     bool                   `db:"layout"`      // it has one
}

const registered = `
select t.facet, t.name, t.title, coalesce(r.details, '{"status": "allowed"}') as details, coalesce(p.full_name, '') as keeper_name,
       (select count(*) from labels l join versions v on v.entry_id = l.entry_id and v.state = 'published' where l.facet = t.facet and l.term = t.name) as entries,
       t.facet = 'application' and exists (select from layouts where application = t.name) as layout
from terms t
left join register r on r.facet = t.facet and r.term = t.name
left join people p on p.name = r.details ->> 'keeper'
where t.facet in ('application', 'model')
order by t.facet, t.position`

// Registered gives every application and model, in the order of the labels.
func (r Reader) Registered() (all []Registered, err error) { return all, r.all(&all, registered) }

const modelDetails = `
select coalesce(r.details, '{"status": "allowed"}') as details
from terms t
left join register r on r.facet = t.facet and r.term = t.name
where t.facet = 'model' and t.name = $1`

// ModelDetails gives what is registered of a model, or ErrNotFound.
func (r Reader) ModelDetails(name string) (register.Details, error) {
	var d JSON[register.Details]
	return d.V, r.get(&d, modelDetails, name)
}

// RegisterBudget is the cap for all applications, with the number that a change of the
// register must name.
type RegisterBudget struct {
	Cap      *float64 `db:"cap"`
	Currency string   `db:"currency"`
	Number   int      `db:"number"`
}

const registerBudget = `select cap::float8 as cap, currency, number from register_budget`

// RegisterBudget gives it.
func (r Reader) RegisterBudget() (b RegisterBudget, err error) {
	return b, r.get(&b, registerBudget)
}

const lockRegister = `select number from register_budget for update`

// LockRegister keeps others from changing the register until the transaction ends, and
// gives its number.
func (tx Tx) LockRegister() (number int, err error) { return number, tx.get(&number, lockRegister) }

const countRegister = `update register_budget set number = number + 1`

const setRegistered = `
insert into register (facet, term, details) values ($1, $2, $3)
on conflict (facet, term) do update set details = excluded.details,
    changed_at = case when excluded.details - $4::text[] = register.details - $4::text[] then register.changed_at else $5 end`

// SetRegistered keeps details of an application or a model.
func (tx Tx) SetRegistered(facet, term string, d register.Details) error {
	beside := []string{"keeper", "price_in", "price_out", "cost_month", "seats", "renews"} // change nothing that is answered
	details, err := jsonText(d)
	if err != nil {
		return err
	}
	if err := tx.exec(setRegistered, facet, term, details, beside, tx.at); err != nil {
		return err
	}
	return tx.exec(countRegister)
}

const setBudget = `update register_budget set cap = $1, currency = $2, number = number + 1`

// SetBudget changes the cap for all applications.
func (tx Tx) SetBudget(b register.Budget) error { return tx.exec(setBudget, b.Cap, b.Currency) }

const labelledWith = `
select e.slug
from labels l
join entries e on e.id = l.entry_id
where l.facet = $1 and l.term = $2
order by e.slug
limit $3`

// LabelledWith gives the slugs of entries that have a term, so many at most.
func (r Reader) LabelledWith(facet, term string, most int) (slugs []string, err error) {
	return slugs, r.all(&slugs, labelledWith, facet, term, most)
}

// Layout is how an application wants a stack delivered.
type Layout struct {
	Application string              `db:"application"`
	Title       string              `db:"title"` // the application's
	Layout      JSON[layout.Layout] `db:"layout"`
	Number      int                 `db:"number"`
	By          string              `db:"by"` // a full name
	At          time.Time           `db:"at"`
}

const layoutColumns = `
select l.application, t.title, l.layout, l.number, p.full_name as by, l.at
from layouts l
join terms t on t.facet = 'application' and t.name = l.application
join people p on p.id = l.set_by`

const layouts = layoutColumns + `
order by t.position`

// Layouts gives every application's layout, in the order of the labels.
func (r Reader) Layouts() (all []Layout, err error) { return all, r.all(&all, layouts) }

const layoutOf = layoutColumns + `
where l.application = $1`

// Layout gives an application's, or ErrNotFound.
func (r Reader) Layout(application string) (l Layout, err error) {
	return l, r.get(&l, layoutOf, application)
}

const setLayout = `
insert into layouts (application, layout, number, set_by, at) values ($1, $2, $3, $4, $5)
on conflict (application) do update
set layout = excluded.layout, number = excluded.number, set_by = excluded.set_by, at = excluded.at
where layouts.number = excluded.number - 1
returning application`

// SetLayout keeps an application's layout under the number that follows the one that is
// there; it gives ErrNotFound where another is there by now.
func (tx Tx) SetLayout(application string, l layout.Layout, number int, by int64) error {
	text, err := jsonText(l)
	if err != nil {
		return err
	}
	tx.shelf.changed = true
	return tx.get(&application, setLayout, application, text, number, by, tx.at)
}

const dropLayout = `delete from layouts where application = $1 returning application`

// DropLayout forgets an application's layout, or gives ErrNotFound.
func (tx Tx) DropLayout(application string) error {
	tx.shelf.changed = true
	return tx.get(&application, dropLayout, application)
}

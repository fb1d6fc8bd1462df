package store

import (
	"time"

	"goldshelf/core/entry"
)

// Starter is what a new entry begins with in a department.
type Starter struct {
	Department string              `db:"department"`
	Content    JSON[entry.Content] `db:"content"`
	By         string              `db:"by"`
	At         time.Time           `db:"at"`
}

const starters = `
select s.department, s.content, p.full_name as by, s.at
from starters s
join people p on p.id = s.set_by
order by s.department`

// Starters gives what new entries begin with, by department.
func (r Reader) Starters() (all []Starter, err error) {
	return all, r.all(&all, starters)
}

const setStarter = `
insert into starters (department, content, set_by, at)
values ($1, $2, $3, $4)
on conflict (department) do update set content = excluded.content, set_by = excluded.set_by, at = excluded.at`

// SetStarter keeps what new entries begin with in a department.
func (tx Tx) SetStarter(department string, c entry.Content, by int64, at time.Time) error {
	text, err := jsonText(c)
	if err != nil {
		return err
	}
	return tx.exec(setStarter, department, text, by, at)
}

const dropStarter = `delete from starters where department = $1 returning department`

// DropStarter forgets what new entries begin with in a department, or gives ErrNotFound.
func (tx Tx) DropStarter(department string) error {
	return tx.get(&department, dropStarter, department)
}

// What a prompt helps with.
const (
	HelpsDraft  = "draft"      // it writes prompts
	HelpsRefine = "refinement" // it changes a reply of a model
	HelpsEdit   = "editing"    // it changes a text that somebody writes
)

const setHelper = `update entries set helps = $2, helper = $2 = 'draft' where id = $1`

// SetHelper says what a prompt helps with, or that it does not.
func (tx Tx) SetHelper(entryID int64, helps string) error {
	return tx.exec(setHelper, entryID, helps)
}

var helpers = columns + `
where state = 'published' and entry_id in (select id from entries where helps = $1)
order by title`

// Helpers gives the published prompts that help with something.
func (r Reader) Helpers(helps string) (all []Version, err error) {
	return all, r.all(&all, helpers, helps)
}

const addHelped = `
insert into helped (entry_id, number, model, helper, by, at) values ($1, $2, $3, $4, nullif($5::bigint, 0), $6)
on conflict do nothing`

// Helped is a model that helped with a version, and the prompt by which it did.
type Helped struct {
	Number int       `db:"number"`
	Model  string    `db:"model"`
	Helper string    `db:"helper"` // with its version, as improve-a-prompt@2
	By     string    `db:"by"`     // a full name
	At     time.Time `db:"at"`
}

// AddHelped says that a model helped somebody with a version of an entry; said twice, once.
func (tx Tx) AddHelped(entryID int64, number int, model, helper string, by int64) error {
	return tx.exec(addHelped, entryID, number, model, helper, by, tx.at)
}

const helped = `
select h.number, h.model, h.helper, coalesce(p.full_name, '') as by, h.at
from helped h
left join people p on p.id = h.by
where h.entry_id = $1
order by h.number desc, h.at`

// Helped gives which models helped with an entry's versions, the newest first.
func (r Reader) Helped(entryID int64) (all []Helped, err error) {
	return all, r.all(&all, helped, entryID)
}

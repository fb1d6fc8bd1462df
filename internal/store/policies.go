package store

import (
	"time"

	"goldshelf/core/check"
)

// Policy is one decision of the curators about checks.
type Policy struct {
	Number int                `db:"number"`
	Policy JSON[check.Policy] `db:"policy"`
	By     string             `db:"by"`
	At     time.Time          `db:"at"`
}

const policy = `
select number, policy, p.full_name as by, at
from policies
join people p on p.id = set_by
order by number desc
limit 1`

// Policy gives the policy in force, or ErrNotFound where none was ever set.
func (r Reader) Policy() (p Policy, err error) {
	return p, r.get(&p, policy)
}

const lockPolicies = `lock table policies in share row exclusive mode`

// LockPolicies has others wait until the transaction ends before they set one.
func (tx Tx) LockPolicies() error { return tx.exec(lockPolicies) }

const addPolicy = `
insert into policies (policy, set_by, at)
values ($1, $2, $3)
returning number`

// AddPolicy keeps a new policy and gives its number.
func (tx Tx) AddPolicy(p check.Policy, by int64, at time.Time) (number int, err error) {
	text, err := jsonText(p)
	if err != nil {
		return 0, err
	}
	return number, tx.get(&number, addPolicy, text, by, at)
}

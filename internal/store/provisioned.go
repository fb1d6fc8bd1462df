package store

import "time"

// Provisioned is somebody as the company's directory keeps them here.
type Provisioned struct {
	Person
	UserName   string    `db:"user_name"`
	ExternalID string    `db:"external_id"`
	At         time.Time `db:"at"`
	ChangedAt  time.Time `db:"changed_at"`

	Groups JSON[[]GroupName] `db:"groups"`
}

// GroupName is a group by its id.
type GroupName struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
}

const provisionedPeople = `
select p.id, p.name, p.full_name, p.department, p.role, p.password, p.active, p.language, p.away_from, p.away_until,
       coalesce(d.user_name, p.name) as user_name, coalesce(d.external_id, '') as external_id, coalesce(d.at, 'epoch') as at, coalesce(d.changed_at, 'epoch') as changed_at,
       coalesce((select jsonb_agg(jsonb_build_object('id', g.id, 'name', g.name) order by g.name)
                   from provisioned_members m join provisioned_groups g on g.id = m.group_id
                  where m.person_id = p.id), '[]') as groups
from people p
left join provisioned d on d.person_id = p.id
where d.deleted_at is null and ($1::bigint = 0 or p.id = $1)
order by p.id`

// ProvisionedPeople gives everyone whom the directory has not deleted.
func (r Reader) ProvisionedPeople() (all []Provisioned, err error) {
	return all, r.all(&all, provisionedPeople, 0)
}

// ProvisionedPerson gives one of them, or ErrNotFound.
func (r Reader) ProvisionedPerson(id int64) (p Provisioned, err error) {
	return p, r.get(&p, provisionedPeople, id)
}

const setProvisioned = `
insert into provisioned (person_id, user_name, external_id, at, changed_at)
values ($1, $2, $3, $4, $4)
on conflict (person_id) do update
set user_name = excluded.user_name, external_id = excluded.external_id, changed_at = excluded.changed_at`

// SetProvisioned keeps what the directory calls somebody, or gives ErrTaken.
func (tx Tx) SetProvisioned(person int64, userName, externalID string) error {
	return tx.exec(setProvisioned, person, userName, externalID, tx.at)
}

const deleteProvisioned = `
with gone as (delete from provisioned_members where person_id = $1)
update provisioned set deleted_at = $2 where person_id = $1`

// DeleteProvisioned says that the directory has deleted somebody.
func (tx Tx) DeleteProvisioned(person int64) error { return tx.exec(deleteProvisioned, person, tx.at) }

// ProvisionedGroup is a group as the company's directory keeps it here.
type ProvisionedGroup struct {
	ID         int64                 `db:"id"`
	Name       string                `db:"name"`
	ExternalID string                `db:"external_id"`
	At         time.Time             `db:"at"`
	ChangedAt  time.Time             `db:"changed_at"`
	Members    JSON[[]MemberOfGroup] `db:"members"`
}

// MemberOfGroup is somebody in a group.
type MemberOfGroup struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
}

const provisionedGroups = `
select g.id, g.name, g.external_id, g.at, g.changed_at,
       coalesce((select jsonb_agg(jsonb_build_object('id', p.id, 'name', p.full_name) order by p.id)
                   from provisioned_members m join people p on p.id = m.person_id
                  where m.group_id = g.id), '[]') as members
from provisioned_groups g
where $1::bigint = 0 or g.id = $1
order by g.id`

// ProvisionedGroups gives every group of the directory.
func (r Reader) ProvisionedGroups() (all []ProvisionedGroup, err error) {
	return all, r.all(&all, provisionedGroups, 0)
}

// ProvisionedGroup gives one of them, or ErrNotFound.
func (r Reader) ProvisionedGroup(id int64) (g ProvisionedGroup, err error) {
	return g, r.get(&g, provisionedGroups, id)
}

const addProvisionedGroup = `
insert into provisioned_groups (name, external_id, at, changed_at) values ($1, $2, $3, $3) returning id`

// AddProvisionedGroup adds a group and gives its id, or ErrTaken.
func (tx Tx) AddProvisionedGroup(name, externalID string) (id int64, err error) {
	return id, tx.get(&id, addProvisionedGroup, name, externalID, tx.at)
}

const setProvisionedGroup = `update provisioned_groups set name = $2, external_id = $3, changed_at = $4 where id = $1`

// SetProvisionedGroup changes what a group is called, or gives ErrTaken.
func (tx Tx) SetProvisionedGroup(id int64, name, externalID string) error {
	return tx.exec(setProvisionedGroup, id, name, externalID, tx.at)
}

const setProvisionedMembers = `
with gone as (delete from provisioned_members where group_id = $1 and not person_id = any ($2))
insert into provisioned_members (group_id, person_id)
select $1, id from people where id = any ($2)
on conflict do nothing`

// SetProvisionedMembers says who is in a group.
func (tx Tx) SetProvisionedMembers(id int64, people []int64) error {
	return tx.exec(setProvisionedMembers, id, people)
}

const deleteProvisionedGroup = `delete from provisioned_groups where id = $1`

// DeleteProvisionedGroup deletes a group.
func (tx Tx) DeleteProvisionedGroup(id int64) error { return tx.exec(deleteProvisionedGroup, id) }

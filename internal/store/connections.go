package store

import (
	"time"

	"goldshelf/core/endpoint"
)

// Connection is a place where models answer.
type Connection struct {
	ID      int64               `db:"id"`
	Name    string              `db:"name"`
	Title   string              `db:"title"`
	Details JSON[endpoint.Spec] `db:"details"`
	Number  int                 `db:"number"`
	By      string              `db:"by"` // a full name
	At      time.Time           `db:"changed_at"`
	Sealed  []byte              `db:"sealed"` // its secret, where that is kept here
}

const connectionColumns = `
select c.id, c.name, c.title, c.details, c.number, coalesce(p.full_name, '') as by, c.changed_at, s.sealed
from connections c
left join connection_secrets s on s.connection_id = c.id
left join people p on p.id = c.changed_by`

const connections = connectionColumns + `
order by c.title, c.name`

// Connections gives all of them.
func (r Reader) Connections() (all []Connection, err error) { return all, r.all(&all, connections) }

const connectionOf = connectionColumns + `
where c.name = $1`

// Connection gives one of them, or ErrNotFound.
func (r Reader) Connection(name string) (c Connection, err error) {
	return c, r.get(&c, connectionOf, name)
}

const connectionByID = connectionColumns + `
where c.id = $1`

// ConnectionByID gives one of them, or ErrNotFound.
func (r Reader) ConnectionByID(id int64) (c Connection, err error) {
	return c, r.get(&c, connectionByID, id)
}

const addConnection = `
insert into connections (name, title, details, changed_by, changed_at) values ($1, $2, $3, nullif($4::bigint, 0), $5)
on conflict (name) do nothing
returning id`

// AddConnection adds one, or gives ErrNotFound where its name is taken.
func (tx Tx) AddConnection(name, title string, c endpoint.Spec, by int64) error {
	details, err := jsonText(c)
	if err != nil {
		return err
	}
	var id int64
	return tx.get(&id, addConnection, name, title, details, by, tx.at)
}

const setConnection = `
update connections set title = $3, details = $4, number = number + 1, changed_by = nullif($5::bigint, 0), changed_at = $6
where name = $1 and number = $2
returning id`

// SetConnection changes one that has a number, or gives ErrNotFound.
func (tx Tx) SetConnection(name string, number int, title string, c endpoint.Spec, by int64) error {
	details, err := jsonText(c)
	if err != nil {
		return err
	}
	var id int64
	return tx.get(&id, setConnection, name, number, title, details, by, tx.at)
}

const sealSecret = `
insert into connection_secrets (connection_id, sealed, at)
select id, $2, $3 from connections where name = $1
on conflict (connection_id) do update set sealed = excluded.sealed, at = excluded.at`

// SealSecret keeps a connection's secret, sealed.
func (tx Tx) SealSecret(name string, sealed []byte) error {
	return tx.exec(sealSecret, name, sealed, tx.at)
}

const dropSecret = `delete from connection_secrets where connection_id = (select id from connections where name = $1)`

// DropSecret forgets a connection's secret.
func (tx Tx) DropSecret(name string) error { return tx.exec(dropSecret, name) }

const dropConnection = `
delete from connections c
where name = $1 and not exists (select from replies where connection_id = c.id and state in ('waiting', 'running'))
returning id`

const keepReplies = `
update replies set connection_id = null
where connection_id = (select id from connections where name = $1) and state not in ('waiting', 'running')`

// DropConnection deletes one, or gives ErrNotFound where there is none, or replies are awaited
// from it. The transaction has looked at all talks.
func (tx Tx) DropConnection(name string) error {
	if err := tx.exec(keepReplies, name); err != nil {
		return err
	}
	var id int64
	return tx.get(&id, dropConnection, name)
}

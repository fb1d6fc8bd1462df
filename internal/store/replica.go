package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync/atomic"
	"time"
)

// ErrBehind means that a replica does not show yet, or never will, what the database had
// written at some moment.
var ErrBehind = errors.New("the replica is behind")

// Written is how far a database had written at some moment: all that was committed before
// is in it.
type Written struct {
	System   int64  `db:"system"`   // which cluster
	Timeline int    `db:"timeline"` // another one since each time that a replica was promoted
	LSN      string `db:"lsn"`
}

const written = `
select (select system_identifier from pg_control_system()) as system,
       ('x' || left(pg_walfile_name(lsn), 8))::bit(32)::int as timeline, lsn::text
from pg_current_wal_flush_lsn() lsn`

// Written says how far the database has written.
func (d *DB) Written(ctx context.Context) (w Written, err error) {
	leave, err := d.enter(ctx)
	if err != nil {
		return w, err
	}
	defer leave()
	return w, d.Ask(ctx, time.Time{}).get(&w, written)
}

// Replica is a physical replica of a database, which is only read.
type Replica struct {
	db    *DB
	rests atomic.Int64 // until when it is not asked, in nanoseconds since 1970
}

const (
	catchUpWithin = 50 * time.Millisecond
	lookEvery     = 2 * time.Millisecond
	restFor       = time.Second
)

// OpenReplica connects to a replica, with so many connections at most. It waits for nothing.
func OpenReplica(url string, connections int) (*Replica, error) {
	db, err := OpenWith(url, connections)
	return &Replica{db: db}, err
}

// Close lets go of the replica.
func (r *Replica) Close() error { return r.db.Close() }

// Rests says whether the replica is better not asked now: it was behind or away a moment
// ago.
func (r *Replica) Rests() bool { return time.Now().UnixNano() < r.rests.Load() }

// The replica is one of that database, and follows it as it is now: one that has missed a
// promotion may have gone further on the way that the others have left.
const shows = `
select pg_is_in_recovery() and coalesce(pg_last_wal_replay_lsn() >= $1::pg_lsn, false)
   and (select timeline_id from pg_control_checkpoint()) = $2
   and (select system_identifier from pg_control_system()) = $3`

const position = `
select pg_is_in_recovery() as follows, coalesce(pg_last_wal_replay_lsn(), '0/0')::text as lsn,
       (select timeline_id from pg_control_checkpoint()) as timeline,
       (select system_identifier from pg_control_system()) as system,
       case when pg_last_wal_replay_lsn() >= $1::pg_lsn then 0 else coalesce(extract(epoch from now() - pg_last_xact_replay_timestamp()), 0) end as behind`

// Position is where a replica stands.
type Position struct {
	Written
	Follows bool    `db:"follows"` // or it was promoted
	Behind  float64 `db:"behind"`  // seconds
}

// Errors of a replica that is none.
var (
	ErrStranger   = errors.New("it is no physical replica of this database")
	ErrNoFollower = errors.New("it follows this database no more: it was promoted, or has missed that another one was")
)

// Position says where a replica of the database stands.
func (d *DB) Position(ctx context.Context, r *Replica) (p Position, err error) {
	has, err := d.Written(ctx)
	if err != nil {
		return p, fmt.Errorf("ask the database how far it has written: %w", err)
	}
	if err = r.db.One(ctx, time.Time{}, func(s Snapshot) error { return s.get(&p, position, has.LSN) }); err != nil {
		return p, fmt.Errorf("ask the replica how far it is: %w", err)
	}
	switch {
	case p.System != has.System:
		return p, ErrStranger
	case !p.Follows || p.Timeline != has.Timeline:
		return p, ErrNoFollower
	}
	return p, nil
}

// View runs do on one unchanging state that has all that was written by then. It gives
// ErrBehind, and is not asked for a moment, where the replica does not have that soon.
func (r *Replica) View(ctx context.Context, at time.Time, has Written, do func(Snapshot) error) error {
	err := r.view(ctx, at, has, do)
	if errors.Is(err, ErrBehind) || errors.Is(err, ErrAway) {
		r.rests.Store(time.Now().Add(restFor).UnixNano())
	}
	return err
}

func (r *Replica) view(ctx context.Context, at time.Time, has Written, do func(Snapshot) error) error {
	leave, err := r.db.enter(ctx)
	if err != nil {
		return err
	}
	defer leave()
	// What a connection shows at one moment it shows ever after.
	conn, err := r.db.db.Connx(ctx)
	if err != nil {
		return fmt.Errorf("connect to the replica: %w", known(err))
	}
	defer conn.Close()
	for late := time.Now().Add(catchUpWithin); ; time.Sleep(lookEvery) {
		var is bool
		if err := conn.GetContext(ctx, &is, shows, has.LSN, has.Timeline, has.System); err != nil {
			return fmt.Errorf("look how far the replica is: %w", known(err))
		}
		if is {
			break
		}
		if time.Now().After(late) {
			return ErrBehind
		}
	}
	tx, err := conn.BeginTxx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return fmt.Errorf("begin to read from the replica: %w", known(err))
	}
	defer func() { _ = tx.Rollback() }() // there is nothing to keep
	return do(Snapshot{Reader: Reader{ctx, tx, at}, replica: true})
}

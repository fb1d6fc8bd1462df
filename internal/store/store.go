// Package store keeps the library in PostgreSQL: queries and migrations. It
// knows rows and no rules; who may change what is decided above it.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"

	"goldshelf/core/message"
)

// Errors that a caller can do something about.
var (
	ErrNotFound = errors.New("not found")
	ErrTaken    = errors.New("taken")
	ErrChanged  = errors.New("changed meanwhile")

	// ErrTryAgain means that the database gave a transaction up, because of another one
	// (a deadlock, a serialisation failure, a row that is gone) or because it ended the connection: nothing
	// of it was kept, and done once more it may succeed.
	ErrTryAgain = errors.New("given up by the database")

	// ErrAway means that the database does not answer, or has no room: nothing of what
	// was to be changed was kept, and it may go later.
	ErrAway = errors.New("the database does not answer")

	// ErrUnfit means that the database will never take what it was given: a value does not
	// hold to what it guards.
	ErrUnfit = errors.New("the database does not take this")

	// ErrUnsure means that the database was to keep a transaction and did not say whether
	// it has.
	ErrUnsure = errors.New("the database did not say whether it was kept")
)

// Reader asks the database at one moment, in one transaction and on behalf of one
// call. It has no way to any other connection.
type Reader struct {
	ctx context.Context
	q   sqlx.QueryerContext
	at  time.Time
}

// get reads the one row that a query gives, or ErrNotFound.
func (r Reader) get(into any, query string, args ...any) error {
	return known(sqlx.GetContext(r.ctx, r.q, into, query, args...))
}

// all reads every row that a query gives.
func (r Reader) all(into any, query string, args ...any) error {
	return known(sqlx.SelectContext(r.ctx, r.q, into, query, args...))
}

// Context is that of the call.
func (r Reader) Context() context.Context { return r.ctx }

// Now is the time of the call: one for all that it does.
func (r Reader) Now() time.Time { return r.at }

// Snapshot is a Reader of what is committed, and of nothing else: what it gives may
// be kept.
type Snapshot struct {
	Reader
	replica bool
}

// OfReplica says whether a replica answers. Its moments are not to be held against those of
// the database.
func (s Snapshot) OfReplica() bool { return s.replica }

// Tx is a transaction that changes something.
type Tx struct {
	Reader
	tx    *sqlx.Tx
	shelf *shelfChange
}

// shelfChange says whether a transaction changes what is on the shelf.
type shelfChange struct{ changed bool }

// ShelfChanged says whether the transaction changes what is on the shelf.
func (tx Tx) ShelfChanged() bool { return tx.shelf.changed }

// exec runs a statement.
func (tx Tx) exec(statement string, args ...any) error {
	_, err := tx.tx.ExecContext(tx.ctx, statement, args...)
	return known(err)
}

// DB is the library's database. It can be asked only through Change, View and Ask.
type DB struct {
	db       *sqlx.DB
	how      *pgx.ConnConfig
	room     chan struct{} // has a place for each connection in use
	rehearse bool          // see RehearseChanges
}

const (
	// Connections is how many connections a service opens to the database at most, unless
	// it is told another number.
	Connections = 24

	waitForRoom = 5 * time.Second // for one of them
)

// Open connects to a database. It waits for nothing and changes nothing.
func Open(url string) (*DB, error) { return OpenWith(url, Connections) }

// OpenWith is Open with so many connections at most.
func OpenWith(url string, connections int) (*DB, error) {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("open the database: %w", err)
	}
	// Our queries are few and the same plan serves them whatever they are asked:
	// planning some of them anew each time would take longer than running them.
	config.RuntimeParams["plan_cache_mode"] = "force_generic_plan"
	config.RuntimeParams["work_mem"] = "32MB" // an export sorts whole texts
	config.RuntimeParams["timezone"] = "UTC"  // days are reckoned in the library's zone, by library_day
	db := sqlx.NewDb(stdlib.OpenDB(*config), "pgx")
	db.SetMaxOpenConns(connections)
	db.SetMaxIdleConns(connections)
	db.SetConnMaxIdleTime(5 * time.Minute)
	return &DB{db: db, how: config, room: make(chan struct{}, connections)}, nil
}

// enter waits for a connection to be free, and not for ever.
func (d *DB) enter(ctx context.Context) (leave func(), err error) {
	select {
	case d.room <- struct{}{}:
		return func() { <-d.room }, nil
	default:
	}
	wait := time.NewTimer(waitForRoom)
	defer wait.Stop()
	select {
	case d.room <- struct{}{}:
		return func() { <-d.room }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-wait.C:
		return nil, fmt.Errorf("%w: all %d connections are in use", ErrAway, cap(d.room))
	}
}

// Connections says how many connections are in use, and how many may be.
func (d *DB) Connections() (used, most int) { return len(d.room), cap(d.room) }

// Close lets go of the database.
func (d *DB) Close() error { return d.db.Close() }

// Ping asks the database for an answer.
func (d *DB) Ping(ctx context.Context) error { return d.db.PingContext(ctx) }

// Change runs do in a transaction that is kept if do gives no error and does not
// panic.
func (d *DB) Change(ctx context.Context, at time.Time, do func(Tx) error) error {
	leave, err := d.enter(ctx)
	if err != nil {
		return err
	}
	defer leave()
	if d.rehearse {
		if err := d.rehearseChange(ctx, at, do); err != nil {
			return err
		}
	}
	tx, err := d.db.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin a transaction: %w", known(err))
	}
	defer func() { _ = tx.Rollback() }() // nothing where it is kept
	if err := do(Tx{Reader{ctx, tx, at}, tx, &shelfChange{}}); err != nil {
		return errors.Join(err, rolledBack(tx.Rollback()))
	}
	if err := tx.Commit(); err != nil {
		var refused *pgconn.PgError
		if errors.As(err, &refused) && !wasEnded(err) {
			return fmt.Errorf("commit: %w", known(err))
		}
		return fmt.Errorf("commit: %w: %w", ErrUnsure, err)
	}
	return nil
}

// RehearseChanges(true) makes every later call of Change and View run its function twice; the first
// run is rolled back. The database may always make a function run again, so nothing may come
// of a run that was rolled back: tests show it by this.
func (d *DB) RehearseChanges(on bool) { d.rehearse = on }

func (d *DB) rehearseChange(ctx context.Context, at time.Time, do func(Tx) error) error {
	tx, err := d.db.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin a transaction: %w", known(err))
	}
	err = do(Tx{Reader{ctx, tx, at}, tx, &shelfChange{}})
	return errors.Join(err, rolledBack(tx.Rollback()))
}

// View runs do on one unchanging state of the database.
func (d *DB) View(ctx context.Context, at time.Time, do func(Snapshot) error) error {
	leave, err := d.enter(ctx)
	if err != nil {
		return err
	}
	defer leave()
	tx, err := d.db.BeginTxx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return fmt.Errorf("begin to read: %w", known(err))
	}
	defer func() { _ = tx.Rollback() }() // there is nothing to keep
	if d.rehearse {
		if err := do(Snapshot{Reader: Reader{ctx, tx, at}}); err != nil {
			return err
		}
	}
	return do(Snapshot{Reader: Reader{ctx, tx, at}})
}

// One has do ask one question; see Ask. Like Change and View it waits for a connection,
// and not for ever.
func (d *DB) One(ctx context.Context, at time.Time, do func(Snapshot) error) error {
	leave, err := d.enter(ctx)
	if err != nil {
		return err
	}
	defer leave()
	return do(d.Ask(ctx, at))
}

// Ask gives a Snapshot for one question, which needs no transaction. It refuses a
// second one, since the two could be answered from different states.
func (d *DB) Ask(ctx context.Context, at time.Time) Snapshot {
	return Snapshot{Reader: Reader{ctx, &once{q: d.db}, at}}
}

// once asks one question.
type once struct {
	q     sqlx.QueryerContext
	asked atomic.Bool
}

var errAskedTwice = errors.New("a second question was asked where one is allowed; use View")

func (o *once) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	if o.asked.Swap(true) {
		return nil, errAskedTwice
	}
	return o.q.QueryContext(ctx, query, args...)
}

func (o *once) QueryxContext(ctx context.Context, query string, args ...any) (*sqlx.Rows, error) {
	if o.asked.Swap(true) {
		return nil, errAskedTwice
	}
	return o.q.QueryxContext(ctx, query, args...)
}

func (o *once) QueryRowxContext(ctx context.Context, query string, args ...any) *sqlx.Row {
	if o.asked.Swap(true) {
		panic(errAskedTwice)
	}
	return o.q.QueryRowxContext(ctx, query, args...)
}

// Try runs do so that, if it gives an error, nothing of it is kept and the
// transaction goes on.
func (tx Tx) Try(do func() error) error {
	if err := tx.exec("savepoint try"); err != nil {
		return err
	}
	before := *tx.shelf
	if err := do(); err != nil {
		*tx.shelf = before
		return errors.Join(err, tx.exec("rollback to savepoint try; release savepoint try"))
	}
	return tx.exec("release savepoint try")
}

// rolledBack passes over the answer that there was nothing left to roll back.
func rolledBack(err error) error {
	if errors.Is(err, sql.ErrTxDone) {
		return nil
	}
	return err
}

// known turns the driver's errors into ours.
func known(err error) error {
	var pg *pgconn.PgError
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return ErrNotFound
	case errors.As(err, &pg) && pg.Code == "23505":
		return fmt.Errorf("%w: %s", ErrTaken, pg.ConstraintName)
	case errors.As(err, &pg) && (pg.Code == "40001" || pg.Code == "40P01" || pg.Code == "23503"), wasEnded(err):
		// What a row names went, or was named, between a look at it and the change.
		return fmt.Errorf("%w: %s", ErrTryAgain, err)
	case isAway(err):
		return fmt.Errorf("%w: %w", ErrAway, err)
	case errors.As(err, &pg) && (pg.Code[:2] == "22" || pg.Code[:2] == "23"): // data, or what is guarded of it
		return fmt.Errorf("%w: %w", ErrUnfit, err)
	}
	return err
}

// isAway says whether it is the database that is not there, or has no room, and not what
// was asked of it.
func isAway(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		switch pg.Code[:2] {
		case "08", "53", "58", "XX": // connections, resources, the system, itself
			return true
		}
		return pg.Code == "57P03" || pg.Code == "25006" // starting or stopping; only to be read
	}
	var connect *pgconn.ConnectError
	var network net.Error
	return errors.As(err, &connect) || errors.As(err, &network) && !errors.Is(err, context.DeadlineExceeded) ||
		errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, driver.ErrBadConn) || errors.Is(err, net.ErrClosed)
}

// wasEnded says whether the database ended the connection, as an operator asked it to.
func wasEnded(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && (pg.Code == "57P01" || pg.Code == "57P02")
}

// JSON is a column that holds a value as JSON.
type JSON[T any] struct{ V T }

// Scan reads a column.
func (j *JSON[T]) Scan(src any) error {
	switch src := src.(type) {
	case nil:
		return nil
	case []byte:
		return json.Unmarshal(src, &j.V)
	case string:
		return json.Unmarshal([]byte(src), &j.V)
	}
	return fmt.Errorf("cannot read JSON from %T", src)
}

// MarshalJSON writes what is in the column.
func (j JSON[T]) MarshalJSON() ([]byte, error) { return json.Marshal(j.V) }

// jsonText gives v as JSON for a parameter. Texts in it are kept with what they are made of.
func jsonText(v any) (string, error) {
	data, err := json.Marshal(message.Kept(v))
	return string(data), err
}

// Said is a column with a text for people, kept with what it is made of: what is read back
// can still be said in another language. Words that stand there alone are read as they are.
type Said struct{ message.Text }

// Scan reads a column.
func (s *Said) Scan(src any) error {
	words, ok := src.(string)
	if !ok {
		return fmt.Errorf("cannot read a text from %T", src)
	}
	s.Text = ReadSaid(words)
	return nil
}

// ReadSaid gives what a column says that holds a [Said].
func ReadSaid(words string) (t message.Text) {
	if strings.HasPrefix(words, `{"english":`) && json.Unmarshal([]byte(words), &t) == nil {
		return t
	}
	return message.Plain(words)
}

// Value writes a column.
func (s Said) Value() (driver.Value, error) { return s.column() }

// column is what stands in the column.
func (s Said) column() (string, error) {
	text, err := jsonText(s.Text)
	if err != nil || strings.HasPrefix(text, "{") {
		return text, err
	}
	return s.String(), nil
}

// Count gives how many rows a table of the library has.
func (r Reader) Count(table string) (n int, err error) {
	return n, r.get(&n, "select count(*) from "+pgx.Identifier{table}.Sanitize())
}

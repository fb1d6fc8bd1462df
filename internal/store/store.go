// Package store keeps the library in PostgreSQL: queries and migrations. It
// knows rows and no rules; who may change what is decided above it.
package store

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
)

// Errors that a caller can do something about.
var (
	ErrNotFound = errors.New("not found")
	ErrTaken    = errors.New("taken")
	ErrChanged  = errors.New("changed meanwhile")
)

//go:embed migrations/*.sql
var migrations embed.FS

//go:embed routines.sql
var routines string

// Reader asks the database; both a [DB] and a [Tx] are one.
type Reader struct{ q sqlx.QueryerContext }

// get reads the one row that a query gives, or ErrNotFound.
func (r Reader) get(ctx context.Context, into any, query string, args ...any) error {
	return known(sqlx.GetContext(ctx, r.q, into, query, args...))
}

// all reads every row that a query gives.
func (r Reader) all(ctx context.Context, into any, query string, args ...any) error {
	return known(sqlx.SelectContext(ctx, r.q, into, query, args...))
}

// DB is the library's database.
type DB struct {
	Reader
	db *sqlx.DB
}

// Tx is a transaction. All that changes the library goes through one.
type Tx struct {
	Reader
	tx *sqlx.Tx
}

// exec runs a statement.
func (tx Tx) exec(ctx context.Context, statement string, args ...any) error {
	_, err := tx.tx.ExecContext(ctx, statement, args...)
	return known(err)
}

// Open connects to a database. It waits for nothing and changes nothing.
func Open(url string) (*DB, error) {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("open the database: %w", err)
	}
	// Our queries are few and the same plan serves them whatever they are asked:
	// planning some of them anew each time would take longer than running them.
	config.RuntimeParams["plan_cache_mode"] = "force_generic_plan"
	config.RuntimeParams["work_mem"] = "32MB" // an export sorts whole texts
	db := sqlx.NewDb(stdlib.OpenDB(*config), "pgx")
	db.SetMaxOpenConns(24)
	db.SetMaxIdleConns(24)
	db.SetConnMaxIdleTime(5 * time.Minute)
	return &DB{Reader{db}, db}, nil
}

// Close lets go of the database.
func (d *DB) Close() error { return d.db.Close() }

// Ping asks the database for an answer.
func (d *DB) Ping(ctx context.Context) error { return d.db.PingContext(ctx) }

const ownsSchema = `
select to_regclass('public.events') is null
       or pg_has_role((select relowner from pg_class where oid = to_regclass('public.events')), 'usage') as owns`

// Migrate brings the schema up to date. One who does not own it can only find that
// it is.
func (d *DB) Migrate(ctx context.Context) error {
	var owns bool
	if err := d.get(ctx, &owns, ownsSchema); err != nil {
		return fmt.Errorf("look at the database's schema: %w", err)
	}
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectPostgres, d.db.DB, files)
	if err != nil {
		return fmt.Errorf("read the migrations: %w", err)
	}
	if !owns {
		pending, err := p.HasPending(ctx)
		if err == nil && pending {
			err = errors.New("it is older than this program; run goldshelfd migrate as the role that owns it")
		}
		if err != nil {
			return fmt.Errorf("look at the database's schema: %w", err)
		}
		return nil
	}
	if _, err := p.Up(ctx); err != nil {
		return fmt.Errorf("bring the database's schema up to date: %w", err)
	}
	return d.Change(ctx, func(tx Tx) error {
		// Two services that start at once put them in place one after the other.
		if err := tx.exec(ctx, `select pg_advisory_xact_lock(hashtext('goldshelf routines'))`); err != nil {
			return err
		}
		if err := tx.exec(ctx, routines); err != nil {
			return fmt.Errorf("put the schema's functions and views in place: %w", err)
		}
		return nil
	})
}

// Change runs do in a transaction that is kept if do gives no error.
func (d *DB) Change(ctx context.Context, do func(Tx) error) error {
	tx, err := d.db.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin a transaction: %w", err)
	}
	if err := do(Tx{Reader{tx}, tx}); err != nil {
		return errors.Join(err, rolledBack(tx.Rollback()))
	}
	if err := tx.Commit(); err != nil {
		return fmt.Errorf("commit: %w", err)
	}
	return nil
}

// Try runs do so that, if it gives an error, nothing of it is kept and the
// transaction goes on.
func (tx Tx) Try(ctx context.Context, do func() error) error {
	if err := tx.exec(ctx, "savepoint try"); err != nil {
		return err
	}
	if err := do(); err != nil {
		return errors.Join(err, tx.exec(ctx, "rollback to savepoint try"))
	}
	return tx.exec(ctx, "release savepoint try")
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
	}
	return err
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

// jsonText gives v as JSON for a parameter.
func jsonText(v any) (string, error) {
	data, err := json.Marshal(v)
	return string(data), err
}

// Count gives how many rows a table of the library has.
func (r Reader) Count(ctx context.Context, table string) (n int, err error) {
	return n, r.get(ctx, &n, "select count(*) from "+pgx.Identifier{table}.Sanitize())
}

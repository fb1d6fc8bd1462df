package store

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/pressly/goose/v3"
)

// Table is a table of the schema with the columns that rows have values for.
type Table struct {
	Name    string   `json:"name"`
	Columns []string `json:"columns"`
}

// ofSchema are tables whose rows say what the schema is. Migrations write them, and no backup.
var ofSchema = []string{"goose_db_version", "schema_needs", "schema_routines"}

// backedUp says whether a backup has a table's rows.
func backedUp(table string) bool {
	return !slices.Contains(ofSchema, table) && !slices.Contains(NotBackedUp(), table)
}

const tableColumns = `
select c.relname as name, a.attname as column
from pg_class c
join pg_attribute a on a.attrelid = c.oid
where c.relnamespace = 'public'::regnamespace and c.relkind = 'r' and a.attnum > 0 and not a.attisdropped and a.attgenerated = ''
order by c.relname, a.attnum`

// Tables gives the tables whose rows a backup has, by name.
func (r Reader) Tables() ([]Table, error) {
	var columns []struct {
		Name   string `db:"name"`
		Column string `db:"column"`
	}
	if err := r.all(&columns, tableColumns); err != nil {
		return nil, err
	}
	var tables []Table
	for _, c := range columns {
		if !backedUp(c.Name) {
			continue
		}
		if len(tables) == 0 || tables[len(tables)-1].Name != c.Name {
			tables = append(tables, Table{Name: c.Name})
		}
		last := &tables[len(tables)-1]
		last.Columns = append(last.Columns, c.Column)
	}
	return tables, nil
}

const sequenceNumbers = `
select sequencename as name, last_value as last from pg_sequences where schemaname = 'public' and last_value is not null order by sequencename`

// Sequences gives the last number that each sequence of the schema has given out, by name.
func (r Reader) Sequences() (map[string]int64, error) {
	var all []struct {
		Name string `db:"name"`
		Last int64  `db:"last"`
	}
	if err := r.all(&all, sequenceNumbers); err != nil {
		return nil, err
	}
	last := map[string]int64{}
	for _, s := range all {
		if s.Name != "goose_db_version_id_seq" {
			last[s.Name] = s.Last
		}
	}
	return last, nil
}

// RowsConnection is a connection of its own over which the rows of whole tables are read or
// written, as PostgreSQL's COPY does (text format).
type RowsConnection struct{ conn *pgx.Conn }

// connectForRows connects so that rows are written in one way, and read in the same.
func connectForRows(ctx context.Context, config *pgx.ConnConfig) (*RowsConnection, error) {
	config = config.Copy()
	for name, value := range map[string]string{
		"client_encoding": "UTF8", "datestyle": "ISO, YMD", "intervalstyle": "postgres", "timezone": "UTC",
		"extra_float_digits": "1", "bytea_output": "hex", "goldshelf.person": "all",
	} {
		config.RuntimeParams[name] = value
	}
	conn, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("connect for whole tables: %w", known(err))
	}
	return &RowsConnection{conn}, nil
}

// ReadRows connects to read the tables of the moment that another transaction has exported.
func (d *DB) ReadRows(ctx context.Context, moment string) (*RowsConnection, error) {
	c, err := connectForRows(ctx, d.how)
	if err != nil {
		return nil, err
	}
	begin := `begin transaction isolation level repeatable read read only; set transaction snapshot '` + strings.ReplaceAll(moment, "'", "''") + `'`
	if _, err := c.conn.Exec(ctx, begin); err != nil {
		return nil, errors.Join(fmt.Errorf("read the moment of the backup: %w", known(err)), c.Close())
	}
	return c, nil
}

// Close ends the connection.
func (c *RowsConnection) Close() error {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	return c.conn.Close(ctx)
}

// Read writes a table's rows to w, and says how many there are.
func (c *RowsConnection) Read(ctx context.Context, t Table, w io.Writer) (rows int64, err error) {
	done, err := c.conn.PgConn().CopyTo(ctx, w, "copy "+t.named()+" to stdout")
	if err != nil {
		return 0, fmt.Errorf("read the table %s: %w", t.Name, known(err))
	}
	return done.RowsAffected(), nil
}

// Write puts rows that Read has written into a table, and says how many there were.
func (c *RowsConnection) Write(ctx context.Context, t Table, r io.Reader) (rows int64, err error) {
	done, err := c.conn.PgConn().CopyFrom(ctx, r, "copy "+t.named()+" from stdin")
	if err != nil {
		return 0, fmt.Errorf("write the table %s: %w", t.Name, known(err))
	}
	return done.RowsAffected(), nil
}

func (t Table) named() string {
	columns := make([]string, len(t.Columns))
	for i, name := range t.Columns {
		columns[i] = pgx.Identifier{name}.Sanitize()
	}
	return pgx.Identifier{"public", t.Name}.Sanitize() + " (" + strings.Join(columns, ", ") + ")"
}

// MakeSchema makes the schema as it was at a step in an empty database, with nothing but our own
// migrations.
func (d *DB) MakeSchema(ctx context.Context, step int64) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectPostgres, d.db.DB, files)
	if err != nil {
		return fmt.Errorf("read the migrations: %w", err)
	}
	if _, err := p.UpTo(ctx, step); err != nil {
		return fmt.Errorf("make the schema of step %d: %w", step, err)
	}
	return nil
}

// Unguarded is a schema that rows are being put into: its triggers are off and its foreign keys
// away until PutBack.
type Unguarded struct {
	Tables      []Table
	foreignKeys []foreignKey
}

type foreignKey struct {
	Table      string `db:"table"`
	Name       string `db:"name"`
	Definition string `db:"definition"`
}

const foreignKeys = `
select conrelid::regclass::text as table, conname as name, pg_get_constraintdef(oid) as definition
from pg_constraint where contype = 'f' and connamespace = 'public'::regnamespace order by conrelid::regclass::text, conname`

// Unguard empties the tables of a schema that MakeSchema has made, and has them take rows in any
// order as they are.
func (tx Tx) Unguard() (u Unguarded, err error) {
	if u.Tables, err = tx.Tables(); err != nil {
		return u, err
	}
	if err := tx.all(&u.foreignKeys, foreignKeys); err != nil {
		return u, err
	}
	for _, k := range u.foreignKeys {
		if err := tx.exec("alter table " + k.Table + " drop constraint " + pgx.Identifier{k.Name}.Sanitize()); err != nil {
			return u, err
		}
	}
	for _, t := range u.Tables {
		name := pgx.Identifier{"public", t.Name}.Sanitize()
		if err := errors.Join(tx.exec("alter table "+name+" disable trigger user"), tx.exec("truncate "+name)); err != nil {
			return u, err
		}
	}
	return u, nil
}

// PutBack puts the triggers and foreign keys back, and has each sequence go on after its last
// number. Rows that refer to none are an error.
func (tx Tx) PutBack(u Unguarded, sequences map[string]int64) error {
	known, err := tx.sequenceNames()
	if err != nil {
		return err
	}
	for name, last := range sequences {
		if !slices.Contains(known, name) {
			return fmt.Errorf("the schema has no sequence %q", name)
		}
		if err := tx.exec(`select setval(format('public.%I', $1::text)::regclass, $2)`, name, last); err != nil {
			return err
		}
	}
	for _, t := range u.Tables {
		if err := tx.exec("alter table " + pgx.Identifier{"public", t.Name}.Sanitize() + " enable trigger user"); err != nil {
			return err
		}
	}
	for _, k := range u.foreignKeys {
		if err := tx.exec("alter table " + k.Table + " add constraint " + pgx.Identifier{k.Name}.Sanitize() + " " + k.Definition); err != nil {
			return err
		}
	}
	return tx.exec("analyze")
}

func (r Reader) sequenceNames() (names []string, err error) {
	return names, r.all(&names, `select sequencename from pg_sequences where schemaname = 'public'`)
}

const isSuperuser = `select rolsuper from pg_roles where rolname = current_user`

// WriteRows gives do a connection that writes rows: of a role that is no superuser, which is made
// for it where the owner is one.
func (d *DB) WriteRows(ctx context.Context, at time.Time, do func(*RowsConnection) error) (err error) {
	config := d.how.Copy()
	var super bool
	if err := d.Ask(ctx, at).get(&super, isSuperuser); err != nil {
		return err
	}
	if super {
		config.User, config.Password = "goldshelf_restoring_"+strings.ToLower(rand.Text()[:8]), rand.Text()
		role := pgx.Identifier{config.User}.Sanitize()
		create := "create role " + role + " login bypassrls password '" + config.Password + "'"
		err := d.Change(ctx, at, func(tx Tx) error {
			if err := tx.exec(create); err != nil {
				return err
			}
			return errors.Join(tx.exec("grant usage on schema public to "+role), tx.exec("grant insert on all tables in schema public to "+role))
		})
		if err != nil {
			return fmt.Errorf("make a role that writes rows: %w", err)
		}
		defer func() {
			ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
			defer cancel()
			err = errors.Join(err, d.Change(ending, at, func(tx Tx) error {
				return errors.Join(tx.exec("drop owned by "+role), tx.exec("drop role "+role))
			}))
		}()
	}
	c, err := connectForRows(ctx, config)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, c.Close()) }()
	return do(c)
}

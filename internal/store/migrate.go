package store

import (
	"context"
	"crypto/sha256"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

//go:embed routines.sql
var routines string

// routinesNumber grows whenever routines.sql changes: a program puts in place only what
// is newer than what is there. They come with each step of the schema too, since they say
// what the service's role may do with its tables.
const routinesNumber = 9

// routinesAt is the number of the routines as they are put in place at a step.
func routinesAt(step int64) int64 { return step*1000 + routinesNumber }

// SchemaDigest is another where Migrate makes another schema of nothing.
func SchemaDigest() string {
	sum := sha256.New()
	if err := fs.WalkDir(migrations, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := migrations.ReadFile(path)
		fmt.Fprintf(sum, "%s\n%s\n", path, text)
		return err
	}); err != nil {
		panic(err) // the files are in the program
	}
	fmt.Fprintln(sum, routines)
	return fmt.Sprintf("%x", sum.Sum(nil))
}

// A temporary table could stand before one of ours, in what does not say otherwise.
const noTemporaryTables = `do $$ begin execute format('revoke temporary on database %I from public', current_database()); end $$`

const ownsSchema = `
select to_regclass('public.events') is null
       or pg_has_role((select relowner from pg_class where oid = to_regclass('public.events')), 'usage') as owns`

// Migrate brings the schema up to date. One who does not own it can only find that it
// is. A schema that a newer program made is left as it is, if this one can live with it.
func (d *DB) Migrate(ctx context.Context) error {
	var owns bool
	if err := d.Ask(ctx, time.Now()).get(&owns, ownsSchema); err != nil {
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
	newer, err := d.isNewer(ctx, p)
	if err != nil || newer {
		return err
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
	if err := d.Change(ctx, time.Now(), func(tx Tx) error { return tx.exec(sameStart) }); err != nil {
		return fmt.Errorf("prepare the database's schema: %w", err)
	}
	if _, err := p.Up(ctx); err != nil {
		return fmt.Errorf("bring the database's schema up to date: %w", err)
	}
	if err := d.Change(ctx, time.Now(), func(tx Tx) error { return tx.exec(noTemporaryTables) }); err != nil {
		return fmt.Errorf("keep temporary tables out of the database: %w", err)
	}
	sources := p.ListSources()
	number := routinesAt(sources[len(sources)-1].Version)
	if err := d.Change(ctx, time.Now(), func(tx Tx) error { return putRoutines(tx, number) }); err != nil {
		return fmt.Errorf("put the schema's functions and views in place: %w", err)
	}
	return nil
}

// sameStart gives libraries that were made while step 4 was still being written what the
// others have of it, so that the same steps lead on from them.
const sameStart = `
do $$
declare
    step bigint;
begin
    if to_regclass('public.goose_db_version') is null then
        return;
    end if;
    execute 'select coalesce(max(version_id), 0) from goose_db_version where is_applied' into step;
    if step not between 4 and 9 then
        return;
    end if;
    alter table versions add column if not exists origin jsonb;
    alter table entries add column if not exists helper boolean not null default false;
    alter table imports add column if not exists alike jsonb not null default '{}';
    create or replace function search_query(words text[]) returns tsquery language sql immutable
    return (
        select string_agg('(' || (to_tsquery('english', word || ':*') || to_tsquery('simple', word || ':*'))::text || ')', ' & ')
        from unnest(words) word
        where numnode(to_tsquery('english', word || ':*')) > 0
           or not exists (select from unnest(words) other where numnode(to_tsquery('english', other || ':*')) > 0)
    )::tsquery;
    if not exists (select from pg_trigger where tgname = 'guard_added' and tgrelid = 'public.labels'::regclass) then
        create trigger guard_added before insert on labels for each row execute function guard_parts();
    end if;
end $$`

// putRoutines puts the functions and views in place where those that are there are older.
func putRoutines(tx Tx, number int64) error {
	// Two services that start at once put them in place one after the other.
	if err := tx.exec(`select pg_advisory_xact_lock(hashtext('goldshelf routines'))`); err != nil {
		return err
	}
	var there int64
	if err := tx.get(&there, `select number from schema_routines`); err != nil || there >= number {
		return err
	}
	if err := tx.exec(routines); err != nil {
		return err
	}
	return tx.exec(`update schema_routines set number = $1`, number)
}

const schemaNeeds = `
select coalesce(max(migration), 0) as newest, coalesce(max(oldest), 0) as oldest
from schema_needs
where migration > $1`

// isNewer says whether a newer program has made the schema, and returns an error if this
// one cannot live with that.
func (d *DB) isNewer(ctx context.Context, p *goose.Provider) (bool, error) {
	var there bool
	if err := d.Ask(ctx, time.Now()).get(&there, `select to_regclass('public.schema_needs') is not null`); err != nil || !there {
		return false, err
	}
	sources := p.ListSources()
	own := sources[len(sources)-1].Version
	var needs struct {
		Newest int64 `db:"newest"`
		Oldest int64 `db:"oldest"`
	}
	if err := d.Ask(ctx, time.Now()).get(&needs, schemaNeeds, own); err != nil {
		return false, fmt.Errorf("look at what the schema needs: %w", err)
	}
	if needs.Oldest > own {
		return false, fmt.Errorf("a newer goldshelfd has brought this library up to date, to step %d, and a program of step %d cannot work with it; start one of step %d at least", needs.Newest, own, needs.Oldest)
	}
	return needs.Newest > own, nil
}

// NewestStep is the number of the newest migration that this program knows.
func NewestStep() int64 {
	names, _ := fs.Glob(migrations, "migrations/*.sql") // the pattern is good
	var newest int64
	for _, name := range names {
		if n, err := goose.NumericComponent(name); err == nil {
			newest = max(newest, n)
		}
	}
	return newest
}

// Step is a migration that is to be done. Oldest is the step that a program must know to go on
// with it: older ones are stopped first. It is 0 where that is not said.
type Step struct {
	Number, Oldest int64
	Name           string
}

var needs = regexp.MustCompile(`insert into schema_needs values \((\d+), (\d+)\)`)

// Pending gives the migrations that are to be done, and does none.
func (d *DB) Pending(ctx context.Context) ([]Step, error) {
	var done []int64
	var there bool
	if err := d.Ask(ctx, time.Now()).get(&there, `select to_regclass('public.goose_db_version') is not null`); err != nil {
		return nil, err
	}
	if there {
		if err := d.Ask(ctx, time.Now()).all(&done, `select version_id from goose_db_version where is_applied`); err != nil {
			return nil, err
		}
	}
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		return nil, err
	}
	var steps []Step
	for _, name := range names {
		n, err := goose.NumericComponent(name)
		if err != nil || slices.Contains(done, n) {
			continue
		}
		text, err := fs.ReadFile(migrations, name)
		if err != nil {
			return nil, err
		}
		s := Step{Number: n, Name: strings.TrimSuffix(path.Base(name), ".sql")}
		if m := needs.FindSubmatch(text); m != nil {
			s.Oldest, _ = strconv.ParseInt(string(m[2]), 10, 64) // digits
		}
		steps = append(steps, s)
	}
	return steps, nil
}

package store_test

import (
	"compress/gzip"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/pressly/goose/v3"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/search"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
)

var databases *testdb.Server

func TestMain(m *testing.M) { os.Exit(testdb.Run(m, &databases)) }

// shelved is a database with one published version, one superseded and one
// draft of one entry, by person 1; person 2 approved.
func shelved(t *testing.T) (*store.DB, func(string) error) {
	t.Helper()
	url := databases.URL(t)
	db, err := store.Open(url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	ctx, now := t.Context(), time.Now()
	owner, err := store.Open(databases.Owner(url))
	if err != nil {
		t.Fatal(err)
	}
	defer owner.Close()
	if err := owner.Migrate(ctx); err != nil { // as each start does
		t.Fatal(err)
	}
	err = db.Change(ctx, time.Now(), func(tx store.Tx) error {
		for _, name := range []string{"writer", "reviewer"} {
			if _, err := tx.AddPerson(store.Person{Name: name, FullName: name, Role: "curator"}); err != nil {
				return err
			}
		}
		if err := errors.Join(tx.AddFacet("department", "D"), tx.AddTerm(store.Term{Facet: "department", Name: "lab", Title: "Lab"})); err != nil {
			return err
		}
		id, err := tx.AddEntry(store.Entry{Slug: "it", Kind: "snippet", OwnerID: 1}, 1, now)
		if err != nil {
			return err
		}
		if err := tx.SetLabels([]store.Labels{{EntryID: id, Labels: map[string][]string{"department": {"lab"}}}}); err != nil {
			return err
		}
		for n := 1; n <= 3; n++ {
			c := entry.Content{Kind: "snippet", Title: "T", Summary: "S", Body: strings.Repeat("x", n),
				Blanks: []fill.Blank{{Name: "a", Options: []string{"x"}, Default: fill.List("x")}}}
			v, err := tx.AddVersion(id, n, 1, now)
			if err == nil {
				err = tx.SaveDrafts([]store.Draft{{ID: v, Content: c}}, 1, now)
			}
			if err != nil || n == 3 {
				return err
			}
			for _, do := range []func() error{
				func() error { return tx.SubmitVersion(v, "note", 1, now, entry.Need{Approvals: 1}, nil, c.Digest()) },
				func() error { return tx.AddApproval(v, store.Approval{ID: 2, At: now, Seen: string(c.Digest())}) },
				func() error { return tx.ApproveVersion(v) },
				func() error { return tx.PublishVersion(id, v, 2, now, 180) },
				func() error {
					_, err := tx.AddEvents([]store.Event{{At: now, By: 1, Via: "api", Action: "publish", EntryID: id, Number: n}}, []int64{1})
					return err
				},
			} {
				if err := do(); err != nil {
					return err
				}
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(ctx, databases.Owner(url))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close(context.Background()) })
	return db, func(sql string) error { _, err := conn.Exec(ctx, sql); return err }
}

// The database itself refuses what must never happen, whoever asks.
func TestTheDatabaseGuards(t *testing.T) {
	t.Parallel()
	_, exec := shelved(t)
	for _, tt := range []struct{ name, sql, want string }{
		{"a published text", `update versions set body = 'y' where number = 2`, "is locked"},
		{"a superseded text", `update versions set title = 'y' where number = 1`, "is locked"},
		{"a published note", `update versions set note = 'y' where number = 2`, "never changes"},
		{"a date of publication", `update versions set published_at = now() + interval '1 day' where number = 1`, "never changes"},
		{"back to a draft", `update versions set state = 'draft' where number = 2`, "does not go from published to draft"},
		{"from a draft to the shelf", `update versions set state = 'published', published_at = now(), note = 'n' where number = 3`, "does not go from draft to published"},
		{"removing a published version", `delete from versions where number = 1`, "cannot be removed"},
		{"a blank of a published version", `update blanks set ask = 'y' where version_id = 1`, "is locked"},
		{"a second open version", `insert into versions (entry_id, number, title, summary, body, created_by, saved_by) values (1, 9, '', '', '', 1, 1)`, "one_open_version"},
		{"a number twice", `update versions set state = 'in-review', note = 'n' where number = 3; insert into approvals values (3, 2); update versions set state = 'draft' where number = 3; delete from versions where number = 3; insert into versions (entry_id, number, title, summary, body, created_by, saved_by) values (1, 1, '', '', '', 1, 1)`, "versions_entry_id_number_key"},
		{"a slug twice", `insert into entries (slug, kind, owner_id, created_by) values ('it', 'style', 1, 1)`, "entries_slug_key"},
		{"a slug that is none", `insert into entries (slug, kind, owner_id, created_by) values ('../x', 'style', 1, 1)`, "entries_slug_check"},
		{"no such owner", `insert into entries (slug, kind, owner_id, created_by) values ('ab', 'style', 99, 1)`, "entries_owner_id_fkey"},
		{"a label that is none", `insert into labels values (1, 'department', 'navy', 1)`, "labels_facet_term_fkey"},
		{"a text too long", `update versions set body = repeat('x', 262145) where number = 3`, "versions_body_check"},
		{"submitting without a note", `update versions set state = 'in-review' where number = 3`, "versions_check"},
		{"approving a draft", `insert into approvals values (3, 2)`, "only a version in review"},
		{"approving one's own", `update versions set state = 'in-review', note = 'n' where number = 3; insert into approvals values (3, 1)`, "wrote any of"},
		{"changing the record", `update events set action = 'x'`, "only added to"},
		{"a record in another's name", `insert into events (at, person_id, via, action) values (now(), 2, 'api', 'publish')`, "one who is at work"},
		{"removing from the record", `delete from events`, "only added to"},
		{"emptying the record", `truncate events cascade`, "only added to"},
	} {
		if err := exec(tt.sql); err == nil || !strings.Contains(err.Error(), tt.want) {
			t.Errorf("%s: got %v, want %q", tt.name, err, tt.want)
		}
	}
	if err := exec(`update versions set body = 'may change' where number = 3`); err != nil {
		t.Errorf("a draft: %v", err)
	}
}

// As the service's own role, too: whoever got hold of its connection cannot put on the
// shelf what nobody reviewed, nor take back who wrote or approved what.
func TestTheServicesRoleIsHeldToo(t *testing.T) {
	t.Parallel()
	_, exec := shelved(t)
	as := func(sql string) error {
		return exec("begin; set local role goldshelf_service; " + sql + "; rollback")
	}
	inReview := `update versions set state = 'in-review', note = 'n' where number = 3; `
	for _, tt := range []struct{ name, sql, want string }{
		{"a table of a guard's, for itself alone", `create temporary table versions (id bigint, state text)`, "permission denied to create temporary tables"},
		{"a table before ours", `create schema mine; create table mine.versions (id bigint)`, "permission denied"},
		{"a function of ours anew", `create or replace function guard_versions() returns trigger language plpgsql as $$ begin return new; end $$`, "permission denied"},
		{"without a guard", `alter table versions disable trigger guard`, "must be owner"},
		{"without all guards", `set local session_replication_role = 'replica'`, "permission denied"},
		{"inserted as published", `insert into versions (entry_id, number, state, note, published_at, title, summary, body, created_by, saved_by) values (1, 9, 'published', 'n', now(), '', '', '', 1, 1)`, "begins as a draft"},
		{"inserted as in review", `delete from blanks where version_id = 3; update versions set number = 7 where number = 3; insert into versions (entry_id, number, state, note, title, summary, body, created_by, saved_by) values (1, 9, 'in-review', 'n', '', '', '', 1, 1)`, "stays the version that it is"},
		{"inserted with an origin", `insert into versions (entry_id, number, origin, title, summary, body, created_by, saved_by) values (1, 9, '{"approvals": []}', '', '', '', 1, 1)`, "begins as a draft"},
		{"an origin made up", `update versions set origin = '{"approvals": [{"by": "Nobody"}]}' where number = 3`, "never changes"},
		{"an origin of what is published", `update versions set origin = '{"author": "Nobody"}' where number = 2`, "never changes"},
		{"that a library moves in", `insert into moving_in values (pg_current_xact_id())`, "permission denied"},
		{"approved by nobody", inReview + `update versions set state = 'approved' where number = 3`, "as many as it needs"},
		{"less than it needs", inReview + `update versions set approvals_needed = 2 where number = 3; update versions set approvals_needed = 1 where number = 3`, "never less"},
		{"from fewer than it needs", `update versions set needed_from = '[{"role": "curator"}]' where number = 3; ` + inReview + `update versions set needed_from = '[]' where number = 3`, "never less"},
		{"an approval of another text", `update versions set seen = 'a' where number = 3; ` + inReview + `insert into approvals (version_id, person_id, seen) values (3, 2, 'b')`, "of what was submitted"},
		{"another text as submitted", `update versions set seen = 'a' where number = 3; ` + inReview + `update versions set seen = 'b' where number = 3`, "stays what it was"},
		{"a part moved off what is published", `update blanks set version_id = 3, position = 9, name = 'moved' where version_id = 2`, "is locked"},
		{"a part moved onto what is published", `update blanks set version_id = 2, position = 9, name = 'moved' where version_id = 3`, "is locked"},
		{"a part removed", `delete from blanks where version_id = 2`, "is locked"},
		{"an approval removed", `delete from approvals`, "permission denied"},
		{"an approval changed", `update approvals set person_id = 3`, "permission denied"},
		{"a writer removed", `delete from writers where version_id = 3`, "permission denied"},
		{"a writer changed", `update writers set person_id = 2 where version_id = 3`, "permission denied"},
		{"a department forgotten", `delete from past_labels`, "permission denied"},
		{"an entry removed", `delete from entries`, "permission denied"},
		{"a version removed", `delete from versions where number = 3`, "permission denied"},
		{"a record changed", `update events set detail = '{}'`, "permission denied"},
		{"a record removed", `delete from events`, "permission denied"},
		{"the record emptied", `truncate events cascade`, "permission denied"},
		{"a policy forgotten", `delete from policies`, "permission denied"},
		{"the schema's number", `insert into goose_db_version (version_id, is_applied) values (99, true)`, "permission denied"},
	} {
		if err := as(tt.sql); err == nil || !strings.Contains(err.Error(), tt.want) {
			t.Errorf("%s: got %v, want %q", tt.name, err, tt.want)
		}
		if err := exec("rollback"); err != nil {
			t.Fatal(err)
		}
	}
	if err := as(inReview + `insert into approvals (version_id, person_id) values (3, 2); update versions set state = 'draft' where number = 3`); err != nil {
		t.Errorf("what it is for: %v", err)
	}
	if err := exec("rollback"); err != nil {
		t.Fatal(err)
	}
}

func TestAVersionComesBackAsItWasSaved(t *testing.T) {
	t.Parallel()
	db, _ := shelved(t)
	low := 1.5
	want := entry.Content{
		Kind: "snippet", Title: "T é", Summary: "S", Body: "a\r\n\tb\n", Code: "ab", Language: "de", Plain: true, Persona: "pp", Style: "ss",
		Sheets: []string{"s2", "s1"}, Labels: map[string][]string{"department": {"lab"}},
		Blanks: []fill.Blank{{Name: "b", Type: fill.Number, Min: &low, Sample: fill.Single("007")}, {Name: "a", Type: fill.PickMany, Options: []string{"y", "x"}, Default: fill.List("x", "y"), Optional: true}},
		Steps:  []entry.Step{{Name: "one", Use: "it", With: map[string]string{"a": "{{b}}"}, Over: &entry.Over{Step: "zero", Sections: "all"}}},
		Source: &entry.Source{Place: "chat", Date: "2026-01-01"},
	}
	ctx := t.Context()
	if err := db.Change(ctx, time.Now(), func(tx store.Tx) error {
		return tx.SaveDrafts([]store.Draft{{ID: 3, Content: want}}, 1, time.Now())
	}); err != nil {
		t.Fatal(err)
	}
	v, err := db.Ask(ctx, time.Now()).Version(1, 3)
	if err != nil {
		t.Fatal(err)
	}
	got := v.Content()
	a, b := asJSON(t, got), asJSON(t, want)
	if a != b {
		t.Errorf("got  %s\nwant %s", a, b)
	}
}

func TestAFailedChangeLeavesNothing(t *testing.T) {
	t.Parallel()
	db, _ := shelved(t)
	ctx, stop := t.Context(), errors.New("stop")
	before, err := db.Ask(ctx, time.Now()).Count("entries")
	if err != nil {
		t.Fatal(err)
	}
	err = db.Change(ctx, time.Now(), func(tx store.Tx) error {
		if _, err := tx.AddEntry(store.Entry{Slug: "gone", Kind: "style", OwnerID: 1}, 1, time.Now()); err != nil {
			return err
		}
		return stop
	})
	if !errors.Is(err, stop) {
		t.Errorf("got %v", err)
	}
	if after, err := db.Ask(ctx, time.Now()).Count("entries"); err != nil || after != before {
		t.Errorf("there are %d entries, %v; before there were %d", after, err, before)
	}
	if _, err := db.Ask(ctx, time.Now()).EntryBySlug("gone"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("the entry: %v", err)
	}
}
func asJSON(t *testing.T, v any) string {
	t.Helper()
	data, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// A schema that a newer program has made is left alone where this one can live with it,
// and refused, in words, where it cannot.
func TestANewerSchema(t *testing.T) {
	t.Parallel()
	url := databases.Owner(databases.URL(t))
	db, err := store.Open(url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	conn, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close(context.Background()) })
	exec := func(sql string) {
		t.Helper()
		if _, err := conn.Exec(t.Context(), sql); err != nil {
			t.Fatal(err)
		}
	}
	exec(`insert into schema_needs values (99, 14); update schema_routines set number = 0;
		create or replace function library_day(at timestamptz) returns date language sql stable return date '2000-01-01'`)
	if err := db.Migrate(t.Context()); err != nil {
		t.Errorf("one that this program can live with: %v", err)
	}
	var day string
	if err := conn.QueryRow(t.Context(), `select library_day(now())::text`).Scan(&day); err != nil || day != "2000-01-01" {
		t.Errorf("an older program has put its functions in the place of newer ones: %q, %v", day, err)
	}
	exec(`insert into schema_needs values (100, 100)`)
	if err := db.Migrate(t.Context()); err == nil || !strings.Contains(err.Error(), "a newer goldshelfd has brought this library up to date, to step 100") {
		t.Errorf("one that it cannot live with: %v", err)
	}
}

// The service's role reads every table, those too that come to a library which has the
// newest functions already.
func TestTheServicesRoleReadsWhatIsNew(t *testing.T) {
	t.Parallel()
	url, ctx := databases.Owner(databases.URL(t)), t.Context()
	db, err := store.Open(url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	plain, err := sql.Open("pgx", url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { plain.Close() })
	steps, err := goose.NewProvider(goose.DialectPostgres, plain, os.DirFS("migrations"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := steps.DownTo(ctx, 19); err != nil {
		t.Fatal(err)
	}
	if _, err := plain.ExecContext(ctx, `update schema_routines set number = 3`); err != nil {
		t.Fatal(err)
	}
	if err := db.Migrate(ctx); err != nil {
		t.Fatal(err)
	}
	var tables, unread int
	err = plain.QueryRowContext(ctx, `
		select count(*), count(*) filter (where not has_table_privilege('goldshelf_service', oid, 'select'))
		from pg_class where relkind = 'r' and relnamespace = 'public'::regnamespace`).Scan(&tables, &unread)
	if err != nil || tables < 30 || unread > 0 {
		t.Errorf("of %d tables %d cannot be read, %v", tables, unread, err)
	}
}

// Libraries that earlier programs made open with this one: their records hold, and their
// entries are read.
func TestOlderLibrariesOpen(t *testing.T) {
	t.Parallel()
	files, err := filepath.Glob("testdata/libraries/*.sql.gz")
	if err != nil || len(files) < 5 {
		t.Fatalf("there are %d libraries, %v", len(files), err)
	}
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			t.Parallel()
			url, ctx := databases.Empty(t), t.Context()
			restore(t, url, file)
			db, err := store.Open(url)
			if err != nil {
				t.Fatal(err)
			}
			t.Cleanup(func() { db.Close() })
			if err := db.Migrate(ctx); err != nil {
				t.Fatal(err)
			}
			if err := db.Migrate(ctx); err != nil {
				t.Errorf("a second time: %v", err)
			}
			err = db.View(ctx, time.Now(), func(s store.Snapshot) error {
				v, err := s.VerifyAudit()
				if err != nil || v.Broken != 0 || v.Records < 100 {
					t.Errorf("its record: %+v, %v", v, err)
				}
				all, err := s.VersionsOf(nil)
				if err != nil || len(all) < 30 || all[0].Body == "" || len(all[0].Writers.V) == 0 {
					t.Errorf("%d versions, %v", len(all), err)
				}
				found := 0
				err = s.SearchDocuments(nil, func(d search.Document) { found++ })
				if err != nil || found < 30 {
					t.Errorf("%d can be found, %v", found, err)
				}
				return err
			})
			if err != nil {
				t.Error(err)
			}
		})
	}
}

// restore fills a database from a dump.
func restore(t *testing.T, url, file string) {
	t.Helper()
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	plain, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(plain)
	if err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	if _, err := conn.Exec(t.Context(), string(text)); err != nil {
		t.Fatal(err)
	}
}

// Whoever counts tries to sign in waits for whoever counts them already, from the very
// first one on.
func TestTriesAreCountedOneAfterTheOther(t *testing.T) {
	t.Parallel()
	db, now := databases.Open(t), time.Now()
	count := func(meanwhile func()) (before int, err error) {
		err = db.Change(context.Background(), now, func(tx store.Tx) (err error) {
			if before, _, err = tx.Tries("198.51.100.1", "reader"); err != nil {
				return err
			}
			meanwhile()
			_, err = tx.CountTry("198.51.100.1", "reader", now.Add(-time.Hour))
			return err
		})
		return before, err
	}
	var second int
	var failed error
	done := make(chan struct{})
	first, err := count(func() {
		go func() {
			defer close(done)
			second, failed = count(func() {})
		}()
		select {
		case <-done:
			t.Error("the second did not wait")
		case <-time.After(200 * time.Millisecond):
		}
	})
	<-done
	if err := errors.Join(err, failed); err != nil || first != 0 || second != 1 {
		t.Errorf("before the first there were %d, before the second %d: %v", first, second, err)
	}
}

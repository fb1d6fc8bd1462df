package testdb

import (
	"context"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"

	"goldshelf/core/entry"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// World is a library with people and labels, and nothing on its shelf. Its people are
// called like their roles; "second" is another contributor, "chief" another curator,
// and "tester" another reviewer, of the laboratory. It has the departments
// customer-care and laboratory.
type World struct {
	Store *store.DB
	DB    *work.DB
	Clock *Clock

	t      testing.TB
	server *Server
	url    string
	by     map[string]work.Caller
}

// Clock is a time that tests move, and that moves a little whenever it is read.
type Clock struct {
	mu sync.Mutex
	at time.Time
}

// Now is the time.
func (c *Clock) Now() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at = c.at.Add(time.Millisecond)
	return c.at
}

// Pass moves the clock.
func (c *Clock) Pass(d time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at = c.at.Add(d)
}

// World makes a world in a database of its own. Password is the hash that everyone
// signs in by, or nil for nobody.
func (s *Server) World(t testing.TB, password *string) *World {
	t.Helper()
	return s.worldAt(t, s.URL(t), password)
}

func (s *Server) worldAt(t testing.TB, url string, password *string) *World {
	t.Helper()
	w := &World{t: t, server: s, url: url, Clock: &Clock{at: time.Now()}, by: map[string]work.Caller{}}
	var err error
	if w.Store, err = store.Open(w.url); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { w.Store.Close() })
	w.DB = work.New(w.Store, w.Clock.Now)
	if err := w.Store.Change(context.Background(), w.Clock.Now(), func(tx store.Tx) error {
		if err := labels(tx); err != nil {
			return err
		}
		return w.people(tx, password)
	}); err != nil {
		t.Fatal(err)
	}
	w.Store.RehearseChanges(true)
	return w
}

func labels(tx store.Tx) error {
	for _, f := range [][2]string{{"department", "Department"}, {"application", "Application"}, {"model", "Model"}} {
		if err := tx.AddFacet(f[0], f[1]); err != nil {
			return err
		}
	}
	for _, term := range []store.Term{
		{Facet: "department", Name: "customer-care", Title: "Customer Care"}, {Facet: "department", Name: "laboratory", Title: "Laboratory"},
		{Facet: "application", Name: "weir-mail", Title: "Weir Mail"}, {Facet: "model", Name: "heron-2", Title: "heron-2"},
	} {
		if err := tx.AddTerm(term); err != nil {
			return err
		}
	}
	return nil
}

func (w *World) people(tx store.Tx, password *string) error {
	for name, role := range map[string]entry.Role{
		"reader": entry.Reader, "contributor": entry.Contributor, "second": entry.Contributor,
		"reviewer": entry.Reviewer, "tester": entry.Reviewer, "curator": entry.Curator, "chief": entry.Curator,
	} {
		p := store.Person{Name: name, FullName: strings.ToUpper(name[:1]) + name[1:], Role: string(role), Password: password}
		if name == "tester" {
			p.Department = "laboratory"
		}
		var err error
		if p.ID, err = tx.AddPerson(p); err != nil {
			return err
		}
		w.by[name] = work.CallerOf(p, "api")
	}
	return nil
}

// By is one of the world's people.
func (w *World) By(name string) work.Caller {
	by, is := w.by[name]
	if !is {
		w.t.Fatalf("there is no %q in this world", name)
	}
	return by
}

// Listener returns how a stream finds out who listens, which is always the same person.
func (w *World) Listener(name string) func(context.Context) (work.Caller, error) {
	by := w.By(name)
	return func(context.Context) (work.Caller, error) { return by, nil }
}

// Once has the functions of changes and views run once, for a test that does something else in
// one. Otherwise each runs twice, and the first run is rolled back.
func (w *World) Once() *World {
	w.Store.RehearseChanges(false)
	return w
}

// Owner opens the world's database as whoever keeps the machine does: as its owner.
func (w *World) Owner() *work.DB {
	w.t.Helper()
	db, err := store.Open(w.OwnerURL())
	if err != nil {
		w.t.Fatal(err)
	}
	w.t.Cleanup(func() { db.Close() })
	return work.New(db, w.Clock.Now)
}

// OwnerURL is the world's database as its owner sees it.
func (w *World) OwnerURL() string { return w.server.Owner(w.url) }

// Second opens the world's database once more, as another service does.
func (w *World) Second() *work.DB {
	db, err := store.Open(w.url)
	if err != nil {
		w.t.Fatal(err)
	}
	w.t.Cleanup(func() { db.Close() })
	db.RehearseChanges(true)
	return work.New(db, w.Clock.Now)
}

// Large fills the world's library up to so many more entries on the shelf, each of some
// bytes.
func (w *World) Large(entries, bytes int) {
	w.t.Helper()
	if err := Large(context.Background(), w.server.Owner(w.url), 0, entries, bytes); err != nil {
		w.t.Fatal(err)
	}
}

// ReadWhole counts the rows of large tables that were read by going through the whole
// table, by whoever has let go of the database since it was asked last.
func (w *World) ReadWhole() (rows map[string]int) {
	w.t.Helper()
	const query = `select relname, seq_tup_read from pg_stat_user_tables where n_live_tup > 10000`
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, w.server.Owner(w.url))
	if err != nil {
		w.t.Fatal(err)
	}
	defer conn.Close(ctx)
	found, err := conn.Query(ctx, query)
	if err != nil {
		w.t.Fatal(err)
	}
	rows = map[string]int{}
	var name string
	var n int
	if _, err := pgx.ForEachRow(found, []any{&name, &n}, func() error { rows[name] = n; return nil }); err != nil {
		w.t.Fatal(err)
	}
	return rows
}

// Another opens the world's database once more, until it is shut.
func (w *World) Another() (db *work.DB, shut func() error) {
	w.t.Helper()
	s, err := store.Open(w.url)
	if err != nil {
		w.t.Fatal(err)
	}
	return work.New(s, w.Clock.Now), s.Close
}

// Rows counts what the database holds, to show that nothing was left behind.
func (w *World) Rows() map[string]int {
	w.t.Helper()
	counts := map[string]int{}
	for _, table := range []string{"entries", "versions", "blanks", "labels", "writers", "approvals", "events"} {
		n, err := w.Store.Ask(context.Background(), time.Now()).Count(table)
		if err != nil {
			w.t.Fatal(err)
		}
		counts[table] = n
	}
	return counts
}

// Count counts the rows of a table, whoever they are shown to.
func (w *World) Count(table string) int {
	w.t.Helper()
	var n []int
	w.Select(&n, "select count(*) from "+table)
	return n[0]
}

// Exec changes the database behind the service's back, as its owner.
func (w *World) Exec(statements string) {
	w.t.Helper()
	if err := execAs(w.server.Owner(w.url), statements); err != nil {
		w.t.Fatal(err)
	}
}

// Select reads rows of the database, as its owner.
func (w *World) Select(into any, query string) {
	w.t.Helper()
	db, err := sqlx.Open("pgx", w.server.Owner(w.url))
	if err != nil {
		w.t.Fatal(err)
	}
	defer db.Close()
	if err := db.Select(into, query); err != nil {
		w.t.Fatal(err)
	}
}

// AsService does it as the role that the service works as.
func (w *World) AsService(statement string) error { return execAs(w.url, statement) }

func execAs(url, statements string) error {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, statements)
	return err
}

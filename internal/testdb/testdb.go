// Package testdb gives each test a database of its own, on a real PostgreSQL
// server that the test's package starts once.
package testdb

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"

	"goldshelf/internal/pgserver"
	"goldshelf/internal/store"
)

const template = "template_library"

// Server is a database server for one package's tests.
type Server struct {
	pg   *pgserver.Server
	next atomic.Int64
}

// Run starts a server, runs the tests and stops it. It is for TestMain, which
// keeps the server in a variable that is set once.
func Run(m *testing.M, into **Server) int {
	dir, err := Dir("goldshelf-test-")
	if err != nil {
		return failed(err)
	}
	defer os.RemoveAll(dir)
	ctx, data := context.Background(), dir+"/data"
	if err := prepare(ctx, data); err != nil {
		return failed(err)
	}
	pg, err := pgserver.Start(ctx, data, pgserver.Options{Hasty: true})
	if err != nil {
		return failed(err)
	}
	*into = &Server{pg: pg}
	if err := makeLibrary(ctx, pg, template); err != nil {
		return failed(errors.Join(err, pg.Stop()))
	}
	status := m.Run()
	if err := pg.Stop(); err != nil {
		return failed(err)
	}
	return status
}

func failed(err error) int {
	fmt.Fprintln(os.Stderr, "testdb:", err)
	return 1
}

// password is that of the service's role.
const password = "test"

// Owner gives, for a database as the service's role sees it, how its owner does.
func (s *Server) Owner(service string) string {
	u, err := url.Parse(service)
	if err != nil {
		panic(err) // the URL is one of ours
	}
	return s.pg.URL(strings.TrimPrefix(u.Path, "/"))
}

// URL makes a database with the library's schema and nothing in it, as the
// service's role sees it.
func (s *Server) URL(t testing.TB) string {
	t.Helper()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, s.pg.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	name := fmt.Sprintf("test_%d", s.next.Add(1))
	statement := "create database " + name + " template " + template
	for range 50 { // another test may be copying the template at this moment
		if _, err = conn.Exec(ctx, statement); err == nil || !strings.Contains(err.Error(), "being accessed") {
			break
		}
	}
	if err != nil {
		t.Fatal(err)
	}
	return s.pg.URLAs(store.ServiceRole, password, name)
}

// Empty makes a database with nothing in it, not even a schema, as its owner sees it.
func (s *Server) Empty(t testing.TB) string {
	t.Helper()
	name := fmt.Sprintf("empty_%d", s.next.Add(1))
	if err := s.pg.EnsureDatabase(context.Background(), name); err != nil {
		t.Fatal(err)
	}
	return s.pg.URL(name)
}

// Open is URL with the database opened, until the test ends.
func (s *Server) Open(t testing.TB) *store.DB {
	t.Helper()
	db, err := store.Open(s.URL(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

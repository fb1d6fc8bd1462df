package testdb

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5"

	"goldshelf/internal/pgserver"
	"goldshelf/internal/store"
)

// Pair is a database and a replica that follows it, each on a server of its own.
type Pair struct {
	First, Second *pgserver.Server
	killed        map[*pgserver.Server]bool
}

// database is the one that a pair has.
const database = "goldshelf"

// NewPair makes one in a directory, with the library's schema and nothing in it.
func NewPair(ctx context.Context, dir string) (*Pair, error) {
	return PairOf(ctx, filepath.Join(dir, "first"), filepath.Join(dir, "second"))
}

// PairOf has a library in one data directory be followed in another.
func PairOf(ctx context.Context, first, second string) (*Pair, error) {
	p := &Pair{killed: map[*pgserver.Server]bool{}}
	var err error
	if p.First, err = pgserver.Start(ctx, first, pgserver.Options{}); err != nil {
		return nil, err
	}
	follow := func() error {
		if err := p.First.Copy(ctx, second, true); err != nil {
			return err
		}
		p.Second, err = pgserver.Start(ctx, second, pgserver.Options{})
		return err
	}
	if err := makeLibrary(ctx, p.First, database); err != nil {
		return nil, errors.Join(err, p.Stop())
	}
	if err := follow(); err != nil {
		return nil, errors.Join(err, p.Stop())
	}
	return p, nil
}

// World makes a world in a database that a replica follows.
func (p *Pair) World(t testing.TB) *World {
	t.Helper()
	return (&Server{pg: p.First}).worldAt(t, p.URL(p.First), nil)
}

// Stop ends those of the two that run.
func (p *Pair) Stop() error {
	var all []error
	for _, s := range []*pgserver.Server{p.Second, p.First} {
		if s != nil && !p.killed[s] {
			all = append(all, s.Stop())
		}
	}
	return errors.Join(all...)
}

// Kill ends one of the two as a power cut would. It stays down.
func (p *Pair) Kill(s *pgserver.Server) error {
	p.killed[s] = true
	if err := syscall.Kill(s.PID(), syscall.SIGKILL); err != nil {
		return fmt.Errorf("kill PostgreSQL: %w", err)
	}
	return nil
}

// URL is the database as the service's role sees it, on one of the two.
func (p *Pair) URL(s *pgserver.Server) string { return s.URLAs(store.ServiceRole, password, database) }

// Either is the database on whichever of the two takes changes.
func (p *Pair) Either() string {
	first, second := p.hosts()
	return strings.Replace(p.URL(p.First), first, first+","+second, 1) + "&target_session_attrs=read-write"
}

func (p *Pair) hosts() (first, second string) {
	host := func(s *pgserver.Server) string {
		u, err := url.Parse(p.URL(s))
		if err != nil {
			panic(err) // the URL is one of ours
		}
		return u.Host
	}
	return host(p.First), host(p.Second)
}

// Synchronous has no change be answered before the second has it; or not, any more.
func (p *Pair) Synchronous(ctx context.Context, is bool) error {
	names := map[bool]string{true: "*"}[is]
	return p.Exec(ctx, p.First, "alter system set synchronous_standby_names = '"+names+"'", "select pg_reload_conf()")
}

// Promote has the second take changes, in the place of the first.
func (p *Pair) Promote(ctx context.Context) error {
	return p.Exec(ctx, p.Second, "select pg_promote()")
}

// Exec does something on one of the two, as its owner.
func (p *Pair) Exec(ctx context.Context, s *pgserver.Server, statements ...string) error {
	conn, err := pgx.Connect(ctx, s.URL(database))
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	for _, statement := range statements {
		if _, err := conn.Exec(ctx, statement); err != nil {
			return err
		}
	}
	return nil
}

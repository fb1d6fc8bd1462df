package server

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/jackc/pgx/v5"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/internal/library"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
)

var databases *testdb.Server

func TestMain(m *testing.M) { os.Exit(testdb.Run(m, &databases)) }

// world is a service with people and labels, and nothing on its shelf.
type world struct {
	t       *testing.T
	url     string
	db      *store.DB
	lib     *library.Library
	dbURL   string
	clock   *clock
	clients map[string]*client.Client
	http    *http.Client // holds every call against the contract
}

const password = "a good long one"

// clock is a time that tests move.
type clock struct {
	mu sync.Mutex
	at time.Time
}

func (c *clock) now() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at = c.at.Add(time.Millisecond)
	return c.at
}

func (c *clock) pass(d time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at = c.at.Add(d)
}

// newWorld starts a service on a port of its own. Its people are called like
// their roles; "second" is another contributor, "chief" another curator, and
// "tester" another reviewer, of the laboratory.
func newWorld(t *testing.T) *world {
	t.Helper()
	w := &world{t: t, dbURL: databases.URL(t), clients: map[string]*client.Client{}, clock: &clock{at: time.Now()}}
	db, err := store.Open(w.dbURL)
	if err != nil {
		t.Fatal(err)
	}
	w.db = db
	w.lib = library.New(db, w.clock.now)
	w.people()
	answering := New(w.lib, Options{Log: slog.New(slog.DiscardHandler), Welcome: api.Welcome{}})
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	done := make(chan error, 1)
	go func() { done <- answering.Serve(l) }()
	t.Cleanup(func() {
		if err := answering.Stop(20 * time.Second); err != nil {
			t.Error(err)
		}
		if err := <-done; err != nil {
			t.Error(err)
		}
		db.Close()
	})
	w.url = "http://" + l.Addr().String()
	w.http = &http.Client{Transport: &contract{t: t, next: http.DefaultTransport}}
	return w
}

func (w *world) people() {
	ctx := context.Background()
	err := w.db.Change(ctx, func(tx store.Tx) error {
		for _, term := range []store.Term{
			{Facet: "department", FacetTitle: "Department", Name: "customer-care", Title: "Customer Care"},
			{Facet: "department", Name: "laboratory", Title: "Laboratory"},
			{Facet: "application", FacetTitle: "Application", Name: "weir-mail", Title: "Weir Mail"},
			{Facet: "model", FacetTitle: "Model", Name: "heron-2", Title: "heron-2"},
		} {
			if term.FacetTitle == "" {
				term.FacetTitle = "-"
			}
			if err := tx.AddTerm(ctx, term); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		w.t.Fatal(err)
	}
	hash, err := hashed()
	if err != nil {
		w.t.Fatal(err)
	}
	err = w.db.Change(ctx, func(tx store.Tx) error {
		for name, role := range map[string]entry.Role{
			"reader": entry.Reader, "contributor": entry.Contributor, "second": entry.Contributor,
			"reviewer": entry.Reviewer, "tester": entry.Reviewer, "curator": entry.Curator, "chief": entry.Curator,
		} {
			p := store.Person{Name: name, FullName: strings.ToUpper(name[:1]) + name[1:], Role: string(role), Password: &hash}
			if name == "tester" {
				p.Department = "laboratory"
			}
			if _, err := tx.AddPerson(ctx, p); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		w.t.Fatal(err)
	}
}

// hashed is worked out once: it takes long on purpose.
var hashed = sync.OnceValues(func() (string, error) { return library.HashPassword(password) })

// as gives a client signed in as someone.
func (w *world) as(name string) *client.Client {
	w.t.Helper()
	if c, ok := w.clients[name]; ok {
		return c
	}
	c := &client.Client{Server: w.url, HTTP: w.http}
	if _, err := c.SignIn(context.Background(), name, password); err != nil {
		w.t.Fatalf("sign in as %s: %v", name, err)
	}
	w.clients[name] = c
	return c
}

// answer is what a raw call gets.
type answered struct {
	status int
	header http.Header
	body   string
	api.Problem
}

// call sends exactly what it is given, which the contract need not allow.
func (w *world) call(who, method, path, body string, headers ...string) answered {
	w.t.Helper()
	req, err := http.NewRequest(method, w.url+path, strings.NewReader(body))
	if err != nil {
		w.t.Fatal(err)
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	if who != "" {
		req.Header.Set("Authorization", "Bearer "+w.as(who).Token)
	}
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		w.t.Fatalf("%s %s: %v", method, path, err)
	}
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	if err != nil {
		w.t.Fatal(err)
	}
	a := answered{status: res.StatusCode, header: res.Header, body: string(data)}
	if res.StatusCode >= 400 {
		if kind := res.Header.Get("Content-Type"); kind != "application/problem+json" {
			w.t.Errorf("%s %s: status %d comes as %q", method, path, res.StatusCode, kind)
		}
		if err := json.Unmarshal(data, &a.Problem); err != nil || a.Detail == "" || a.Problem.Status != res.StatusCode {
			w.t.Errorf("%s %s: no problem details: %s", method, path, data)
		}
	}
	return a
}

// rows counts what the database holds, to show that nothing was left behind.
func (w *world) rows() map[string]int {
	w.t.Helper()
	counts := map[string]int{}
	for _, table := range []string{"entries", "versions", "blanks", "labels", "writers", "approvals", "events"} {
		n, err := w.db.Count(context.Background(), table)
		if err != nil {
			w.t.Fatal(err)
		}
		counts[table] = n
	}
	return counts
}

// contract holds every request and response against the OpenAPI document.
type contract struct {
	t    *testing.T
	next http.RoundTripper
}

var readContract = sync.OnceValues(func() (routers.Router, error) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		return nil, err
	}
	doc.Servers = nil
	if err := doc.Validate(context.Background()); err != nil {
		return nil, err
	}
	return gorillamux.NewRouter(doc)
})

func (c *contract) RoundTrip(req *http.Request) (*http.Response, error) {
	router, err := readContract()
	if err != nil {
		c.t.Errorf("the contract: %v", err)
		return c.next.RoundTrip(req)
	}
	var sent []byte
	if req.Body != nil {
		if sent, err = io.ReadAll(req.Body); err != nil {
			return nil, err
		}
	}
	described := req.Clone(req.Context())
	described.URL = &url.URL{Scheme: "http", Host: req.URL.Host, Path: strings.TrimPrefix(req.URL.Path, "/api/v1"), RawQuery: req.URL.RawQuery}
	described.Body = io.NopCloser(bytes.NewReader(sent))
	route, params, err := router.FindRoute(described)
	if err != nil {
		c.t.Errorf("the contract has no %s %s: %v", req.Method, described.URL.Path, err)
		return c.next.RoundTrip(req)
	}
	in := &openapi3filter.RequestValidationInput{
		Request: described, PathParams: params, Route: route,
		Options: &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc, IncludeResponseStatus: true},
	}
	requestErr := openapi3filter.ValidateRequest(req.Context(), in)
	req.Body = io.NopCloser(bytes.NewReader(sent))
	res, err := c.next.RoundTrip(req)
	if err != nil {
		return res, err
	}
	data, err := io.ReadAll(res.Body)
	if err != nil {
		return nil, err
	}
	res.Body.Close()
	res.Body = io.NopCloser(bytes.NewReader(data))
	if requestErr != nil && res.StatusCode < 400 {
		c.t.Errorf("%s %s: the service takes what the contract does not: %v", req.Method, req.URL.Path, requestErr)
	}
	out := &openapi3filter.ResponseValidationInput{RequestValidationInput: in, Status: res.StatusCode, Header: res.Header, Options: in.Options}
	out.SetBodyBytes(data)
	if err := openapi3filter.ValidateResponse(req.Context(), out); err != nil {
		c.t.Errorf("%s %s: the answer breaks the contract: %v", req.Method, req.URL.Path, err)
	}
	return res, nil
}

// exec changes the database behind the service's back, as its owner.
func (w *world) exec(statements string) {
	w.t.Helper()
	if err := execAs(databases.Owner(w.dbURL), statements); err != nil {
		w.t.Fatal(err)
	}
}

// asService does it as the role that the service works as.
func (w *world) asService(statement string) error { return execAs(w.dbURL, statement) }

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

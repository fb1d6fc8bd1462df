package server

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/json"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/internal/channel"
	"goldshelf/internal/jobs"
	"goldshelf/internal/library"
	"goldshelf/internal/models"
	"goldshelf/internal/people"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
)

var databases *testdb.Server

func TestMain(m *testing.M) { os.Exit(testdb.Run(m, &databases)) }

// crowd calls many times at once over connections that it keeps: Go's own keeps two.
var crowd = &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 64, IdleConnTimeout: 10 * time.Second}}

// world is a service with people and labels, and nothing on its shelf.
type world struct {
	*testdb.World
	t       *testing.T
	url     string
	lib     *library.Library
	sender  *channel.Sender
	asker   *models.Asker
	clients map[string]*client.Client
	http    *http.Client // holds every call against the contract
}

const password = "a good long one"

// newWorld starts a service on a port of its own.
func newWorld(t *testing.T) *world {
	t.Helper()
	return newWorldWith(t, Options{Log: slog.New(slog.DiscardHandler)})
}

// newWorldWith is newWorld behind a service with other options.
func newWorldWith(t *testing.T, opt Options) *world {
	t.Helper()
	hash, err := hashed()
	if err != nil {
		t.Fatal(err)
	}
	w := &world{World: databases.World(t, &hash), t: t, clients: map[string]*client.Client{}, sender: channel.NewSender(), asker: models.NewAsker()}
	w.lib = library.New(w.Store, w.Clock.Now, library.Outside{Channels: w.sender, Models: w.asker})
	answering := New(w.lib, opt)
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
	})
	w.url = "http://" + l.Addr().String()
	w.http = &http.Client{Transport: &contract{t: t, next: crowd.Transport}}
	return w
}

// indexed has drafts found by what they say now, as a job of the service does.
func (w *world) indexed() {
	w.t.Helper()
	if _, err := jobs.Index(context.Background(), w.DB); err != nil {
		w.t.Fatal(err)
	}
}

// publishDue publishes what is due, as a job of the service does, and gives how many
// publications there were.
func (w *world) publishDue() (n int) {
	w.t.Helper()
	for {
		one, err := w.lib.Lifecycle.PublishDue(context.Background())
		if err != nil {
			w.t.Fatal(err)
		}
		if !one {
			return n
		}
		n++
	}
}

// sendDue tells channels what is due, one thing after the other, and gives how much
// there was.
func (w *world) sendDue() (n int) {
	for {
		due, err := w.lib.Notify.ClaimDue(context.Background(), 8)
		if err != nil {
			w.t.Error(err)
		}
		for _, d := range due {
			if err := w.lib.Notify.Send(context.Background(), d); err != nil {
				w.t.Error(err)
			}
		}
		if len(due) == 0 {
			return n
		}
		n += len(due)
	}
}

// hashed is worked out once: it takes long on purpose.
var hashed = sync.OnceValues(func() (string, error) { return people.HashPassword(password) })

// as gives a client signed in as someone.
func (w *world) as(name string) *client.Client {
	w.t.Helper()
	if c, ok := w.clients[name]; ok {
		return c
	}
	c := &client.Client{Server: w.url, HTTP: w.http, Token: w.tokenOf(name)}
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

// tokenOf gives a token of somebody who signed in before the record begins.
func (w *world) tokenOf(name string) string {
	w.t.Helper()
	return w.tokenOfID(w.By(name).ID)
}

// idOf is the id of somebody who was not there when the world began.
func (w *world) idOf(t *testing.T, name string) int64 {
	t.Helper()
	p, err := w.Store.Ask(context.Background(), time.Now()).PersonByName(name)
	if err != nil {
		t.Fatal(err)
	}
	return p.ID
}

func (w *world) tokenOfID(person int64) string {
	w.t.Helper()
	token := rand.Text()
	sum := sha256.Sum256([]byte(token))
	now := w.Clock.Now()
	if err := w.Store.Change(context.Background(), now, func(tx store.Tx) error {
		return tx.AddToken(store.Token{Hash: sum[:], Person: person, Expires: now.AddDate(1, 0, 0)})
	}); err != nil {
		w.t.Fatalf("a token for %d: %v", person, err)
	}
	return token
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
	res, err := crowd.Do(req)
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
		if err := json.Unmarshal(data, &a.Problem); err != nil || a.Detail.String() == "" || a.Problem.Status != res.StatusCode {
			w.t.Errorf("%s %s: no problem details: %s", method, path, data)
		}
	}
	return a
}

// approve, giveBack and publish decide about the text that an entry has now.
func approve(c *client.Client, slug, comment string) (api.Entry, error) {
	return c.Approve(context.Background(), slug, seenBy(c, slug), comment)
}

func giveBack(c *client.Client, slug, because string) (api.Entry, error) {
	return c.Return(context.Background(), slug, seenBy(c, slug), because)
}

func publish(c *client.Client, slug string) (api.Entry, error) {
	return c.Publish(context.Background(), slug, seenBy(c, slug))
}

func publishTogether(c *client.Client, at *time.Time, slugs ...string) (api.Published, error) {
	all := make([]api.SeenEntry, len(slugs))
	for i, slug := range slugs {
		all[i] = api.SeenEntry{Slug: slug, Seen: seenBy(c, slug)}
	}
	return c.PublishTogether(context.Background(), all, at)
}

// seenBy names the text of an entry; "none" where there is nothing to decide about.
func seenBy(c *client.Client, slug string) entry.Digest {
	if e, err := c.Entry(context.Background(), slug); err == nil && e.Seen != "" {
		return e.Seen
	}
	return "none"
}

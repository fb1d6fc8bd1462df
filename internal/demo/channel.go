package demo

import (
	"encoding/json"
	"html/template"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"goldshelf/internal/channel"
)

// mostArrived is how many events the stand-in remembers.
const mostArrived = 100

// Channel is a stand-in for the program at the other end of a channel: it takes
// CloudEvents, holds them against their signature, and shows what arrived. A GET
// gives a page or, asked for JSON, a list.
type Channel struct {
	mu      sync.Mutex
	secret  string
	arrived []Arrived // the newest first
}

// Arrived is one event that came.
type Arrived struct {
	ID     string          `json:"id"` // the webhook's: the same event, sent again, has the same
	At     time.Time       `json:"at"`
	Signed bool            `json:"signed"` // by who knows the secret
	Event  json.RawMessage `json:"event"`
}

// SetSecret tells the stand-in what events are signed with.
func (c *Channel) SetSecret(secret string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.secret = secret
}

// Arrived gives what came, the newest first.
func (c *Channel) Arrived() []Arrived {
	c.mu.Lock()
	defer c.mu.Unlock()
	return append([]Arrived{}, c.arrived...)
}

func (c *Channel) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch {
	case r.Method == http.MethodPost:
		c.take(w, r)
	case strings.Contains(r.Header.Get("Accept"), "application/json"):
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(c.Arrived()) // whoever asked has gone
	default:
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = page.Execute(w, c.Arrived()) // whoever asked has gone
	}
}

func (c *Channel) take(w http.ResponseWriter, r *http.Request) {
	data, err := io.ReadAll(io.LimitReader(r.Body, 1<<20))
	if err != nil || !json.Valid(data) {
		http.Error(w, "send a CloudEvent as JSON", http.StatusBadRequest)
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	signed := channel.Verify(c.secret, r.Header, data, time.Now(), 5*time.Minute) == nil
	if !signed {
		w.WriteHeader(http.StatusUnauthorized)
	} else {
		w.WriteHeader(http.StatusNoContent)
	}
	id := strings.Clone(r.Header.Get("webhook-id")) // the server uses a request's memory again
	c.arrived = slices.Insert(c.arrived, 0, Arrived{id, time.Now().UTC(), signed, data})
	c.arrived = c.arrived[:min(len(c.arrived), mostArrived)]
}

var page = template.Must(template.New("channel").Parse(`<!doctype html>
<html lang="en"><meta charset="utf-8"><title>What the channel was told</title>
<style>body{font:15px/1.5 serif;max-width:50rem;margin:2rem auto;padding:0 1rem;background:#FBF8F1;color:#23201B}pre{background:#fff;padding:1rem;white-space:pre-wrap;border:1px solid #E4DCCB;border-radius:6px}</style>
<main><h1>What the channel was told</h1>
{{range .}}<section><h2>{{.At.Format "2 January 15:04:05"}}{{if not .Signed}}: not signed{{end}}</h2><pre>{{printf "%s" .Event}}</pre></section>
{{else}}<p>Nothing yet. Publish an entry.</p>{{end}}</main></html>
`))

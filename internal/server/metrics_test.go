package server

import (
	"bytes"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"testing"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/internal/telemetry"
	"goldshelf/internal/testdb"
)

// notes are a log that can be read.
type notes struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (n *notes) Write(data []byte) (int, error) {
	n.mu.Lock()
	defer n.mu.Unlock()
	return n.text.Write(data)
}

func (n *notes) String() string {
	n.mu.Lock()
	defer n.mu.Unlock()
	return n.text.String()
}

// The metrics count by route and queue, and name no entry, person or value; they are for the
// machine itself, for keys that may watch and for curators.
func TestWhoSeesTheMetrics(t *testing.T) {
	t.Parallel()
	w := newWorldWith(t, Options{Log: slog.New(slog.DiscardHandler), Metrics: telemetry.NewMetrics("")})
	w.Publish(testdb.Prompt("notice", "Say it to {{area}}.\n"))
	if _, err := w.as("reader").Fill(t.Context(), "notice", mill); err != nil {
		t.Fatal(err)
	}
	if _, err := w.as("reader").ShelfEntry(t.Context(), "secret-entry"); err == nil {
		t.Fatal("there is a secret entry")
	}
	watch, read := w.key(t, api.NewKey{Name: "board", KeyChange: api.KeyChange{May: []string{"watch"}}}), w.key(t, api.NewKey{Name: "mail"})
	ask := func(token string, headers ...string) (int, string) {
		req, err := http.NewRequestWithContext(t.Context(), "GET", w.url+"/metrics", nil)
		if err != nil {
			t.Fatal(err)
		}
		for i := 0; i+1 < len(headers); i += 2 {
			req.Header.Set(headers[i], headers[i+1])
		}
		if token != "" {
			req.Header.Set("Authorization", "Bearer "+token)
		}
		res, err := crowd.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		text, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return res.StatusCode, string(text)
	}
	status, text := ask("")
	for _, has := range []string{`goldshelf_http_requests_total{method="POST",route="/api/v1/shelf/:ref/fill",status="200"} 1`, `goldshelf_queue_waiting{queue="deliveries"} 0`, "goldshelf_database_connections_max"} {
		if status != http.StatusOK || !strings.Contains(text, has) {
			t.Errorf("%d, without %s", status, has)
		}
	}
	for _, not := range []string{"notice", "secret-entry", "reader", "Mill Lane", "curator"} {
		if strings.Contains(text, not) {
			t.Errorf("the metrics tell of %s", not)
		}
	}
	proxied := []string{"X-Forwarded-For", "203.0.113.9"}
	for what, c := range map[string]struct {
		token string
		want  int
	}{
		"nobody": {"", 401}, "a key that watches": {watch.Secret, 200}, "a key that reads": {read.Secret, 403},
		"a reader": {w.tokenOf("reader"), 403}, "a curator": {w.tokenOf("curator"), 200}, "nonsense": {"nonsense", 401},
	} {
		if got, _ := ask(c.token, proxied...); got != c.want {
			t.Errorf("%s through a proxy: %d, want %d", what, got, c.want)
		}
	}
	if _, err := w.byKeyOf(watch.Secret).Shelf(t.Context(), client.Query{}); client.Status(err) != http.StatusForbidden {
		t.Errorf("a key that watches reads: %v", err)
	}
}

// A request has one id in its answer, in what went wrong and in the log, also of what an
// assistant calls; whoever asks does not choose it.
func TestARequestHasAnID(t *testing.T) {
	t.Parallel()
	log := &notes{}
	w := newWorldWith(t, Options{Log: slog.New(slog.NewTextHandler(log, nil))})
	got := w.call("reader", "GET", "/api/v1/entries/nothing", "", "X-Request-Id", "chosen", "Traceparent", "00-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-01")
	id := got.header.Get("X-Request-Id")
	if len(id) != 16 || got.Instance != "/requests/"+id || !strings.Contains(log.String(), "request="+id) {
		t.Errorf("the id is %q, the instance %q, the log %s", id, got.Instance, log.String())
	}
	found := w.call("reader", "POST", "/mcp", `{"jsonrpc":"2.0","id":1,"method":"tools/call","params":{"name":"find_entries","arguments":{}}}`, "Accept", "application/json, text/event-stream")
	if id := found.header.Get("X-Request-Id"); found.status != http.StatusOK || strings.Count(log.String(), "request="+id) != 2 {
		t.Errorf("%d: what an assistant calls is logged as another request than %s:\n%s", found.status, id, log.String())
	}
}

package client

import (
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"goldshelf/api"
)

// answering is a client of a service that answers as do does, and what it is asked.
func answering(t *testing.T, do http.HandlerFunc) (*Client, func() []*http.Request) {
	t.Helper()
	var mu sync.Mutex
	var asked []*http.Request
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		asked = append(asked, r)
		mu.Unlock()
		do(w, r)
	}))
	t.Cleanup(s.Close)
	return &Client{Server: s.URL + "/"}, func() []*http.Request {
		mu.Lock()
		defer mu.Unlock()
		return slices.Clone(asked)
	}
}

func TestCallSaysWhoCallsAndOn(t *testing.T) {
	c, asked := answering(t, func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("ETag", `"1.3"`)
		fmt.Fprint(w, `{"slug": "close", "version": 1}`)
	})
	c.Token, c.Agent = "secret", "goldshelf/9"
	e, etag, err := c.SaveDraft(t.Context(), "close", `"1.2"`, api.NewEntry{})
	if err != nil || e.Slug != "close" || etag != `"1.3"` {
		t.Fatalf("got %+v, %s, %v", e, etag, err)
	}
	r := asked()[0]
	for name, want := range map[string]string{"Authorization": "Bearer secret", "User-Agent": "goldshelf/9", "If-Match": `"1.2"`, "Content-Type": "application/json", "Idempotency-Key": ""} {
		if got := r.Header.Get(name); got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	if r.Method != http.MethodPut || r.URL.Path != "/api/v1/entries/close/draft" {
		t.Errorf("it calls %s %s", r.Method, r.URL.Path)
	}
}

// What is asked again after a lost answer carries the same key, and a save, which
// has none, is not asked again.
func TestALostAnswer(t *testing.T) {
	cut := func(w http.ResponseWriter, _ *http.Request) {
		conn, _, err := http.NewResponseController(w).Hijack()
		if err != nil {
			t.Error(err)
			return
		}
		conn.Close()
	}
	c, asked := answering(t, cut)
	_, err := c.Create(t.Context(), api.NewEntry{})
	var lost *Unreachable
	if !errors.As(err, &lost) || !strings.Contains(err.Error(), c.Server) {
		t.Errorf("got %v", err)
	}
	// Go's own transport may ask again too, where nothing of an answer has come.
	keys := map[string]bool{}
	for _, r := range asked() {
		keys[r.Header.Get("Idempotency-Key")] = true
	}
	if n := len(asked()); n < 2 || len(keys) != 1 || keys[""] {
		t.Errorf("asked %d times with the keys %v, want the same key each time", n, keys)
	}
	// So does a file that is sent.
	before := len(asked())
	if _, err := c.ImportPeople(t.Context(), []byte("name\n")); !errors.As(err, &lost) {
		t.Errorf("got %v", err)
	}
	keys = map[string]bool{}
	for _, r := range asked()[before:] {
		keys[r.Header.Get("Idempotency-Key")] = true
	}
	if n := len(asked()) - before; n < 2 || len(keys) != 1 || keys[""] {
		t.Errorf("a file was sent %d times with the keys %v, want the same key each time", n, keys)
	}
	before = len(asked())
	if _, _, err := c.SaveDraft(t.Context(), "close", `"1.2"`, api.NewEntry{}); err == nil || len(asked()) != before+1 {
		t.Errorf("a save was asked for %d times (%v), want once", len(asked())-before, err)
	}
}

func TestWhatWentWrong(t *testing.T) {
	for name, c := range map[string]struct {
		status     int
		body, says string
		wait       time.Duration
	}{
		"the service's words":  {404, `{"status": 404, "detail": "there is no entry x"}`, "there is no entry x", 0},
		"each problem":         {422, `{"status": 422, "detail": "D", "problems": [{"message": "first", "line": 2, "column": 3}, {"message": "second"}]}`, "line 2, column 3: first\nsecond", 0},
		"too soon":             {429, `{"status": 429, "detail": "wait"}`, "wait", 7 * time.Second},
		"a proxy's page":       {502, `<html>Bad gateway</html>`, "the server answered 502 Bad Gateway", 0},
		"nothing":              {500, ``, "the server answered 500 Internal Server Error", 0},
		"JSON of someone else": {403, `{"error": "no"}`, "the server answered 403 Forbidden", 0},
	} {
		t.Run(name, func(t *testing.T) {
			cl, _ := answering(t, func(w http.ResponseWriter, _ *http.Request) {
				if c.wait > 0 {
					w.Header().Set("Retry-After", fmt.Sprint(c.wait.Seconds()))
				}
				w.WriteHeader(c.status)
				fmt.Fprint(w, c.body)
			})
			_, err := cl.Entry(t.Context(), "x")
			var e *Error
			if !errors.As(err, &e) || Status(err) != c.status || err.Error() != c.says || e.RetryAfter != c.wait {
				t.Errorf("got %q, status %d, wait %v", err, Status(err), e.RetryAfter)
			}
		})
	}
	cl, _ := answering(t, func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "hello") })
	if _, err := cl.Entry(t.Context(), "x"); err == nil || !strings.Contains(err.Error(), "no Gold Shelf's JSON") {
		t.Errorf("of another server it says %v", err)
	}
	if Status(errors.New("x")) != 0 || Status(nil) != 0 {
		t.Error("an error of one's own has an HTTP status")
	}
}

// Names go into a path as names, whatever they are.
func TestNamesInPaths(t *testing.T) {
	c, asked := answering(t, func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{}`) })
	if _, err := c.Entry(t.Context(), "../people?x=1"); err != nil {
		t.Fatal(err)
	}
	if got := asked()[0].URL.EscapedPath(); got != "/api/v1/entries/..%2Fpeople%3Fx=1" {
		t.Errorf("it calls %s", got)
	}
}

// All that is wrong with a pulled folder is said at once.
func TestOpenFolderNamesAllFaults(t *testing.T) {
	dir := t.TempDir()
	if _, err := OpenFolder(dir, ""); err == nil || !strings.Contains(err.Error(), "goldshelf pull --to") {
		t.Errorf("of a folder without pins it says %v", err)
	}
	good := []byte("---\nkind: snippet\ntitle: Close\n---\nRegards.\n")
	all := []Pulled{{Pin{Slug: "close", Version: 2, SHA256: "63"}, good}, {Pin{Slug: "gone", Version: 1}, good}}
	if err := WriteFolder(dir, "", all); err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(filepath.Join(dir, "gone.md")); err != nil {
		t.Fatal(err)
	}
	_, err := OpenFolder(dir, "")
	if err == nil || !strings.Contains(err.Error(), "close.md is not the file that was pulled") || !strings.Contains(err.Error(), "gone.md") {
		t.Errorf("it says %v", err)
	}
	if err := os.WriteFile(filepath.Join(dir, PinFile), []byte(`{"slug": "close"}`), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := ReadPins(dir, ""); err == nil || !strings.Contains(err.Error(), "is no pin file") {
		t.Errorf("of other JSON it says %v", err)
	}
}

// Where the service is busy a call waits as long as it is asked to, says so, and goes on
// under the same key.
func TestABusyServiceIsWaitedFor(t *testing.T) {
	var times int
	c, asked := answering(t, func(w http.ResponseWriter, _ *http.Request) {
		if times++; times < 3 {
			w.Header().Set("Retry-After", "1")
			w.WriteHeader(http.StatusServiceUnavailable)
			fmt.Fprint(w, `{"status": 503, "detail": "the database does not answer"}`)
			return
		}
		fmt.Fprint(w, `{"slug": "close", "version": 1}`)
	})
	var waited []string
	c.Waiting = func(why string, pause time.Duration) { waited = append(waited, fmt.Sprint(why, " ", pause)) }
	if e, err := c.Submit(t.Context(), "close", "Ready."); err != nil || e.Slug != "close" {
		t.Fatalf("got %+v, %v", e, err)
	}
	all := asked()
	if len(all) != 3 || all[0].Header.Get("Idempotency-Key") == "" || all[0].Header.Get("Idempotency-Key") != all[2].Header.Get("Idempotency-Key") {
		t.Errorf("it asked %d times, under different keys", len(all))
	}
	if len(waited) != 2 || waited[0] != "the database does not answer 1s" {
		t.Errorf("it said %q", waited)
	}
}

// Whatever slugs a service sends, and whatever links a folder holds, nothing is written
// outside the folder.
func TestFilesStayInTheirFolder(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	dir, outside := filepath.Join(root, "pulled"), filepath.Join(root, "outside.md")
	for _, slug := range []string{"../outside", "..", "a/../../outside", "/etc/passwd", "A", ""} {
		err := WriteFolder(dir, "", []Pulled{{Pin{Slug: slug, Version: 1}, []byte("x")}})
		if err == nil || !strings.Contains(err.Error(), "which is none") {
			t.Errorf("%q: %v", slug, err)
		}
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(outside, filepath.Join(dir, "close.md")); err != nil {
		t.Fatal(err)
	}
	if err := WriteFolder(dir, "", []Pulled{{Pin{Slug: "close", Version: 1}, []byte("x")}}); err == nil {
		t.Error("a link out of the folder was followed")
	}
	if _, err := os.Stat(outside); err == nil {
		t.Error("a file was written outside the folder")
	}
}

// Of several services on one library the next is asked where one does not answer, under the
// same key, and goes on being asked; a save is sent on where nobody has heard it.
func TestTheNextServiceIsAsked(t *testing.T) {
	t.Parallel()
	dead := httptest.NewServer(http.NotFoundHandler())
	dead.Close()
	var asked atomic.Int64
	live := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		fmt.Fprint(w, `{"slug": "close", "version": 1}`)
	}))
	defer live.Close()
	for name, call := range map[string]func(*Client) error{
		"read":   func(c *Client) error { _, err := c.Entry(t.Context(), "close"); return err },
		"submit": func(c *Client) error { _, err := c.Submit(t.Context(), "close", "Ready."); return err },
		"save": func(c *Client) error {
			_, _, err := c.SaveDraft(t.Context(), "close", `"1.2"`, api.NewEntry{})
			return err
		},
	} {
		t.Run(name, func(t *testing.T) {
			c := &Client{Server: dead.URL + ", " + live.URL + "/"}
			before := asked.Load()
			for range 2 {
				if err := call(c); err != nil {
					t.Fatal(err)
				}
			}
			if n := asked.Load() - before; n != 2 || c.Address() != live.URL {
				t.Errorf("asked %d times, and %s is asked next", n, c.Address())
			}
		})
	}
	c := &Client{Server: dead.URL + "," + dead.URL}
	if _, err := c.Entry(t.Context(), "close"); err == nil || !strings.Contains(err.Error(), dead.URL+","+dead.URL) {
		t.Errorf("nobody answers, and the call says %v", err)
	}
}

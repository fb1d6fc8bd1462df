package server

import (
	"io"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"
)

// However many connections somebody holds open without signing in, others get in at once, and
// those who signed in keep theirs.
func TestHeldConnectionsKeepNobodyOut(t *testing.T) {
	t.Parallel()
	const most = 16
	w := newWorldWith(t, Options{Log: slog.New(slog.DiscardHandler), MostConnections: most})
	address := strings.TrimPrefix(w.url, "http://")
	token := w.as("reader").Token
	own, err := net.Dial("tcp", address)
	if err != nil {
		t.Fatal(err)
	}
	defer own.Close()
	ask := func(c net.Conn, path string) string {
		t.Helper()
		if err := c.SetDeadline(time.Now().Add(10 * time.Second)); err != nil {
			t.Fatal(err)
		}
		if _, err := io.WriteString(c, "GET "+path+" HTTP/1.1\r\nHost: "+address+"\r\nAuthorization: Bearer "+token+"\r\n\r\n"); err != nil {
			return err.Error()
		}
		answer := make([]byte, 12)
		if _, err := io.ReadFull(c, answer); err != nil {
			return err.Error()
		}
		rest := make([]byte, 1<<16)
		_, _ = c.Read(rest) // what is left of a short answer
		return string(answer)
	}
	if got := ask(own, "/api/v1/session"); got != "HTTP/1.1 200" {
		t.Fatalf("signed in: %s", got)
	}
	for range 4 * most { // half-open: nothing but the beginning of a head
		c, err := net.Dial("tcp", address)
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		if _, err := io.WriteString(c, "GET / HTTP/1.1\r\nHost:"); err != nil {
			t.Fatal(err)
		}
	}
	for range 3 {
		start := time.Now()
		client := &http.Client{Transport: &http.Transport{DisableKeepAlives: true}, Timeout: 10 * time.Second}
		res, err := client.Get(w.url + "/healthz")
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if took := time.Since(start); res.StatusCode != http.StatusOK || took > 2*time.Second {
			t.Errorf("somebody else: %d after %s", res.StatusCode, took)
		}
	}
	if got := ask(own, "/api/v1/session"); got != "HTTP/1.1 200" {
		t.Errorf("who signed in has lost the connection: %s", got)
	}
}

// A head that does not come to its end is waited for no longer than its time.
func TestSlowHeadIsCutOff(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	c, err := net.Dial("tcp", strings.TrimPrefix(w.url, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		_, _ = io.Copy(io.Discard, c) // until the service ends it
	}()
	if _, err := io.WriteString(c, "GET / HTTP/1.1\r\n"); err != nil {
		t.Fatal(err)
	}
	for start := time.Now(); time.Since(start) < 3*headWithin; {
		select {
		case <-ended:
			return
		case <-time.After(time.Second):
			_, _ = io.WriteString(c, "X-Slow: 1\r\n") // it may be cut off already
		}
	}
	t.Error("a head that drips is waited for")
}

// One person listens to so many streams at once, and to more once one has ended; others listen
// as before.
func TestStreamsOfOnePersonAreLimited(t *testing.T) {
	t.Parallel()
	w := newReplyWorld(t)
	thing := w.things(t)["trial of the shelf"]
	listen := func(token string) *http.Response {
		t.Helper()
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, w.url+"/api/v1/trials/"+thing.trial+"/events", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+token)
		res, err := (&http.Client{Transport: &http.Transport{DisableKeepAlives: true}}).Do(req)
		if err != nil {
			t.Fatal(err)
		}
		return res
	}
	token := w.as("reader").Token
	var first *http.Response
	for n := range mostStreams {
		res := listen(token)
		defer res.Body.Close()
		if res.StatusCode != http.StatusOK {
			t.Fatalf("stream %d: %d", n, res.StatusCode)
		}
		if n == 0 {
			first = res
		}
	}
	if res := listen(token); res.StatusCode != http.StatusTooManyRequests {
		t.Errorf("one more: %d", res.StatusCode)
	}
	if res := listen(w.as("second").Token); res.StatusCode != http.StatusOK {
		t.Errorf("somebody else: %d", res.StatusCode)
	} else {
		res.Body.Close()
	}
	first.Body.Close() // which the service notices when it next writes, 15 s later at most
	for end := time.Now().Add(time.Minute); ; {
		res := listen(token)
		res.Body.Close()
		if res.StatusCode == http.StatusOK {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("after one has ended: %d", res.StatusCode)
		}
		time.Sleep(time.Second)
	}
}

package server

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"

	"goldshelf/api"
)

// Bytes that are no text, numbers that are none and cursors that no page gave are told
// as what they are, by every operation, in its path and in every parameter.
func TestOddBytesAreRefused(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	token := w.as("curator").Token
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	tried := 0
	try := func(method, path string) {
		t.Helper()
		req, err := http.NewRequestWithContext(t.Context(), method, w.url+"/api/v1"+path, strings.NewReader("{}"))
		if err != nil {
			return // the client itself sends no such address
		}
		req.Header.Set("Authorization", "Bearer "+token)
		req.Header.Set("Content-Type", "application/json")
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Errorf("%s %s: %v", method, path, err)
			return
		}
		defer res.Body.Close()
		text, _ := io.ReadAll(res.Body) // of what broke off the status is enough
		if res.StatusCode >= 500 {
			t.Errorf("%s %s: %d %s", method, path, res.StatusCode, text)
		}
		tried++
	}
	odd := []string{"%00", "%ff", "a%00b", "%c3%28", "-1", "0", "99999999999999999999", "1e9", "x", "%2e%2e%2f", strings.Repeat("a", 3000)}
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			if path == "/session" || path == "/sessions" {
				continue // it would end the sign-in
			}
			for _, value := range odd {
				if strings.Contains(path, "{") {
					try(method, braces.ReplaceAllString(path, value))
				}
				whole := url.Values{}
				for _, p := range op.Parameters {
					if p.Value.In == "query" {
						try(method, braces.ReplaceAllString(path, "x")+"?"+p.Value.Name+"="+value)
						whole.Add(p.Value.Name, "\x00")
					}
				}
				if len(whole) > 0 {
					try(method, braces.ReplaceAllString(path, "x")+"?"+whole.Encode())
				}
			}
		}
	}
	if tried < 500 {
		t.Errorf("only %d requests were sent", tried)
	}
}

// What was asked for is carried out to its end though its sender has left: see timed.
func TestWhoLeavesIsServedToTheEnd(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	writer := w.as("contributor")
	address, err := url.Parse(w.url)
	if err != nil {
		t.Fatal(err)
	}
	conn, err := net.Dial("tcp", address.Host)
	if err != nil {
		t.Fatal(err)
	}
	body := `{"slug": "left-behind", "kind": "prompt", "title": "Left behind", "body": "Write to them.\n"}`
	fmt.Fprintf(conn, "POST /api/v1/entries HTTP/1.1\r\nHost: %s\r\nAuthorization: Bearer %s\r\nContent-Type: application/json\r\nContent-Length: %d\r\n\r\n%s", address.Host, writer.Token, len(body), body)
	if err := conn.Close(); err != nil {
		t.Fatal(err)
	}
	for deadline := time.Now().Add(10 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		if _, err = writer.Entry(t.Context(), "left-behind"); err == nil {
			return
		}
		if time.Now().After(deadline) {
			t.Fatalf("what was asked for was never done: %v", err)
		}
	}
}

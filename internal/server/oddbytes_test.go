package server

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
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
		res, err := crowd.Do(req)
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

// nasty is two hundred values that parameters are not made for.
func nasty() (all []string) {
	for b := range 0x20 {
		all = append(all, string(rune(b)), "a"+string(rune(b))+"b")
	}
	for b := 0x7f; b < 0x100; b += 4 {
		all = append(all, string([]byte{byte(b)}), string([]byte{'a', byte(b), 'b'}))
	}
	all = append(all,
		"", " ", "\u00a0", "\u200b", "\u202e", "\ufeff", "\ufffd", "\U0010ffff", "é", "e\u0301", "水", "\U0001f4a7", "ﬀ", "İ", "ß", "'", `"`, "`", `\`, "%", "%25", "%s%n", "_", "*", "?", "#", "&", "=", "+", ";", "|", "<", ">",
		"' or 1=1 --", "'; drop table events; --", "\\'; select pg_sleep(9)", "$1", "$$", "E'\\x'", "{}", "[]", "null", "true", "NaN", "Infinity", "-Infinity", "{\"a\": 1}", "[1, 2]", "<script>alert(1)</script>", "javascript:alert(1)",
		"..", "../..", "/etc/passwd", "..\\..", "con", ".", "~", "//", "a/b", "http://x", "-1", "-0", "+1", "0", "00", "01", "1.5", "1e9", "1e400", "0x10", "2147483647", "2147483648", "-2147483649", "9223372036854775807", "9223372036854775808",
		"99999999999999999999999999", "١", "①", "1 ", " 1", "1\t", "true ", "2026-02-30", "2026-13-01", "0000-00-00", "9999-99-99", "2026-11-26T25:00:00Z", "infinity", "epoch", "now", "yesterday",
		"00000000-0000-0000-0000-000000000000", "ffffffff-ffff-ffff-ffff-fffffffffff", "bWFkZSB1cA==", "eyJyIjoxfQ", "eyJyIjoiTmFOIn0", "kind", "folder", "csv", "bundle", "draft", "published", strings.Repeat("a", 64), strings.Repeat("a", 65), strings.Repeat("é", 500), strings.Repeat("(", 500), strings.Repeat("9", 400),
	)
	return all
}

// No bytes in any parameter of any operation are answered with a fault of the service's.
func TestNastyValues(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	values := nasty()
	if len(values) < 200 {
		t.Fatalf("there are only %d values", len(values))
	}
	token := w.as("curator").Token
	type call struct{ method, path string }
	calls := make(chan call)
	var sent atomic.Int64
	var senders sync.WaitGroup
	for range 8 {
		senders.Go(func() {
			for c := range calls {
				req, err := http.NewRequest(c.method, w.url+"/api/v1"+c.path, strings.NewReader("{}"))
				if err != nil {
					continue
				}
				req.Header.Set("Authorization", "Bearer "+token)
				req.Header.Set("Content-Type", "application/json")
				req.Header.Set("If-Match", `"x"`)
				res, err := crowd.Do(req)
				if err != nil {
					t.Errorf("%s %s: %v", c.method, c.path, err)
					continue
				}
				text, _ := io.ReadAll(res.Body) // of what broke off the status is enough
				res.Body.Close()
				if res.StatusCode >= 500 {
					t.Errorf("%s %s: %d %s", c.method, c.path, res.StatusCode, text)
				}
				sent.Add(1)
			}
		})
	}
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			if path == "/session" || path == "/sessions" {
				continue // it would end the sign-in
			}
			var names []string
			for _, p := range op.Parameters {
				if p.Value.In == "query" {
					names = append(names, p.Value.Name)
				}
			}
			for _, value := range values {
				if strings.Contains(path, "{") {
					calls <- call{method, braces.ReplaceAllString(path, strings.ReplaceAll(url.PathEscape(value), "$", "$$"))}
				}
				for _, name := range names {
					calls <- call{method, braces.ReplaceAllString(path, "x") + "?" + url.Values{name: {value}}.Encode()}
				}
			}
		}
	}
	close(calls)
	senders.Wait()
	if sent.Load() < 15_000 {
		t.Errorf("only %d requests were sent", sent.Load())
	}
}

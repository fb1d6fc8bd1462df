package server

import (
	"bytes"
	"compress/gzip"
	"io"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/andybalholm/brotli"
)

// A browser gets the console's files as small as it can read them, and all that it asks for
// says the same; the copies are not files of their own.
func TestConsoleFilesAreSentSmall(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	fetch := func(path, accept string) (*http.Response, []byte) {
		t.Helper()
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, w.url+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Accept-Encoding", accept) // Go's client then decodes nothing by itself
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		body, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return res, body
	}
	_, page := fetch("/", "identity")
	script := regexp.MustCompile(`/assets/[^"]+\.js`).FindString(string(page))
	if script == "" {
		t.Fatalf("the page has no script:\n%s", page)
	}
	for _, path := range []string{"/", script, "/entries/any-entry"} {
		plain, whole := fetch(path, "identity")
		if plain.StatusCode != http.StatusOK || plain.Header.Get("Content-Encoding") != "" {
			t.Errorf("%s answers %d, encoded %q", path, plain.StatusCode, plain.Header.Get("Content-Encoding"))
		}
		for accept, encoding := range map[string]string{
			"gzip, deflate, br, zstd": "br", "gzip, deflate": "gzip", "br;q=0, gzip": "gzip", "zstd": "", "br;q=0, gzip;q=0": "",
		} {
			res, body := fetch(path, accept)
			size := len(body)
			var err error
			switch res.Header.Get("Content-Encoding") {
			case "br":
				body, err = io.ReadAll(brotli.NewReader(bytes.NewReader(body)))
			case "gzip":
				var read *gzip.Reader
				if read, err = gzip.NewReader(bytes.NewReader(body)); err == nil {
					body, err = io.ReadAll(read)
				}
			}
			if got := res.Header.Get("Content-Encoding"); err != nil || got != encoding || !bytes.Equal(body, whole) {
				t.Errorf("%s for %q is encoded %q, wanted %q, and %d bytes say %d bytes of %d (%v)", path, accept, got, encoding, size, len(body), len(whole), err)
			}
			if encoding != "" && size >= len(whole) {
				t.Errorf("%s for %q has %d bytes, as %s %d", path, accept, len(whole), encoding, size)
			}
			if kind := res.Header.Get("Content-Type"); kind != plain.Header.Get("Content-Type") || !strings.Contains(res.Header.Get("Vary"), "Accept-Encoding") {
				t.Errorf("%s for %q is a %s, Vary %q", path, accept, kind, res.Header.Get("Vary"))
			}
		}
	}
	for _, path := range []string{script + ".br", script + ".gz"} {
		if res, _ := fetch(path, "br"); res.StatusCode != http.StatusNotFound {
			t.Errorf("%s answers %d", path, res.StatusCode)
		}
	}
}

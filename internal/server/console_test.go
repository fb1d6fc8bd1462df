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
	fetch := func(path, accept string) answered {
		return w.call("", http.MethodGet, path, "", "Accept-Encoding", accept) // Go's client then decodes nothing by itself
	}
	page := fetch("/", "identity").body
	script := regexp.MustCompile(`/assets/[^"]+\.js`).FindString(page)
	if script == "" {
		t.Fatalf("the page has no script:\n%s", page)
	}
	for _, path := range []string{"/", script, "/entries/any-entry"} {
		plain := fetch(path, "identity")
		whole := []byte(plain.body)
		if plain.status != http.StatusOK || plain.header.Get("Content-Encoding") != "" {
			t.Errorf("%s answers %d, encoded %q", path, plain.status, plain.header.Get("Content-Encoding"))
		}
		for accept, encoding := range map[string]string{
			"gzip, deflate, br, zstd": "br", "gzip, deflate": "gzip", "br;q=0, gzip": "gzip", "zstd": "", "br;q=0, gzip;q=0": "",
		} {
			res := fetch(path, accept)
			body, size := []byte(res.body), len(res.body)
			var err error
			switch res.header.Get("Content-Encoding") {
			case "br":
				body, err = io.ReadAll(brotli.NewReader(bytes.NewReader(body)))
			case "gzip":
				var read *gzip.Reader
				if read, err = gzip.NewReader(bytes.NewReader(body)); err == nil {
					body, err = io.ReadAll(read)
				}
			}
			if got := res.header.Get("Content-Encoding"); err != nil || got != encoding || !bytes.Equal(body, whole) {
				t.Errorf("%s for %q is encoded %q, wanted %q, and %d bytes say %d bytes of %d (%v)", path, accept, got, encoding, size, len(body), len(whole), err)
			}
			if encoding != "" && size >= len(whole) {
				t.Errorf("%s for %q has %d bytes, as %s %d", path, accept, len(whole), encoding, size)
			}
			if kind := res.header.Get("Content-Type"); kind != plain.header.Get("Content-Type") || !strings.Contains(res.header.Get("Vary"), "Accept-Encoding") {
				t.Errorf("%s for %q is a %s, Vary %q", path, accept, kind, res.header.Get("Vary"))
			}
		}
	}
	for _, path := range []string{script + ".br", script + ".gz"} {
		if res := fetch(path, "br"); res.status != http.StatusNotFound {
			t.Errorf("%s answers %d", path, res.status)
		}
	}
}

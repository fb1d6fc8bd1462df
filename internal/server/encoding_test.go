package server

import (
	"bytes"
	"compress/gzip"
	"net/http"
	"strings"
	"testing"
)

// A compressed body is refused before anything of it is unpacked, also by those who are not
// signed in.
func TestCompressedBodyIsRefused(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	var bomb bytes.Buffer
	z := gzip.NewWriter(&bomb)
	if _, err := z.Write([]byte(`{"name": "` + strings.Repeat("x", 50<<20) + `"}`)); err != nil {
		t.Fatal(err)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	for _, encoding := range []string{"gzip", "br", "deflate", "zstd", "gzip, gzip", "identity, gzip"} {
		for _, path := range []string{"/api/v1/session", "/api/v1/preview", "/mcp", "/scim/v2/Users"} {
			a := w.call("", http.MethodPost, path, bomb.String(), "Content-Encoding", encoding)
			if a.status != http.StatusUnsupportedMediaType || a.header.Get("Accept-Encoding") != "identity" {
				t.Errorf("%s to %s: %d %s, Accept-Encoding %q", encoding, path, a.status, a.body, a.header.Get("Accept-Encoding"))
			}
		}
	}
	if a := w.call("reader", http.MethodPost, "/api/v1/preview", `{"body": "Hello.\n", "blanks": [], "values": {}}`, "Content-Encoding", "identity"); a.status != http.StatusOK {
		t.Errorf("identity: %d %s", a.status, a.body)
	}
}

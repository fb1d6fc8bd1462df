package server

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// A service is ready once what searches find has been read, and not while that goes on.
func TestReadyOnceSearchesAreAnswered(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	conn, err := pgx.Connect(t.Context(), w.OwnerURL())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(t.Context())
	for _, statement := range []string{"begin", "lock table versions in access exclusive mode"} { // reading takes long
		if _, err := conn.Exec(t.Context(), statement); err != nil {
			t.Fatal(err)
		}
	}
	ready := func() (int, string) {
		t.Helper()
		res, err := crowd.Get(w.url + "/readyz")
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		text := make([]byte, 200)
		n, _ := res.Body.Read(text)
		return res.StatusCode, string(text[:n])
	}
	if status, text := ready(); status != http.StatusServiceUnavailable || !strings.Contains(text, "still being read") {
		t.Errorf("while it is read: %d %s", status, text)
	}
	if _, err := conn.Exec(t.Context(), "rollback"); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		status, text := ready()
		if status == http.StatusOK {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("once it was read: %d %s", status, text)
		}
	}
}

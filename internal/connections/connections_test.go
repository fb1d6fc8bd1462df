package connections_test

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/asking"
	"goldshelf/internal/connections"
	"goldshelf/internal/models"
	"goldshelf/internal/sealed"
	"goldshelf/internal/work"
)

// A secret is sent and never told; it is forgotten where the address leads elsewhere.
func TestSecretsAreSentWhereTheyMayGo(t *testing.T) {
	t.Parallel()
	w := databases.Models(t, nil)
	var got []string
	echo := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		got = append(got, r.Header.Get("Authorization"))
		time.Sleep(20 * time.Millisecond)
		_ = json.NewEncoder(rw).Encode(map[string]any{"text": "I heard " + r.Header.Get("Authorization")})
	}))
	defer echo.Close()
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "key"), []byte("s3cret-key\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "key.origins"), []byte("https://other.example, "+echo.URL+"/v1\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink("/etc/passwd", filepath.Join(dir, "link")); err != nil {
		t.Fatal(err)
	}
	asker := models.NewAsker("127.0.0.1")
	s := connections.New(w.DB, asking.New(w.DB, asker, asking.Secrets{Dir: dir}))
	ctx, curator := t.Context(), w.By("curator")
	in := api.NewConnection{Title: "Echo", Spec: endpoint.Spec{Address: echo.URL, Secret: "key", Models: []string{"heron-2"}}}
	c, err := s.Add(ctx, curator, in)
	if err != nil || c.Name != "echo" || !c.SecretThere {
		t.Fatalf("%+v, %v", c, err)
	}
	tried, err := s.Try(ctx, curator, "echo", api.ConnectionTrial{Model: "heron-2"})
	text, _ := json.Marshal(tried)
	if err != nil || len(got) != 1 || got[0] != "Bearer s3cret-key" || strings.Contains(string(text), "s3cret") || tried.Reply == nil || tried.MS < 20 {
		t.Errorf("sent %q; told %s, %v", got, text, err)
	}
	// The path may change; another host forgets it.
	in.Secret, in.KeepSecret, in.Address = "", true, echo.URL+"/v1"
	if c, err = s.Set(ctx, curator, "echo", c.Number, in); err != nil || c.Secret != "key" {
		t.Errorf("of the same place: %+v, %v", c, err)
	}
	in.Address = "https://models.example"
	if c, err = s.Set(ctx, curator, "echo", c.Number, in); err != nil || c.Secret != "" {
		t.Errorf("of another place: %+v, %v", c, err)
	}
	var outdated *work.Outdated
	if _, err := s.Set(ctx, curator, "echo", c.Number-1, in); !errors.As(err, &outdated) {
		t.Errorf("on an older one: %v", err)
	}
	secrets, echoes := asking.Secrets{Dir: dir}, endpoint.Spec{Address: echo.URL}.Place()
	if got, err := secrets.Get("key", echoes); err != nil || got != "s3cret-key" {
		t.Errorf("%q, %v", got, err)
	}
	// What is there for another address is as if it were not there.
	_, elsewhere := secrets.Get("key", "https://attacker.example:443")
	_, missing := secrets.Get("missing", "https://attacker.example:443")
	if elsewhere == nil || missing == nil || strings.ReplaceAll(elsewhere.Error(), "key", "missing") != missing.Error() {
		t.Errorf("for another address: %v; of none: %v", elsewhere, missing)
	}
	for _, name := range []string{"key.origins", "GOLDSHELF_SECRET_KEY_FILE", "PATH", "link", "../key", "missing", ".."} {
		if secret, err := secrets.Get(name, echoes); err == nil {
			t.Errorf("%s is %q", name, secret)
		}
	}
	var wrong problem.List
	bad := api.NewConnection{Title: " ", Name: "No Name", Spec: endpoint.Spec{Address: "ftp://x", Secret: "PATH/..", Models: []string{"swan", "swan"}, AtOnce: -1, TokensMinute: -1, Departments: []string{"zoo"}, Labels: map[string][]string{"department": {"zoo"}, "model": {}}, Mapping: &endpoint.Mapping{}}}
	if _, err := s.Add(ctx, curator, bad); !errors.As(err, &wrong) || len(wrong) < 12 || !strings.Contains(err.Error(), "no label department: zoo") || !strings.Contains(err.Error(), `which terms of "model"`) {
		t.Errorf("%d problems: %v", len(wrong), err)
	}
	var refused *entry.Refusal
	for _, who := range []string{"reader", "reviewer"} {
		if _, err := s.List(ctx, w.By(who)); !errors.As(err, &refused) {
			t.Errorf("%s: %v", who, err)
		}
	}
	if err := s.Delete(ctx, curator, "echo"); err != nil {
		t.Fatal(err)
	}

	// A secret that the service keeps is sealed, for one place and under its own key.
	keys := func(fill byte) *sealed.Key {
		file := filepath.Join(t.TempDir(), "key")
		if err := os.WriteFile(file, []byte(base64.StdEncoding.EncodeToString(bytes.Repeat([]byte{fill}, 32))+"\n"), 0o600); err != nil {
			t.Fatal(err)
		}
		key, err := sealed.ReadKey(file)
		if err != nil {
			t.Fatal(err)
		}
		return key
	}
	in = api.NewConnection{Title: "Echo", SecretValue: "typed-s3cret", Spec: endpoint.Spec{Address: echo.URL, Models: []string{"heron-2"}}}
	if _, err := s.Add(ctx, curator, in); err == nil || !strings.Contains(err.Error(), "--secret-key-file") {
		t.Errorf("without a key: %v", err)
	}
	s = connections.New(w.DB, asking.New(w.DB, asker, asking.Secrets{Key: keys(1)}))
	both, broken := in, in
	both.Secret, broken.SecretValue = "key", "two\nlines"
	for _, bad := range []api.NewConnection{both, broken} {
		if _, err := s.Add(ctx, curator, bad); !errors.As(err, &wrong) || wrong[0].Field != "/secret_value" {
			t.Errorf("%v", err)
		}
	}
	if c, err = s.Add(ctx, curator, in); err != nil || !c.SecretKept || !c.SecretThere || c.Secret != "" {
		t.Fatalf("%+v, %v", c, err)
	}
	got = nil
	if tried, err := s.Try(ctx, curator, "echo", api.ConnectionTrial{Model: "heron-2"}); err != nil || got[0] != "Bearer typed-s3cret" || strings.Contains(fmt.Sprint(tried, tried.Came), "typed-s3cret") {
		t.Errorf("sent %q; %+v, %v", got, tried, err)
	}
	var kept []string
	if w.Select(&kept, "select encode(sealed, 'escape') from connection_secrets"); len(kept) != 1 || strings.Contains(kept[0], "typed") {
		t.Errorf("sealed: %q", kept)
	}
	other := connections.New(w.DB, asking.New(w.DB, asker, asking.Secrets{Key: keys(2)}))
	if tried, err := other.Try(ctx, curator, "echo", api.ConnectionTrial{Model: "heron-2"}); err != nil || !strings.Contains(tried.Problem.String(), "give the secret again") {
		t.Errorf("under another key: %+v, %v", tried, err)
	}
	in.SecretValue, in.KeepSecret, in.Title = "", true, "Echo again"
	if c, err = s.Set(ctx, curator, "echo", c.Number, in); err != nil || !c.SecretKept {
		t.Errorf("of the same place: %+v, %v", c, err)
	}
	w.Exec(`update connections set details = jsonb_set(details, '{address}', '"https://models.example"')`)
	if tried, err := s.Try(ctx, curator, "echo", api.ConnectionTrial{Model: "heron-2"}); err != nil || !strings.Contains(tried.Problem.String(), "give the secret again") {
		t.Errorf("for another place, behind the service's back: %+v, %v", tried, err)
	}
	in.Address = "https://elsewhere.example"
	if c, err = s.Set(ctx, curator, "echo", c.Number, in); err != nil || c.SecretKept || w.Count("connection_secrets") != 0 {
		t.Errorf("of another place: %+v, %v", c, err)
	}
	for _, bad := range []string{"", "short", base64.StdEncoding.EncodeToString([]byte("sixteen bytes..."))} {
		file := filepath.Join(t.TempDir(), "key")
		if err := os.WriteFile(file, []byte(bad), 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := sealed.ReadKey(file); err == nil || !strings.Contains(err.Error(), "32 random bytes") {
			t.Errorf("%q is a key: %v", bad, err)
		}
	}
}

// A variable is sent where its list says, and nowhere without one.
func TestVariableIsSentWhereItsListSays(t *testing.T) {
	const place = "https://models.example:443"
	t.Setenv("GOLDSHELF_SECRET_PROD", "s3cret")
	for origins, sent := range map[string]bool{
		"": false, "https://models.example": true, "https://other.example https://models.example:443/v1": true, "http://models.example": false,
		"https://models.example:8443": false, "https://models.example.attacker.example": false, "models.example": false, "*": false,
	} {
		t.Setenv("GOLDSHELF_ORIGINS_PROD", origins)
		if got, err := (asking.Secrets{}).Get("GOLDSHELF_SECRET_PROD", place); (got == "s3cret") != sent || (err == nil) != sent {
			t.Errorf("with %q: %q, %v", origins, got, err)
		}
	}
}

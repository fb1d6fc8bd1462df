package test

import (
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/internal/pgserver"
	"goldshelf/test/run"
)

// keeper runs a command of goldshelfd, as whoever keeps the machine, and gives what it printed
// on each stream and its status.
func keeper(t *testing.T, args ...string) (out, errs string, status int) {
	t.Helper()
	program, err := run.Program("goldshelfd")
	if err != nil {
		t.Fatal(err)
	}
	var o, e strings.Builder
	cmd := exec.Command(program, args...)
	cmd.Stdout, cmd.Stderr = &o, &e
	err = cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return o.String(), e.String(), cmd.ProcessState.ExitCode()
}

// A library is backed up while it is served, and restored: everybody signs in anew and finds
// the same, and it does by itself what is due once someone has said so.
func TestBackUpAndRestoreByCommand(t *testing.T) {
	t.Parallel()
	s, dir := aloneIn(t)
	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	before, err := c.Shelf(t.Context(), client.Query{Limit: 200})
	if err != nil {
		t.Fatal(err)
	}
	root, remove, err := run.Dir()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	file := filepath.Join(filepath.Dir(root), "library.zip")
	if _, errs, status := keeper(t, "backup", file, "--data-dir", dir); status != 0 || !strings.Contains(errs, "Backed up") {
		t.Fatalf("backup: %d %s", status, errs)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the backup is %v, %v", info.Mode(), err)
	}
	if _, errs, status := keeper(t, "backup", file, "--data-dir", dir); status != 1 || !strings.Contains(errs, "there already") {
		t.Errorf("over another: %d %s", status, errs)
	}
	whole, errs, status := keeper(t, "backup", "-", "--data-dir", dir)
	if status != 0 || !strings.HasPrefix(whole, "PK") {
		t.Errorf("to standard output: %d %s", status, errs)
	}
	if out, errs, status := keeper(t, "restore", "--check", file, "--data-dir", dir); status != 0 || !strings.Contains(out, "is good: Larkfen Water") {
		t.Errorf("check: %d %s%s", status, out, errs)
	}
	short := file + ".short"
	if err := os.WriteFile(short, []byte(whole[:len(whole)/2]), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, errs, status := keeper(t, "restore", "--check", short, "--data-dir", dir); status != 1 || !strings.Contains(errs, "cut short") {
		t.Errorf("one that was cut short: %d %s", status, errs)
	}
	if _, errs, status := keeper(t, "restore", file, "--data-dir", dir); status != 1 || !strings.Contains(errs, "already") {
		t.Errorf("over a library: %d %s", status, errs)
	}
	if _, errs, status := keeper(t, "restore", short, "--data-dir", root); status != 1 {
		t.Errorf("half of one: %d %s", status, errs)
	}
	if _, errs, status := keeper(t, "restore", file, "--data-dir", root); status != 1 || !strings.Contains(errs, "not trusted here") {
		t.Errorf("on another machine: %d %s", status, errs)
	}
	public, _, _ := keeper(t, "backup-key", "--data-dir", dir)
	public = strings.TrimSpace(public)
	if out, _, _ := keeper(t, "doctor", "--data-dir", dir); len(public) != 44 || !strings.Contains(out, public) {
		t.Errorf("the doctor does not show the public key %q:\n%s", public, out)
	}
	if later, errs, status := keeper(t, "backup-key", "--change", "--data-dir", dir); status != 0 || strings.TrimSpace(later) == public {
		t.Errorf("the key is not changed: %d %s%s", status, later, errs)
	}
	if out, errs, status := keeper(t, "restore", "--check", file, "--data-dir", dir); status != 0 {
		t.Errorf("check after the key was changed: %d %s%s", status, out, errs)
	}
	if _, errs, status := keeper(t, "restore", file, "--key", "none", "--data-dir", root); status != 1 || !strings.Contains(errs, "no public key") {
		t.Errorf("no key: %d %s", status, errs)
	}
	if out, errs, status := keeper(t, "restore", file, "--key", public, "--data-dir", root); status != 0 || !strings.Contains(out, "Restored Larkfen Water") {
		t.Fatalf("restore: %d %s%s", status, out, errs)
	}

	again, err := run.Serve(root)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := again.Stop(); err != nil {
			t.Error(err)
		}
	})
	c.Server = again.URL
	if _, err := c.Session(t.Context()); client.Status(err) != 401 {
		t.Errorf("a sign-in from before is good: %v", err)
	}
	if _, err := c.SignIn(t.Context(), "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	after, err := c.Shelf(t.Context(), client.Query{Limit: 200})
	if err != nil || after.Total != before.Total || len(after.Items) != len(before.Items) || after.Items[0].Slug != before.Items[0].Slug {
		t.Errorf("%d entries are on the shelf, and %d were: %v", after.Total, before.Total, err)
	}
	lib, _, err := c.Library(t.Context())
	if err != nil || lib.HeldSince == nil {
		t.Errorf("it is not held: %+v, %v", lib, err)
	}
	if out, _, _ := keeper(t, "doctor", "--data-dir", root); !strings.Contains(out, "goldshelfd resume") {
		t.Errorf("the doctor says nothing of it:\n%s", out)
	}
	if out, errs, status := keeper(t, "resume", "--data-dir", root); status != 0 {
		t.Errorf("resume: %d %s%s", status, out, errs)
	}
	if lib, _, err := c.Library(t.Context()); err != nil || lib.HeldSince != nil {
		t.Errorf("it is held still: %+v, %v", lib, err)
	}
	if _, errs, status := keeper(t, "resume", "--data-dir", root); status != 1 || !strings.Contains(errs, "nothing is held") {
		t.Errorf("resume again: %d %s", status, errs)
	}
}

// The service backs itself up, and the doctor finds what is wrong with a set-up.
func TestTheServiceLooksAfterItself(t *testing.T) {
	t.Parallel()
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	backups, key := filepath.Join(filepath.Dir(dir), "backups"), filepath.Join(filepath.Dir(dir), "key")
	if err := os.WriteFile(key, []byte("c2VjcmV0c2VjcmV0c2VjcmV0c2VjcmV0c2VjcmV0c2U="), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := run.Serve(dir, "--backup-dir", backups, "--backup-every", "1s"); err == nil {
		t.Fatal("it backs up every second")
	}
	s, err := run.Serve(dir, "--backup-dir", backups, "--backup-every", "1m", "--backup-keep", "2")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	var made []string
	for end := time.Now().Add(20 * time.Second); len(made) == 0 && time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		made, _ = filepath.Glob(filepath.Join(backups, "goldshelf-*.zip"))
	}
	if len(made) != 1 {
		t.Fatalf("there are %d backups", len(made))
	}
	if out, errs, status := keeper(t, "restore", "--check", made[0], "--data-dir", dir); status != 0 {
		t.Errorf("it is not good: %s%s", out, errs)
	}
	examine := func(args ...string) map[string]string {
		out, _, _ := keeper(t, append([]string{"doctor", "--json", "--data-dir", dir}, args...)...)
		var all []struct{ Of, Verdict string }
		if err := json.Unmarshal([]byte(out), &all); err != nil {
			t.Fatalf("%v: %s", err, out)
		}
		found := map[string]string{}
		for _, d := range all {
			if found[d.Of] != "wrong" {
				found[d.Of] = d.Verdict
			}
		}
		return found
	}
	for _, c := range []struct {
		args []string
		want map[string]string
	}{
		{[]string{"--backup-dir", backups}, map[string]string{"database": "good", "jobs": "good", "rights": "good", "backups": "look"}},
		{nil, map[string]string{"backups": "look"}},
		{[]string{"--listen", "0.0.0.0:80", "--backup-dir", dir, "--secret-key-file", key}, map[string]string{"address": "wrong", "backups": "wrong", "secret key": "wrong"}},
	} {
		got := examine(c.args...)
		for of, want := range c.want {
			if got[of] != want {
				t.Errorf("%v: %s is %q, want %q", c.args, of, got[of], want)
			}
		}
	}
	if out, _, status := keeper(t, "migrate", "--dry-run", "--data-dir", dir); status != 0 || !strings.Contains(out, "up to date") {
		t.Errorf("steps to be done: %d %s", status, out)
	}
}

// With a certificate of its own the service speaks TLS: its cookies are for that alone.
func TestTheServiceSpeaksTLS(t *testing.T) {
	t.Parallel()
	at := httptest.NewTLSServer(nil) // for its certificate
	at.Close()
	own := at.TLS.Certificates[0]
	key, err := x509.MarshalPKCS8PrivateKey(own.PrivateKey)
	if err != nil {
		t.Fatal(err)
	}
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	certFile, keyFile := filepath.Join(filepath.Dir(dir), "cert.pem"), filepath.Join(filepath.Dir(dir), "key.pem")
	err = errors.Join(os.WriteFile(certFile, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: own.Certificate[0]}), 0o600),
		os.WriteFile(keyFile, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: key}), 0o600))
	if err != nil {
		t.Fatal(err)
	}
	s, err := run.Serve(dir, "--tls-cert", certFile, "--tls-key", keyFile)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	if !strings.HasPrefix(s.URL, "https://") {
		t.Fatalf("it is at %s", s.URL)
	}
	roots := x509.NewCertPool()
	roots.AddCert(at.Certificate())
	caller := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: roots}}}
	c := &client.Client{Server: s.URL, HTTP: caller}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	req, err := http.NewRequestWithContext(t.Context(), "POST", s.URL+"/api/v1/session", strings.NewReader(`{"name": "reader", "password": "`+demo.Password+`"}`))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Origin", s.URL)
	res, err := caller.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	cookies := res.Cookies()
	if len(cookies) == 0 || !strings.HasPrefix(cookies[0].Name, "__Host-") || !cookies[0].Secure || res.Header.Get("Strict-Transport-Security") == "" {
		t.Errorf("%s, with %v", res.Status, cookies)
	}
}

// A machine is lost: out of the archive the library comes back as it was at any time, held, and
// nobody is signed in.
func TestALibraryComesBackOutOfItsArchive(t *testing.T) {
	t.Parallel()
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	archive := filepath.Join(filepath.Dir(dir), "archive")
	s, err := run.Serve(dir, "--demo", "--archive-dir", archive)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Kill() }) // unless it was already
	for end := time.Now().Add(30 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		if all, err := pgserver.Copies(archive); err != nil || len(all) == 1 {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("no copy is made:\n%s", s.Log())
		}
	}
	c := signedIn(t, s.URL, "curator")
	say := func(text string) {
		t.Helper()
		if _, err := c.AddComment(t.Context(), spokenOf, api.NewComment{Text: text}); err != nil {
			t.Fatal(err)
		}
	}
	say("Before the accident.")
	time.Sleep(1100 * time.Millisecond)
	until := time.Now().UTC().Format(time.RFC3339)
	say("The accident.")
	pg, runs := pgserver.Running(dir)
	if !runs {
		t.Fatal("there is no database server")
	}
	conn, err := pgx.Connect(t.Context(), pg.URL("goldshelf"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := conn.Exec(t.Context(), "select pg_switch_wal()"); err != nil {
		t.Fatal(err)
	}
	if err := conn.Close(t.Context()); err != nil {
		t.Fatal(err)
	}
	time.Sleep(time.Second) // it is handed over
	if err := s.Stop(); err != nil {
		t.Fatal(err)
	}

	again, key := filepath.Join(filepath.Dir(dir), "again"), filepath.Join(dir, "backup-key")
	if _, errs, status := keeper(t, "restore", archive, "--until", until, "--data-dir", again); status != 1 || !strings.Contains(errs, "not trusted here") {
		t.Errorf("without a key: %d %s", status, errs)
	}
	if _, errs, status := keeper(t, "restore", archive, "--until", "2001-01-01T00:00:00Z", "--backup-key-file", key, "--data-dir", again); status != 1 || !strings.Contains(errs, "the oldest copy") {
		t.Errorf("too early: %d %s", status, errs)
	}
	if _, errs, status := keeper(t, "restore", archive, "--until", "yesterday", "--data-dir", again); status != 1 || !strings.Contains(errs, "write it as") {
		t.Errorf("no time: %d %s", status, errs)
	}
	if _, errs, status := keeper(t, "restore", archive, "--data-dir", dir); status != 1 || !strings.Contains(errs, "already") {
		t.Errorf("over a library: %d %s", status, errs)
	}
	if out, errs, status := keeper(t, "restore", archive, "--until", until, "--backup-key-file", key, "--data-dir", again); status != 0 || !strings.Contains(out, "its last change is of") {
		t.Fatalf("restore: %d %s%s", status, out, errs)
	}
	restored, err := run.Serve(again)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := restored.Stop(); err != nil {
			t.Error(err)
		}
	})
	c.Server = restored.URL
	if _, err := c.Session(t.Context()); client.Status(err) != 401 {
		t.Errorf("a sign-in from before is good: %v", err)
	}
	c = signedIn(t, restored.URL, "curator")
	there, err := c.Comments(t.Context(), spokenOf, 0)
	if text := fmt.Sprint(there); err != nil || !strings.Contains(text, "Before the accident.") || strings.Contains(text, "The accident.") {
		t.Errorf("it is not as it was then: %s, %v", text, err)
	}
	if lib, _, err := c.Library(t.Context()); err != nil || lib.HeldSince == nil {
		t.Errorf("it is not held: %+v, %v", lib, err)
	}
	if v, err := c.VerifyAudit(t.Context(), ""); err != nil || v.Broken != 0 {
		t.Errorf("the record is %+v, %v", v, err)
	}
}

package pgserver

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// asService is set in the processes that these tests start to be a service.
const asService = "PGSERVER_TEST_DIR"

// TestMain is a service when asked to be one: it starts a server, says so, and
// stops when its input closes, unless it is killed before.
func TestMain(m *testing.M) {
	dir := os.Getenv(asService)
	if dir == "" {
		os.Exit(m.Run())
	}
	s, err := Start(context.Background(), dir, Options{Hasty: true})
	if err != nil {
		fmt.Println("failed", err)
		os.Exit(1)
	}
	fmt.Println("ready", s.PID())
	_, _ = io.Copy(io.Discard, os.Stdin)
	if err := s.Stop(); err != nil {
		fmt.Println("failed", err)
		os.Exit(1)
	}
	os.Exit(0)
}

// newDir is a directory that the postgres account can reach; those of
// t.TempDir are closed to others.
func newDir(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("/tmp", "pgserver-test-")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

func start(t *testing.T, dir string) *Server {
	t.Helper()
	s, err := Start(t.Context(), dir, Options{Hasty: true})
	if err != nil {
		t.Fatalf("start: %v", err)
	}
	return s
}

func stop(t *testing.T, s *Server) {
	t.Helper()
	if err := s.Stop(); err != nil {
		t.Fatalf("stop: %v", err)
	}
	if alive(s.PID()) {
		t.Errorf("the server, process %d, is still there", s.PID())
	}
}

func exec1(t *testing.T, s *Server, sql string) string {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), s.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.WithoutCancel(t.Context()))
	var got string
	if err := conn.QueryRow(t.Context(), sql).Scan(&got); err != nil && err != pgx.ErrNoRows {
		t.Fatalf("%s: %v", sql, err)
	}
	return got
}

func TestStartStopStart(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(newDir(t), "data")
	s := start(t, dir)
	for range 2 { // the second time it is there already
		if err := s.EnsureDatabase(t.Context(), "shelf"); err != nil {
			t.Fatal(err)
		}
	}
	if got := exec1(t, s, "select count(*)::text from pg_database where datname = 'shelf'"); got != "1" {
		t.Errorf("got %s databases, want 1", got)
	}
	if got := exec1(t, s, "select setting from pg_settings where name = 'listen_addresses'"); got != "127.0.0.1" {
		t.Errorf("listens on %q", got)
	}
	info, err := os.Stat(filepath.Join(dir, "password"))
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the password's file has mode %v, %v; want 0600", info.Mode(), err)
	}

	if _, err := Start(t.Context(), dir, Options{}); err == nil || !strings.Contains(err.Error(), fmt.Sprintf("another Gold Shelf (process %d)", os.Getpid())) {
		t.Errorf("a second service on the same directory: got %v", err)
	}
	stop(t, s)

	again := start(t, dir)
	defer stop(t, again)
	if got := exec1(t, again, "select count(*)::text from pg_database where datname = 'shelf'"); got != "1" {
		t.Errorf("after a restart: got %s databases, want 1", got)
	}
}

// service runs this test binary as a service, as another account if one is given.
func service(t *testing.T, dir string, account *syscall.Credential) (*exec.Cmd, io.Closer, string) {
	t.Helper()
	cmd := exec.Command(os.Args[0])
	if account != nil {
		cmd = exec.Command(copyOf(t, os.Args[0]))
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: account}
		cmd.Dir = "/"
	}
	cmd.Env = append(os.Environ(), asService+"="+dir)
	in, err := cmd.StdinPipe()
	if err != nil {
		t.Fatal(err)
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil || !strings.HasPrefix(line, "ready ") {
		t.Fatalf("the service said %q, %v", line, err)
	}
	return cmd, in, strings.TrimSpace(strings.TrimPrefix(line, "ready "))
}

func copyOf(t *testing.T, path string) string {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	to := filepath.Join(newDir(t), "service")
	if err := os.WriteFile(to, data, 0o755); err != nil {
		t.Fatal(err)
	}
	return to
}

func TestAfterAKilledService(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(newDir(t), "data")
	cmd, _, pid := service(t, dir, nil)
	password, err := os.ReadFile(filepath.Join(dir, "password"))
	if err != nil {
		t.Fatal(err)
	}
	_, port, ok := readPIDFile(filepath.Join(dir, "cluster", "postmaster.pid"))
	if !ok {
		t.Fatal("no postmaster.pid")
	}
	there := &Server{password: strings.TrimSpace(string(password)), port: port}
	exec1(t, there, "create table kept as select 'still here'::text as what")
	if err := cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = cmd.Wait()

	s := start(t, dir)
	if got := fmt.Sprint(s.PID()); got != pid {
		t.Errorf("process %s runs, want the one left behind, %s", got, pid)
	}
	if got := exec1(t, s, "select what from kept"); got != "still here" {
		t.Errorf("got %q from before the kill", got)
	}
	stop(t, s)

	// Both killed: PostgreSQL's file of its process id is a stale one.
	s = start(t, dir)
	if err := syscall.Kill(s.PID(), syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	<-s.exited
	s.lock.Close()
	s = start(t, dir)
	defer stop(t, s)
	if got := exec1(t, s, "select what from kept"); got != "still here" {
		t.Errorf("got %q after PostgreSQL was killed", got)
	}
}

func TestAsAnOrdinaryUser(t *testing.T) {
	t.Parallel()
	if os.Geteuid() != 0 {
		return // every other test runs as one
	}
	nobody := &syscall.Credential{Uid: 65534, Gid: 65534}
	dir := newDir(t)
	if err := os.Chown(dir, 65534, 65534); err != nil {
		t.Fatal(err)
	}
	cmd, in, _ := service(t, filepath.Join(dir, "data"), nobody)
	in.Close()
	if err := cmd.Wait(); err != nil {
		t.Errorf("the service ended with %v", err)
	}
	info, err := os.Stat(filepath.Join(dir, "data", "cluster"))
	if err != nil || info.Sys().(*syscall.Stat_t).Uid != 65534 {
		t.Errorf("the cluster belongs to %+v, %v; want its user", info, err)
	}
}

// pretend makes a folder of binaries whose initdb does what script says.
func pretend(t *testing.T, script string) string {
	t.Helper()
	root := newDir(t)
	bin := filepath.Join(root, "15", "bin")
	if err := os.MkdirAll(bin, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(bin, "initdb"), []byte("#!/bin/sh\n"+script+"\n"), 0o755); err != nil {
		t.Fatal(err)
	}
	return root
}

func TestClearMessages(t *testing.T) {
	t.Parallel()
	blocked := filepath.Join(newDir(t), "file")
	if err := os.WriteFile(blocked, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	old := newDir(t)
	if err := os.MkdirAll(filepath.Join(old, "cluster"), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(old, "cluster", "PG_VERSION"), []byte("9\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	tests := []struct{ name, dir, binaries, want string }{
		{"no binaries", newDir(t), newDir(t), "install Debian's package postgresql"},
		{"another major version", old, "", "was made by PostgreSQL 9, and only "},
		{"a full disk", newDir(t), pretend(t, `echo "initdb: error: could not write: No space left on device"; exit 1`), "the disk is full; free some space"},
		{"a read-only disk", newDir(t), pretend(t, `echo "initdb: error: could not create: Read-only file system"; exit 1`), "the disk is read-only; make it writable"},
		{"another fault", newDir(t), pretend(t, `echo "initdb: error: no such moon"; exit 1`), "it printed: initdb: error: no such moon"},
		{"a file in the way", filepath.Join(blocked, "data"), "", "make the data directory"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			s, err := Start(t.Context(), tt.dir, Options{Binaries: tt.binaries})
			if err == nil {
				stop(t, s)
			}
			if err == nil || !strings.Contains(err.Error(), tt.want) {
				t.Fatalf("got %v, want %q", err, tt.want)
			}
			if _, err := os.Stat(filepath.Join(tt.dir, "cluster.new")); err == nil {
				t.Error("half a cluster was left behind")
			}
		})
	}
	if err := diskError("write", &os.PathError{Err: syscall.EROFS}); !strings.Contains(err.Error(), "read-only") {
		t.Errorf("EROFS: got %v", err)
	}
	if err := diskError("write", &os.PathError{Err: syscall.ENOSPC}); !strings.Contains(err.Error(), "full") {
		t.Errorf("ENOSPC: got %v", err)
	}
}

func TestRootIsToldWherePostgresCannotGo(t *testing.T) {
	t.Parallel()
	if os.Geteuid() != 0 {
		return // an ordinary user runs PostgreSQL as itself
	}
	closed := newDir(t)
	if err := os.Chmod(closed, 0o700); err != nil {
		t.Fatal(err)
	}
	_, err := Start(t.Context(), filepath.Join(closed, "data"), Options{})
	if err == nil || !strings.Contains(err.Error(), "cannot pass through "+closed) {
		t.Errorf("got %v", err)
	}
}

// A server that dies is started again on its port; one that cannot be is given up, with
// what its log says.
func TestWatchStartsItAgain(t *testing.T) {
	t.Parallel()
	dir := newDir(t)
	s := start(t, dir)
	s.pause = 10 * time.Millisecond
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- s.Watch(ctx) }()
	before := s.PID()
	if err := syscall.Kill(before, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(30 * time.Second); s.PID() == before || s.ping(ctx) != nil; time.Sleep(20 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatal("it was not started again")
		}
	}
	time.Sleep(500 * time.Millisecond) // whoever starts it has seen that it answers, too
	cancel()
	if err := <-ended; err != nil {
		t.Errorf("told to end, it ended with %v", err)
	}

	// What it needs is gone: it gives up.
	global := filepath.Join(s.cluster(), "global")
	if err := os.Rename(global, global+".away"); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(s.PID(), syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	err := s.Watch(t.Context())
	if err == nil || !strings.Contains(err.Error(), "ended 6 times in a row") {
		t.Errorf("it ended with %v", err)
	}
	if err := s.lock.Close(); err != nil {
		t.Error(err)
	}
}

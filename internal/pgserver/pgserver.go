// Package pgserver runs a private PostgreSQL server from Debian's binaries: one
// cluster in a data directory, on loopback only, with a password that nothing
// but that directory holds. It knows nothing of what is stored there.
package pgserver

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Debian is where Debian's packages put each major version's programs.
const Debian = "/usr/lib/postgresql"

const (
	superuser   = "goldshelf"
	readyWithin = 30 * time.Second
	stopWithin  = 30 * time.Second

	recoveredWithin = 6 * time.Hour // of a long log
)

// Options say how to run a server. The zero Options are right for a service.
type Options struct {
	Binaries string       // where the major versions' programs are; empty is [Debian]
	Hasty    bool         // give up safety against power cuts; for tests only
	Log      *slog.Logger // what is being done; nil is silent
	Handover Handover     // of the log of all that is written

	recover []string // arguments of a server that reads an archive first
}

// Server is a running server. Whoever started it stops it.
type Server struct {
	dir      string // holds the cluster, its password, its log and the lock
	opts     Options
	account  *syscall.Credential // whom the programs run as; nil is the caller
	lock     *os.File
	password string
	port     int
	pid      int
	exited   chan struct{} // closed when the server has ended; nil if it was taken over

	pause time.Duration // after a first failure to start it again

	mu sync.Mutex // guards pid and exited, which change when it is started again
}

// Start runs the cluster in dir, which it makes where there is none. A server
// that a killed service left behind is taken over, or stopped if it does not
// answer. The errors say what to do: the programs are missing, another service
// uses dir, dir was made by another major version, the disk is full or read-only.
func Start(ctx context.Context, dir string, opts Options) (*Server, error) {
	if opts.Binaries == "" {
		opts.Binaries = Debian
	}
	if opts.Log == nil {
		opts.Log = slog.New(slog.DiscardHandler)
	}
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	s := &Server{dir: dir, opts: opts, pause: firstPause}
	if s.account, err = accountFor(os.Geteuid()); err != nil {
		return nil, err
	}
	if err := s.prepareDir(); err != nil {
		return nil, err
	}
	if err := s.takeLock(); err != nil {
		return nil, err
	}
	if err := s.start(ctx); err != nil {
		s.lock.Close()
		return nil, err
	}
	return s, nil
}

// Running gives the server that another process runs in dir, if one does. It is
// that process's: it is not to be stopped.
func Running(dir string) (*Server, bool) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, false
	}
	s := &Server{dir: dir, opts: Options{Binaries: Debian, Log: slog.New(slog.DiscardHandler)}}
	if s.account, err = accountFor(os.Geteuid()); err != nil {
		return nil, false
	}
	pid, port, ok := readPIDFile(filepath.Join(s.cluster(), "postmaster.pid"))
	if !ok || !runs(pid, s.cluster()) {
		return nil, false
	}
	password, err := os.ReadFile(filepath.Join(s.dir, "password"))
	s.pid, s.port, s.password = pid, port, strings.TrimSpace(string(password))
	return s, err == nil
}

// Exists says whether there is a cluster in dir.
func Exists(dir string) bool {
	_, err := os.Stat(filepath.Join(dir, "cluster"))
	return err == nil
}

// Remove takes the cluster in dir away, with all that is in it. Nobody may run it.
func Remove(dir string) error {
	var all []error
	for _, name := range []string{"cluster", "cluster.new", "password", "postgres.log", "lock", logFolder, handover} {
		all = append(all, os.RemoveAll(filepath.Join(dir, name)))
	}
	return errors.Join(all...)
}

// URL is how to connect to one of the server's databases as its owner.
func (s *Server) URL(database string) string { return s.URLAs(superuser, s.password, database) }

// URLAs is URL for another role.
func (s *Server) URLAs(role, password, database string) string {
	u := url.URL{
		Scheme: "postgres", User: url.UserPassword(role, password),
		Host: net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)), Path: database,
		RawQuery: "sslmode=disable",
	}
	return u.String()
}

// PID is the process id of the server.
func (s *Server) PID() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.pid
}

// EnsureDatabase makes a database where there is none of that name.
func (s *Server) EnsureDatabase(ctx context.Context, name string) error {
	conn, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return fmt.Errorf("connect to make the database %s: %w", name, err)
	}
	defer conn.Close(ctx)
	var there bool
	if err := conn.QueryRow(ctx, `select exists (select from pg_database where datname = $1)`, name).Scan(&there); err != nil || there {
		return err
	}
	_, err = conn.Exec(ctx, "create database "+pgx.Identifier{name}.Sanitize())
	return err
}

// Stop ends the server, letting go of its clients, and frees the directory.
func (s *Server) Stop() error {
	defer s.lock.Close()
	return s.end(syscall.SIGINT)
}

// end signals the server and waits until it is gone.
func (s *Server) end(sig syscall.Signal) error {
	if err := syscall.Kill(s.pid, sig); err != nil && !errors.Is(err, syscall.ESRCH) {
		return fmt.Errorf("stop PostgreSQL (process %d): %w", s.pid, err)
	}
	deadline := time.After(stopWithin)
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case <-s.exited: // never, for a server that was taken over
			return nil
		case <-tick.C:
			if s.exited == nil && !alive(s.pid) {
				return nil
			}
		case <-deadline:
			return fmt.Errorf("PostgreSQL (process %d) did not stop within %s; its log is %s", s.pid, stopWithin, s.logFile())
		}
	}
}

func (s *Server) cluster() string { return filepath.Join(s.dir, "cluster") }
func (s *Server) logFile() string { return filepath.Join(s.dir, "postgres.log") }

// prepareDir makes the data directory and sees that the account that runs the
// programs can reach it.
func (s *Server) prepareDir() error {
	mode := os.FileMode(0o700)
	if s.account != nil {
		mode = 0o711 // the postgres account passes through, and lists nothing
	}
	if err := os.MkdirAll(s.dir, mode); err != nil {
		return diskError("make the data directory "+s.dir, err)
	}
	if s.account == nil {
		return nil
	}
	for at := filepath.Dir(s.dir); ; at = filepath.Dir(at) {
		info, err := os.Stat(at)
		if err != nil {
			return fmt.Errorf("look at %s: %w", at, err)
		}
		if info.Mode().Perm()&0o001 == 0 {
			return fmt.Errorf("PostgreSQL runs as the account postgres, which cannot pass through %s to the data directory %s; choose a --data-dir elsewhere, such as /var/lib/goldshelf", at, s.dir)
		}
		if at == filepath.Dir(at) {
			return nil
		}
	}
}

// takeLock keeps a second service off the directory for as long as this one
// lives, however it ends.
func (s *Server) takeLock() error {
	path := filepath.Join(s.dir, "lock")
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return diskError("open "+path, err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		holder, _ := os.ReadFile(path)
		f.Close()
		return fmt.Errorf("another Gold Shelf (process %s) is using the data directory %s; stop it first, or choose another --data-dir", strings.TrimSpace(string(holder)), s.dir)
	}
	if err := f.Truncate(0); err != nil {
		f.Close()
		return diskError("write "+path, err)
	}
	if _, err := fmt.Fprintln(f, os.Getpid()); err != nil {
		f.Close()
		return diskError("write "+path, err)
	}
	s.lock = f
	return nil
}

func (s *Server) start(ctx context.Context) error {
	bin, err := s.binaries()
	if err != nil {
		return err
	}
	if err := s.ensureCluster(ctx, bin); err != nil {
		return err
	}
	password, err := os.ReadFile(filepath.Join(s.dir, "password"))
	if err != nil {
		return fmt.Errorf("read the database's password: %w", err)
	}
	s.password = strings.TrimSpace(string(password))
	if taken, err := s.takeOver(ctx); taken || err != nil {
		return err
	}
	return s.launch(ctx, bin)
}

// binaries gives the folder of the programs to use: of the major version that
// made the cluster, or else of the newest that is installed.
func (s *Server) binaries() (string, error) {
	found, _ := filepath.Glob(filepath.Join(s.opts.Binaries, "*", "bin", "initdb"))
	newest, newestBin := 0, ""
	var installed []string
	for _, path := range found {
		bin := filepath.Dir(path)
		major := filepath.Base(filepath.Dir(bin))
		n, err := strconv.Atoi(major)
		if err != nil {
			continue
		}
		installed = append(installed, major)
		if n > newest {
			newest, newestBin = n, bin
		}
	}
	if newestBin == "" {
		return "", fmt.Errorf("PostgreSQL is not installed: there is no initdb under %s; install Debian's package postgresql", s.opts.Binaries)
	}
	made, err := os.ReadFile(filepath.Join(s.cluster(), "PG_VERSION"))
	if errors.Is(err, os.ErrNotExist) {
		return newestBin, nil
	}
	if err != nil {
		return "", fmt.Errorf("read the cluster's version: %w", err)
	}
	major := strings.TrimSpace(string(made))
	bin := filepath.Join(s.opts.Binaries, major, "bin")
	if _, err := os.Stat(filepath.Join(bin, "postgres")); err != nil {
		return "", fmt.Errorf("the data directory %s was made by PostgreSQL %s, and only %s is installed; install postgresql-%s, or make a backup with it and restore that into a new data directory",
			s.dir, major, strings.Join(installed, ", "), major)
	}
	return bin, nil
}

// ClusterOptions say what a new cluster is like.
var ClusterOptions = []string{"-U", superuser, "--auth=scram-sha-256", "--encoding=UTF8", "--locale=C.UTF-8"}

// ensureCluster makes the cluster beside its place and moves it there when it
// is whole, so that a service killed meanwhile leaves nothing half-made.
func (s *Server) ensureCluster(ctx context.Context, bin string) error {
	if _, err := os.Stat(filepath.Join(s.cluster(), "PG_VERSION")); err == nil {
		return nil
	}
	s.opts.Log.Info("making a new database cluster", "dir", s.cluster())
	fresh := s.cluster() + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return diskError("clear "+fresh, err)
	}
	if err := os.Mkdir(fresh, 0o700); err != nil {
		return diskError("make "+fresh, err)
	}
	passwordFile := filepath.Join(s.dir, "password")
	once := filepath.Join(s.dir, "password.initdb")
	defer os.Remove(once)
	password := []byte(rand.Text() + "\n")
	for _, path := range []string{passwordFile, once} {
		if err := os.WriteFile(path, password, 0o600); err != nil {
			return diskError("write "+path, err)
		}
	}
	if err := s.giveAway(fresh, once); err != nil {
		return err
	}
	args := append([]string{"-D", fresh, "--pwfile=" + once, "--no-instructions"}, ClusterOptions...)
	if s.opts.Hasty {
		args = append(args, "--no-sync")
	}
	if out, err := s.command(ctx, filepath.Join(bin, "initdb"), args...).CombinedOutput(); err != nil {
		os.RemoveAll(fresh)
		return said("make the database cluster in "+s.dir, string(out), err)
	}
	return os.Rename(fresh, s.cluster())
}

// takeOver goes on with a server that an earlier service left running.
func (s *Server) takeOver(ctx context.Context) (bool, error) {
	pid, port, ok := readPIDFile(filepath.Join(s.cluster(), "postmaster.pid"))
	if !ok || !runs(pid, s.cluster()) {
		return false, nil
	}
	s.pid, s.port = pid, port
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	if err := s.ping(ctx); err == nil {
		s.opts.Log.Info("taking over the database server that an earlier service left running", "pid", pid)
		return true, nil
	}
	s.opts.Log.Warn("stopping a database server that an earlier service left running and that does not answer", "pid", pid)
	return false, s.end(syscall.SIGQUIT)
}

// launch runs the server on a free port and waits until it answers.
func (s *Server) launch(ctx context.Context, bin string) error {
	if err := s.clearStale(); err != nil {
		return err
	}
	var err error
	for range 20 { // the port is free when we look, and may not be a moment later
		if s.port, err = freePort(); err != nil {
			return err
		}
		var busy bool
		if busy, err = s.launchOn(ctx, bin); !busy {
			return err
		}
		time.Sleep(100 * time.Millisecond)
	}
	return err
}

// clearStale takes away what a server that was killed left of itself, where its
// parent has not noticed its end yet: PostgreSQL would take it for running.
func (s *Server) clearStale() error {
	path := filepath.Join(s.cluster(), "postmaster.pid")
	pid, _, ok := readPIDFile(path)
	if !ok || alive(pid) {
		return nil
	}
	if err := os.Remove(path); err != nil && !errors.Is(err, os.ErrNotExist) {
		return diskError("remove "+path, err)
	}
	return nil
}

func (s *Server) launchOn(ctx context.Context, bin string) (portBusy bool, err error) {
	if err := s.shortenLog(); err != nil {
		return false, err
	}
	log, err := os.OpenFile(s.logFile(), os.O_RDWR|os.O_CREATE|os.O_APPEND, 0o600)
	if err != nil {
		return false, diskError("open "+s.logFile(), err)
	}
	defer log.Close()
	before, err := log.Seek(0, 2)
	if err != nil {
		return false, err
	}
	args := []string{"-D", s.cluster(), "-p", strconv.Itoa(s.port),
		"-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=", "-c", "jit=off",
		"-c", "log_min_messages=warning", "-c", "log_checkpoints=off"}
	args = append(args, s.opts.recover...)
	archiving, err := s.archiving()
	if err != nil {
		return false, err
	}
	args = append(args, archiving...)
	if s.opts.Hasty {
		args = append(args, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off")
	}
	cmd := s.command(context.WithoutCancel(ctx), filepath.Join(bin, "postgres"), args...)
	cmd.Stdout, cmd.Stderr = log, log
	if err := cmd.Start(); err != nil {
		return false, fmt.Errorf("start PostgreSQL: %w", err)
	}
	exited := make(chan struct{})
	s.mu.Lock()
	s.pid, s.exited = cmd.Process.Pid, exited
	s.mu.Unlock()
	go func() {
		_ = cmd.Wait() // its log says more than its status
		close(exited)
	}()
	within := readyWithin
	if s.opts.recover != nil {
		within = recoveredWithin
	}
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	for {
		if s.ping(ctx) == nil {
			return false, nil
		}
		select {
		case <-s.exited:
			text := readFrom(s.logFile(), before)
			// Processes of a server that was killed take a moment to notice.
			busy := strings.Contains(text, "could not create any TCP/IP sockets") || strings.Contains(text, "pre-existing shared memory block")
			return busy, said("start PostgreSQL on "+s.dir, text, errors.New("it ended at once"))
		case <-ctx.Done():
			return false, errors.Join(fmt.Errorf("PostgreSQL did not answer within %s; its log is %s", readyWithin, s.logFile()), s.end(syscall.SIGQUIT))
		case <-time.After(15 * time.Millisecond):
		}
	}
}

// mostLog is how much of the server's log is kept when it is started, in bytes.
const mostLog = 4 << 20

// shortenLog puts a long log aside, in the place of the one before.
func (s *Server) shortenLog() error {
	info, err := os.Stat(s.logFile())
	if err != nil || info.Size() < mostLog {
		return nil
	}
	if err := os.Rename(s.logFile(), s.logFile()+".old"); err != nil {
		return diskError("put the log aside", err)
	}
	return nil
}

func (s *Server) ping(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return err
	}
	return conn.Close(ctx)
}

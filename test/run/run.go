// Package run starts the built programs, for whole-service tests, benchmarks
// and pictures.
package run

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"goldshelf/internal/testdb"
)

// Program gives the path of a built program.
func Program(name string) (string, error) {
	sources, err := repository()
	if err != nil {
		return "", err
	}
	path := filepath.Join(sources, "bin", name)
	if _, err := os.Stat(path); err != nil {
		return "", fmt.Errorf("%s is not built: run make build first", name)
	}
	return path, nil
}

// repository is the directory of the sources: a test stands in its package's folder, a
// benchmark at the top.
func repository() (string, error) {
	here, err := os.Getwd()
	if err != nil {
		return "", err
	}
	for dir := here; ; dir = filepath.Dir(dir) {
		if _, err := os.Stat(filepath.Join(dir, "go.mod")); err == nil {
			return dir, nil
		}
		if dir == filepath.Dir(dir) {
			return "", errors.New(here + " is not in the repository")
		}
	}
}

// Dir makes a data directory that the postgres account can reach, in memory if possible.
func Dir() (dir string, remove func(), err error) {
	root, err := testdb.Dir("goldshelf-run-")
	return filepath.Join(root, "data"), func() { os.RemoveAll(root) }, err
}

// DiskDir is Dir on a disk, for what is measured there.
func DiskDir() (dir string, remove func(), err error) {
	root, err := os.MkdirTemp("/tmp", "goldshelf-run-")
	if err == nil {
		err = os.Chmod(root, 0o755)
	}
	return filepath.Join(root, "data"), func() { os.RemoveAll(root) }, err
}

// Copy makes a data directory like another one, whose service has stopped.
func Copy(of string) (dir string, remove func(), err error) {
	dir, remove, err = Dir()
	if err != nil {
		return "", nil, err
	}
	if err := testdb.CopyDir(of, dir); err != nil {
		remove()
		return "", nil, err
	}
	return dir, remove, nil
}

// Service is a running goldshelfd.
type Service struct {
	URL string
	cmd *exec.Cmd
	log *logbook
}

// Serve runs goldshelfd on a free port until it is ready. Extra arguments go
// to its serve command.
func Serve(dir string, extra ...string) (*Service, error) { return ServeWithin(dir, "true", extra...) }

// ServeWithin is Serve in a shell that has set limits first, as with "ulimit -n 64".
func ServeWithin(dir, limits string, extra ...string) (*Service, error) {
	program, err := Program("goldshelfd")
	if err != nil {
		return nil, err
	}
	return serve(program, dir, limits, extra)
}

// ServeProgram is Serve of another build of goldshelfd.
func ServeProgram(program, dir string, extra ...string) (*Service, error) {
	return serve(program, dir, "true", extra)
}

func serve(program, dir, limits string, extra []string) (*Service, error) {
	shell := []string{"-c", limits + ` && exec "$0" "$@"`, program, "serve", "--listen", "127.0.0.1:0", "--data-dir", dir}
	s := &Service{cmd: exec.Command("sh", append(shell, extra...)...), log: &logbook{}}
	s.cmd.Stderr = s.log
	out, err := s.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := s.cmd.Start(); err != nil {
		return nil, err
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	url, ready := strings.CutPrefix(strings.TrimSpace(line), "ready ")
	if err != nil || !ready {
		return nil, errors.Join(s.cmd.Wait(), fmt.Errorf("goldshelfd said %q and logged:\n%s", line, s.log))
	}
	s.URL = url
	return s, nil
}

// PID is the service's process id.
func (s *Service) PID() int { return s.cmd.Process.Pid }

// Log is what the service has logged so far.
func (s *Service) Log() string { return s.log.String() }

// Stop asks the service to end, and waits for it.
func (s *Service) Stop() error {
	if err := s.cmd.Process.Signal(syscall.SIGTERM); err != nil {
		return err
	}
	ended := make(chan error, 1)
	go func() { ended <- s.cmd.Wait() }()
	select {
	case err := <-ended:
		return err
	case <-time.After(90 * time.Second):
		return errors.Join(errors.New("goldshelfd did not stop within 90 s"), s.Kill())
	}
}

// Kill ends the service as a power cut would.
func (s *Service) Kill() error {
	if err := s.cmd.Process.Kill(); err != nil {
		return err
	}
	_ = s.cmd.Wait() // it was killed
	return nil
}

// logbook gathers what a process writes while others read it.
type logbook struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *logbook) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *logbook) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

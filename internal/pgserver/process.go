package pgserver

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"strconv"
	"strings"
	"syscall"
)

// accountFor gives whom to run PostgreSQL as: it refuses to run as root, so
// root runs it as the account that Debian's package makes.
func accountFor(uid int) (*syscall.Credential, error) {
	if uid != 0 {
		return nil, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, errors.New("there is no account postgres to run PostgreSQL as; install Debian's package postgresql, which makes it")
	}
	id, err := strconv.ParseUint(u.Uid, 10, 32)
	if err != nil {
		return nil, fmt.Errorf("the account postgres has the id %q: %w", u.Uid, err)
	}
	gid, err := strconv.ParseUint(u.Gid, 10, 32)
	if err != nil {
		return nil, fmt.Errorf("the account postgres has the group %q: %w", u.Gid, err)
	}
	return &syscall.Credential{Uid: uint32(id), Gid: uint32(gid)}, nil
}

// command prepares one of PostgreSQL's programs: as the right account, in a
// process group of its own so that Ctrl-C reaches the service alone, and with
// messages in English, which we read.
func (s *Server) command(ctx context.Context, path string, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(ctx, path, args...)
	cmd.Dir = "/"
	cmd.Env = []string{"PATH=/usr/bin:/bin", "LC_ALL=C.UTF-8", "TZ=UTC"}
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Credential: s.account}
	return cmd
}

// giveAway hands files to the account that runs the programs.
func (s *Server) giveAway(paths ...string) error {
	if s.account == nil {
		return nil
	}
	for _, path := range paths {
		if err := os.Chown(path, int(s.account.Uid), int(s.account.Gid)); err != nil {
			return fmt.Errorf("hand %s to the account postgres: %w", path, err)
		}
	}
	return nil
}

// readPIDFile reads what a running server says of itself: its process id on
// the first line, its port on the fourth.
func readPIDFile(path string) (pid, port int, ok bool) {
	data, err := os.ReadFile(path)
	if err != nil {
		return 0, 0, false
	}
	lines := strings.Split(string(data), "\n")
	if len(lines) < 4 {
		return 0, 0, false
	}
	pid, err1 := strconv.Atoi(strings.TrimSpace(lines[0]))
	port, err2 := strconv.Atoi(strings.TrimSpace(lines[3]))
	return pid, port, err1 == nil && err2 == nil && pid > 0
}

// runs says whether process pid is a PostgreSQL server on this cluster, and
// not another program that has its number now.
func runs(pid int, cluster string) bool {
	line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	return err == nil && strings.Contains(string(line), "postgres") && strings.Contains(string(line), cluster)
}

func alive(pid int) bool {
	stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return false
	}
	_, after, _ := strings.Cut(string(stat), ") ")
	return !strings.HasPrefix(after, "Z") // ended, and its parent has not looked yet
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("find a free port for PostgreSQL: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// said makes an error of what a program printed, and of what to do about it
// where the cause is known.
func said(doing, printed string, err error) error {
	switch {
	case strings.Contains(printed, "No space left on device"), strings.Contains(printed, "Disk quota exceeded"):
		return diskFull(doing)
	case strings.Contains(printed, "Read-only file system"):
		return readOnly(doing)
	}
	lines := strings.Split(strings.TrimSpace(printed), "\n")
	return fmt.Errorf("%s: %w; it printed: %s", doing, err, strings.Join(lines[max(0, len(lines)-4):], " / "))
}

// diskError is said for an error of the operating system.
func diskError(doing string, err error) error {
	switch {
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return diskFull(doing)
	case errors.Is(err, syscall.EROFS):
		return readOnly(doing)
	case errors.Is(err, os.ErrPermission):
		return fmt.Errorf("%s: %w; choose a --data-dir that you may write to", doing, err)
	}
	return fmt.Errorf("%s: %w", doing, err)
}

func diskFull(doing string) error {
	return fmt.Errorf("%s: the disk is full; free some space and start again", doing)
}

func readOnly(doing string) error {
	return fmt.Errorf("%s: the disk is read-only; make it writable, or choose another --data-dir", doing)
}

func readFrom(path string, offset int64) string {
	data, err := os.ReadFile(path)
	if err != nil || int64(len(data)) < offset {
		return ""
	}
	return string(data[offset:])
}

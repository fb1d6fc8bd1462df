package testdb

import (
	"fmt"
	"os"
	"os/exec"
	"syscall"
)

const (
	memory     = "/dev/shm"
	enoughRoom = 8 << 30 // bytes
)

// Dir makes a directory that the postgres account can pass through, in memory where there is
// enough of it: a database of a test's own is there ten times as soon. Who makes it removes
// it. What is measured on a disk has no place in it.
func Dir(pattern string) (string, error) {
	var room syscall.Statfs_t
	in := "/tmp"
	if syscall.Statfs(memory, &room) == nil && room.Bavail*uint64(room.Bsize) >= enoughRoom {
		in = memory
	}
	dir, err := os.MkdirTemp(in, pattern)
	if err != nil {
		return "", err
	}
	return dir, os.Chmod(dir, 0o755)
}

// CopyDir copies a directory, with what its files are allowed and whose they are.
func CopyDir(from, to string) error {
	if out, err := exec.Command("cp", "-a", from, to).CombinedOutput(); err != nil {
		return fmt.Errorf("copy %s: %w: %s", from, err, out)
	}
	return nil
}

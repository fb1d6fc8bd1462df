package pgserver

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
)

// Copy makes a data directory in which another server may be started, with all that this one
// has, while it goes on. One that follows it is only read, and gets all that is written here,
// until it is promoted.
func (s *Server) Copy(ctx context.Context, dir string, follow bool) error {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return err
	}
	to := &Server{dir: dir, opts: s.opts, account: s.account}
	if err := to.prepareDir(); err != nil {
		return err
	}
	if Exists(dir) {
		return fmt.Errorf("there is a cluster in %s already; choose another directory", dir)
	}
	bin, err := s.binaries()
	if err != nil {
		return err
	}
	fresh := to.cluster() + ".new"
	if err := errors.Join(os.RemoveAll(fresh), os.Mkdir(fresh, 0o700)); err != nil {
		return diskError("make "+fresh, err)
	}
	if err := to.giveAway(fresh); err != nil {
		return err
	}
	args := []string{"--pgdata=" + fresh, "--checkpoint=fast", "--wal-method=stream",
		"--host=127.0.0.1", "--port=" + strconv.Itoa(s.port), "--username=" + superuser, "--no-password"}
	if follow {
		args = append(args, "--write-recovery-conf")
	}
	cmd := s.command(ctx, filepath.Join(bin, "pg_basebackup"), args...)
	cmd.Env = append(cmd.Env, "PGPASSWORD="+s.password) // everybody on the machine sees arguments
	if out, err := cmd.CombinedOutput(); err != nil {
		return errors.Join(said("copy the database cluster into "+dir, string(out), err), os.RemoveAll(fresh))
	}
	if err := os.WriteFile(filepath.Join(dir, "password"), []byte(s.password+"\n"), 0o600); err != nil {
		return diskError("keep the password in "+dir, err)
	}
	return os.Rename(fresh, to.cluster())
}

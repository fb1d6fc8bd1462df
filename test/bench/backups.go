package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"github.com/jackc/pgx/v5"

	"goldshelf/internal/backup"
	"goldshelf/internal/pgserver"
	"goldshelf/internal/signing"
	"goldshelf/internal/testdb"
)

// backupFigures measures a backup and a restore of a large library beside what PostgreSQL's own
// programs take for the same.
func backupFigures(ctx context.Context) (figures []figure, err error) {
	_, of, stop, err := servedDemo()
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, stop()) }()
	url := of("goldshelf")
	files, err := os.MkdirTemp("/tmp", "goldshelf-bench-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(files)
	fmt.Printf("Filling the library up to %d entries …\n", largest)
	if err := testdb.Large(ctx, url, 0, largest, entryBytes); err != nil {
		return nil, err
	}
	plain, file := filepath.Join(files, "plain.dump"), filepath.Join(files, "library.zip")
	bin := filepath.Join(pgserver.Debian, "15", "bin")
	own := func(program string, args ...string) (time.Duration, error) {
		began := time.Now()
		out, err := exec.CommandContext(ctx, filepath.Join(bin, program), args...).CombinedOutput()
		if err != nil {
			return 0, fmt.Errorf("%s: %w: %s", program, err, out)
		}
		return time.Since(began), nil
	}
	timed := func(do func() error) (time.Duration, error) {
		began := time.Now()
		err := do()
		return time.Since(began), err
	}
	dumped, err := own("pg_dump", "--format=custom", "--no-owner", "--no-privileges", "--file="+plain, url)
	if err != nil {
		return nil, err
	}
	key, err := signing.Make(file + ".key")
	if err != nil {
		return nil, err
	}
	backed, err := timed(func() error {
		f, err := os.Create(file)
		if err != nil {
			return err
		}
		_, err = backup.Write(ctx, url, key, f)
		return errors.Join(err, f.Close())
	})
	if err != nil {
		return nil, err
	}
	// Each begins with the same: what the one before has left to be done is done or gone.
	settle := func() error {
		conn, err := pgx.Connect(ctx, of("postgres"))
		if err != nil {
			return err
		}
		for _, statement := range []string{"drop database if exists restored with (force)", "create database restored", "checkpoint"} {
			if _, err = conn.Exec(ctx, statement); err != nil {
				break
			}
		}
		return errors.Join(err, conn.Close(ctx))
	}
	// The best of each side: whatever else the machine does only adds to it.
	loaded, restored := time.Hour, time.Hour
	for range 3 {
		if err := settle(); err != nil {
			return nil, err
		}
		theirs, err := own("pg_restore", "--no-owner", "--no-privileges", "--jobs=2", "--dbname="+of("restored"), plain)
		if err != nil {
			return nil, err
		}
		if err := settle(); err != nil {
			return nil, err
		}
		ours, err := timed(func() error {
			a, err := backup.Open(file, key.Trusted())
			if err != nil {
				return err
			}
			return errors.Join(a.Restore(ctx, of("restored")), a.Close())
		})
		if err != nil {
			return nil, err
		}
		loaded, restored = min(loaded, theirs), min(restored, ours)
	}
	sec := func(d time.Duration) string { return fmt.Sprintf("%.1f s", d.Seconds()) }
	more := func(ours, theirs time.Duration) float64 { return 100 * (ours.Seconds()/theirs.Seconds() - 1) }
	return []figure{
		{"a backup of 100,000 entries", sec(backed), "60 s", backed < time.Minute},
		{"the same, beside pg_dump alone", fmt.Sprintf("%.0f %% more (%s, %s)", more(backed, dumped), sec(backed), sec(dumped)), "10 % more at most", more(backed, dumped) <= 10},
		{"its restore, beside pg_restore alone", fmt.Sprintf("%.0f %% more (%s, %s)", more(restored, loaded), sec(restored), sec(loaded)), "20 % more at most", more(restored, loaded) <= 20},
	}, nil
}

package backup

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"goldshelf/internal/store"
)

// Archive is a backup that was found to be whole. Whoever opens it closes it.
type Archive struct {
	Manifest
	file *zip.ReadCloser
	dump string // a file of its own, since pg_restore reads it from several places at once
}

// Open opens a backup, and reads it through: one that was cut short or changed, or that is of
// a newer program, is refused.
func Open(path string) (*Archive, error) {
	file, err := zip.OpenReader(path)
	if errors.Is(err, zip.ErrFormat) {
		return nil, fmt.Errorf("%s is no backup, or was cut short: it has no end", path)
	}
	if err != nil {
		return nil, err
	}
	a := &Archive{file: file}
	if err := a.read(); err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", path, err), a.Close())
	}
	return a, nil
}

// Close lets go of the file, and of what was unpacked of it.
func (a *Archive) Close() error {
	if a.dump != "" {
		return errors.Join(a.file.Close(), os.Remove(a.dump))
	}
	return a.file.Close()
}

func (a *Archive) read() error {
	i := slices.IndexFunc(a.file.File, func(f *zip.File) bool { return f.Name == manifestName })
	j := slices.IndexFunc(a.file.File, func(f *zip.File) bool { return f.Name == dumpName })
	if i < 0 || j < 0 {
		return errors.New("it is no backup of a library: goldshelfd backup makes one")
	}
	manifest, err := a.file.File[i].Open()
	if err != nil {
		return err
	}
	defer manifest.Close()
	data, err := io.ReadAll(io.LimitReader(manifest, mostManifest))
	if err != nil {
		return fmt.Errorf("the manifest was damaged: %w", err)
	}
	if err := json.Unmarshal(data, &a.Manifest); err != nil {
		return fmt.Errorf("the manifest was damaged: %w", err)
	}
	if a.Format != format {
		return fmt.Errorf("it is a backup of format %d, and this goldshelfd reads %d; use the one that made it, %s", a.Format, format, a.Program)
	}
	if a.Step > store.NewestStep() {
		return fmt.Errorf("it was made by a newer goldshelfd, %s (step %d of the schema; this one knows %d); use that one", a.Program, a.Step, store.NewestStep())
	}
	return a.unpack(a.file.File[j])
}

// unpack reads the dump through, into a file of its own.
func (a *Archive) unpack(from *zip.File) error {
	file, err := os.CreateTemp("", "goldshelf-restore-")
	if err != nil {
		return fmt.Errorf("unpack the backup: %w", err)
	}
	a.dump = file.Name()
	hash := sha256.New()
	var n int64
	r, readErr := from.Open()
	if readErr == nil {
		n, readErr = io.Copy(io.MultiWriter(file, hash), r)
		readErr = errors.Join(readErr, r.Close())
	}
	if err := file.Close(); err != nil {
		return fmt.Errorf("unpack the backup: %w", err)
	}
	if readErr != nil || n != a.DumpBytes || hex.EncodeToString(hash.Sum(nil)) != a.DumpHash {
		return errors.New("it was damaged: what is in it is not what was put in; take another backup")
	}
	return nil
}

// Restore puts a library into the empty database at url, whose owner connects. Nobody is signed
// in then, and nothing is published, told or asked until someone says so. After an error the
// database is empty again.
func (a *Archive) Restore(ctx context.Context, url string) error {
	return a.restore(ctx, url, a.sameHead)
}

// RestoreAndCompare is Restore that also reads all of it again, and holds every text and the
// number of rows of each table against what was backed up.
func (a *Archive) RestoreAndCompare(ctx context.Context, url string) error {
	return a.restore(ctx, url, a.same)
}

func (a *Archive) restore(ctx context.Context, url string, holds func(context.Context, *store.DB) error) (err error) {
	db, err := store.Open(url)
	if err != nil {
		return err
	}
	defer db.Close()
	var server int
	err = db.View(ctx, time.Now(), func(s store.Snapshot) error {
		if server, err = s.ServerVersion(); err != nil {
			return err
		}
		empty, err := s.IsEmpty()
		if err == nil && !empty {
			err = errors.New("the database is not empty; restore into one that is")
		}
		return err
	})
	if err != nil {
		return err
	}
	if server < a.Server {
		return fmt.Errorf("the backup is of PostgreSQL %d, and this database of %d; restore it into %d or a newer one", a.Server, server, a.Server)
	}
	bin, err := programs(server)
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			wiping, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
			defer cancel()
			err = errors.Join(err, db.Change(wiping, time.Now(), func(tx store.Tx) error { return tx.Wipe() }))
		}
	}()
	if err := a.load(ctx, filepath.Join(bin, "pg_restore"), url); err != nil {
		return err
	}
	if err := holds(ctx, db); err != nil {
		return err
	}
	if err := db.Change(ctx, time.Now(), func(tx store.Tx) error { return tx.RoutinesAnew() }); err != nil {
		return err
	}
	if err := db.Migrate(ctx); err != nil {
		return err
	}
	return db.Change(ctx, time.Now(), func(tx store.Tx) error { return tx.Hold() })
}

// load has pg_restore read the dump, by several connections.
func (a *Archive) load(ctx context.Context, program, url string) error {
	var said strings.Builder
	cmd := exec.CommandContext(ctx, program, "--no-owner", "--no-privileges", "--exit-on-error", "--jobs="+strconv.Itoa(runtime.NumCPU()), "--dbname="+databaseOf(url), a.dump)
	cmd.Stdout, cmd.Stderr, cmd.Env = io.Discard, &said, environment(url)
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("pg_restore: %w: %s", err, strings.TrimSpace(said.String()))
	}
	return nil
}

// sameHead holds the end of the record of changes against the manifest.
func (a *Archive) sameHead(ctx context.Context, db *store.DB) error {
	return db.View(ctx, time.Now(), func(s store.Snapshot) error {
		head, err := s.Head()
		if err == nil && head != a.Head {
			err = errors.New("the record of changes is not the one that was backed up")
		}
		return err
	})
}

// same holds what is in the database against the manifest.
func (a *Archive) same(ctx context.Context, db *store.DB) error {
	return db.View(ctx, time.Now(), func(s store.Snapshot) error {
		if err := s.LookAtAll(); err != nil {
			return err
		}
		got, err := s.Summary()
		if err != nil {
			return err
		}
		var wrong []error
		for _, table := range slices.Sorted(maps.Keys(a.Rows)) {
			if got.Rows[table] != a.Rows[table] {
				wrong = append(wrong, fmt.Errorf("the table %s has %d rows, and had %d", table, got.Rows[table], a.Rows[table]))
			}
		}
		if got.Texts != a.Texts {
			wrong = append(wrong, errors.New("the texts are not those that were backed up"))
		}
		if got.Head != a.Head {
			wrong = append(wrong, errors.New("the record of changes is not the one that was backed up"))
		}
		return errors.Join(wrong...)
	})
}

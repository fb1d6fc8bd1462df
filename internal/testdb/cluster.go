package testdb

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"goldshelf/internal/pgserver"
	"goldshelf/internal/store"
)

// prepare puts a cluster in dir, whose template had the library's schema when it was made.
// Making one takes two seconds, so it is made once, and copied for all tests of all packages
// that want the same.
func prepare(ctx context.Context, dir string) error {
	caches, err := os.UserCacheDir()
	if err != nil {
		return err
	}
	caches = filepath.Join(caches, "goldshelf-test")
	if err := os.MkdirAll(caches, 0o700); err != nil {
		return err
	}
	lock, err := os.OpenFile(filepath.Join(caches, "lock"), os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return err
	}
	defer lock.Close()
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX); err != nil {
		return err
	}
	kept := filepath.Join(caches, "cluster-"+wanted())
	if _, err := os.Stat(kept); err == nil {
		return CopyDir(kept, dir)
	}
	if err := makeCluster(ctx, dir); err != nil {
		return err
	}
	earlier, err := filepath.Glob(filepath.Join(caches, "cluster-*"))
	if err != nil {
		return err
	}
	for _, path := range earlier {
		if err := os.RemoveAll(path); err != nil {
			return err
		}
	}
	half := filepath.Join(caches, "cluster-being-kept")
	if err := CopyDir(dir, half); err != nil {
		return err
	}
	return os.Rename(half, kept)
}

func makeCluster(ctx context.Context, dir string) error {
	pg, err := pgserver.Start(ctx, dir, pgserver.Options{Hasty: true})
	if err != nil {
		return err
	}
	return errors.Join(makeLibrary(ctx, pg, template), pg.Stop())
}

// makeLibrary makes a database with the library's schema and nothing in it, or brings one up to date.
func makeLibrary(ctx context.Context, pg *pgserver.Server, name string) error {
	if err := pg.EnsureDatabase(ctx, name); err != nil {
		return err
	}
	db, err := store.Open(pg.URL(name))
	if err != nil {
		return err
	}
	defer db.Close()
	if err := db.Migrate(ctx); err != nil {
		return err
	}
	return db.LetServiceIn(ctx, password)
}

// wanted is a digest of what says what a cluster is like.
func wanted() string {
	versions, _ := filepath.Glob(pgserver.Debian + "/*") // of a pattern that is one
	all := slices.Concat(versions, pgserver.ClusterOptions, []string{store.SchemaDigest()})
	return fmt.Sprintf("%x", sha256.Sum256([]byte(strings.Join(all, "\n"))))[:24]
}

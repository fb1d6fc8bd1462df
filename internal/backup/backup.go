// Package backup takes a whole library out of its database into one file, and puts it into an
// empty database again. The file is a zip of what pg_dump writes and of a manifest, which says
// what is in it and by what a damaged one is known.
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
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"goldshelf/internal/pgserver"
	"goldshelf/internal/store"
	"goldshelf/internal/version"
)

const (
	dumpName     = "library.dump"
	manifestName = "manifest.json"

	format       = 1
	mostManifest = 1 << 20 // bytes
)

// Manifest says what is in a backup.
type Manifest struct {
	Format    int       `json:"format"` // of the file; 1
	MadeAt    time.Time `json:"made_at"`
	Program   string    `json:"program"`    // that made it
	Server    int       `json:"postgresql"` // the major version that it was made of
	DumpBytes int64     `json:"dump_bytes"`
	DumpHash  string    `json:"dump_sha256"`
	store.Summary
}

// Write writes a backup of the library in the database at url, of one moment, while it is
// served. Its schema's owner is who connects.
func Write(ctx context.Context, url string, w io.Writer) (m Manifest, err error) {
	db, err := store.Open(url)
	if err != nil {
		return m, err
	}
	defer db.Close()
	m = Manifest{Format: format, MadeAt: time.Now().UTC().Truncate(time.Second), Program: version.String()}
	archive := zip.NewWriter(w)
	err = db.View(ctx, time.Now(), func(s store.Snapshot) error {
		if err := s.LookAtAll(); err != nil {
			return err
		}
		if m.Server, err = s.ServerVersion(); err != nil {
			return err
		}
		bin, err := programs(m.Server)
		if err != nil {
			return err
		}
		moment, err := s.ExportSnapshot()
		if err != nil {
			return err
		}
		type summed struct {
			store.Summary
			err error
		}
		summing := make(chan summed, 1)
		go func() { // while pg_dump reads on a connection of its own
			sum, err := s.Summary()
			summing <- summed{sum, err}
		}()
		dumpErr := dump(ctx, filepath.Join(bin, "pg_dump"), url, moment, archive, &m)
		sum := <-summing
		m.Summary = sum.Summary
		return errors.Join(dumpErr, sum.err)
	})
	if err != nil {
		return m, fmt.Errorf("back the library up: %w", err)
	}
	if err := writeManifest(archive, m); err != nil {
		return m, err
	}
	return m, archive.Close()
}

// dump has pg_dump write, and puts that into an archive. It writes into a file first: only so
// does it say where in it each table is, which several connections need that restore it.
func dump(ctx context.Context, program, url, moment string, archive *zip.Writer, m *Manifest) error {
	file, err := os.CreateTemp("", "goldshelf-backup-")
	if err != nil {
		return err
	}
	defer os.Remove(file.Name())
	defer file.Close()
	args := []string{"--format=custom", "--no-owner", "--no-privileges", "--enable-row-security", "--snapshot=" + moment, "--file=" + file.Name()}
	for _, table := range store.NotBackedUp() {
		args = append(args, "--exclude-table-data=public."+table)
	}
	var said strings.Builder
	cmd := exec.CommandContext(ctx, program, args...)
	cmd.Stderr, cmd.Env = &said, environment(url)
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("pg_dump: %w: %s", err, strings.TrimSpace(said.String()))
	}
	into, err := archive.CreateHeader(&zip.FileHeader{Name: dumpName, Method: zip.Store, Modified: m.MadeAt}) // it is compressed already
	if err != nil {
		return err
	}
	hash := sha256.New()
	m.DumpBytes, err = io.Copy(io.MultiWriter(into, hash), file)
	m.DumpHash = hex.EncodeToString(hash.Sum(nil))
	return err
}

func writeManifest(archive *zip.Writer, m Manifest) error {
	file, err := archive.CreateHeader(&zip.FileHeader{Name: manifestName, Method: zip.Deflate, Modified: m.MadeAt})
	if err != nil {
		return err
	}
	enc := json.NewEncoder(file)
	enc.SetIndent("", "  ")
	return enc.Encode(m)
}

// environment says to PostgreSQL's programs where to connect: not in their arguments, which
// everybody on the machine sees.
func environment(url string) []string {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return os.Environ()
	}
	env := append(os.Environ(), "PGHOST="+config.Host, "PGPORT="+strconv.Itoa(int(config.Port)), "PGUSER="+config.User,
		"PGPASSWORD="+config.Password, "PGDATABASE="+config.Database, "PGOPTIONS=-c goldshelf.person=all")
	if mode := sslMode(url); mode != "" {
		env = append(env, "PGSSLMODE="+mode)
	}
	return env
}

func databaseOf(url string) string {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return ""
	}
	return config.Database
}

func sslMode(of string) string {
	u, err := url.Parse(of)
	if err != nil {
		return ""
	}
	return u.Query().Get("sslmode")
}

// programs gives the folder of PostgreSQL's programs that can read a server of a major version:
// of that one, or of a newer.
func programs(major int) (string, error) {
	found, _ := filepath.Glob(filepath.Join(pgserver.Debian, "*", "bin", "pg_dump"))
	var known []int
	for _, path := range found {
		if n, err := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path)))); err == nil {
			known = append(known, n)
		}
	}
	slices.Sort(known)
	i := slices.IndexFunc(known, func(n int) bool { return n >= major })
	if i < 0 {
		return "", fmt.Errorf("the database is of PostgreSQL %d, and there is no pg_dump of that version here; install postgresql-client-%d", major, major)
	}
	return filepath.Join(pgserver.Debian, strconv.Itoa(known[i]), "bin"), nil
}

// Into writes a backup into a folder, under the time at which it was made, and keeps so many of
// them. Nobody ever finds half of one there.
func Into(ctx context.Context, url, dir string, keep int) (path string, err error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", fmt.Errorf("make the folder of the backups: %w", err)
	}
	fresh, err := os.CreateTemp(dir, ".backup-")
	if err != nil {
		return "", fmt.Errorf("begin a backup: %w", err)
	}
	defer os.Remove(fresh.Name())
	m, err := Write(ctx, url, fresh)
	if err == nil {
		err = fresh.Sync()
	}
	if err = errors.Join(err, fresh.Close()); err != nil {
		return "", err
	}
	path = filepath.Join(dir, m.MadeAt.Format(fileTime))
	if err := os.Rename(fresh.Name(), path); err != nil {
		return "", err
	}
	all, err := List(dir)
	for i := 0; err == nil && i < len(all)-keep; i++ {
		err = os.Remove(all[i].Path)
	}
	return path, err
}

const fileTime = "goldshelf-20060102T150405Z.zip"

// File is a backup in a folder.
type File struct {
	Path   string
	MadeAt time.Time
}

// List gives the backups of a folder, the oldest first. Other files are left alone.
func List(dir string) ([]File, error) {
	entries, err := os.ReadDir(dir)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	var all []File
	for _, e := range entries {
		if at, err := time.Parse(fileTime, e.Name()); err == nil {
			all = append(all, File{filepath.Join(dir, e.Name()), at})
		}
	}
	return all, err
}

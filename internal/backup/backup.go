// Package backup takes a whole library out of its database into one file, and puts it into an
// empty database again. The file is a zip of the rows of every table, of a manifest that says
// what is in it, and of the manifest's signature. Nothing in it is a statement: the schema is
// made by the program that restores it.
package backup

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/sys/unix"

	"goldshelf/internal/signing"
	"goldshelf/internal/store"
	"goldshelf/internal/version"
)

const (
	manifestName  = "manifest.json"
	signatureName = "manifest.signature"
	tablesFolder  = "tables/"

	format       = 2
	mostManifest = 1 << 20 // bytes
	signedAs     = "backup"
)

// Manifest says what is in a backup.
type Manifest struct {
	Format    int              `json:"format"` // of the file; 2
	MadeAt    time.Time        `json:"made_at"`
	Program   string           `json:"program"` // that made it
	Tables    []Table          `json:"tables"`
	Sequences map[string]int64 `json:"sequences"` // the last number of each
	store.Summary
}

// Table says what is in the file of a table's rows, which is as PostgreSQL's COPY writes it.
type Table struct {
	store.Table
	Bytes int64  `json:"bytes"` // unpacked
	Hash  string `json:"sha256"`
}

func (t Table) file() string { return tablesFolder + t.Name }

// Write writes a backup of the library in the database at url, of one moment, while it is
// served. Its schema's owner is who connects.
func Write(ctx context.Context, url string, key *signing.Key, w io.Writer) (m Manifest, err error) {
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
		tables, err := s.Tables()
		if err != nil {
			return err
		}
		if m.Sequences, err = s.Sequences(); err != nil {
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
		go func() { // while the rows are read on a connection of their own
			sum, err := s.Summary()
			summing <- summed{sum, err}
		}()
		rowsErr := m.writeRows(ctx, db, moment, tables, archive)
		sum := <-summing
		m.Summary = sum.Summary
		return errors.Join(rowsErr, sum.err)
	})
	if err != nil {
		return m, fmt.Errorf("back the library up: %w", err)
	}
	data, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return m, err
	}
	signature, err := json.Marshal(key.Sign(signedAs, data))
	if err != nil {
		return m, err
	}
	if err := errors.Join(put(archive, manifestName, data, m.MadeAt), put(archive, signatureName, signature, m.MadeAt)); err != nil {
		return m, err
	}
	return m, archive.Close()
}

// writeRows writes the rows of tables into an archive, as they are at a moment.
func (m *Manifest) writeRows(ctx context.Context, db *store.DB, moment string, tables []store.Table, archive *zip.Writer) (err error) {
	rows, err := db.ReadRows(ctx, moment)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, rows.Close()) }()
	for _, table := range tables {
		t := Table{Table: table}
		into, err := archive.CreateHeader(&zip.FileHeader{Name: t.file(), Method: zip.Deflate, Modified: m.MadeAt})
		if err != nil {
			return err
		}
		counted := &counter{into: into, hash: sha256.New()}
		if _, err := rows.Read(ctx, table, counted); err != nil {
			return err
		}
		t.Bytes, t.Hash = counted.bytes, counted.sum()
		m.Tables = append(m.Tables, t)
	}
	return nil
}

// counter counts and hashes what goes through it.
type counter struct {
	into  io.Writer
	hash  hash.Hash
	bytes int64
}

func (c *counter) Write(data []byte) (int, error) {
	n, err := c.into.Write(data)
	c.hash.Write(data[:n])
	c.bytes += int64(n)
	return n, err
}

func (c *counter) sum() string { return hex.EncodeToString(c.hash.Sum(nil)) }

func put(archive *zip.Writer, name string, data []byte, at time.Time) error {
	file, err := archive.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: at})
	if err != nil {
		return err
	}
	_, err = file.Write(data)
	return err
}

// partPattern is what a backup is called that is being written.
const partPattern = ".backup-"

// WriteFile writes a backup into a file, whose name the time gives at which it was made. Nobody
// ever finds half of one there: it is written beside its place, and what others that were killed
// left there is removed first.
func WriteFile(ctx context.Context, url string, key *signing.Key, dir string, name func(Manifest) string) (path string, m Manifest, err error) {
	if err := removeLeftovers(dir); err != nil {
		return "", m, err
	}
	fresh, err := os.CreateTemp(dir, partPattern)
	if err != nil {
		return "", m, fmt.Errorf("begin a backup: %w", err)
	}
	defer os.Remove(fresh.Name())
	defer fresh.Close()
	// Whoever finds the file free of a lock knows that nobody is writing it any more.
	if err := unix.Flock(int(fresh.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		return "", m, fmt.Errorf("begin a backup: %w", err)
	}
	if m, err = Write(ctx, url, key, fresh); err != nil {
		return "", m, err
	}
	if err := fresh.Sync(); err != nil {
		return "", m, err
	}
	path = filepath.Join(dir, name(m))
	return path, m, os.Rename(fresh.Name(), path)
}

// removeLeftovers removes what backups that were killed have left in a folder.
func removeLeftovers(dir string) error {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return fmt.Errorf("look into the folder of the backups: %w", err)
	}
	for _, e := range entries {
		if !strings.HasPrefix(e.Name(), partPattern) || !e.Type().IsRegular() {
			continue
		}
		path := filepath.Join(dir, e.Name())
		part, err := os.Open(path)
		if err != nil {
			continue // somebody else's
		}
		if unix.Flock(int(part.Fd()), unix.LOCK_EX|unix.LOCK_NB) == nil {
			err = os.Remove(path)
		}
		if err := errors.Join(err, part.Close()); err != nil && !errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("remove what a backup that was stopped has left: %w", err)
		}
	}
	return nil
}

// Into writes a backup into a folder, under the time at which it was made, and keeps so many of
// them.
func Into(ctx context.Context, url string, key *signing.Key, dir string, keep int) (path string, err error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", fmt.Errorf("make the folder of the backups: %w", err)
	}
	path, _, err = WriteFile(ctx, url, key, dir, func(m Manifest) string { return m.MadeAt.Format(fileTime) })
	if err != nil {
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

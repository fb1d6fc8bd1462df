package backup

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"goldshelf/internal/signing"
	"goldshelf/internal/store"
)

// Archive is a backup that was found to be whole. Whoever opens it closes it.
type Archive struct {
	Manifest
	file  *zip.ReadCloser
	files map[string]*zip.File
}

// Open opens a backup, and reads it through: one that was not signed with a trusted key, that
// was cut short or changed, or that is of a newer program, is refused.
func Open(path string, trusted signing.Trusted) (*Archive, error) {
	file, err := zip.OpenReader(path)
	if errors.Is(err, zip.ErrFormat) {
		return nil, fmt.Errorf("%s is no backup, or was cut short: it has no end", path)
	}
	if err != nil {
		return nil, err
	}
	a := &Archive{file: file, files: map[string]*zip.File{}}
	if err := a.read(trusted); err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", path, err), a.Close())
	}
	return a, nil
}

// Close lets go of the file.
func (a *Archive) Close() error { return a.file.Close() }

var errDamaged = errors.New("it was damaged: what is in it is not what was put in; take another backup")

func (a *Archive) read(trusted signing.Trusted) error {
	for _, f := range a.file.File {
		if a.files[f.Name] != nil {
			return errDamaged
		}
		a.files[f.Name] = f
	}
	if a.files[manifestName] == nil {
		return errors.New("it is no backup of a library: goldshelfd backup makes one")
	}
	data, err := a.small(manifestName)
	if err != nil {
		return err
	}
	// The format and the program are read before the signature, to say what reads another.
	if err := json.Unmarshal(data, &a.Manifest); err != nil {
		return fmt.Errorf("the manifest was damaged: %w", err)
	}
	if a.Format != format {
		return fmt.Errorf("it is a backup of format %d, and this goldshelfd reads %d; restore it with the one that made it, %.40q, and bring that library up to date", a.Format, format, a.Program)
	}
	if a.files[signatureName] == nil {
		return fmt.Errorf("%w: it has none", signing.ErrUnsigned)
	}
	signed, err := a.small(signatureName)
	if err != nil {
		return err
	}
	var signature signing.Signature
	if err := json.Unmarshal(signed, &signature); err != nil {
		return fmt.Errorf("the signature was damaged: %w", err)
	}
	if err := trusted.Verify(signedAs, data, signature); err != nil {
		return err
	}
	if a.Step > store.NewestStep() {
		return fmt.Errorf("it was made by a newer goldshelfd, %s (step %d of the schema; this one knows %d); use that one", a.Program, a.Step, store.NewestStep())
	}
	for _, t := range a.Tables {
		r, err := a.rows(t)
		if err != nil {
			return err
		}
		_, err = io.Copy(io.Discard, r)
		if err := errors.Join(err, r.Close()); err != nil {
			return err
		}
	}
	return nil
}

// small reads a file that is held in memory.
func (a *Archive) small(name string) ([]byte, error) {
	r, err := a.files[name].Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, mostManifest+1))
	if err != nil {
		return nil, fmt.Errorf("%s was damaged: %w", name, err)
	}
	if len(data) > mostManifest {
		return nil, fmt.Errorf("%s is larger than %d bytes", name, mostManifest)
	}
	return data, nil
}

// rows gives a table's rows to read. The reading ends with an error unless they are those that
// were backed up, and before more is unpacked than the manifest says.
func (a *Archive) rows(t Table) (io.ReadCloser, error) {
	f := a.files[t.file()]
	if f == nil {
		return nil, errDamaged
	}
	r, err := f.Open()
	if err != nil {
		return nil, errDamaged
	}
	return &verified{r, t, &counter{into: io.Discard, hash: sha256.New()}}, nil
}

// verified reads a table's rows, and holds them against the manifest.
type verified struct {
	io.ReadCloser
	of      Table
	counter *counter
}

func (v *verified) Read(into []byte) (int, error) {
	n, err := v.ReadCloser.Read(into)
	_, _ = v.counter.Write(into[:n]) // into nothing
	switch {
	case v.counter.bytes > v.of.Bytes,
		err == io.EOF && (v.counter.bytes != v.of.Bytes || v.counter.sum() != v.of.Hash),
		err != nil && err != io.EOF:
		return 0, errDamaged
	}
	return n, err
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
	err = db.View(ctx, time.Now(), func(s store.Snapshot) error {
		empty, err := s.IsEmpty()
		if err == nil && !empty {
			err = errors.New("the database is not empty; restore into one that is")
		}
		return err
	})
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
	if err := a.fill(ctx, db); err != nil {
		return err
	}
	if err := holds(ctx, db); err != nil {
		return err
	}
	if err := db.Migrate(ctx); err != nil {
		return err
	}
	return db.Change(ctx, time.Now(), func(tx store.Tx) error { return tx.Hold() })
}

// fill makes the schema of the backup in an empty database, and puts the rows into it.
func (a *Archive) fill(ctx context.Context, db *store.DB) error {
	if err := db.MakeSchema(ctx, a.Step); err != nil {
		return err
	}
	var schema store.Unguarded
	err := db.Change(ctx, time.Now(), func(tx store.Tx) (err error) {
		if schema, err = tx.Unguard(); err != nil {
			return err
		}
		return a.fits(schema.Tables)
	})
	if err != nil {
		return err
	}
	err = db.WriteRows(ctx, time.Now(), func(c *store.RowsConnection) error {
		for _, t := range a.Tables {
			r, err := a.rows(t)
			if err != nil {
				return err
			}
			n, err := c.Write(ctx, t.Table, r)
			if err == nil && n != int64(a.Rows[t.Name]) {
				err = fmt.Errorf("the table %s has %d rows, and had %d", t.Name, n, a.Rows[t.Name])
			}
			if err := errors.Join(err, r.Close()); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	return db.Change(ctx, time.Now(), func(tx store.Tx) error { return tx.PutBack(schema, a.Sequences) })
}

// fits returns an error unless the backup has the tables and columns of the schema, and no others.
func (a *Archive) fits(schema []store.Table) error {
	var wrong []error
	times := map[string]int{}
	for _, t := range a.Tables {
		times[t.Name]++
		i := slices.IndexFunc(schema, func(s store.Table) bool { return s.Name == t.Name })
		if i < 0 {
			wrong = append(wrong, fmt.Errorf("the schema of step %d has no table %q", a.Step, t.Name))
			continue
		}
		if got, want := slices.Sorted(slices.Values(t.Columns)), slices.Sorted(slices.Values(schema[i].Columns)); !slices.Equal(got, want) {
			wrong = append(wrong, fmt.Errorf("the table %s has the columns %s, and those of the schema of step %d are %s", t.Name, strings.Join(got, ", "), a.Step, strings.Join(want, ", ")))
		}
	}
	for _, s := range schema {
		if times[s.Name] != 1 {
			wrong = append(wrong, fmt.Errorf("the backup has the table %s %d times", s.Name, times[s.Name]))
		}
	}
	return errors.Join(wrong...)
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

package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"goldshelf/internal/audit"
	"goldshelf/internal/backup"
	"goldshelf/internal/pgserver"
	"goldshelf/internal/settings"
	"goldshelf/internal/store"
	"goldshelf/internal/telemetry"
	"goldshelf/internal/work"
)

// BackUp writes a backup of the library, while it is served or not.
func BackUp(ctx context.Context, o Options, w io.Writer) (m backup.Manifest, err error) {
	if err := o.there(); err != nil {
		return m, err
	}
	err = asOwner(ctx, o, func(url string) error {
		m, err = backup.Write(ctx, url, w)
		return err
	})
	return m, err
}

// backUpInto writes a backup into the folder for them.
func (o Options) backUpInto(ctx context.Context, log *slog.Logger) error {
	return asOwner(ctx, o, func(url string) error {
		path, err := backup.Into(ctx, url, o.BackupDir, o.BackupKeep)
		if err == nil {
			log.Info("backed up", "file", path)
		}
		return err
	})
}

// newestCopy is when the newest copy in the archive was made.
func (o Options) newestCopy() (time.Time, error) {
	all, err := pgserver.Copies(o.ArchiveDir)
	if err != nil || len(all) == 0 {
		return time.Time{}, err
	}
	return all[len(all)-1].MadeAt, nil
}

// copyInto makes a copy of the private database in its archive.
func (o Options) copyInto(ctx context.Context, log *slog.Logger) error {
	pg, runs := pgserver.Running(o.DataDir)
	if !runs {
		return errors.New("the private database does not run")
	}
	dir, err := pg.CopyInto(ctx, o.ArchiveDir, o.BackupKeep)
	if err == nil {
		log.Info("copied the database into its archive", "dir", dir)
	}
	return err
}

// RestoreUntil makes a private database as it was at a time, out of the archive of another; the
// zero time is as late as there is anything. It gives when the record of changes ends.
func RestoreUntil(ctx context.Context, o Options, archive string, until time.Time) (last time.Time, err error) {
	if o.DatabaseURL != "" {
		return last, errors.New("an archive is restored into a private database; leave --database-url out")
	}
	if pgserver.Exists(o.DataDir) {
		return last, fmt.Errorf("there is a library in %s already; restore into another --data-dir, and let that one take its place", o.DataDir)
	}
	if err := pgserver.Recover(ctx, archive, o.DataDir, until, pgserver.Options{Log: o.Log}); err != nil {
		return last, err
	}
	err = Beside(ctx, o, func(db *store.DB) error {
		return db.Change(ctx, time.Now(), func(tx store.Tx) error {
			if last, err = tx.LastEvent(); err != nil {
				return err
			}
			return errors.Join(tx.ForgetSessions(), tx.Hold())
		})
	})
	if err != nil {
		return last, errors.Join(err, pgserver.Remove(o.DataDir))
	}
	return last, nil
}

// backupReading is how old the newest backup is.
func (o Options) backupReading(context.Context) ([]telemetry.Reading, error) {
	all, err := backup.List(o.BackupDir)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	age := time.Since(all[len(all)-1].MadeAt)
	return []telemetry.Reading{{Name: "goldshelf_backup_age_seconds", Help: "How old the newest backup is.", Number: age.Seconds()}}, nil
}

// Restore puts a backup into an empty directory, or into the caller's own empty database.
func Restore(ctx context.Context, o Options, path string) (m backup.Manifest, err error) {
	a, err := backup.Open(path)
	if err != nil {
		return m, err
	}
	defer a.Close()
	if o.DatabaseURL != "" {
		return a.Manifest, a.Restore(ctx, o.DatabaseURL)
	}
	if pgserver.Exists(o.DataDir) {
		return m, fmt.Errorf("there is a library in %s already; restore into another --data-dir, and let that one take its place", o.DataDir)
	}
	if err := restoreInto(ctx, o, pgserver.Options{Log: o.Log}, a.Restore, func(string) error { return nil }); err != nil {
		return m, errors.Join(err, pgserver.Remove(o.DataDir))
	}
	return a.Manifest, nil
}

// restoreInto restores into a private database, and has something done with it there.
func restoreInto(ctx context.Context, o Options, how pgserver.Options, restore func(ctx context.Context, url string) error, then func(url string) error) (err error) {
	pg, err := pgserver.Start(ctx, o.DataDir, how)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, pg.Stop()) }()
	if err := pg.EnsureDatabase(ctx, database); err != nil {
		return err
	}
	if err := prepareRole(ctx, pg.URL("postgres")); err != nil {
		return err
	}
	if err := restore(ctx, pg.URL(database)); err != nil {
		return err
	}
	return then(pg.URL(database))
}

// CheckBackup restores a backup into a database that is thrown away, and holds every text in it
// and the whole record of changes against what was backed up. It gives the backup's manifest
// and how many records hold.
func CheckBackup(ctx context.Context, o Options, path string) (m backup.Manifest, records int64, err error) {
	a, err := backup.Open(path)
	if err != nil {
		return m, 0, err
	}
	defer a.Close()
	root, err := os.MkdirTemp("", "goldshelf-check-")
	if err != nil {
		return m, 0, err
	}
	defer os.RemoveAll(root)
	if err := os.Chmod(root, 0o711); err != nil {
		return m, 0, err
	}
	o.DataDir = filepath.Join(root, "data")
	err = restoreInto(ctx, o, pgserver.Options{Log: o.Log, Hasty: true}, a.RestoreAndCompare, func(url string) error {
		db, err := store.Open(url)
		if err != nil {
			return err
		}
		defer db.Close()
		v, err := audit.Verify(ctx, work.New(db, time.Now), a.Head)
		if err == nil && v.Broken > 0 {
			err = fmt.Errorf("record %d of %d does not hold: %s", v.Broken, v.Records, v.Why)
		}
		records = v.Records
		return err
	})
	return a.Manifest, records, err
}

// Resume has a library that was restored do again what is due.
func Resume(ctx context.Context, o Options) error {
	return Beside(ctx, o, func(db *store.DB) error {
		_, err := settings.New(work.New(db, time.Now)).Resume(ctx, work.Service())
		return err
	})
}

// prepareRole makes the role that rights are given to, where there is none.
func prepareRole(ctx context.Context, url string) error {
	db, err := store.Open(url)
	if err != nil {
		return err
	}
	defer db.Close()
	return db.EnsureRole(ctx)
}

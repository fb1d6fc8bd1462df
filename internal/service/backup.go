package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"math"
	"os"
	"path/filepath"
	"time"

	"goldshelf/internal/audit"
	"goldshelf/internal/backup"
	"goldshelf/internal/pgserver"
	"goldshelf/internal/settings"
	"goldshelf/internal/signing"
	"goldshelf/internal/store"
	"goldshelf/internal/telemetry"
	"goldshelf/internal/work"
)

// keyFile is where the key is that signs backups: beside the one of secrets, if nothing else is
// said.
func (o Options) keyFile() (string, error) {
	const name = "backup-key"
	switch {
	case o.BackupKeyFile != "":
		return o.BackupKeyFile, nil
	case o.SecretKeyFile != "":
		return filepath.Join(filepath.Dir(o.SecretKeyFile), name), nil
	case o.DatabaseURL == "":
		return filepath.Join(o.DataDir, name), nil
	}
	return "", errors.New("backups are signed with a key; say where it is, or is to be made, with --backup-key-file")
}

// backupKey is the key that signs backups, which is made where there is none.
func (o Options) backupKey() (*signing.Key, error) {
	file, err := o.keyFile()
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o711); err != nil {
		return nil, fmt.Errorf("make the folder of the key of backups: %w", err)
	}
	return signing.Make(file)
}

// trusted are the keys whose backups are restored: those that were named, and this library's.
func (o Options) trusted(keys []string) (all signing.Trusted, err error) {
	for _, text := range keys {
		key, err := signing.ParsePublic(text)
		if err != nil {
			return nil, err
		}
		all = append(all, key)
	}
	file, err := o.keyFile()
	if err != nil { // there is none here
		return all, nil
	}
	own, err := signing.Read(file)
	if errors.Is(err, fs.ErrNotExist) {
		return all, nil
	}
	if err != nil {
		return nil, err
	}
	return append(all, own.Trusted()...), nil
}

// BackupKey gives the public key of the library's backups. A new one takes the place of the one
// before, whose backups hold further.
func BackupKey(o Options, change bool) (signing.Public, error) {
	key, err := o.backupKey()
	if err == nil && change {
		var file string
		if file, err = o.keyFile(); err == nil {
			key, err = signing.Change(file)
		}
	}
	if err != nil {
		return "", err
	}
	return key.Public(), nil
}

// BackUp writes a backup of the library, while it is served or not.
func BackUp(ctx context.Context, o Options, w io.Writer) (m backup.Manifest, err error) {
	if err := o.there(); err != nil {
		return m, err
	}
	key, err := o.backupKey()
	if err != nil {
		return m, err
	}
	err = asOwner(ctx, o, func(url string) error {
		m, err = backup.Write(ctx, url, key, w)
		return err
	})
	return m, err
}

// BackUpTo writes a backup into a file that is not there yet.
func BackUpTo(ctx context.Context, o Options, path string) (m backup.Manifest, err error) {
	if _, err := os.Stat(path); !errors.Is(err, fs.ErrNotExist) {
		return m, errors.Join(fmt.Errorf("%s is there already; choose another name", path), err)
	}
	if err := o.there(); err != nil {
		return m, err
	}
	key, err := o.backupKey()
	if err != nil {
		return m, err
	}
	err = asOwner(ctx, o, func(url string) error {
		_, m, err = backup.WriteFile(ctx, url, key, filepath.Dir(path), func(backup.Manifest) string { return filepath.Base(path) })
		return err
	})
	return m, err
}

// backUpInto writes a backup into the folder for them.
func (o Options) backUpInto(ctx context.Context, log *slog.Logger) error {
	key, err := o.backupKey()
	if err != nil {
		return err
	}
	return asOwner(ctx, o, func(url string) error {
		path, err := backup.Into(ctx, url, key, o.BackupDir, o.BackupKeep)
		if err == nil {
			log.Info("backed up", "file", path)
		}
		return err
	})
}

// newestCopy is when the newest copy in the archive was made from which the log leads on.
func (o Options) newestCopy() (time.Time, error) {
	all, err := pgserver.Copies(o.ArchiveDir)
	if err != nil || len(all) == 0 || all[len(all)-1].MadeAt.Before(pgserver.HandsOverSince(o.DataDir).Truncate(time.Second)) {
		return time.Time{}, err
	}
	return all[len(all)-1].MadeAt, nil
}

// archiving gives the private database that runs, and the key that signs its archive.
func (o Options) archiving() (*pgserver.Server, *signing.Key, error) {
	pg, runs := pgserver.Running(o.DataDir)
	if !runs {
		return nil, nil, errors.New("the private database does not run")
	}
	key, err := o.backupKey()
	return pg, key, err
}

// copyInto makes a copy of the private database in its archive.
func (o Options) copyInto(ctx context.Context, log *slog.Logger) error {
	pg, key, err := o.archiving()
	if err != nil {
		return err
	}
	dir, err := pg.CopyInto(ctx, o.ArchiveDir, key, o.BackupKeep)
	if err == nil {
		log.Info("copied the database into its archive", "dir", dir)
	}
	return err
}

// archiveLog moves what the private database has handed over of its log into the archive.
func (o Options) archiveLog(context.Context) error {
	pg, key, err := o.archiving()
	if err != nil {
		return err
	}
	return pg.ArchiveLog(o.ArchiveDir, key)
}

// RestoreUntil makes a private database as it was at a time, out of the archive of another; the
// zero time is as late as there is anything. It gives when the record of changes ends. Whoever
// signed the archive has one of the keys, or this library's.
func RestoreUntil(ctx context.Context, o Options, archive string, keys []string, until time.Time) (last time.Time, err error) {
	if o.DatabaseURL != "" {
		return last, errors.New("an archive is restored into a private database; leave --database-url out")
	}
	if pgserver.Exists(o.DataDir) {
		return last, fmt.Errorf("there is a library in %s already; restore into another --data-dir, and let that one take its place", o.DataDir)
	}
	trusted, err := o.trusted(keys)
	if err != nil {
		return last, err
	}
	if err := pgserver.Recover(ctx, archive, o.DataDir, until, trusted, pgserver.Options{Log: o.Log}); err != nil {
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

// backupReading is how old the newest backup is: older than any where there is none.
func (o Options) backupReading(context.Context) ([]telemetry.Reading, error) {
	all, err := backup.List(o.BackupDir)
	if err != nil {
		return nil, err
	}
	age := math.Inf(1)
	if len(all) > 0 {
		age = time.Since(all[len(all)-1].MadeAt).Seconds()
	}
	return []telemetry.Reading{{Name: "goldshelf_backup_age_seconds", Help: "How old the newest backup is; +Inf where there is none.", Number: age}}, nil
}

// Restore puts a backup into an empty directory, or into the caller's own empty database. Whoever
// signed it has one of the keys, or this library's.
func Restore(ctx context.Context, o Options, path string, keys []string) (m backup.Manifest, err error) {
	trusted, err := o.trusted(keys)
	if err != nil {
		return m, err
	}
	a, err := backup.Open(path, trusted)
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
func CheckBackup(ctx context.Context, o Options, path string, keys []string) (m backup.Manifest, records int64, err error) {
	trusted, err := o.trusted(keys)
	if err != nil {
		return m, 0, err
	}
	a, err := backup.Open(path, trusted)
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

package jobs

import (
	"context"
	"time"

	"goldshelf/internal/backup"
)

// Backups has a backup be made whenever the newest one in a folder is so old: also where the
// service was stopped when it was time.
func Backups(dir string, every time.Duration, do func(context.Context) error) *Job {
	return whenOld("backups", every, func() (time.Time, error) {
		all, err := backup.List(dir)
		if err != nil || len(all) == 0 {
			return time.Time{}, err
		}
		return all[len(all)-1].MadeAt, nil
	}, do)
}

// Copies is the same of the copies in an archive, of which newest says when it was made.
func Copies(newest func() (time.Time, error), every time.Duration, do func(context.Context) error) *Job {
	return whenOld("copies", every, newest, do)
}

// Log has the log of the database be moved into its archive, as it is handed over.
func Log(do func(context.Context) error) *Job { return New("log", time.Second, do) }

// whenOld has something be made anew whenever the newest one is so old.
func whenOld(name string, every time.Duration, newest func() (time.Time, error), do func(context.Context) error) *Job {
	return New(name, min(everyMinute, every), func(ctx context.Context) error {
		at, err := newest()
		if err != nil || time.Since(at) < every {
			return err
		}
		return do(ctx)
	})
}

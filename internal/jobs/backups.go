package jobs

import (
	"context"
	"time"

	"goldshelf/internal/backup"
)

// Backups has a backup be made whenever the newest one in a folder is so old: also where the
// service was stopped when it was time.
func Backups(dir string, every time.Duration, do func(context.Context) error) *Job {
	return New("backups", min(everyMinute, every), func(ctx context.Context) error {
		all, err := backup.List(dir)
		if err != nil {
			return err
		}
		if len(all) > 0 && time.Since(all[len(all)-1].MadeAt) < every {
			return nil
		}
		return do(ctx)
	})
}

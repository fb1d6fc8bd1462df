package jobs

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"goldshelf/internal/audit"
	"goldshelf/internal/work"
)

// headEvery is how often the head of the record is kept, and so how far what is kept may
// lag behind it when the service is killed.
const headEvery = 2 * time.Second

// Head keeps what stands for the whole record of changes in a file, outside the
// database: whoever makes the record anew has to reach that too.
func Head(db *work.DB, file string) *Job {
	last := ""
	return New("head of the record", headEvery, func(ctx context.Context) error {
		head, err := audit.Head(ctx, db)
		if err != nil || head == "" || head == last {
			return err
		}
		if err := replaceFile(file, head+"\n"); err != nil {
			return fmt.Errorf("keep the head of the record: %w", err)
		}
		last = head
		return nil
	})
}

// ReadHead gives what Head has kept, or nothing where there is no such file.
func ReadHead(file string) (string, error) {
	data, err := os.ReadFile(file)
	if os.IsNotExist(err) {
		return "", nil
	}
	return strings.TrimSpace(string(data)), err
}

// replaceFile puts a file in place so that nobody ever reads half of it.
func replaceFile(path, text string) error {
	fresh, err := os.CreateTemp(filepath.Dir(path), ".head-")
	if err != nil {
		return err
	}
	defer os.Remove(fresh.Name())
	if _, err := fresh.WriteString(text); err != nil {
		fresh.Close()
		return err
	}
	if err := fresh.Sync(); err != nil {
		fresh.Close()
		return err
	}
	if err := fresh.Close(); err != nil {
		return err
	}
	return os.Rename(fresh.Name(), path)
}

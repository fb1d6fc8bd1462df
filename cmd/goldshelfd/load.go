package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"goldshelf/core/bundle"
	"goldshelf/core/problem"
	"goldshelf/internal/gather"
	"goldshelf/internal/service"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// load moves a whole library in.
func load(ctx context.Context, c *cli.Command, o service.Options) error {
	if c.Args().Len() != 1 {
		return errors.New("load takes one bundle, or a folder of entry files")
	}
	path := c.Args().First()
	name, data, err := fromDisk(path)
	if err != nil {
		return err
	}
	return service.Beside(ctx, o, func(db *store.DB) error {
		loaded, err := gather.Load(ctx, work.New(db, time.Now), name, data)
		var wrong problem.List
		if errors.As(err, &wrong) {
			for _, p := range wrong {
				fmt.Fprintln(o.Err, p.Message)
			}
			return fmt.Errorf("%s cannot come in as a whole, so nothing was moved in", path)
		}
		if err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
		fmt.Fprintf(o.Out, "Moved in from %s: %d in all.\n", path, len(loaded.Created))
		return nil
	})
}

// fromDisk reads a bundle, or the entry files of a folder as a zip.
func fromDisk(path string) (name string, data []byte, err error) {
	info, err := os.Stat(path)
	if err != nil {
		return "", nil, err
	}
	if !info.IsDir() {
		data, err = os.ReadFile(path)
		return filepath.Base(path), data, err
	}
	files, any := map[string][]byte{}, false
	err = fs.WalkDir(os.DirFS(path), ".", func(file string, d fs.DirEntry, err error) error {
		isEntry := strings.HasSuffix(file, ".md")
		if err != nil || !d.Type().IsRegular() || !isEntry && !bundle.IsBesideEntries(file) {
			return err
		}
		any = any || isEntry
		files[file], err = os.ReadFile(filepath.Join(path, file))
		return err
	})
	if err == nil && !any {
		err = fmt.Errorf("%s holds no entry files; an entry file ends in .md", path)
	}
	if err != nil {
		return "", nil, err
	}
	data, err = bundle.WriteZip(files)
	return filepath.Base(path) + ".zip", data, err
}

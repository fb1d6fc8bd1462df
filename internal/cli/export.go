package cli

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/core/bundle"
	"goldshelf/core/entry"
)

func (a *app) exportCommand() *cli.Command {
	return &cli.Command{
		Name: "export", Usage: "take entries out: into a folder, or a .zip, .csv or .json file", ArgsUsage: "PATH [SLUG…]",
		Description: "A folder gets one file an entry, and only what has changed is written. A .json file is a bundle with all versions and history, which another Gold Shelf takes in. - writes a table to standard output.",
		Flags:       append(labelFlags(), &cli.BoolFlag{Name: "samples", Usage: "into a .json bundle: with the samples of styles, which are somebody's writing"}),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if !cmd.Args().Present() {
				return wrongUse("export takes a path, such as a folder or library.json, and then slugs if not all entries are meant")
			}
			path := cmd.Args().First()
			q, err := labelsOf(cmd)
			if err != nil {
				return err
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			format := map[string]bundle.Format{".csv": bundle.CSV, ".json": bundle.JSON}[filepath.Ext(path)]
			switch {
			case path == "-":
				format = bundle.CSV
			case format == "":
				format = bundle.Folder
			}
			if cmd.Bool("samples") && format != bundle.JSON {
				return wrongUse("samples go into a .json bundle alone")
			}
			take := func() ([]byte, error) { return c.Export(ctx, format, cmd.Args().Tail(), q) }
			if cmd.Bool("samples") {
				take = func() ([]byte, error) { return c.ExportWithSamples(ctx, cmd.Args().Tail(), q) }
			}
			data, err := take()
			switch {
			case err != nil:
				return err
			case path == "-":
				_, err = a.out.Write(data)
				return err
			case format == bundle.Folder && filepath.Ext(path) != ".zip":
				return a.unpack(path, data)
			}
			if err := writeWhole(path, data); err != nil {
				return err
			}
			a.say("%s: %d bytes.", path, len(data))
			return nil
		},
	}
}

// unpack writes a zip's files into a folder, those that differ from what is there.
func (a *app) unpack(folder string, data []byte) error {
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return err
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	into, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer into.Close()
	written, entries := 0, 0
	for _, f := range r.File {
		part, err := f.Open()
		if err != nil {
			return err
		}
		text, err := io.ReadAll(part)
		if err != nil {
			return err
		}
		name := f.Name
		_, err = entry.ParseSlug(strings.TrimSuffix(name, ".md"))
		switch {
		case err == nil:
			entries++
		case bundle.IsBesideEntries(name):
			if err := into.MkdirAll(path.Dir(name), 0o755); err != nil {
				return err
			}
		default:
			return fmt.Errorf("the service sent a file called %q, which is no entry's; it was not written", name)
		}
		have, err := into.ReadFile(name)
		if err == nil && bytes.Equal(have, text) {
			continue
		}
		if err = replaceIn(into, name, text); err != nil {
			return err
		}
		if !bundle.IsBesideEntries(name) {
			written++
		}
	}
	a.say("%s: %s, %d of them written.", folder, count(entries, "entry", "entries"), written)
	return nil
}

// replaceIn writes a file of a folder so that nobody ever sees half of it, and nothing
// outside the folder is touched, whatever links it holds.
func replaceIn(folder *os.Root, name string, data []byte) error {
	fresh := path.Join(path.Dir(name), ".goldshelf-"+path.Base(name))
	if err := folder.WriteFile(fresh, data, 0o644); err != nil {
		return err
	}
	if err := folder.Rename(fresh, name); err != nil {
		return errors.Join(err, folder.Remove(fresh))
	}
	return nil
}

// writeWhole writes a file so that nobody ever sees half of it.
func writeWhole(path string, data []byte) error {
	f, err := os.CreateTemp(filepath.Dir(path), ".goldshelf-*")
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	err = errors.Join(err, f.Chmod(0o644), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return nil
}

package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"goldshelf/internal/backup"
	"goldshelf/internal/service"
	"goldshelf/internal/store"
)

func backupCommand(o *service.Options, database []cli.Flag) *cli.Command {
	return &cli.Command{
		Name: "backup", Usage: "write the whole library into one file, while it is served or not", ArgsUsage: "FILE|-",
		Description: "Of one moment, without who is signed in. Secrets that are kept in files are not in it: keep --secret-key-file and --secrets-dir elsewhere. \"-\" is standard output. goldshelfd restore --check FILE says whether a backup is good.",
		Flags:       database,
		Action: func(ctx context.Context, c *cli.Command) error {
			if c.Args().Len() != 1 {
				return errors.New("backup takes one file, or - for standard output")
			}
			path := c.Args().First()
			if path == "-" {
				if term.IsTerminal(int(os.Stdout.Fd())) {
					return errors.New("a backup is not for a terminal to show; write it into a file or a pipe")
				}
				m, err := service.BackUp(ctx, *o, os.Stdout)
				return told(*o, "standard output", m, err)
			}
			return backUp(ctx, *o, path)
		},
	}
}

// backUp writes a backup so that nobody ever finds half of it.
func backUp(ctx context.Context, o service.Options, path string) error {
	if _, err := os.Stat(path); !errors.Is(err, fs.ErrNotExist) {
		return errors.Join(fmt.Errorf("%s is there already; choose another name", path), err)
	}
	fresh, err := os.CreateTemp(filepath.Dir(path), ".backup-")
	if err != nil {
		return err
	}
	defer os.Remove(fresh.Name())
	m, err := service.BackUp(ctx, o, fresh)
	if err == nil {
		err = fresh.Sync()
	}
	if err = errors.Join(err, fresh.Close()); err != nil {
		return err
	}
	return told(o, path, m, os.Rename(fresh.Name(), path))
}

func told(o service.Options, where string, m backup.Manifest, err error) error {
	if err == nil {
		fmt.Fprintf(o.Err, "Backed up to %s: %d entries in %d versions, %d records of changes.\n", where, m.Rows["entries"], m.Rows["versions"], m.Rows["events"])
	}
	return err
}

func restoreCommand(o *service.Options, database []cli.Flag) *cli.Command {
	return &cli.Command{
		Name: "restore", Usage: "put a backup, or an archive as it was at a time, into an empty directory or database", ArgsUsage: "FILE|ARCHIVE-DIR",
		Description: "Everybody signs in anew, and nothing is published, told or asked by itself until goldshelfd resume or a curator says so: the library that it is a copy of may have done it. With --check it is put into a database that is thrown away, and every text and the whole record of changes are held against what was backed up.",
		Flags: append([]cli.Flag{&cli.BoolFlag{Name: "check", Usage: "only say whether the backup is good"},
			&cli.StringFlag{Name: "until", Usage: "of an archive: as it was at this `TIME`, such as 2026-11-30T08:00:00Z; as late as there is anything, if left out"}}, database...),
		Action: func(ctx context.Context, c *cli.Command) error {
			if c.Args().Len() != 1 {
				return errors.New("restore takes one file that goldshelfd backup has written")
			}
			path := c.Args().First()
			if info, err := os.Stat(path); err == nil && info.IsDir() {
				return restoreArchive(ctx, *o, path, c.String("until"))
			}
			if c.String("until") != "" {
				return errors.New("--until is for the folder of an archive; a backup is of one moment")
			}
			if c.Bool("check") {
				m, records, err := service.CheckBackup(ctx, *o, path)
				if err != nil {
					return err
				}
				fmt.Fprintf(o.Out, "%s is good: %s of %s, %d entries in %d versions; all %d records of changes hold.\n",
					path, m.Library, m.MadeAt.Format(time.RFC3339), m.Rows["entries"], m.Rows["versions"], records)
				return nil
			}
			m, err := service.Restore(ctx, *o, path)
			if err != nil {
				return err
			}
			fmt.Fprintf(o.Out, "Restored %s of %s: %d entries in %d versions. Start the service, look at it, and then say goldshelfd resume.\n",
				m.Library, m.MadeAt.Format(time.RFC3339), m.Rows["entries"], m.Rows["versions"])
			return nil
		},
	}
}

// restoreArchive restores an archive as it was at a time.
func restoreArchive(ctx context.Context, o service.Options, dir, at string) error {
	var until time.Time
	if at != "" {
		var err error
		if until, err = time.Parse(time.RFC3339, at); err != nil {
			return fmt.Errorf("--until is %q; write it as 2026-11-30T08:00:00Z, or with +01:00", at)
		}
	}
	last, err := service.RestoreUntil(ctx, o, dir, until)
	if err != nil {
		return err
	}
	fmt.Fprintf(o.Out, "Restored; its last change is of %s. Start the service, look at it, and then say goldshelfd resume.\n", last.UTC().Format(time.RFC3339))
	return nil
}

func resumeCommand(o *service.Options, database []cli.Flag) *cli.Command {
	return &cli.Command{
		Name: "resume", Usage: "have a library that was restored do again what is due", ArgsUsage: " ",
		Flags: database,
		Action: func(ctx context.Context, c *cli.Command) error {
			if err := service.Resume(ctx, *o); err != nil {
				return err
			}
			fmt.Fprintln(o.Out, "From now on it publishes, tells channels and asks models as before.")
			return nil
		},
	}
}

// pending says which steps of the schema there are to be done.
func pending(ctx context.Context, o service.Options) error {
	return service.Look(ctx, o, func(db *store.DB) error {
		steps, err := db.Pending(ctx)
		if err != nil {
			return err
		}
		if len(steps) == 0 {
			fmt.Fprintln(o.Out, "The schema is up to date.")
			return nil
		}
		for _, s := range steps {
			fmt.Fprintf(o.Out, "%d  %s", s.Number, s.Name)
			if s.Oldest > 0 {
				fmt.Fprintf(o.Out, "  (a goldshelfd that knows step %d can go on with it)", s.Oldest)
			}
			fmt.Fprintln(o.Out)
		}
		return nil
	})
}

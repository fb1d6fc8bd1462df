package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
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
		Description: "Of one moment, without who is signed in. It is signed with the key in --backup-key-file. Secrets that are kept in files are not in it: keep --secret-key-file and --secrets-dir elsewhere. \"-\" is standard output. goldshelfd restore --check FILE says whether a backup is good.",
		Flags:       slices.Concat(keyFiles(o), database),
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
			m, err := service.BackUpTo(ctx, *o, path)
			return told(*o, path, m, err)
		},
	}
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
		Description: "It restores a backup only if this library's key, or a --key, signed it. Everybody signs in anew, and nothing is published, told or asked by itself until goldshelfd resume or a curator says so: the library that it is a copy of may have done it. With --check it is put into a database that is thrown away, and every text and the whole record of changes are held against what was backed up.",
		Flags: slices.Concat([]cli.Flag{&cli.BoolFlag{Name: "check", Usage: "only say whether the backup is good"},
			&cli.StringSliceFlag{Name: "key", Usage: "take what was signed with this `PUBLIC` key, too: the one that goldshelfd doctor shows where it was made"},
			&cli.StringFlag{Name: "until", Usage: "of an archive: as it was at this `TIME`, such as 2026-11-30T08:00:00Z; as late as there is anything, if left out"}}, keyFiles(o), database),
		Action: func(ctx context.Context, c *cli.Command) error {
			if c.Args().Len() != 1 {
				return errors.New("restore takes one file that goldshelfd backup has written")
			}
			path := c.Args().First()
			if info, err := os.Stat(path); err == nil && info.IsDir() {
				if c.Bool("check") {
					return errors.New("--check is for the file of a backup; restore the archive into another --data-dir to try it")
				}
				return restoreArchive(ctx, *o, path, c.StringSlice("key"), c.String("until"))
			}
			if c.String("until") != "" {
				return errors.New("--until is for the folder of an archive; a backup is of one moment")
			}
			if c.Bool("check") {
				m, records, err := service.CheckBackup(ctx, *o, path, c.StringSlice("key"))
				if err != nil {
					return err
				}
				fmt.Fprintf(o.Out, "%s is good: %s of %s, %d entries in %d versions; all %d records of changes hold.\n",
					path, m.Library, m.MadeAt.Format(time.RFC3339), m.Rows["entries"], m.Rows["versions"], records)
				return nil
			}
			m, err := service.Restore(ctx, *o, path, c.StringSlice("key"))
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
func restoreArchive(ctx context.Context, o service.Options, dir string, keys []string, at string) error {
	var until time.Time
	if at != "" {
		var err error
		if until, err = time.Parse(time.RFC3339, at); err != nil {
			return fmt.Errorf("--until is %q; write it as 2026-11-30T08:00:00Z, or with +01:00", at)
		}
	}
	last, err := service.RestoreUntil(ctx, o, dir, keys, until)
	if err != nil {
		return err
	}
	fmt.Fprintf(o.Out, "Restored; its last change is of %s. Start the service, look at it, and then say goldshelfd resume.\n", last.UTC().Format(time.RFC3339))
	return nil
}

// keyFiles are the flags that say where the key is that signs backups.
func keyFiles(o *service.Options) []cli.Flag {
	return []cli.Flag{secretKeyFile(o), backupKeyFile(o)}
}

func secretKeyFile(o *service.Options) cli.Flag {
	return &cli.StringFlag{Name: "secret-key-file", Usage: "the `FILE` with the key under which secrets of connections are kept in the database: 32 random bytes in base64", Sources: cli.EnvVars("GOLDSHELF_SECRET_KEY_FILE"), Destination: &o.SecretKeyFile}
}

func backupKeyFile(o *service.Options) cli.Flag {
	return &cli.StringFlag{Name: "backup-key-file", Usage: "the `FILE` with the key that signs backups, which is made where there is none; backup-key beside --secret-key-file, or in the data directory, if left out", Sources: cli.EnvVars("GOLDSHELF_BACKUP_KEY_FILE"), Destination: &o.BackupKeyFile}
}

func backupKeyCommand(o *service.Options, database []cli.Flag) *cli.Command {
	return &cli.Command{
		Name: "backup-key", Usage: "show the public key by which others know this library's backups", ArgsUsage: " ",
		Description: "goldshelfd restore --key PUBLIC takes a backup of another machine by it.",
		Flags:       slices.Concat([]cli.Flag{&cli.BoolFlag{Name: "change", Usage: "sign with a new key from now on; what the earlier one signed is good further"}}, keyFiles(o), database),
		Action: func(_ context.Context, c *cli.Command) error {
			key, err := service.BackupKey(*o, c.Bool("change"))
			if err == nil {
				fmt.Fprintln(o.Out, key)
			}
			return err
		},
	}
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

// Command goldshelfd is the service.
package main

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/audit"
	"goldshelf/internal/documents"
	"goldshelf/internal/jobs"
	"goldshelf/internal/people"
	"goldshelf/internal/service"
	"goldshelf/internal/stocktake"
	"goldshelf/internal/store"
	"goldshelf/internal/version"
	"goldshelf/internal/work"
)

func main() {
	if documents.IsAsked(os.Args) {
		os.Exit(documents.Main(os.Stdin, os.Stdout, os.Stderr))
	}
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(200) // the heap is small: collected half as often it is hardly larger
	}
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(188 << 20) // a large import collects its garbage sooner
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := command().Run(ctx, os.Args); err != nil {
		fmt.Fprintln(os.Stderr, "goldshelfd:", err)
		os.Exit(1)
	}
}

func command() *cli.Command {
	var o service.Options
	database := []cli.Flag{
		&cli.StringFlag{Name: "database-url", Usage: "keep the library in this PostgreSQL database", Sources: cli.EnvVars("GOLDSHELF_DATABASE_URL"), Destination: &o.DatabaseURL},
		&cli.StringFlag{Name: "data-dir", Usage: "or run a private PostgreSQL here", Value: service.DefaultDataDir(), Sources: cli.EnvVars("GOLDSHELF_DATA_DIR"), Destination: &o.DataDir},
	}
	serving := append([]cli.Flag{
		&cli.StringFlag{Name: "listen", Usage: "where to listen", Value: "127.0.0.1:7420", Sources: cli.EnvVars("GOLDSHELF_LISTEN"), Destination: &o.Listen},
		&cli.StringFlag{Name: "public-url", Usage: "where people find the service, such as https://shelf.example, if a proxy stands before it", Sources: cli.EnvVars("GOLDSHELF_PUBLIC_URL"), Destination: &o.PublicURL},
		&cli.StringSliceFlag{Name: "trusted-proxy", Usage: "the `ADDRESS` of a proxy whose word on where a request comes from is believed", Sources: cli.EnvVars("GOLDSHELF_TRUSTED_PROXY"), Destination: &o.Proxies},
		&cli.IntFlag{Name: "database-connections", Usage: "how many connections to the database to open at most", Value: store.Connections, Sources: cli.EnvVars("GOLDSHELF_DATABASE_CONNECTIONS"), Destination: &o.Connections},
		&cli.StringFlag{Name: "read-database-url", Usage: "read what is on the shelf from this physical replica of the database of --database-url", Sources: cli.EnvVars("GOLDSHELF_READ_DATABASE_URL"), Destination: &o.ReadURL},
		&cli.StringFlag{Name: "head-file", Usage: "keep the head of the record of changes in this `FILE`, best on another disk; in the data directory, if left out", Sources: cli.EnvVars("GOLDSHELF_HEAD_FILE"), Destination: &o.HeadFile},
		&cli.BoolFlag{Name: "demo", Usage: "fill an empty library with the demo of Larkfen Water", Sources: cli.EnvVars("GOLDSHELF_DEMO"), Destination: &o.Demo},
		&cli.StringSliceFlag{Name: "allow-channel", Usage: "let channels be at this `HOST` inside the machine or network, with or without a port", Sources: cli.EnvVars("GOLDSHELF_ALLOW_CHANNEL"), Destination: &o.Inside},
		&cli.StringSliceFlag{Name: "allow-connection", Usage: "let models answer at this `HOST` inside the machine or network, with or without a port", Sources: cli.EnvVars("GOLDSHELF_ALLOW_CONNECTION"), Destination: &o.ModelsInside},
		&cli.StringFlag{Name: "secrets-dir", Usage: "the `DIRECTORY` whose files are the secrets of connections", Sources: cli.EnvVars("GOLDSHELF_SECRETS_DIR"), Destination: &o.SecretsDir},
		&cli.StringFlag{Name: "backup-dir", Usage: "back the library up into this `FOLDER` by itself, best on another disk", Sources: cli.EnvVars("GOLDSHELF_BACKUP_DIR"), Destination: &o.BackupDir},
		&cli.DurationFlag{Name: "backup-every", Usage: "how often", Value: 24 * time.Hour, Sources: cli.EnvVars("GOLDSHELF_BACKUP_EVERY"), Destination: &o.BackupEvery},
		&cli.IntFlag{Name: "backup-keep", Usage: "how many backups are kept; older ones are deleted", Value: 14, Sources: cli.EnvVars("GOLDSHELF_BACKUP_KEEP"), Destination: &o.BackupKeep},
		&cli.StringFlag{Name: "archive-dir", Usage: "keep the log of all that a private database writes in this `FOLDER`, best on another disk, with a copy of it --backup-every, so that the library can be restored as it was at any time", Sources: cli.EnvVars("GOLDSHELF_ARCHIVE_DIR"), Destination: &o.ArchiveDir},
		&cli.StringFlag{Name: "tls-cert", Usage: "speak TLS, with the certificate in this `FILE` and those above it, in PEM", Sources: cli.EnvVars("GOLDSHELF_TLS_CERT"), Destination: &o.TLSCert},
		&cli.StringFlag{Name: "tls-key", Usage: "the `FILE` with its key; both are read again when they change", Sources: cli.EnvVars("GOLDSHELF_TLS_KEY"), Destination: &o.TLSKey},
		&cli.StringFlag{Name: "oidc-issuer", Usage: "have people sign in at this OpenID Connect provider, a `URL`, too", Sources: cli.EnvVars("GOLDSHELF_OIDC_ISSUER"), Destination: &o.SignOn.Issuer},
		&cli.StringFlag{Name: "oidc-client-id", Usage: "as what it knows the service", Sources: cli.EnvVars("GOLDSHELF_OIDC_CLIENT_ID"), Destination: &o.SignOn.ClientID},
		&cli.StringFlag{Name: "oidc-client-secret-file", Usage: "the `FILE` with the client's secret, if it has one", Sources: cli.EnvVars("GOLDSHELF_OIDC_CLIENT_SECRET_FILE"), Destination: &o.SignOn.SecretFile},
		&cli.StringFlag{Name: "oidc-name", Usage: "what people call it", Value: "the company's sign-on", Sources: cli.EnvVars("GOLDSHELF_OIDC_NAME"), Destination: &o.SignOn.Name},
		&cli.StringFlag{Name: "oidc-groups-claim", Usage: "the `CLAIM` in which it says which groups somebody is in", Value: "groups", Sources: cli.EnvVars("GOLDSHELF_OIDC_GROUPS_CLAIM"), Destination: &o.SignOn.Groups},
		&cli.StringFlag{Name: "otlp-endpoint", Usage: "send traces and logs to this `URL`, such as http://127.0.0.1:4318, by OpenTelemetry's protocol over HTTP", Sources: cli.EnvVars("GOLDSHELF_OTLP_ENDPOINT", "OTEL_EXPORTER_OTLP_ENDPOINT"), Destination: &o.OTLP},
		secretKeyFile(&o), backupKeyFile(&o),
	}, database...)
	o.Log = slog.New(slog.NewTextHandler(os.Stderr, nil))
	o.Out, o.Err = os.Stdout, os.Stderr
	return &cli.Command{
		Name:            "goldshelfd",
		Usage:           "serve a company's shared library of prompts",
		HideHelpCommand: true,
		Commands: []*cli.Command{
			{
				Name:   "serve",
				Usage:  "run the service until it is told to stop",
				Flags:  serving,
				Action: func(ctx context.Context, _ *cli.Command) error { return service.Serve(ctx, o) },
			},
			{
				Name:        "models",
				Usage:       "answer as simulated models, to try the library without real ones",
				Description: "A connection with this address needs no secret and no mapping; the service that asks it wants --allow-connection.",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "listen", Usage: "where to listen", Value: "127.0.0.1:7430", Destination: &o.Listen},
					&cli.Float64Flag{Name: "latency", Usage: "how much of their own time the models take; 0 answers at once", Value: 1},
				},
				Action: func(ctx context.Context, c *cli.Command) error {
					return service.ServeModels(ctx, o, c.Float64("latency"))
				},
			},
			{
				Name:  "migrate",
				Usage: "bring the database's schema up to date, and do nothing else",
				Flags: append([]cli.Flag{&cli.BoolFlag{Name: "dry-run", Usage: "say which steps there are to be done, and do none"}}, database...),
				Action: func(ctx context.Context, c *cli.Command) error {
					if c.Bool("dry-run") {
						return pending(ctx, o)
					}
					return service.WithStore(ctx, o, func(context.Context, *store.DB) error { return nil })
				},
			},
			{
				Name:  "version",
				Usage: "say which goldshelfd this is",
				Action: func(context.Context, *cli.Command) error {
					fmt.Println("goldshelfd", version.String())
					return nil
				},
			},
			{
				Name: "doctor", Usage: "say what is wrong with the set-up, and what to do about it", ArgsUsage: " ",
				Description: "With the flags, or the environment, that the service is started with; it changes nothing. Exit status 1 if something is wrong.",
				Flags:       append([]cli.Flag{&cli.BoolFlag{Name: "json", Usage: "as JSON"}}, serving...),
				Action:      func(ctx context.Context, c *cli.Command) error { return examine(ctx, o, c.Bool("json")) },
			},
			backupCommand(&o, database), backupKeyCommand(&o, database), restoreCommand(&o, database), resumeCommand(&o, database),
			setupCommand(&o, database),
			{
				Name:  "user",
				Usage: "look after the people of the library",
				Commands: []*cli.Command{{
					Name:      "add",
					Usage:     "add someone; the password is the first line of standard input",
					ArgsUsage: "NAME",
					Flags: append([]cli.Flag{
						&cli.StringFlag{Name: "full-name", Required: true, Usage: "the name that colleagues read"},
						&cli.StringFlag{Name: "role", Value: "reader", Usage: "reader, contributor, reviewer or curator"},
						&cli.StringFlag{Name: "department"},
					}, database...),
					Action: func(ctx context.Context, c *cli.Command) error { return addUser(ctx, c, o) },
				}, {
					Name:      "password",
					Usage:     "give someone a new password, the first line of standard input, and sign them out everywhere",
					ArgsUsage: "NAME",
					Flags:     database,
					Action:    func(ctx context.Context, c *cli.Command) error { return resetPassword(ctx, c, o) },
				}, {
					Name:      "data",
					Usage:     "write all that the library has of someone, as JSON; they may read their own under Your account",
					ArgsUsage: "NAME",
					Flags:     database,
					Action:    func(ctx context.Context, c *cli.Command) error { return userData(ctx, c, o) },
				}},
			},
			{
				Name:        "load",
				Usage:       "move a whole library into an empty one, published as it was",
				ArgsUsage:   "BUNDLE|DIR",
				Description: "A bundle of a Gold Shelf, or a folder of entry files. The library needs a curator first (setup), who owns what nobody here owned. It is recorded as moved in.",
				Flags:       database,
				Action:      func(ctx context.Context, c *cli.Command) error { return load(ctx, c, o) },
			},
			{
				Name:   "roll-up",
				Usage:  "work out anew by day and week what was used, from the uses that are kept",
				Flags:  database,
				Action: func(ctx context.Context, _ *cli.Command) error { return rollUp(ctx, o) },
			},
			{
				Name:  "audit",
				Usage: "look after the record of changes",
				Commands: []*cli.Command{{
					Name:        "verify",
					Usage:       "hold every record against the one before it, and say which is the first that does not hold",
					Description: "Exit status 1 if one does not hold. With --head also what an earlier verification gave is held against it: that finds a record which was made anew from its beginning.",
					Flags: append([]cli.Flag{
						&cli.StringFlag{Name: "head", Usage: "the `HEAD` that an earlier verification gave; what the service has kept, if left out"},
						&cli.StringFlag{Name: "head-file", Usage: "the `FILE` in which the service keeps it", Sources: cli.EnvVars("GOLDSHELF_HEAD_FILE"), Destination: &o.HeadFile},
					}, database...),
					Action: func(ctx context.Context, c *cli.Command) error { return verify(ctx, o, c.String("head")) },
				}},
			},
		},
	}
}

// verify reads the record of changes. It does so beside a service that runs, too.
func verify(ctx context.Context, o service.Options, head string) error {
	if head == "" && o.HeadKept() != "" {
		var err error
		if head, err = jobs.ReadHead(o.HeadKept()); err != nil {
			return err
		}
	}
	return service.Look(ctx, o, func(db *store.DB) error {
		v, err := audit.Verify(ctx, work.New(db, time.Now), head)
		if err != nil {
			return err
		}
		if v.Broken > 0 {
			return fmt.Errorf("record %d of %d does not hold: %s", v.Broken, v.Records, v.Why)
		}
		if v.HeadIn == nil {
			fmt.Println("There was no head to hold it against: a record made anew from its beginning would hold too.")
		}
		fmt.Printf("All %d records hold. Keep this, and verify against it later: %s\n", v.Records, v.Head)
		return nil
	})
}

// passwordLine reads a password: the first line of standard input.
func passwordLine() (string, error) {
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if line = strings.TrimRight(line, "\r\n"); line == "" {
		return "", errors.Join(errors.New("write the password to standard input, on one line"), err)
	}
	return line, nil
}

// rollUp works out anew what was used.
func rollUp(ctx context.Context, o service.Options) error {
	return service.Beside(ctx, o, func(db *store.DB) error {
		days, err := stocktake.New(work.New(db, time.Now)).RollUpAgain(ctx)
		if err == nil {
			fmt.Fprintf(o.Out, "Rolled up %d days.\n", days)
		}
		return err
	})
}

func addUser(ctx context.Context, c *cli.Command, o service.Options) error {
	if c.Args().Len() != 1 {
		return errors.New("user add takes one name, such as tamsin.hale")
	}
	password, err := passwordLine()
	if err != nil {
		return err
	}
	person := api.Person{
		Name: strings.ToLower(c.Args().First()), FullName: c.String("full-name"),
		Department: c.String("department"), Role: entry.Role(c.String("role")),
	}
	return service.Beside(ctx, o, func(db *store.DB) error {
		return people.New(work.New(db, time.Now)).AddWithPassword(ctx, person, password)
	})
}

// userData prints all that the library has of someone.
func userData(ctx context.Context, c *cli.Command, o service.Options) error {
	if c.Args().Len() != 1 {
		return errors.New("user data takes one name, such as tamsin.hale")
	}
	return service.Look(ctx, o, func(db *store.DB) error {
		data, err := people.New(work.New(db, time.Now)).DataOf(ctx, strings.ToLower(c.Args().First()))
		if err != nil {
			return err
		}
		enc := json.NewEncoder(o.Out)
		enc.SetIndent("", "  ")
		return enc.Encode(data)
	})
}

func resetPassword(ctx context.Context, c *cli.Command, o service.Options) error {
	if c.Args().Len() != 1 {
		return errors.New("user password takes one name, such as tamsin.hale")
	}
	password, err := passwordLine()
	if err != nil {
		return err
	}
	return service.Beside(ctx, o, func(db *store.DB) error {
		return people.New(work.New(db, time.Now)).ResetPassword(ctx, strings.ToLower(c.Args().First()), password)
	})
}

package main

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"slices"
	"text/tabwriter"
	"time"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/internal/labels"
	"goldshelf/internal/people"
	"goldshelf/internal/service"
	"goldshelf/internal/settings"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

func setupCommand(o *service.Options, database []cli.Flag) *cli.Command {
	return &cli.Command{
		Name:        "setup",
		Usage:       "make an empty library ready: its first curator, its labels, its people",
		Description: "The same as the console's first visit, for those without a browser. The service may run meanwhile. The curator's password is the first line of standard input.",
		Flags: slices.Concat([]cli.Flag{
			&cli.StringFlag{Name: "curator", Required: true, Usage: "the `NAME` that the first curator signs in with"},
			&cli.StringFlag{Name: "full-name", Required: true, Usage: "and the name that colleagues read"},
			&cli.StringFlag{Name: "library", Usage: "what the library is called"},
			&cli.StringFlag{Name: "zone", Value: "UTC", Usage: "the time zone in which its days begin, such as Europe/London"},
			&cli.StringFlag{Name: "labels", Usage: "departments and other labels: a CSV `FILE` with the columns facet, term and title"},
			&cli.StringFlag{Name: "people", Usage: "a CSV `FILE` with the columns name, full_name, role and department; each gets a link to set a password with"},
			&cli.StringFlag{Name: "url", Value: "http://127.0.0.1:7420", Usage: "where people will find the service, for the links"},
		}, keyFiles(o), database),
		Action: func(ctx context.Context, c *cli.Command) error { return setup(ctx, c, *o) },
	}
}

// setup does what can be done twice first, and ends with what cannot: after a mistake it
// is run again.
func setup(ctx context.Context, c *cli.Command, o service.Options) error {
	labelled, err := table(c.String("labels"))
	if err != nil {
		return err
	}
	persons, err := table(c.String("people"))
	if err != nil {
		return err
	}
	password, err := passwordLine()
	if err != nil {
		return err
	}
	curator := api.Person{Name: c.String("curator"), FullName: c.String("full-name")}
	err = service.Beside(ctx, o, func(db *store.DB) error {
		w := work.New(db, time.Now)
		everyone, library := people.New(w), settings.New(w)
		if err := everyone.CheckFirstCurator(ctx, curator, password); err != nil {
			return err
		}
		now, err := library.Library(ctx)
		if err != nil {
			return err
		}
		want := api.Library{Name: cmp.Or(c.String("library"), now.Name, "Gold Shelf"), Zone: c.String("zone")}
		if _, err := library.SetLibrary(ctx, work.Service(), now.Number, want); err != nil {
			return err
		}
		if labelled != nil {
			if _, err := labels.New(w).Import(ctx, work.Service(), labelled); err != nil {
				return fmt.Errorf("%s: %w", c.String("labels"), err)
			}
		}
		if persons != nil {
			if err := everyone.CheckImport(ctx, persons); err != nil {
				return fmt.Errorf("%s: %w", c.String("people"), err)
			}
		}
		if err := everyone.AddFirstCurator(ctx, curator, password); err != nil {
			return err
		}
		fmt.Fprintf(o.Out, "%s is the first curator, and signs in as %s.\n", curator.FullName, curator.Name)
		if persons == nil {
			return nil
		}
		added, err := everyone.Import(ctx, work.Service(), persons)
		if err != nil {
			return fmt.Errorf("%s: %w; put it right, and add them with goldshelf people --import", c.String("people"), err)
		}
		fmt.Fprintln(o.Out, "Hand these over now, they are shown this once. Each sets a password, once:")
		lines := tabwriter.NewWriter(o.Out, 0, 0, 2, ' ', 0)
		for _, l := range added.Items {
			fmt.Fprintf(lines, "%s\t%s/set-password#%s\n", l.Person.FullName, c.String("url"), l.Code)
		}
		return lines.Flush()
	})
	if err != nil {
		return err
	}
	key, err := service.BackupKey(o, false)
	if err != nil { // a database of one's own whose key is nowhere yet
		fmt.Fprintf(o.Out, "Backups cannot be made yet: %v.\n", err)
		return nil
	}
	fmt.Fprintf(o.Out, "Backups are signed; another machine takes them by this public key: %s\n", key)
	return nil
}

// table reads a file that may have been left out.
func table(path string) ([]byte, error) {
	if path == "" {
		return nil, nil
	}
	return os.ReadFile(path)
}

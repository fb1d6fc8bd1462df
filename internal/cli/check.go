package cli

import (
	"context"
	"errors"
	"fmt"
	"os"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/check"
)

// report is what the checks found in one file or entry.
type report struct {
	Name string `json:"name"`
	api.Checked
}

func (a *app) check() *cli.Command {
	return &cli.Command{
		Name: "check", Usage: "read entry files, or an entry of the library, as a careful editor would", ArgsUsage: "FILE…|SLUG",
		Description: "Files are checked with the library around them if you are signed in and it answers, and else by all rules that need none. The exit status is 6 where something would stop a submission.",
		Flags:       []cli.Flag{&cli.BoolFlag{Name: "offline", Usage: "ask no service"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if !cmd.Args().Present() {
				return wrongUse("check takes entry files, or the slug of an entry")
			}
			reports, err := a.reports(ctx, cmd.Args().Slice(), cmd.Bool("offline"))
			if err != nil {
				return err
			}
			if err := a.print(reports, func() error { return a.printReports(reports) }); err != nil {
				return err
			}
			for _, r := range reports {
				for _, f := range r.Findings {
					if f.Severity == check.Stop {
						return errStopped
					}
				}
			}
			return nil
		},
	}
}

func (a *app) reports(ctx context.Context, names []string, offline bool) ([]report, error) {
	if _, err := os.Stat(names[0]); len(names) == 1 && names[0] != "-" && errors.Is(err, os.ErrNotExist) && !offline {
		c, err := a.signedIn()
		if err != nil {
			return nil, err
		}
		found, err := c.CheckEntry(ctx, names[0])
		return []report{{names[0], found}}, err
	}
	entries, err := a.readFiles(names, "")
	if err != nil {
		return nil, err
	}
	c, err := a.client()
	if err != nil {
		return nil, err
	}
	all := make([]report, len(entries))
	for i, in := range entries {
		if all[i], err = checkFile(ctx, c, names[i], in.NewEntry, offline || c.Token == ""); err != nil {
			return nil, err
		}
		for j := range all[i].Findings {
			if f := &all[i].Findings[j]; f.Line > 0 {
				f.Line += in.bodyLine - 1 // of the file, not of the text below its header
			}
		}
	}
	return all, nil
}

// checkFile asks the service, and where none answers reads the file itself.
func checkFile(ctx context.Context, c *client.Client, name string, in api.NewEntry, offline bool) (report, error) {
	if !offline {
		found, err := c.Check(ctx, in)
		var gone *client.Unreachable
		if !errors.As(err, &gone) && client.Status(err) != 401 {
			return report{name, found}, err
		}
	}
	if err := in.Content.Problems().Err(); err != nil {
		return report{}, inFile(name, err)
	}
	read := check.Input{Slug: in.Slug, Owner: in.Owner, Content: in.Content}
	return report{name, api.Checked{
		Findings: check.Run(read, check.Policy{}), Parts: check.Parts(read),
		Words: check.Words(in.Body), Tokens: check.Tokens(in.Body),
	}}, nil
}

func (a *app) printReports(reports []report) error {
	for _, r := range reports {
		counts := map[check.Severity]int{}
		for _, f := range r.Findings {
			counts[f.Severity]++
			place := r.Name + f.Field
			if f.Line > 0 {
				place = fmt.Sprintf("%s:%d:%d", r.Name, f.Line, f.Column)
			}
			if _, err := a.printf("%s: %s %s: %s\n", place, f.Severity, f.Rule, f.Message); err != nil {
				return err
			}
		}
		a.say("%s: %s, %s, %s; %d words, about %d tokens.", r.Name, count(counts[check.Stop], "stop", "stops"),
			count(counts[check.Warning], "warning", "warnings"), count(counts[check.Note], "note", "notes"), r.Words, r.Tokens)
	}
	return nil
}

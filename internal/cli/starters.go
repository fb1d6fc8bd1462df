package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
)

// starters shows and keeps what new entries begin with.
func (a *app) starters() *cli.Command {
	return &cli.Command{
		Name: "starters", Usage: "show what new entries begin with, by department", ArgsUsage: "[DEPARTMENT [FILE]]",
		Description: "With a department it prints that starter as an entry file; with a file too, a curator keeps it.",
		Flags:       []cli.Flag{&cli.BoolFlag{Name: "delete", Usage: "delete the department's starter"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			department, file := cmd.Args().Get(0), cmd.Args().Get(1)
			if cmd.Bool("delete") {
				return c.DeleteStarter(ctx, department)
			}
			if file != "" {
				all, err := a.readFiles([]string{file}, "starter")
				if err != nil {
					return err
				}
				b, err := c.SetStarter(ctx, department, all[0].Content)
				return a.reportStarters(b, "", err)
			}
			b, err := c.Starters(ctx)
			return a.reportStarters(b, department, err)
		},
	}
}

func (a *app) reportStarters(b api.Starters, department string, err error) error {
	if err != nil {
		return err
	}
	return a.print(b, func() error {
		t := a.table("DEPARTMENT", "KIND", "LABELS")
		for _, s := range b.Starters {
			if s.Department == department {
				return a.printFile(api.Entry{Content: s.Content})
			}
			var labels []string
			for _, terms := range s.Content.Labels {
				labels = append(labels, terms...)
			}
			t.row(s.Department, string(s.Content.Kind), strings.Join(sorted(labels), ", "))
		}
		if department != "" {
			return wrongUse("no starter is kept for %q", department)
		}
		t.print()
		for _, h := range b.Helpers {
			a.say("%s writes prompts: %s.", h.Slug, h.Title)
		}
		return nil
	})
}

// helper marks a prompt that writes prompts.
func (a *app) helper() *cli.Command {
	return &cli.Command{
		Name: "helper", Usage: "mark a published prompt as one that writes prompts, which New offers", ArgsUsage: "SLUG",
		Flags: []cli.Flag{&cli.BoolFlag{Name: "off", Usage: "take the mark back"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			slug, err := one(cmd, "slug")
			if err != nil {
				return err
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			b, err := c.SetHelper(ctx, slug, !cmd.Bool("off"))
			return a.reportStarters(b, "", err)
		},
	}
}

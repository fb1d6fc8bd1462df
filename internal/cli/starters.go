package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
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
		t := a.table("FOR", "KIND", "LABELS")
		for _, s := range b.Starters {
			if department != "" && s.Department == department {
				return a.printFile(api.Entry{Content: s.Content})
			}
			var labels []string
			for _, terms := range s.Content.Labels {
				labels = append(labels, terms...)
			}
			t.row(orElse(s.Department, s.Title), string(s.Content.Kind), strings.Join(sorted(labels), ", "))
		}
		if department != "" {
			return wrongUse("no starter is kept for %q", department)
		}
		t.print()
		for _, h := range b.Helpers {
			a.say("%s writes prompts: %s.", h.Slug, h.Title)
		}
		for _, h := range b.Editing {
			a.say("%s helps with the writing: %s.", h.Slug, h.Title)
		}
		return nil
	})
}

// helper says what a prompt helps with.
func (a *app) helper() *cli.Command {
	return &cli.Command{
		Name: "helper", Usage: "say that a published prompt writes prompts, which New offers, or changes replies", ArgsUsage: "SLUG",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "refinement", Usage: "it changes a reply, as in shorter, plainer, warmer: talks offer it"},
			&cli.BoolFlag{Name: "editing", Usage: "it changes a text that somebody writes: the editor offers it"},
			&cli.BoolFlag{Name: "off", Usage: "take the mark back"},
		},
		Action: a.onEntry(func(ctx context.Context, cmd *cli.Command, c *client.Client, slug string) error {
			helps := "draft"
			switch {
			case cmd.Bool("off"):
				helps = ""
			case cmd.Bool("refinement"):
				helps = "refinement"
			case cmd.Bool("editing"):
				helps = "editing"
			}
			b, err := c.SetHelper(ctx, slug, helps)
			return a.reportStarters(b, "", err)
		}),
	}
}

package cli

import (
	"context"
	"fmt"
	"strconv"

	"github.com/urfave/cli/v3"

	"goldshelf/client"
)

func (a *app) pull() *cli.Command {
	return &cli.Command{
		Name: "pull", Usage: "write published entries, and what they use, as files that an application fills from", ArgsUsage: "SLUG[@N]…",
		Description: "Beside the files stands a pin file with each one's version and sha256. Without slugs, what was pulled before is pulled again. With --check nothing is written: it says what is newer on the shelf, and the exit status is 5 where something is.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "to", Usage: "the folder", Required: true},
			&cli.StringFlag{Name: "pin", Usage: "the pin `FILE`; " + client.PinFile + " in the folder, if left out"},
			&cli.StringFlag{Name: "for", Usage: "with how this `APPLICATION` wants stacks delivered"},
			&cli.BoolFlag{Name: "check", Usage: "say what is newer, and write nothing"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			dir, pinFile, slugs := cmd.String("to"), cmd.String("pin"), cmd.Args().Slice()
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if cmd.Bool("check") {
				return a.checkPins(ctx, c, dir, pinFile)
			}
			application := cmd.String("for")
			if len(slugs) == 0 {
				pins, err := client.ReadPins(dir, pinFile)
				if err != nil {
					return err
				}
				for _, p := range pins {
					if p.Layout && application == "" {
						application = p.Slug
					}
					if p.Asked && p.Stays {
						slugs = append(slugs, fmt.Sprintf("%s@%d", p.Slug, p.Version))
					} else if p.Asked {
						slugs = append(slugs, p.Slug)
					}
				}
			}
			all, err := c.Pull(ctx, slugs...)
			if err != nil {
				return err
			}
			if application != "" {
				l, err := c.PullLayout(ctx, application)
				if err != nil {
					return err
				}
				all = append(all, l)
			}
			if err := client.WriteFolder(dir, pinFile, all); err != nil {
				return err
			}
			pins := make([]client.Pin, len(all))
			for i, p := range all {
				pins[i] = p.Pin
			}
			return a.print(pins, func() error {
				t := a.table("SLUG", "VERSION", "")
				for _, p := range pins {
					why := a.text("used by the others")
					switch {
					case p.Set:
						why = a.text("the question set that a sheet answers")
					case p.Layout:
						why = a.text("how the application wants stacks delivered")
					}
					if p.Asked {
						why = a.text("asked for")
					}
					t.row(p.Slug, strconv.Itoa(p.Version), why)
				}
				t.print()
				return nil
			})
		},
	}
}

func (a *app) checkPins(ctx context.Context, c *client.Client, dir, pinFile string) error {
	pins, err := client.ReadPins(dir, pinFile)
	if err != nil {
		return err
	}
	newer, err := c.CheckPins(ctx, pins)
	if err != nil {
		return err
	}
	err = a.print(append([]client.Newer{}, newer...), func() error {
		t := a.table("SLUG", "HERE", "ON THE SHELF")
		for _, n := range newer {
			now := strconv.Itoa(n.Now)
			if n.Now == 0 {
				now = n.Why
			}
			t.row(n.Slug, strconv.Itoa(n.Have), now)
		}
		t.print()
		return nil
	})
	if err == nil && len(newer) > 0 {
		err = &changed{a.text("%s: %s newer on the shelf; goldshelf pull --to %s takes them", dir, count(len(newer), "entry is", "entries are"), dir)}
	}
	return err
}

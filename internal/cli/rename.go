package cli

import (
	"context"

	"github.com/urfave/cli/v3"
)

// rename gives an entry another slug.
func (a *app) rename() *cli.Command {
	return &cli.Command{
		Name: "rename", Usage: "give an entry another slug; the old one goes on meaning it", ArgsUsage: "SLUG NEW",
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Args().Len() != 2 {
				return wrongUse("rename takes the slug that an entry has and the one that it gets")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			e, err := c.Rename(ctx, cmd.Args().Get(0), cmd.Args().Get(1))
			if err != nil {
				return err
			}
			return a.print(e, func() error {
				a.say("It is called %s now. %s leads there.", e.Slug, cmd.Args().Get(0))
				return nil
			})
		},
	}
}

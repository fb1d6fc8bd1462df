package cli

import (
	"context"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
)

// favourite keeps entries at hand, and lists them.
func (a *app) favourite() *cli.Command {
	return &cli.Command{
		Name: "favourite", Usage: "keep entries at hand, or list those that are", ArgsUsage: "[SLUG…]",
		Description: "Without arguments it lists your favourites, the last that was added first.",
		Flags:       []cli.Flag{&cli.BoolFlag{Name: "remove", Usage: "keep them at hand no longer"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			change := c.AddFavourite
			if cmd.Bool("remove") {
				change = c.RemoveFavourite
			}
			for _, slug := range cmd.Args().Slice() {
				if err := change(ctx, slug); err != nil {
					return err
				}
			}
			all, err := c.Favourites(ctx)
			if err != nil {
				return err
			}
			return a.print(api.Items{Items: all}, func() error {
				if len(all) == 0 {
					a.say("You keep nothing at hand yet; goldshelf favourite SLUG does.")
					return nil
				}
				return a.printList(api.List{Items: all, Total: len(all)}, false)
			})
		},
	}
}

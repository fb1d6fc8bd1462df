package cli

import (
	"context"

	"github.com/urfave/cli/v3"
)

// sessions shows where one is signed in, and ends one of them.
func (a *app) sessions() *cli.Command {
	return &cli.Command{
		Name: "sessions", Usage: "show where you are signed in, and end a session", ArgsUsage: "[ID]",
		Description: "With --end that session ends; goldshelf logout --everywhere ends all.",
		Flags:       []cli.Flag{&cli.BoolFlag{Name: "end", Usage: "end the session of this id"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Args().Len() > 1 || cmd.Bool("end") != cmd.Args().Present() {
				return wrongUse("list them with goldshelf sessions; end one with goldshelf sessions ID --end")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if id := cmd.Args().First(); id != "" {
				if err := c.EndSession(ctx, id); err != nil {
					return err
				}
				a.say("It has ended.")
				return nil
			}
			all, err := c.Sessions(ctx)
			if err != nil {
				return err
			}
			return a.print(all, func() error {
				t := a.table("ID", "WHERE", "SINCE", "LAST USED", "")
				for _, s := range all.Items {
					note := ""
					if s.Current {
						note = a.text("this one")
					}
					t.row(s.ID, orElse(s.Agent, "a program"), a.when(s.Begun, "2 Jan 2006 15:04"), a.when(s.Used, "2 Jan 2006 15:04"), note)
				}
				t.print()
				return nil
			})
		},
	}
}

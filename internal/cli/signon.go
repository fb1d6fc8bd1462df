package cli

import (
	"context"
	"slices"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/core/entry"
)

// signOn shows and says what the groups of the company's sign-on mean.
func (a *app) signOn() *cli.Command {
	return &cli.Command{
		Name: "sign-on", Usage: "show and say which role and department the groups of the company's sign-on mean", ArgsUsage: "[GROUP]",
		Description: "Of several groups the highest role holds, and the first department. Whoever is in none is a reader or, with --only, does not come in.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "role", Usage: "the group means this `ROLE`: reader, contributor, reviewer or curator"},
			&cli.StringFlag{Name: "department", Usage: "the group means this `DEPARTMENT`"},
			&cli.BoolFlag{Name: "delete", Usage: "the group means nothing any more"},
			&cli.BoolFlag{Name: "only", Usage: "whether only people come in who are in one of the groups; --only=false lets all in"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Args().Len() > 1 {
				return wrongUse("say one group")
			}
			group := cmd.Args().First()
			about := cmd.IsSet("role") || cmd.IsSet("department") || cmd.Bool("delete")
			if about != (group != "") {
				return wrongUse("say which group, and with --role, --department or --delete what it means")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			now, err := c.SignOnGroups(ctx)
			if err != nil {
				return err
			}
			if group != "" || cmd.IsSet("only") {
				want := now
				if want.Items = groupSaid(cmd, now.Items, group); cmd.IsSet("only") {
					want.Only = cmd.Bool("only")
				}
				if now, err = c.SetSignOnGroups(ctx, now.Number, want); err != nil {
					return err
				}
			}
			return a.print(now, func() error { a.printSignOnGroups(now); return nil })
		},
	}
}

func groupSaid(cmd *cli.Command, items []api.SignOnGroup, group string) []api.SignOnGroup {
	if group == "" {
		return items
	}
	i := slices.IndexFunc(items, func(g api.SignOnGroup) bool { return g.Group == group })
	if cmd.Bool("delete") {
		return slices.DeleteFunc(items, func(g api.SignOnGroup) bool { return g.Group == group })
	}
	if i < 0 {
		items = append(items, api.SignOnGroup{Group: group})
		i = len(items) - 1
	}
	if cmd.IsSet("role") {
		items[i].Role = entry.Role(cmd.String("role"))
	}
	if cmd.IsSet("department") {
		items[i].Department = cmd.String("department")
	}
	return items
}

func (a *app) printSignOnGroups(now api.SignOnGroups) {
	t := a.table("GROUP", "ROLE", "DEPARTMENT")
	for _, g := range now.Items {
		t.row(g.Group, string(g.Role), g.Department)
	}
	t.print()
	if now.Only {
		a.say("Whoever is in none of them does not come in.")
	} else {
		a.say("Whoever is in none of them comes in as a reader.")
	}
}

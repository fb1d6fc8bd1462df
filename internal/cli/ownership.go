package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
)

func (a *app) transfer() *cli.Command {
	return &cli.Command{
		Name: "transfer", Usage: "have someone else answer for an entry, or for all of a person's", ArgsUsage: "[SLUG…]",
		Description: "Done at once by a curator's word; else it waits until the new owner accepts it. Several are transferred together, or none.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "to", Usage: "the sign-in name of the `PERSON` who answers for it from now on", Required: true},
			&cli.StringFlag{Name: "all-of", Usage: "all that this `PERSON` owns"},
			&cli.BoolFlag{Name: "dry-run", Usage: "of several: say what would be transferred, and do nothing"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			from := cmd.String("all-of")
			if (from == "") == (cmd.Args().Len() == 0) {
				return wrongUse("transfer takes slugs, or --all-of PERSON")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			var out api.Transferred
			switch {
			case from != "":
				out, err = c.TransferAll(ctx, from, cmd.String("to"))
			case cmd.Args().Len() > 1 || cmd.Bool("dry-run"):
				req := api.TransferMany{Slugs: cmd.Args().Slice(), To: cmd.String("to")}
				plan, err := c.PlanTransfer(ctx, req)
				if err != nil || cmd.Bool("dry-run") {
					return a.transferPlan(plan, err)
				}
				req.Digest = plan.Digest
				if out, err = c.TransferMany(ctx, req); err != nil {
					return err
				}
			default:
				out, err = c.Transfer(ctx, cmd.Args().First(), cmd.String("to"))
			}
			if err != nil {
				return err
			}
			return a.print(out, func() error {
				for _, slug := range out.Done {
					a.printf("%s: %s answers for it now\n", slug, cmd.String("to"))
				}
				for _, slug := range out.Offered {
					a.printf("%s: offered to %s, who has to accept it\n", slug, cmd.String("to"))
				}
				if len(out.Done)+len(out.Offered) == 0 {
					a.say("%s owns nothing.", from)
				}
				return nil
			})
		},
	}
}

// transferPlan shows what would be transferred.
func (a *app) transferPlan(plan api.TransferPlan, err error) error {
	if err != nil {
		return err
	}
	return a.print(plan, func() error {
		t := a.table("SLUG", "ENTRY", "OWNER", "HOW")
		for _, it := range plan.Items {
			t.row(it.Slug, it.Title, it.Owner, map[bool]string{true: "offered", false: "at once"}[it.Offered])
		}
		t.print()
		if plan.Same > 0 {
			a.say("%d they answer for already.", plan.Same)
		}
		return nil
	})
}

func (a *app) owners() *cli.Command {
	flags := []cli.Flag{
		&cli.StringFlag{Name: "deputy", Usage: "the sign-in name of the `PERSON` who stands in for the owner; '' for nobody"},
		&cli.StringFlag{Name: "department", Usage: "the `DEPARTMENT` that it belongs to; '' for none"},
	}
	given := func(cmd *cli.Command, name string) *string {
		if !cmd.IsSet(name) {
			return nil
		}
		text := cmd.String(name)
		return &text
	}
	return about(a, cli.Command{Name: "owners", Usage: "show who answers for an entry, or say who stands in", Flags: flags},
		func(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) (api.Entry, error) {
			change := api.Owners{Deputy: given(cmd, "deputy"), Department: given(cmd, "department")}
			if change == (api.Owners{}) {
				return c.Entry(ctx, slug)
			}
			return c.SetOwners(ctx, slug, change)
		},
		func(e api.Entry, _ string) error {
			deputy, department := "nobody", "none"
			if e.Deputy != "" {
				deputy = fmt.Sprintf("%s (%s)", e.DeputyName, e.Deputy)
			}
			if e.Department != "" {
				department = e.Department
			}
			_, err := a.printf("%s\n  owner       %s (%s)\n  deputy      %s\n  department  %s\n", e.Slug, e.OwnerName, e.Owner, deputy, department)
			return err
		})
}

func (a *app) accept() *cli.Command {
	return about(a, cli.Command{Name: "accept", Usage: "accept an entry that someone would transfer to you"},
		func(ctx context.Context, c *client.Client, slug string, _ *cli.Command) (api.Entry, error) {
			return c.Accept(ctx, slug)
		},
		func(e api.Entry, _ string) error {
			_, err := a.printf("%s: you answer for it now\n", e.Slug)
			return err
		})
}

func (a *app) decline() *cli.Command {
	return about(a, cli.Command{Name: "decline", Usage: "leave an entry that someone would transfer to you with its owner"},
		func(ctx context.Context, c *client.Client, slug string, _ *cli.Command) (struct{}, error) {
			return struct{}{}, c.Decline(ctx, slug)
		},
		func(_ struct{}, slug string) error {
			_, err := a.printf("%s: stays with its owner\n", slug)
			return err
		})
}

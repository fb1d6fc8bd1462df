package cli

import (
	"bufio"
	"context"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
)

// partOfBulk is how many entries the service takes an action on at once.
const partOfBulk = 500

func (a *app) bulk() *cli.Command {
	return &cli.Command{
		Name: "bulk", Usage: "submit, publish, retire … many entries at once, once you have seen what will be done", ArgsUsage: "ACTION [SLUG…]",
		Description: "ACTION is submit, withdraw, publish, unpublish, retire, restore or renew. With --find it is taken on all entries\n" +
			"that a search finds. On which it can be taken, and why not on the others, is shown first.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "find", Usage: "take all entries that these `WORDS` find"},
			&cli.StringFlag{Name: "state", Usage: "with --find: those in this `STATE`"},
			&cli.BoolFlag{Name: "mine", Usage: "take all entries that you answer for, or with --find those among them"},
			&cli.StringFlag{Name: "note", Usage: "to submit: what has changed and why, where a draft does not say so itself; to renew: what was looked at"},
			&cli.StringFlag{Name: "because", Usage: "to retire or unpublish: the reason"},
			&cli.StringFlag{Name: "instead", Usage: "to retire: the `SLUG` of what to use instead"},
			&cli.BoolFlag{Name: "dry-run", Usage: "only show what would be done"},
			&cli.BoolFlag{Name: "yes", Usage: "do it without asking, where nobody is there to answer"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if !cmd.Args().Present() {
				return wrongUse("say what to do: submit, withdraw, publish, unpublish, retire, restore or renew")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			req := api.Bulk{
				Action: entry.Action(cmd.Args().First()), Slugs: cmd.Args().Tail(),
				Note: cmd.String("note"), Because: cmd.String("because"), Instead: cmd.String("instead"),
			}
			if cmd.String("find") != "" || cmd.Bool("mine") {
				q := client.Query{Words: cmd.String("find"), State: entry.State(cmd.String("state")), Mine: cmd.Bool("mine")}
				found, err := allFound(ctx, c, q)
				if err != nil {
					return err
				}
				for _, slug := range found {
					if !slices.Contains(cmd.Args().Tail(), slug) { // named already
						req.Slugs = append(req.Slugs, slug)
					}
				}
			}
			plans, err := planBulk(ctx, c, req)
			if err != nil {
				return err
			}
			if cmd.Bool("dry-run") {
				return a.print(together(plans), func() error { return a.printBulk(together(plans)) })
			}
			if !cmd.Bool("yes") {
				if ok, err := a.agreesTo(req.Action, together(plans)); err != nil || !ok {
					return err
				}
			}
			return a.applyBulk(ctx, c, req, plans)
		},
	}
}

// allFound gives all entries that a search finds.
func allFound(ctx context.Context, c *client.Client, q client.Query) (slugs []string, err error) {
	q.Limit = 200
	for {
		list, err := c.Entries(ctx, q)
		if err != nil {
			return nil, err
		}
		for _, it := range list.Items {
			if len(it.Missing) == 0 { // what has only most of the words was not asked for
				slugs = append(slugs, it.Slug)
			}
		}
		if q.Cursor = list.Next; q.Cursor == "" {
			return slugs, nil
		}
	}
}

// planBulk plans an action in parts that the service takes.
func planBulk(ctx context.Context, c *client.Client, req api.Bulk) (plans []api.BulkPlan, err error) {
	parts := slices.Collect(slices.Chunk(req.Slugs, partOfBulk))
	if len(parts) == 0 {
		parts = [][]string{{}} // the service says what is missing
	}
	for _, part := range parts {
		req.Slugs = part
		plan, err := c.PlanBulk(ctx, req)
		if err != nil {
			return nil, err
		}
		plans = append(plans, plan)
	}
	return plans, nil
}

// together is what several plans show.
func together(plans []api.BulkPlan) (all api.BulkPlan) {
	all = api.BulkPlan{Items: []api.BulkItem{}, Left: []api.BulkLeft{}}
	for _, p := range plans {
		all.Items = append(all.Items, p.Items...)
		all.Left = append(all.Left, p.Left...)
	}
	if len(plans) == 1 {
		all.Digest = plans[0].Digest
	}
	return all
}

func (a *app) printBulk(plan api.BulkPlan) error {
	t := a.table("SLUG", "ENTRY", "VERSION", "STATE", "SEEN")
	for _, it := range plan.Items {
		t.row(it.Slug, it.Title, a.text("%d", it.Version), it.State.Said().In(a.language), string(it.Seen))
	}
	t.print()
	a.sayLeft(plan.Left)
	return nil
}

func (a *app) sayLeft(left []api.BulkLeft) {
	for _, l := range left {
		a.say("%s is left as it is: %s", l.Slug, l.Why)
	}
}

// agreesTo shows what would be done to people at a terminal, and asks them.
func (a *app) agreesTo(action entry.Action, plan api.BulkPlan) (bool, error) {
	if !isTerminal(a.in) || !isTerminal(a.errs) {
		return false, wrongUse("nobody is there to answer; --yes does it, --dry-run shows what would be done")
	}
	if err := a.printBulk(plan); err != nil || len(plan.Items) == 0 {
		return false, err
	}
	answer, err := a.ask(bufio.NewReader(a.in), a.text("%s: %s? [y/N] ", action, count(len(plan.Items), "entry", "entries")))
	if err != nil || !strings.HasPrefix(strings.ToLower(strings.TrimSpace(answer)), "y") {
		a.say("Nothing was changed.")
		return false, err
	}
	return true, nil
}

// applyBulk does what was shown, part by part, and says after each what is done.
func (a *app) applyBulk(ctx context.Context, c *client.Client, req api.Bulk, plans []api.BulkPlan) error {
	all := api.BulkDone{Done: []string{}, Left: []api.BulkLeft{}}
	parts := slices.Collect(slices.Chunk(req.Slugs, partOfBulk))
	var failed error
	for i, plan := range plans {
		req.Slugs, req.Digest = parts[i], plan.Digest
		out, err := c.ApplyBulk(ctx, req)
		if err != nil {
			failed = err
			break
		}
		all.Done, all.Left, all.Undo = append(all.Done, out.Done...), append(all.Left, out.Left...), out.Undo
	}
	if failed != nil && len(all.Done) == 0 {
		return failed
	}
	err := a.print(all, func() error {
		for _, slug := range all.Done {
			a.printf("%s: %s\n", slug, req.Action)
		}
		a.sayLeft(all.Left)
		if all.Undo != "" && len(all.Done) > 0 {
			a.say("goldshelf bulk %s undoes it.", all.Undo)
		}
		return nil
	})
	if failed != nil {
		a.say("The others were left as they were.")
		return failed
	}
	return err
}

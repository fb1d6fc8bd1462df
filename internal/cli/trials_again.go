package cli

import (
	"context"
	"fmt"
	"goldshelf/api"
	"goldshelf/client"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"
)

// againOf plans to run the newest trial of an entry again that is against its test bed.
func againOf(all api.Trials, title string) (api.NewTrial, error) {
	if all.Again != nil {
		return api.NewTrial{Title: title, Again: all.Again.Trial}, nil
	}
	for _, t := range all.Items {
		if !t.Private && t.About == nil {
			return api.NewTrial{Title: title, Again: t.ID}, nil
		}
	}
	return api.NewTrial{}, wrongUse("there is no trial of the entry yet; begin one without --again")
}

// tryUsers tries all that uses an entry with its open version, and waits for it.
func (a *app) tryUsers(ctx context.Context, c *client.Client, cmd *cli.Command, slug string) error {
	names, err := modelsOf(ctx, c, cmd)
	if err != nil {
		return err
	}
	in := api.NewUserTrials{Model: names[0], Times: cmd.Int("times"), Matters: cmd.Float64("matters")}
	if all := cmd.StringSlice("version"); len(all) > 0 {
		in.Version = all[0]
	}
	estimate, err := c.EstimateUserTrials(ctx, slug, in)
	if err != nil {
		return err
	}
	if cmd.Bool("estimate") {
		return a.print(estimate, func() error {
			a.say("%s.", count(estimate.Trials, "trial", "trials"))
			a.sayEstimate(estimate.TrialEstimate)
			return nil
		})
	}
	begun, err := c.StartUserTrials(ctx, slug, in)
	if err != nil {
		return err
	}
	if !a.json {
		a.say("%s.", count(estimate.Trials, "trial", "trials"))
		a.sayEstimate(estimate.TrialEstimate)
	}
	if !cmd.Bool("no-wait") {
		for i, u := range begun.Items {
			if u.Trial == nil {
				continue
			}
			ended, err := c.WatchTrial(ctx, u.Trial.ID, func(api.TrialItem) {})
			if err != nil {
				return err
			}
			begun.Items[i].Trial = &ended
		}
	}
	return a.print(begun, func() error { a.printUserTrials(begun); return nil })
}

func (a *app) printUserTrials(all api.UserTrials) {
	t := a.table("ENTRY", "FILLS", fmt.Sprintf("WITH %s@%d", strings.ToUpper(all.Of.Entry), all.Of.Version), "TRIAL")
	for _, u := range all.Items {
		change, id := u.Why.String(), ""
		if u.Trial != nil {
			id, change = u.Trial.ID, a.state(u.Trial.State)
			if u.Trial.Change != "" {
				change = u.Trial.Change.Said().In(a.language)
			}
		}
		t.row(u.Slug, strconv.Itoa(u.Fills), change, id)
	}
	t.print()
}

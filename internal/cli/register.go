package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/register"
)

// register shows and changes the applications and models that are used.
func (a *app) register() *cli.Command {
	return &cli.Command{
		Name: "register", Usage: "show and change the applications and models that are used, and what they cost", ArgsUsage: " ",
		Description: "An application or a model is named as application/NAME or model/NAME; its name is a label. With --set what is not said stays as it is.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "add", Usage: "register `FACET/NAME`, with --title"},
			&cli.StringFlag{Name: "set", Usage: "change what is kept of `FACET/NAME`"},
			&cli.StringFlag{Name: "title", Usage: "what people read"},
			&cli.StringFlag{Name: "status", Usage: "allowed, on-trial, not-to-be-used or gone"},
			&cli.StringFlag{Name: "keeper", Usage: "who looks after it, by the sign-in `NAME`"},
			&cli.StringFlag{Name: "notes", Usage: "what else there is to say"},
			&cli.IntFlag{Name: "tokens", Usage: "of a model: how many tokens it takes at once"},
			&cli.Float64Flag{Name: "price-in", Usage: "of a model: the price of a million tokens that it reads"},
			&cli.Float64Flag{Name: "price-out", Usage: "of a model: the price of a million tokens that it writes"},
			&cli.Float64Flag{Name: "cost", Usage: "of an application: what it costs a month"},
			&cli.IntFlag{Name: "seats", Usage: "of an application"},
			&cli.StringFlag{Name: "renews", Usage: "of an application: the `DAY` on which it is renewed"},
			&cli.StringFlag{Name: "replaces", Usage: "the `NAME` of what it takes the place of"},
			&cli.Float64Flag{Name: "cap", Usage: "what all applications may cost in a month"},
			&cli.StringFlag{Name: "currency", Usage: "with --cap: its three letters"},
			&cli.BoolFlag{Name: "over-cap", Usage: "also where the month would pass the cap"},
			&cli.StringFlag{Name: "move", Usage: "give all entries that have `FACET/NAME` another in its place, with --to"},
			&cli.StringFlag{Name: "to", Usage: "with --move: the `NAME` that they have then"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if cmd.String("move") != "" {
				return a.moveLabel(ctx, c, cmd)
			}
			out, err := changeRegister(ctx, c, cmd)
			if err != nil {
				return err
			}
			return a.print(out, func() error { a.printRegister(out); return nil })
		},
	}
}

// changeRegister does what the flags say, and gives the register.
func changeRegister(ctx context.Context, c *client.Client, cmd *cli.Command) (api.Register, error) {
	now, err := c.Register(ctx)
	if err != nil {
		return now, err
	}
	over := cmd.Bool("over-cap")
	switch {
	case cmd.String("add") != "":
		facet, name, err := facetAndName(cmd.String("add"))
		if err != nil {
			return now, err
		}
		d := register.Details{Status: register.Allowed}
		detailsOf(cmd, &d)
		return c.AddRegistered(ctx, api.NewRegistered{Facet: facet, Name: name, Title: cmd.String("title"), Details: d, OverCap: over})
	case cmd.String("set") != "":
		facet, name, err := facetAndName(cmd.String("set"))
		if err != nil {
			return now, err
		}
		for _, it := range now.Items {
			if it.Facet == facet && it.Name == name {
				detailsOf(cmd, &it.Details)
				return c.ChangeRegistered(ctx, now.Number, facet, name, api.RegisteredChange{Title: cmd.String("title"), Details: it.Details, OverCap: over})
			}
		}
		return now, wrongUse("there is no %s %q in the register; goldshelf register lists it, and --add adds one", facet, name)
	case cmd.IsSet("cap") || cmd.IsSet("currency"):
		b := now.Budget
		if cmd.IsSet("cap") {
			n := cmd.Float64("cap")
			b.Cap = &n
		}
		if cmd.IsSet("currency") {
			b.Currency = cmd.String("currency")
		}
		return c.SetBudget(ctx, now.Number, api.BudgetChange{Budget: b, OverCap: over})
	}
	return now, nil
}

// detailsOf changes what the flags say.
func detailsOf(cmd *cli.Command, d *register.Details) {
	text := func(flag string, to *string) {
		if cmd.IsSet(flag) {
			*to = cmd.String(flag)
		}
	}
	money := func(flag string, to **float64) {
		if cmd.IsSet(flag) {
			n := cmd.Float64(flag)
			*to = &n
		}
	}
	number := func(flag string, to *int) {
		if cmd.IsSet(flag) {
			*to = cmd.Int(flag)
		}
	}
	if cmd.IsSet("status") {
		d.Status = register.Status(cmd.String("status"))
	}
	text("keeper", &d.Keeper)
	text("notes", &d.Notes)
	text("renews", &d.Renews)
	text("replaces", &d.Replaces)
	money("price-in", &d.PriceIn)
	money("price-out", &d.PriceOut)
	money("cost", &d.CostMonth)
	number("tokens", &d.TokenLimit)
	number("seats", &d.Seats)
}

func facetAndName(given string) (facet, name string, err error) {
	facet, name, ok := strings.Cut(given, "/")
	if !ok || facet != register.Application && facet != register.Model || name == "" {
		return "", "", wrongUse("%q names nothing in the register; write application/NAME or model/NAME", given)
	}
	return facet, name, nil
}

func (a *app) moveLabel(ctx context.Context, c *client.Client, cmd *cli.Command) error {
	facet, name, err := facetAndName(cmd.String("move"))
	if err != nil {
		return err
	}
	out, err := c.MoveLabel(ctx, facet, name, cmd.String("to"))
	if err != nil {
		return err
	}
	return a.print(out, func() error {
		a.say("%s %s now.", count(out.Entries, "entry has", "entries have"), cmd.String("to"))
		if out.Undo != "" {
			a.say("goldshelf labels --undo %s takes it back, for an hour.", out.Undo)
		}
		return nil
	})
}

func (a *app) printRegister(r api.Register) {
	t := a.table("NAME", "TITLE", "STATUS", "LOOKED AFTER BY", "COSTS", "RENEWED", "ON THE SHELF")
	for _, it := range r.Items {
		t.row(it.Facet+"/"+it.Name, it.Title, it.Status.Said().In(a.language), it.KeeperName, costs(it), it.Renews, strconv.Itoa(it.Entries))
	}
	t.print()
	m := r.Month
	switch {
	case r.Budget.Cap == nil:
		a.say("A month costs %s %s; there is no cap.", register.Amount(m.Total), r.Budget.Currency)
	case m.Level == register.Over:
		names := make([]string, len(m.WouldGo))
		for i, g := range m.WouldGo {
			names[i] = fmt.Sprintf("%s (%s)", g.Title, register.Amount(g.Cost))
		}
		a.say("A month costs %s %s, %s over the cap of %s. To stay below it, this would have to go: %s.",
			register.Amount(m.Total), r.Budget.Currency, register.Amount(-m.Left), register.Amount(*r.Budget.Cap), strings.Join(names, ", "))
	default:
		left := "left"
		if m.Level == register.Near {
			left = "left: the cap is nearly reached"
		}
		a.say("A month costs %s of %s %s, with %s %s.", register.Amount(m.Total), register.Amount(*r.Budget.Cap), r.Budget.Currency, register.Amount(m.Left), left)
	}
}

func costs(it api.Registered) string {
	switch {
	case it.CostMonth != nil:
		return register.Amount(*it.CostMonth) + " a month"
	case it.PriceIn != nil || it.PriceOut != nil:
		price := func(n *float64) string {
			if n == nil {
				return "–"
			}
			return register.Amount(*n)
		}
		return price(it.PriceIn) + " in, " + price(it.PriceOut) + " out"
	}
	return ""
}

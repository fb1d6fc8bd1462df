package cli

import (
	"context"
	"fmt"
	"slices"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
)

// allowances shows and changes what may be used up in a month by asking models.
func (a *app) allowances() *cli.Command {
	return &cli.Command{
		Name: "allowances", Usage: "show and change what a person or a department may use up in a month by asking models", ArgsUsage: " ",
		Description: "Everybody sees what holds for themselves, curators all. --words and --money say what may be used up from now on, --off that there is no limit.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "person", Usage: "of the colleague who signs in with this `NAME`"},
			&cli.StringFlag{Name: "department", Usage: "of this `DEPARTMENT`, all of it together"},
			&cli.Int64Flag{Name: "words", Usage: "so many words of replies a month"},
			&cli.Float64Flag{Name: "money", Usage: "so much money a month, by the register's prices"},
			&cli.BoolFlag{Name: "off", Usage: "as much as they like"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			now, err := c.Allowances(ctx)
			if err != nil {
				return err
			}
			kind, name := "person", cmd.String("person")
			if name == "" {
				kind, name = "department", cmd.String("department")
			}
			if name != "" {
				if now, err = c.SetAllowance(ctx, kind, name, changedAllowance(cmd, now, kind, name)); err != nil {
					return err
				}
			} else if cmd.IsSet("words") || cmd.IsSet("money") || cmd.Bool("off") {
				return wrongUse("say whose it is: --person NAME or --department DEPARTMENT")
			}
			return a.print(now, func() error { a.printAllowances(now); return nil })
		},
	}
}

func changedAllowance(cmd *cli.Command, now api.Allowances, kind, name string) (in api.SetAllowance) {
	if i := slices.IndexFunc(now.All, func(l api.Allowance) bool { return l.Kind == kind && l.Name == name }); i >= 0 {
		in = api.SetAllowance{Words: now.All[i].Words, Money: now.All[i].Money, Number: now.All[i].Number}
	}
	if cmd.Bool("off") {
		in.Words, in.Money = nil, nil
	}
	if cmd.IsSet("words") {
		words := cmd.Int64("words")
		in.Words = &words
	}
	if cmd.IsSet("money") {
		money := cmd.Float64("money")
		in.Money = &money
	}
	return in
}

func (a *app) printAllowances(now api.Allowances) {
	all := now.All
	if all == nil {
		all = now.Mine
	}
	if len(all) == 0 {
		a.say("Nobody is limited in what they ask models.")
		return
	}
	t := a.table("WHOSE", "WORDS LEFT", "OF", "LEFT, "+now.Currency, "OF")
	for _, l := range all {
		words, ofWords, money, ofMoney := "", "", "", ""
		if l.Words != nil {
			words, ofWords = fmt.Sprint(max(0, *l.Words-l.SpentWords)), fmt.Sprint(*l.Words)
		}
		if l.Money != nil {
			money, ofMoney = fmt.Sprintf("%.2f", max(0, *l.Money-l.SpentMoney)), fmt.Sprintf("%.2f", *l.Money)
		}
		t.row(orElse(l.FullName, l.Name), words, ofWords, money, ofMoney)
	}
	t.print()
}

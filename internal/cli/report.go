package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
)

// report says how it went with an entry, shows what others said, and answers them.
func (a *app) report() *cli.Command {
	return &cli.Command{
		Name: "report", Usage: "say how it went with an entry, or see what was said", ArgsUsage: "SLUG[@N]",
		Description: "Without --worked or --fell-short it lists what was said, the newest first.",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "worked", Usage: "it did what it is for"},
			&cli.BoolFlag{Name: "fell-short", Usage: "it did not"},
			&cli.StringFlag{Name: "model", Usage: "the `MODEL` that answered"},
			&cli.StringFlag{Name: "words", Usage: "what is to be said of it, as `TEXT`"},
			&cli.StringFlag{Name: "reply", Usage: "a `FILE` with what the model answered; - reads it from standard input"},
			&cli.Int64Flag{Name: "answer", Usage: "settle the report with this `NUMBER`, with --because"},
			&cli.StringFlag{Name: "because", Usage: "the answer, as `TEXT`"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			slug, err := one(cmd, "slug")
			if err != nil {
				return err
			}
			if cmd.Bool("worked") && cmd.Bool("fell-short") {
				return wrongUse("it worked or it fell short, not both")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if id := cmd.Int64("answer"); id != 0 {
				if err := c.AnswerReport(ctx, slug, id, cmd.String("because")); err != nil {
					return err
				}
				a.say("Report %d on %s is settled; whoever wrote it hears your answer.", id, slug)
				return nil
			}
			if !cmd.Bool("worked") && !cmd.Bool("fell-short") {
				all, err := c.Reports(ctx, slug, "")
				if err != nil {
					return err
				}
				return a.print(all, func() error { a.printSaid(all); return nil })
			}
			worked := cmd.Bool("worked")
			in := api.NewReport{Worked: &worked, Model: cmd.String("model"), Words: cmd.String("words")}
			if file := cmd.String("reply"); file != "" {
				data, err := a.readAll(file)
				if err != nil {
					return err
				}
				in.Reply = string(data)
			}
			out, err := c.AddReport(ctx, slug, in)
			if err != nil {
				return err
			}
			return a.print(out, func() error {
				a.say("Thank you. Whoever answers for it sees this as report %d on version %d.", out.ID, out.Version)
				return nil
			})
		},
	}
}

func (a *app) printSaid(all api.Reports) {
	t := a.table("REPORT", "VERSION", "WHEN", "BY", "HOW", "MODEL", "WORDS")
	for _, r := range all.Items {
		t.row(fmt.Sprint(r.ID), fmt.Sprint(r.Version), a.when(r.At, "2 Jan 2006"), r.ByName, howItWent(r), r.Model, strings.Join(strings.Fields(r.Words), " "))
	}
	t.print()
	a.say("It worked %s and fell short %s; %d of those wait.", times(all.Worked), times(all.FellShort), all.Open)
}

func howItWent(r api.Report) string {
	switch {
	case r.Worked:
		return "worked"
	case r.SettledAt == nil && r.SettledIn > 0:
		return fmt.Sprintf("fell short; version %d is to settle it", r.SettledIn)
	case r.SettledAt == nil:
		return "fell short"
	case r.SettledIn > 0:
		return fmt.Sprintf("fell short; settled by version %d", r.SettledIn)
	}
	return "fell short; answered: " + r.Answer
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

// printBest shows the best of the shelf.
func (a *app) printBest(b api.Best) {
	t := a.table("", "SLUG", "TITLE", "TIMES")
	section := func(heading string) { t.row("", heading, "", "") }
	for _, part := range []struct {
		heading string
		all     []api.Ranked
	}{{a.text("Used most in %d days", b.Days), b.Used}, {"Kept at hand by most", b.Favoured}} {
		section(part.heading)
		for _, r := range part.all {
			t.row(r.Kind.Letter(), r.Slug, r.Title, fmt.Sprint(r.Times))
		}
	}
	section("New on the shelf")
	for _, it := range b.Newest {
		t.row(it.Kind.Letter(), it.Slug, it.Title, "")
	}
	section("Whose entries others use")
	for _, c := range b.Contributors {
		t.row("", c.Name, fmt.Sprintf("%s, %s", c.FullName, count(c.Entries, "entry", "entries")), fmt.Sprint(c.Times))
	}
	t.print()
}

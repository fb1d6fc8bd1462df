package cli

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/message"
	"goldshelf/core/trial"
)

// testBed shows and changes an entry's test bed.
func (a *app) testBed() *cli.Command {
	return &cli.Command{
		Name: "test-bed", Usage: "an entry's fills, and what replies to them must hold to", ArgsUsage: "SLUG",
		Description: "It prints the test bed as a file, which --set takes back: fills, each with a name and values, and expectations, each with a kind: holds, matches, words, headings, list, table, json, numbers, grade, style, avoided, verdict or mark. docs/trying.md tells what each takes.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "set", Usage: "change it by a `FILE` in YAML or JSON"},
			&cli.StringFlag{Name: "fills", Usage: "take the fills from this CSV `FILE`: a column for each blank, and one called name"},
		},
		Action: a.onEntry(func(ctx context.Context, cmd *cli.Command, c *client.Client, slug string) error {
			b, err := c.TestBed(ctx, slug)
			if err != nil {
				return err
			}
			if cmd.IsSet("set") || cmd.IsSet("fills") {
				in := b.Bed
				if cmd.IsSet("set") {
					in = trial.Bed{}
					if err := a.readYAML(cmd.String("set"), &in); err != nil {
						return err
					}
				}
				if cmd.IsSet("fills") {
					data, err := a.readAll(cmd.String("fills"))
					if err != nil {
						return err
					}
					read, err := c.ReadFills(ctx, string(data))
					if err != nil {
						return err
					}
					in.Fills = read.Fills
				}
				if b, err = c.SetTestBed(ctx, slug, b.Number, in); err != nil {
					return err
				}
				return a.print(b, func() error {
					a.say("The test bed of %s has %s and %s.", slug, count(len(b.Fills), "fill", "fills"), count(len(b.Expectations), "expectation", "expectations"))
					return nil
				})
			}
			return a.print(b, func() error { return a.printYAML(b.Bed) })
		}),
	}
}

// trial begins a trial and waits for it.
func (a *app) trial() *cli.Command {
	return &cli.Command{
		Name: "trial", Usage: "ask models for all fills of an entry's test bed, and see how often replies hold to what is expected", ArgsUsage: "SLUG",
		Description: "Each --model is a set-up; --version, --persona and --style given several times make a set-up for each. Ctrl-C leaves the trial running; goldshelf trials TRIAL shows it.",
		Flags: []cli.Flag{
			&cli.StringSliceFlag{Name: "model", Usage: "ask this `MODEL`; the first that can be asked, if left out"},
			&cli.StringSliceFlag{Name: "version", Usage: "of this `VERSION`: shelf, open or a number"},
			&cli.StringSliceFlag{Name: "persona", Usage: "speaking as this persona, or none; empty is the usual"},
			&cli.StringSliceFlag{Name: "style", Usage: "in this style, or none; empty is the usual"},
			&cli.IntFlag{Name: "times", Usage: "ask so many times each", Value: 1},
			&cli.Float64Flag{Name: "matters", Usage: "the smallest difference of two pass rates that matters", Value: trial.Matters},
			&cli.StringFlag{Name: "title", Usage: "what the trial is called"},
			&cli.StringFlag{Name: "plan", Usage: "take title, fills, expectations, set_ups, times and matters from this `FILE` in YAML or JSON"},
			&cli.Int64Flag{Name: "seed", Usage: "of the first time; each later one has the next"},
			&cli.StringFlag{Name: "rows", Usage: "no trial, but a reply to each row of this CSV `FILE`: a column for each blank. Only you see them, for 30 days"},
			&cli.BoolFlag{Name: "again", Usage: "run the entry's newest trial against its test bed again, with texts as they are now"},
			&cli.StringFlag{Name: "with", Usage: "beside each set-up one with this `VERSION` of another entry in place of the one on the shelf, as closing-line@open"},
			&cli.BoolFlag{Name: "users", Usage: "try all entries that use this one, as they are and with its open version"},
			&cli.BoolFlag{Name: "estimate", Usage: "only say what it would take"},
			&cli.BoolFlag{Name: "no-wait", Usage: "do not wait for the replies"},
		},
		Action: a.onEntry(func(ctx context.Context, cmd *cli.Command, c *client.Client, slug string) error {
			if cmd.Bool("users") {
				return a.tryUsers(ctx, c, cmd, slug)
			}
			in := api.NewTrial{Title: cmd.String("title"), Times: cmd.Int("times"), Matters: cmd.Float64("matters"), Seed: cmd.Int64("seed")}
			if cmd.IsSet("plan") {
				if err := a.readYAML(cmd.String("plan"), &in); err != nil {
					return err
				}
			}
			if cmd.IsSet("rows") {
				data, err := a.readAll(cmd.String("rows"))
				if err != nil {
					return err
				}
				read, err := c.ReadFills(ctx, string(data))
				if err != nil {
					return err
				}
				in.Fills, in.Private = read.Fills, true
			}
			if cmd.Bool("again") {
				all, err := c.Trials(ctx, slug, "")
				if err != nil {
					return err
				}
				if in, err = againOf(all, in.Title); err != nil {
					return err
				}
			}
			if in.SetUps == nil && in.Again == "" {
				var err error
				if in.SetUps, err = setUpsOf(ctx, c, cmd); err != nil {
					return err
				}
			}
			estimate, err := c.EstimateTrial(ctx, slug, in)
			if err != nil {
				return err
			}
			if cmd.Bool("estimate") {
				return a.print(estimate, func() error { a.sayEstimate(estimate); return nil })
			}
			begun, err := c.StartTrial(ctx, slug, in)
			if err != nil {
				return err
			}
			if cmd.Bool("no-wait") {
				return a.print(begun, func() error {
					a.say("The trial %s has begun. goldshelf trials %s shows it.", begun.ID, begun.ID)
					return nil
				})
			}
			if !a.json {
				a.sayEstimate(estimate)
			}
			ended, err := a.awaitTrial(ctx, c, begun)
			if err != nil {
				return err
			}
			return a.print(ended, func() error { a.printTrial(ended); return nil })
		}),
	}
}

// setUpsOf makes a set-up of each of what is given several times.
func setUpsOf(ctx context.Context, c *client.Client, cmd *cli.Command) ([]trial.SetUp, error) {
	names, err := modelsOf(ctx, c, cmd)
	if err != nil {
		return nil, err
	}
	each := func(flag string) []string {
		if all := cmd.StringSlice(flag); len(all) > 0 {
			return all
		}
		return []string{""}
	}
	var all []trial.SetUp
	for _, model := range names {
		for _, version := range each("version") {
			for _, persona := range each("persona") {
				for _, style := range each("style") {
					set := trial.SetUp{Model: model, Version: version, Persona: persona, Style: style}
					all = append(all, set)
					if set.With = cmd.String("with"); set.With != "" {
						all = append(all, set)
					}
				}
			}
		}
	}
	return all, nil
}

func (a *app) sayEstimate(e api.TrialEstimate) {
	cost := ""
	if e.Cost != nil {
		cost = a.text(", some %.4f %s", *e.Cost, e.Currency)
	}
	judged := ""
	if e.Judged > 0 {
		judged = a.text(" and %s by prompts", count(e.Judged, "verdict", "verdicts"))
	}
	a.say("%s%s: about %d tokens in, %d out%s.", count(e.Replies, "reply", "replies"), judged, e.TokensIn, e.TokensOut, cost)
}

// awaitTrial waits until a trial has ended, and says on a terminal how far it is.
func (a *app) awaitTrial(ctx context.Context, c *client.Client, t api.Trial) (api.Trial, error) {
	if t.State != "running" && t.Unchecked == 0 {
		return t, nil
	}
	moving := isTerminal(a.errs)
	_, err := c.WatchTrial(ctx, t.ID, func(now api.TrialItem) {
		if moving {
			fmt.Fprintf(a.errs, "\r%d of %d replies … ", now.Replies-now.Awaited, now.Replies)
		}
	})
	if ctx.Err() != nil {
		a.say("The trial goes on. goldshelf trials %s shows it.", t.ID)
		return t, ctx.Err()
	}
	if err != nil {
		return t, err
	}
	if moving {
		fmt.Fprint(a.errs, "\r\x1b[K")
	}
	return c.Trial(ctx, t.ID)
}

// trials shows trials, and does something to one.
func (a *app) trials() *cli.Command {
	return &cli.Command{
		Name: "trials", Usage: "trials of entries: list them, read one, stop it, compare replies blind", ArgsUsage: "[TRIAL]",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "of", Usage: "only those of this `ENTRY`"},
			&cli.StringFlag{Name: "change", Usage: "only those that run one again, or try another entry's version, and in which it is now `CHANGE`: worse, better, none or too-few"},
			&cli.StringFlag{Name: "cell", Usage: "open a cell, as `FILL,SET-UP`, both counted from 1"},
			&cli.StringFlag{Name: "zip", Usage: "write a file for each reply to this zip `FILE`"},
			&cli.StringFlag{Name: "csv", Usage: "write all replies to this `FILE`, - for standard output"},
			&cli.BoolFlag{Name: "compare", Usage: "compare replies of the first two set-ups, blind"},
			&cli.StringFlag{Name: "mark", Usage: "say of a reply whether it holds to an expectation, as `REPLY,NUMBER,yes` or no, the number counted from 1"},
			&cli.BoolFlag{Name: "wait", Usage: "wait until it has ended"},
			&cli.BoolFlag{Name: "stop", Usage: "ask for nothing more"},
			&cli.BoolFlag{Name: "resume", Usage: "ask again for what was stopped"},
			&cli.BoolFlag{Name: "failed", Usage: "ask again for what failed"},
			&cli.BoolFlag{Name: "delete", Usage: "delete it with all its replies"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			id := cmd.Args().First()
			if id == "" {
				for _, flag := range []string{"cell", "csv", "zip", "compare", "mark", "wait", "stop", "resume", "failed", "delete"} {
					if cmd.IsSet(flag) {
						return wrongUse("name the trial, as goldshelf trials lists it")
					}
				}
				all, err := c.Trials(ctx, cmd.String("of"), trial.Trend(cmd.String("change")))
				if err != nil {
					return err
				}
				return a.print(all, func() error { a.printTrials(all); return nil })
			}
			return a.withTrial(ctx, c, cmd, id)
		},
	}
}

func (a *app) withTrial(ctx context.Context, c *client.Client, cmd *cli.Command, id string) (err error) {
	var t api.Trial
	switch {
	case cmd.Bool("delete"):
		if err := c.DeleteTrial(ctx, id); err != nil {
			return err
		}
		a.say("The trial is gone for good.")
		return nil
	case cmd.IsSet("csv"), cmd.IsSet("zip"):
		as := "csv"
		if cmd.IsSet("zip") {
			as = "zip"
		}
		data, err := c.TrialReplies(ctx, id, as)
		if err != nil {
			return err
		}
		if name := cmd.String(as); name != "-" {
			return os.WriteFile(name, data, 0o600)
		}
		_, err = a.out.Write(data)
		return err
	case cmd.Bool("compare"):
		return a.compareBlind(ctx, c, id)
	case cmd.IsSet("cell"):
		return a.openCell(ctx, c, id, cmd.String("cell"))
	case cmd.IsSet("mark"):
		parts := strings.Split(cmd.String("mark"), ",")
		n := 0
		if len(parts) == 3 {
			n, _ = strconv.Atoi(parts[1])
		}
		if n < 1 || parts[2] != "yes" && parts[2] != "no" {
			return wrongUse("--mark takes a reply, the number of an expectation and yes or no, as in --mark REPLY,1,yes")
		}
		t, err = c.MarkReply(ctx, id, parts[0], n-1, api.NewMark{Met: parts[2] == "yes"})
	case cmd.Bool("stop"):
		t, err = c.StopTrial(ctx, id)
	case cmd.Bool("resume"):
		t, err = c.ResumeTrial(ctx, id, api.ResumeTrial{})
	case cmd.Bool("failed"):
		t, err = c.ResumeTrial(ctx, id, api.ResumeTrial{Failed: true})
	default:
		t, err = c.Trial(ctx, id)
	}
	if err == nil && cmd.Bool("wait") {
		t, err = a.awaitTrial(ctx, c, t)
	}
	if err != nil {
		return err
	}
	return a.print(t, func() error { a.printTrial(t); return nil })
}

func (a *app) printTrials(all api.Trials) {
	if len(all.Items) == 0 {
		a.say("No trial. goldshelf trial SLUG begins one.")
		return
	}
	t := a.table("TRIAL", "OF", "TITLE", "REPLIES", "STATE", "BEGUN")
	for _, it := range all.Items {
		state := a.state(it.State)
		if it.Change != "" {
			state += ", " + it.Change.Said().In(a.language)
		}
		t.row(it.ID, it.Slug, it.Title, a.text("%d of %d", it.Done, it.Replies), state, a.when(it.At, "2 Jan 15:04"))
	}
	t.print()
	if o := all.Again; o != nil {
		a.say("")
		a.say("Since %s something has changed: %s. goldshelf trial SLUG --again runs it again.", o.Trial, message.Joined("; ", o.Because...))
	}
}

// percent writes a share as people read it.
func percent(share float64) string { return strconv.Itoa(int(share*100+0.5)) + "%" }

func (a *app) printTrial(t api.Trial) {
	if t.Private {
		a.say("%s: a reply of %s to each of %s.", t.Title, t.Slug, count(t.Fills, "row", "rows"))
	} else {
		a.say("%s, a trial of %s: %s × %s × %d.", t.Title, t.Slug, count(t.Fills, "fill", "fills"), count(len(t.SetUps), "set-up", "set-ups"), t.Plan.Times)
	}
	cost := ""
	if t.Cost != nil {
		cost = a.text(" They cost %.4f %s.", *t.Cost, t.Currency)
	}
	a.say("%d of %d replies have come, %d failed, %d were stopped.%s", t.Done, t.Replies, t.Failed, t.Stopped, cost)
	if t.Private {
		a.say("Only you see them, for 30 days. goldshelf trials %s --csv FILE has the texts, --zip FILE a file for each.", t.ID)
	}
	a.say("")
	if len(t.Says) > 0 {
		a.printRates(t)
	}
	a.printDistributions(t)
}

func (a *app) printRates(t api.Trial) {
	table := a.table("SET-UP", "EXPECTATION", "MET", "RATE", "95%")
	for _, r := range t.Figures.Rates {
		does := trial.EverySays()
		if r.Expectation >= 0 {
			does = t.Says[r.Expectation]
		} else if len(t.Says) == 1 {
			does = t.Says[0]
		}
		table.row(t.SetUps[r.SetUp], does.In(a.language), a.text("%d of %d", r.Met, r.Of), percent(r.Value), a.text("%s to %s", percent(r.Interval.Low), percent(r.Interval.High)))
	}
	table.print()
	if len(t.Sentences) > 0 {
		a.say("")
	}
	for _, s := range t.Sentences {
		a.say("%s", s.Text)
	}
	for _, c := range t.Changes {
		a.say("%s (%s before, %s now)", c.Text, percent(c.Before), percent(c.Now))
	}
	a.say("")
}

func (a *app) printDistributions(t api.Trial) {
	table := a.table("SET-UP", "MEASURE", "LOW QUARTER", "MEDIAN", "HIGH QUARTER")
	for _, d := range t.Figures.Distributions {
		for _, m := range trial.Measures() {
			if m.Name == d.Measure {
				table.row(t.SetUps[d.SetUp], m.Title.In(a.language), number(d.Low), number(d.Median), number(d.High))
			}
		}
	}
	table.print()
	for _, j := range t.Judges {
		if j.Kappa == nil {
			a.say("%s judges; %s marked by people too, too few to say how they agree.", j.Prompt, count(j.Marked, "reply was", "replies were"))
		} else {
			a.say("%s judges; with people's marks on %s it agrees by %.2f (kappa, 95%%: %.2f to %.2f).", j.Prompt, count(j.Marked, "reply", "replies"), j.Kappa.Value, j.Kappa.Interval.Low, j.Kappa.Interval.High)
		}
	}
	if p := t.Preference; p != nil {
		a.say("Blind, %s found %s better %d times, %s %d times, neither %d times: %s for the first (95%%: %s to %s).", count(p.People, "person", "people"), p.First, p.ForFirst, p.Second, p.ForOther, p.Neither, percent(p.Share), percent(p.Interval.Low), percent(p.Interval.High))
	}
}

// number writes a figure with as many digits as say something.
func number(f float64) string {
	switch {
	case f == 0:
		return "0"
	case f < 1:
		return strconv.FormatFloat(f, 'g', 2, 64)
	case f < 10:
		return strconv.FormatFloat(f, 'f', 1, 64)
	}
	return strconv.FormatFloat(f, 'f', 0, 64)
}

func (a *app) openCell(ctx context.Context, c *client.Client, id, at string) error {
	first, second, _ := strings.Cut(at, ",")
	fill, err1 := strconv.Atoi(first)
	setUp, err2 := strconv.Atoi(second)
	if err1 != nil || err2 != nil || fill < 1 || setUp < 1 {
		return wrongUse("--cell takes the number of a fill and of a set-up, as in --cell 3,1")
	}
	t, err := c.Trial(ctx, id)
	if err != nil {
		return err
	}
	cell, err := c.TrialCell(ctx, id, fill-1, setUp-1)
	if err != nil {
		return err
	}
	return a.print(cell, func() error {
		a.say("%s, %s. Sent:", t.Plan.Fills[fill-1].Name, t.SetUps[setUp-1])
		for _, m := range cell.Messages {
			a.printf("[%s]\n%s\n", m.Role, m.Text)
		}
		for _, r := range cell.Replies {
			a.say("")
			a.say("Reply %d (%s): %s %s", r.Time, r.ID, a.state(r.State), r.Problem)
			fmt.Fprintln(a.out, r.Text)
			for i, o := range r.Outcomes {
				fmt.Fprintf(a.errs, "  %s: %s. %s\n", a.state(string(o.State)), t.Says[i], o.Note)
			}
		}
		return nil
	})
}

// compareBlind shows two replies at a time and asks which is better.
func (a *app) compareBlind(ctx context.Context, c *client.Client, id string) error {
	lines := bufio.NewReader(a.in)
	for {
		p, err := c.TrialPair(ctx, id)
		if client.Status(err) == 404 {
			a.say("You have compared all that has come so far. goldshelf trials %s shows what was found.", id)
			return nil
		}
		if err != nil {
			return err
		}
		a.printf("%s\n\n--- 1 ---\n%s\n\n--- 2 ---\n%s\n\n", p.Fill, p.First.Text, p.Second.Text)
		answer, err := a.ask(lines, a.text("Which is better (%d left)? 1, 2, n for neither, q to stop: ", p.Left))
		if err != nil {
			return err
		}
		better := map[string]string{"1": "first", "2": "second", "n": "neither"}[strings.ToLower(answer)]
		switch {
		case strings.ToLower(answer) == "q" || answer == "":
			return nil
		case better == "":
			a.say("Answer 1, 2, n or q.")
			continue
		}
		if err := c.PreferReply(ctx, id, api.NewPreference{First: p.First.ID, Second: p.Second.ID, Better: better}); err != nil {
			return err
		}
	}
}

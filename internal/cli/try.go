package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/check"
	"goldshelf/core/endpoint"
)

// try asks models about an entry that is filled in.
func (a *app) try() *cli.Command {
	return &cli.Command{
		Name: "try", Usage: "fill in an entry, ask a model and print its reply as it comes", ArgsUsage: "SLUG[@N] [name=value …]",
		Description: "Several models, --without-persona and the like ask for a reply each, one after the other on the terminal. Ctrl-C stops them. What was asked stays among your talks, which nobody else sees.",
		Flags: []cli.Flag{
			&cli.StringSliceFlag{Name: "model", Usage: "ask this `MODEL`; the first that can be asked, if left out. May be given several times"},
			&cli.IntFlag{Name: "times", Usage: "ask so many times, four at most", Value: 1},
			&cli.BoolFlag{Name: "open", Usage: "the version that is written or reviewed now"},
			&cli.BoolFlag{Name: "beside-shelf", Usage: "with --open: also the version on the shelf"},
			&cli.BoolFlag{Name: "without-persona", Usage: "also without a persona"},
			&cli.BoolFlag{Name: "without-style", Usage: "also without a style"},
			&cli.StringFlag{Name: "persona", Usage: "speak as this persona, or none"},
			&cli.StringFlag{Name: "style", Usage: "in this style, or none"},
			&cli.StringSliceFlag{Name: "sheet", Usage: "with this fact sheet, or none"},
			&cli.StringFlag{Name: "for", Usage: "the `APPLICATION` whose layout says how it is sent"},
			&cli.Int64Flag{Name: "seed", Usage: "the same seed brings the same reply, where the model can"},
			&cli.Float64Flag{Name: "temperature", Usage: "how freely the model chooses, from 0 to 2"},
			&cli.IntFlag{Name: "tokens", Usage: "how long a reply may be, in tokens"},
			&cli.BoolFlag{Name: "save", Usage: "keep the talk; others are forgotten after 90 days"},
			&cli.BoolFlag{Name: "sent", Usage: "print exactly what was sent, too"},
			&cli.StringFlag{Name: "values", Usage: "read values from a JSON or YAML `FILE`"},
			&cli.StringSliceFlag{Name: "from", Usage: "read one value from a file, as `name=FILE`"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, given, err := a.filling(ctx, cmd)
			if err != nil {
				return err
			}
			req := api.TryRequest{
				Ref: cmd.Args().First(), Open: cmd.Bool("open"), Persona: cmd.String("persona"), Style: cmd.String("style"),
				Sheets: cmd.StringSlice("sheet"), For: cmd.String("for"), Settings: settingsOf(cmd),
			}
			if req.Columns, err = columnsOf(ctx, c, cmd); err != nil {
				return err
			}
			if req.Open {
				e, err := c.Entry(ctx, req.Ref)
				if err != nil {
					return err
				}
				req.Values = typedValues(e.Blanks, given)
			} else {
				asked, err := c.FillStack(ctx, req.Ref, api.FillRequest{Persona: req.Persona, Style: req.Style, Sheets: req.Sheets, Base: true, Sketch: true})
				if err != nil {
					return err
				}
				if req.Values, err = a.complete(asked.Blanks, given); err != nil {
					return err
				}
			}
			talk, err := c.Try(ctx, req)
			if err != nil {
				return err
			}
			if cmd.Bool("save") {
				if _, err := c.KeepTalk(ctx, talk.ID, true); err != nil {
					return err
				}
			}
			return a.watch(ctx, c, talk, talk.Replies, cmd.Bool("sent"))
		},
	}
}

func settingsOf(cmd *cli.Command) (s endpoint.Settings) {
	if cmd.IsSet("seed") {
		seed := cmd.Int64("seed")
		s.Seed = &seed
	}
	if cmd.IsSet("temperature") {
		temperature := cmd.Float64("temperature")
		s.Temperature = &temperature
	}
	s.MaxTokens = cmd.Int("tokens")
	return s
}

// modelsOf gives the models that are asked: the first that can be, where none is named.
func modelsOf(ctx context.Context, c *client.Client, cmd *cli.Command) ([]string, error) {
	if names := cmd.StringSlice("model"); len(names) > 0 {
		return names, nil
	}
	models, err := c.AskableModels(ctx)
	if err != nil {
		return nil, err
	}
	if len(models.Items) == 0 {
		return nil, errors.New("no model can be asked yet; a curator makes a connection: goldshelf connections --help")
	}
	return []string{models.Items[0].Name}, nil
}

// columnsOf gives what is asked side by side.
func columnsOf(ctx context.Context, c *client.Client, cmd *cli.Command) (all []api.TryColumn, err error) {
	names, err := modelsOf(ctx, c, cmd)
	if err != nil {
		return nil, err
	}
	for _, name := range names {
		for range max(1, cmd.Int("times")) {
			all = append(all, api.TryColumn{Model: name})
		}
		for flag, column := range map[string]api.TryColumn{
			"without-persona": {Model: name, Persona: "none"}, "without-style": {Model: name, Style: "none"}, "beside-shelf": {Model: name, Shelved: true},
		} {
			if cmd.Bool(flag) {
				all = append(all, column)
			}
		}
	}
	if len(all) > 4 {
		return nil, wrongUse("that makes %d replies; four are asked for at once at most", len(all))
	}
	return all, nil
}

// watch prints replies as they come, one after the other.
func (a *app) watch(ctx context.Context, c *client.Client, talk api.Talk, replies []api.TalkReply, sent bool) error {
	failed := 0
	for i, r := range replies {
		if !a.json && sent {
			for _, m := range r.Messages {
				a.printf("--- %s ---\n%s\n", m.Role, strings.TrimRight(m.Text, "\n"))
			}
			a.printf("--- reply ---\n")
		}
		if !a.json && len(replies) > 1 {
			a.printf("=== %s ===\n", r.Title)
		}
		ended, err := a.printReply(ctx, c, r.ID)
		if ctx.Err() != nil {
			return a.stopAll(c, replies[i:])
		}
		if err != nil {
			return err
		}
		replies[i] = ended
		if ended.State == "failed" {
			failed++
		}
	}
	if a.json {
		now, err := c.Talk(ctx, talk.ID)
		if err != nil {
			return err
		}
		return a.print(now, nil)
	}
	if failed == len(replies) {
		return errors.New("no model has answered")
	}
	a.say("Go on with: goldshelf talks %s --say \"…\"", talk.ID)
	return nil
}

// stopAll stops what is still awaited, for somebody who does not wait.
func (a *app) stopAll(c *client.Client, replies []api.TalkReply) error {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	for _, r := range replies {
		if _, err := c.StopReply(ctx, r.ID); err != nil {
			return err
		}
	}
	a.say("")
	a.say("Stopped.")
	return nil
}

func (a *app) sayReply(r api.TalkReply) {
	if !r.Problem.IsZero() {
		a.say("%s: %s", r.Title, r.Problem)
		return
	}
	said := a.text("%s: %s, %d tokens in and %d out, %.1f s", r.Title, count(check.Words(r.Text), "word", "words"), r.Tokens.In, r.Tokens.Out, float64(r.WholeMS)/1000)
	if r.Cost != nil {
		said += fmt.Sprintf(", %.5f", *r.Cost)
	}
	switch r.Reason {
	case "length":
		said += a.text("; it is as long as it may be")
	case "refused":
		said += a.text("; the model did not answer that")
	}
	if r.State == "stopped" {
		said += a.text("; stopped")
	}
	a.say("%s.", said)
}

// talks shows the caller's talks, and goes on with them.
func (a *app) talks() *cli.Command {
	return &cli.Command{
		Name: "talks", Usage: "your talks with models: list them, read one, go on with it", ArgsUsage: "[TALK]",
		Description: "Talks are yours alone: nobody else sees them, curators neither.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "find", Usage: "only talks that have these `WORDS`"},
			&cli.StringFlag{Name: "say", Usage: "go on with the talk: what you `ASK` of its last reply"},
			&cli.StringFlag{Name: "model", Usage: "with --say: ask this `MODEL` instead of the one before"},
			&cli.StringFlag{Name: "after", Usage: "with --say: of this `REPLY` instead of the last one"},
			&cli.StringFlag{Name: "refine", Usage: "have its last reply changed by this `PROMPT`, which a curator has marked as a refinement"},
			&cli.BoolFlag{Name: "keep", Usage: "keep the talk; others are forgotten after 90 days"},
			&cli.BoolFlag{Name: "no-keep", Usage: "do not keep it"},
			&cli.StringFlag{Name: "share", Usage: "let a colleague read it, by the `NAME` they sign in with"},
			&cli.StringFlag{Name: "unshare", Usage: "let a colleague read it no longer"},
			&cli.StringFlag{Name: "as-entry", Usage: "write what was asked to this `FILE` as an entry, its values made blanks; - for standard output"},
			&cli.BoolFlag{Name: "stop", Usage: "stop what is still awaited"},
			&cli.BoolFlag{Name: "delete", Usage: "delete the talk for good"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			id := cmd.Args().First()
			if id == "" {
				if cmd.IsSet("say") || cmd.Bool("stop") || cmd.Bool("delete") {
					return wrongUse("name the talk, as goldshelf talks lists it")
				}
				all, err := c.Talks(ctx, cmd.String("find"))
				if err != nil {
					return err
				}
				return a.print(all, func() error { a.printTalks(all.Items); return nil })
			}
			if cmd.Bool("delete") {
				if err := c.DeleteTalk(ctx, id); err != nil {
					return err
				}
				a.say("The talk is gone for good.")
				return nil
			}
			talk, err := c.Talk(ctx, id)
			if err != nil {
				return err
			}
			switch {
			case cmd.Bool("stop"):
				var awaited []api.TalkReply
				for _, r := range talk.Replies {
					if !r.Ended() {
						awaited = append(awaited, r)
					}
				}
				return a.stopAll(c, awaited)
			case cmd.IsSet("keep"), cmd.IsSet("no-keep"):
				talk, err = c.KeepTalk(ctx, id, !cmd.Bool("no-keep"))
			case cmd.IsSet("share"):
				talk, err = c.ShareTalk(ctx, id, api.TalkSharing{With: cmd.String("share"), Shared: true})
			case cmd.IsSet("unshare"):
				talk, err = c.ShareTalk(ctx, id, api.TalkSharing{With: cmd.String("unshare")})
			case cmd.IsSet("as-entry"):
				return a.talkAsEntry(ctx, c, talk, cmd.String("as-entry"))
			case cmd.IsSet("say"), cmd.IsSet("refine"):
				return a.goOn(ctx, c, talk, cmd)
			}
			if err != nil {
				return err
			}
			return a.print(talk, func() error { a.printTalk(talk); return nil })
		},
	}
}

// goOn asks something of a reply.
func (a *app) goOn(ctx context.Context, c *client.Client, talk api.Talk, cmd *cli.Command) error {
	after := cmd.String("after")
	if after == "" {
		for _, r := range talk.Replies {
			if r.State == "done" {
				after = r.ID
			}
		}
	}
	if after == "" {
		return errors.New("the talk has no whole reply to go on after")
	}
	now, err := c.FollowUp(ctx, talk.ID, api.FollowUp{After: after, Text: cmd.String("say"), Refinement: cmd.String("refine"), Model: cmd.String("model")})
	if err != nil {
		return err
	}
	return a.watch(ctx, c, now, now.Replies[len(talk.Replies):], false)
}

// talkAsEntry writes what a talk asked first as the file of an entry.
func (a *app) talkAsEntry(ctx context.Context, c *client.Client, talk api.Talk, file string) error {
	if len(talk.Replies) == 0 {
		return errors.New("nothing was asked in it")
	}
	in, err := c.ReplyAsEntry(ctx, talk.Replies[0].ID)
	if err != nil {
		return err
	}
	in.Title = talk.Title
	text := bundle.File{Content: in.Content}.Bytes()
	if file == "-" {
		_, err = a.out.Write(text)
		return err
	}
	return os.WriteFile(file, text, 0o600)
}

func (a *app) printTalks(all []api.TalkItem) {
	if len(all) == 0 {
		a.say("No talk. goldshelf try SLUG begins one.")
		return
	}
	t := a.table("TALK", "ABOUT", "ASKED", "IT SAID")
	for _, it := range all {
		t.row(it.ID, orElse(it.Slug, it.Title), a.local(it.AskedAt).Format("2006-01-02 15:04"), shortLine(it.Said, 30))
	}
	t.print()
}

func shortLine(text string, most int) string {
	line, _, _ := strings.Cut(strings.TrimSpace(text), "\n")
	if runes := []rune(line); len(runes) > most {
		return string(runes[:most-1]) + "…"
	}
	return line
}

func (a *app) printTalk(talk api.Talk) {
	if !talk.Mine {
		a.say("A talk of a colleague's, who lets you read it.")
	}
	for _, p := range talk.SharedWith {
		if talk.Mine {
			a.say("%s may read it, at /talks/%s.", p.FullName, talk.ID)
		}
	}
	if talk.Kept {
		a.say("It is kept.")
	}
	turn := 0
	for _, r := range talk.Replies {
		if r.Turn != turn {
			turn = r.Turn
			a.printf("--- you ---\n%s\n", strings.TrimRight(r.Messages[len(r.Messages)-1].Text, "\n"))
		}
		a.printf("--- %s (%s) ---\n%s\n", r.Title, r.ID, strings.TrimRight(r.Text, "\n"))
		if r.State == "waiting" || r.State == "running" {
			a.say("%s: still awaited", r.Title)
		} else {
			a.sayReply(r)
		}
	}
}

// models lists what can be asked.
func (a *app) models() *cli.Command {
	return &cli.Command{
		Name: "models", Usage: "list the models that can be asked, and what they cost", ArgsUsage: " ",
		Action: func(ctx context.Context, _ *cli.Command) error { return a.listModels(ctx) },
	}
}

func (a *app) listModels(ctx context.Context) error {
	c, err := a.signedIn()
	if err != nil {
		return err
	}
	all, err := c.AskableModels(ctx)
	if err != nil {
		return err
	}
	return a.print(all, func() error {
		if len(all.Items) == 0 {
			a.say("No model can be asked yet; a curator makes a connection: goldshelf connections --help")
			return nil
		}
		t := a.table("MODEL", "TITLE", "TOKENS AT ONCE", "A MILLION IN", "OUT, "+all.Currency, "")
		for _, m := range all.Items {
			limit, in, out, trial := "", "", "", ""
			if m.TokenLimit > 0 {
				limit = fmt.Sprint(m.TokenLimit)
			}
			if m.PriceIn != nil {
				in = fmt.Sprint(*m.PriceIn)
			}
			if m.PriceOut != nil {
				out = fmt.Sprint(*m.PriceOut)
			}
			if m.OnTrial {
				trial = a.text("on trial")
			}
			t.row(m.Name, m.Title, limit, in, out, trial)
		}
		t.print()
		return nil
	})
}

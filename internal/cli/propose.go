package cli

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/change"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/sheet"
)

// propose has a model say how a draft could read.
func (a *app) propose() *cli.Command {
	return &cli.Command{
		Name: "propose", Usage: "have a model say how a draft could read, by a prompt that helps with that", ArgsUsage: "SLUG --by HELPER [name=value …]",
		Description: "It prints what would change, and changes nothing but with --take. goldshelf starters lists the helpers. What the draft is goes into a helper's blanks called title, kind, text, layout, samples and questions; the others are given as name=value.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "by", Usage: "the `HELPER`: a prompt that a curator has marked"},
			&cli.StringFlag{Name: "model", Usage: "ask this `MODEL`; the first that can be asked, if left out"},
			&cli.StringFlag{Name: "for", Usage: "with the layout of this `APPLICATION`"},
			&cli.Int64Flag{Name: "seed", Usage: "the same seed brings the same proposal, where the model can"},
			&cli.BoolFlag{Name: "take", Usage: "save it as the draft's text; its history says then that a model helped"},
			&cli.StringFlag{Name: "values", Usage: "read values from a JSON or YAML `FILE`"},
			&cli.StringSliceFlag{Name: "from", Usage: "read one value from a file, as `name=FILE`"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if cmd.String("by") == "" {
				return wrongUse("say which prompt helps: goldshelf propose SLUG --by HELPER; goldshelf starters lists them")
			}
			c, given, err := a.filling(ctx, cmd)
			if err != nil {
				return err
			}
			slug := cmd.Args().First()
			in := api.NewProposal{Helper: cmd.String("by"), For: cmd.String("for"), Settings: settingsOf(cmd), Model: cmd.String("model")}
			if in.Model == "" {
				names, err := modelsOf(ctx, c, cmd)
				if err != nil {
					return err
				}
				in.Model = names[0]
			}
			helper, err := c.ShelfEntry(ctx, in.Helper)
			if err != nil {
				return err
			}
			in.Values = typedValues(helper.Asks, given)
			was, err := c.Entry(ctx, slug)
			if err != nil {
				return err
			}
			talk, err := c.Propose(ctx, slug, in)
			if err != nil {
				return err
			}
			reply, err := c.WatchReply(ctx, talk.Replies[0].ID, func(api.ReplyPiece) {})
			if err != nil {
				return err
			}
			return a.proposed(ctx, c, cmd.Bool("take"), was, reply)
		},
	}
}

// proposed shows what a proposal would change, and takes it where that is wished.
func (a *app) proposed(ctx context.Context, c *client.Client, take bool, was api.Entry, reply api.TalkReply) error {
	if reply.State != "done" {
		a.sayReply(reply)
		return fmt.Errorf("%s has proposed nothing", reply.Model)
	}
	text := strings.TrimRight(reply.Text, "\n") + "\n"
	if was.Set != "" {
		return a.proposedAnswers(ctx, c, take, was, reply)
	}
	if !take {
		return a.print(reply, func() error {
			if a.printLines(change.Texts(was.Body, text)) == 0 {
				a.say("It would change nothing.")
			}
			a.sayReply(reply)
			return nil
		})
	}
	return a.takeProposal(ctx, c, was, reply, func(content *entry.Content) { content.Body = text })
}

// proposedAnswers shows what answers a proposal has for a sheet, and takes them where that is
// wished: those that the sheet has beside them stay.
func (a *app) proposedAnswers(ctx context.Context, c *client.Client, take bool, was api.Entry, reply api.TalkReply) error {
	read, err := c.ReadAnswers(ctx, was.Set, []byte(reply.Text))
	if err != nil {
		return err
	}
	for _, p := range read.Problems {
		a.say("line %d: %s", p.Line, p.Message)
	}
	if take {
		return a.takeProposal(ctx, c, was, reply, func(content *entry.Content) {
			all := sheet.Answers{}
			maps.Copy(all, content.Answers)
			maps.Copy(all, read.Answers)
			content.Answers = all
		})
	}
	return a.print(read, func() error {
		for _, name := range slices.Sorted(maps.Keys(read.Answers)) {
			a.printf("%s: %s\n", name, fill.Listed(read.Answers[name], was.Language))
		}
		a.sayReply(reply)
		return nil
	})
}

// takeProposal saves the draft with what a proposal changes in it.
func (a *app) takeProposal(ctx context.Context, c *client.Client, was api.Entry, reply api.TalkReply, change func(*entry.Content)) error {
	draft, etag, err := was, "", error(nil)
	if was.Open != 0 {
		if draft, etag, err = c.Draft(ctx, was.Slug); err != nil {
			return err
		}
	}
	in := api.NewEntry{Content: draft.Content}
	change(&in.Content)
	saved, _, err := c.SaveDraft(ctx, was.Slug, etag, in)
	if err != nil {
		return err
	}
	if err := c.TakeProposal(ctx, reply.ID); err != nil {
		return err
	}
	return a.print(saved, func() error {
		a.say("Version %d of %s reads so now; its history says that %s helped, by %s.", saved.Version, saved.Slug, reply.Model, reply.Title)
		return nil
	})
}

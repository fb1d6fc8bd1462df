package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/change"
)

// slugAndNumber takes SLUG@N apart; without a number it is 0.
func slugAndNumber(text string) (slug string, number int, err error) {
	slug, n, given := strings.Cut(text, "@")
	if !given {
		return slug, 0, nil
	}
	if number, err = strconv.Atoi(n); err != nil || number < 1 {
		return slug, 0, wrongUse("%q is no version; write SLUG@2", n)
	}
	return slug, number, nil
}

func (a *app) annotate() *cli.Command {
	return about(a, cli.Command{Name: "annotate", Usage: "show a text with who wrote each line, in which version and why", ArgsUsage: "SLUG[@N]"},
		func(ctx context.Context, c *client.Client, given string, _ *cli.Command) (api.Annotated, error) {
			slug, number, err := slugAndNumber(given)
			if err == nil && number == 0 {
				var e api.Entry
				e, err = c.Entry(ctx, slug)
				number = e.Version
			}
			if err != nil {
				return api.Annotated{}, err
			}
			return c.Annotate(ctx, slug, number)
		}, func(all api.Annotated, _ string) error {
			t := a.table("VERSION", "AUTHOR", "NOTE", "LINE")
			before := -1
			for i, l := range all.Items {
				if before >= 0 && all.Items[before].Version == l.Version {
					t.row("", "", "", l.Text)
				} else {
					t.row(strconv.Itoa(l.Version), l.Author, l.Note, l.Text)
				}
				before = i
			}
			t.print()
			return nil
		})
}

func (a *app) comments() *cli.Command {
	return about(a, cli.Command{
		Name: "comments", Usage: "read what was said about a version, or say something", ArgsUsage: "SLUG[@N]",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "say", Usage: "what to say"},
			&cli.StringFlag{Name: "on", Usage: "the `PASSAGE` that it is about, as it stands in the text"},
			&cli.Int64Flag{Name: "answer", Usage: "the `NUMBER` of the comment to answer"},
			&cli.Int64Flag{Name: "settle", Usage: "the comment with this `NUMBER` is done with"},
			&cli.Int64Flag{Name: "reopen", Usage: "the comment with this `NUMBER` is open again"},
		},
	}, func(ctx context.Context, c *client.Client, given string, cmd *cli.Command) (api.Comments, error) {
		slug, number, err := slugAndNumber(given)
		if err != nil {
			return api.Comments{}, err
		}
		switch {
		case cmd.String("say") != "":
			err = say(ctx, c, slug, number, cmd)
		case cmd.Int64("settle") > 0:
			_, err = c.SettleComment(ctx, slug, cmd.Int64("settle"), true)
		case cmd.Int64("reopen") > 0:
			_, err = c.SettleComment(ctx, slug, cmd.Int64("reopen"), false)
		}
		if err != nil {
			return api.Comments{}, err
		}
		return c.Comments(ctx, slug, number)
	}, func(all api.Comments, slug string) error {
		for _, thread := range all.Items {
			a.printThread(thread)
		}
		if len(all.Items) == 0 {
			a.say("Nothing was said about %s.", slug)
		}
		return nil
	})
}

// say adds a comment, on a passage where one is given.
func say(ctx context.Context, c *client.Client, slug string, number int, cmd *cli.Command) error {
	in := api.NewComment{Text: cmd.String("say"), Version: number, AnswerTo: cmd.Int64("answer")}
	if passage := cmd.String("on"); passage != "" {
		read := c.Entry
		if number > 0 {
			read = func(ctx context.Context, slug string) (api.Entry, error) { return c.Version(ctx, slug, number) }
		}
		e, err := read(ctx, slug)
		if err != nil {
			return err
		}
		switch n := strings.Count(e.Body, passage); n {
		case 0:
			return fmt.Errorf("version %d of %s does not say %q; write the passage as it stands there", e.Version, slug, passage)
		case 1:
			in.Version, in.Start = e.Version, strings.Index(e.Body, passage)
			in.End = in.Start + len(passage)
		default:
			return fmt.Errorf("version %d of %s says %q %d times; write more of the passage", e.Version, slug, passage, n)
		}
	}
	_, err := c.AddComment(ctx, slug, in)
	return err
}

func (a *app) printThread(t api.Comment) {
	head := a.text("%d  %s, %s, on version %d", t.ID, t.ByName, a.when(t.At, "2 Jan 2006 15:04"), t.Version)
	if t.SettledAt != nil {
		head += a.text(", settled by %s", t.SettledBy)
	}
	fmt.Fprintln(a.out, head)
	if p := t.Passage; p != nil {
		now := map[change.Op]string{change.Same: "", change.Changed: a.text(" (changed since)"), change.Removed: a.text(" (no longer there)")}[p.Now]
		a.printf("   on “%s”%s\n", p.Exact, now)
	}
	a.printf("   %s\n", strings.ReplaceAll(t.Text, "\n", "\n   "))
	for _, r := range t.Answers {
		a.printf("   %s, %s: %s\n", r.ByName, a.when(r.At, "2 Jan 15:04"), strings.ReplaceAll(r.Text, "\n", "\n      "))
	}
}

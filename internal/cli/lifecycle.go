package cli

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/message"
)

func (a *app) publish() *cli.Command {
	return &cli.Command{
		Name: "publish", Usage: "put approved versions on the shelf", ArgsUsage: "SLUG…",
		Description: "Several entries are published as one: all of them or none, those that others include first.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "at", Usage: "publish at a `TIME` by the clock of the library, such as 2026-11-30T08:00 or 08:00"},
			seenFlag("the `TAG` of the text that you have read, as show, diff and desk print it; of several, SLUG=TAG for each"),
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			slugs := cmd.Args().Slice()
			if len(slugs) == 0 {
				return wrongUse("publish takes the slugs of the entries to publish")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			var at *time.Time
			if text := cmd.String("at"); text != "" {
				t, err := readTime(text, a.local(time.Now()))
				if err != nil {
					return err
				}
				at = &t
			}
			entries, err := a.seenAll(ctx, c, cmd, slugs, "Publish this?")
			if err != nil {
				return err
			}
			out, err := c.PublishTogether(ctx, entries, at)
			if err != nil {
				return err
			}
			return a.print(out, func() error {
				for _, e := range out.Items {
					if out.At != nil {
						a.printf("%s: version %d will be published on %s\n", e.Slug, e.Version, a.when(*out.At, "2 January at 15:04"))
						continue
					}
					a.printf("%s: version %d is %s\n", e.Slug, e.Version, e.State.Said())
				}
				return nil
			})
		},
	}
}

// readTime reads a time as people write it: a day with or without a time, or a
// time of this day. Without a zone it is now's.
func readTime(text string, now time.Time) (time.Time, error) {
	if t, err := time.Parse(time.RFC3339, text); err == nil {
		return t, nil
	}
	for _, layout := range []string{"2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04", time.DateOnly} {
		if t, err := time.ParseInLocation(layout, text, now.Location()); err == nil {
			return t, nil
		}
	}
	if t, err := time.ParseInLocation("15:04", text, now.Location()); err == nil {
		y, m, d := now.Date()
		return time.Date(y, m, d, t.Hour(), t.Minute(), 0, 0, now.Location()), nil
	}
	return time.Time{}, wrongUse("%q is no time; write one as 2026-11-30T08:00, or 08:00 for today", text)
}

func (a *app) publications() *cli.Command {
	return &cli.Command{
		Name: "publications", Usage: "list what waits to be published at a time",
		Flags: []cli.Flag{&cli.StringFlag{Name: "cancel", Usage: "have the publication with this `ID` wait for a word again"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if id := cmd.String("cancel"); id != "" {
				if err := c.CancelPublication(ctx, id); err != nil {
					return err
				}
				a.say("It waits for a curator's word again.")
				return nil
			}
			out, err := c.Publications(ctx)
			if err != nil {
				return err
			}
			return a.print(out, func() error {
				t := a.table("AT", "SLUG", "SET BY", "ID", "FAILED")
				for _, p := range out.Items {
					t.row(a.when(p.At, "2 Jan 15:04"), strings.Join(p.Slugs, ", "), p.SetBy, p.ID, p.Failed.String())
				}
				t.print()
				if len(out.Items) == 0 {
					a.say("Nothing waits for its time.")
				}
				return nil
			})
		},
	}
}

func (a *app) restore() *cli.Command {
	return about(a, cli.Command{
		Name: "restore", Usage: "put a retired entry back on the shelf, or begin a draft with an old version's text", ArgsUsage: "SLUG[@N]",
	}, func(ctx context.Context, c *client.Client, slug string, _ *cli.Command) (api.Entry, error) {
		slug, number, old := strings.Cut(slug, "@")
		if !old {
			return c.Restore(ctx, slug)
		}
		n, err := strconv.Atoi(number)
		if err != nil {
			return api.Entry{}, wrongUse("%q is no version; write SLUG@2", number)
		}
		return c.RestoreVersion(ctx, slug, n)
	}, func(e api.Entry, given string) error {
		again := " again"
		if strings.Contains(given, "@") {
			again = a.text(", with the text of %s", given)
		}
		_, err := a.printf("%s: version %d is %s%s\n", e.Slug, e.Version, e.State.Said(), again)
		return err
	})
}

func (a *app) renew() *cli.Command {
	flags := []cli.Flag{&cli.StringFlag{Name: "note", Usage: "what was looked at"}}
	return about(a, cli.Command{Name: "renew", Usage: "say that a published entry was looked at again, and stays", Flags: flags},
		func(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) (api.Entry, error) {
			return c.Renew(ctx, slug, cmd.String("note"))
		}, func(e api.Entry, _ string) error {
			_, err := a.printf("%s: version %d stays, and is looked at again by %s\n", e.Slug, e.Version, e.ReviewBy)
			return err
		})
}

func (a *app) unpublish() *cli.Command {
	flags := []cli.Flag{&cli.StringFlag{Name: "because", Usage: "why it should not have been published", Required: true}}
	return about(a, cli.Command{Name: "unpublish", Usage: "undo a publication within minutes", Flags: flags},
		func(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) (api.Entry, error) {
			return c.Unpublish(ctx, slug, cmd.String("because"))
		}, func(e api.Entry, _ string) error {
			now := a.text("nothing of it is on the shelf")
			if e.Published > 0 {
				now = a.text("version %d is on the shelf", e.Published)
			}
			_, err := a.printf("%s: version %d was unpublished; %s\n", e.Slug, e.Version, now)
			return err
		})
}

func (a *app) desk() *cli.Command {
	return &cli.Command{
		Name: "desk", Usage: "list what waits for you, in the order of need",
		Flags: []cli.Flag{&cli.IntFlag{Name: "limit", Usage: "how many at most", Value: 50}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			desk, err := c.Desk(ctx, cmd.Int("limit"), "")
			if err != nil {
				return err
			}
			return a.print(desk, func() error {
				heads := []string{"SINCE", "TO DO", "SLUG", "VERSION", "WHY"}
				if slices.ContainsFunc(desk.Items, func(it api.DeskItem) bool { return it.Seen != "" }) {
					heads = append(heads, "SEEN")
				}
				t := a.table(heads...)
				for _, it := range desk.Items {
					why := it.Why.String()
					if slices.Contains([]string{"review", "overdue", "approved"}, it.Waits) {
						why = it.By + ": " + why
					}
					t.row(a.when(it.Since, "2 Jan"), toDo(it.Action).In(a.language), it.Slug, strconv.Itoa(it.Version), why, string(it.Seen))
				}
				t.print()
				if desk.Total == 0 {
					a.say("Nothing waits for you.")
				}
				if more := desk.Total - len(desk.Items); more > 0 {
					a.say("And %d more.", more)
				}
				return nil
			})
		},
	}
}

func toDo(a entry.Action) message.Text {
	switch a {
	case entry.Approve:
		return message.Plain("review")
	case entry.Submit:
		return message.Plain("finish")
	case entry.Begin:
		return message.Plain("fix")
	case entry.Publish:
		return message.Plain("publish")
	case entry.Answer:
		return message.Plain("answer")
	case entry.Accept:
		return message.Plain("accept")
	case entry.Transfer:
		return message.Plain("transfer")
	case entry.Compare:
		return message.Plain("compare")
	case entry.Renew:
		return message.Plain("renew")
	}
	return message.Plain(string(a))
}

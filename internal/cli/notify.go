package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/message"
)

// followed reads what is to be followed: SLUG, person:NAME or department:NAME.
func followed(text string) api.Follow {
	if what, name, ok := strings.Cut(text, ":"); ok {
		return api.Follow{What: what, Name: name}
	}
	return api.Follow{What: "entry", Name: text}
}

func (a *app) follow() *cli.Command {
	return &cli.Command{
		Name: "follow", Usage: "hear of what happens to an entry, a person's entries or a department's", ArgsUsage: "[SLUG | person:NAME | department:NAME]…",
		Description: "Without arguments it lists what you follow.",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "stop", Usage: "no longer"},
			&cli.BoolFlag{Name: "feed", Usage: "print a new private address of your Atom feed; one that you had no longer works"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if cmd.Bool("feed") {
				feed, err := c.NewFeed(ctx)
				if err != nil {
					return err
				}
				return a.print(feed, func() error { _, err := fmt.Fprintln(a.out, feed.Address); return err })
			}
			for _, text := range cmd.Args().Slice() {
				if err := c.Follow(ctx, followed(text), !cmd.Bool("stop")); err != nil {
					return err
				}
			}
			all, err := c.Follows(ctx)
			if err != nil {
				return err
			}
			return a.print(all, func() error {
				for _, f := range all.Items {
					fmt.Fprintln(a.out, f.What+":"+f.Name)
				}
				if len(all.Items) == 0 {
					a.say("You follow nothing; you hear of your own entries anyway.")
				}
				return nil
			})
		},
	}
}

func (a *app) news() *cli.Command {
	return &cli.Command{
		Name: "news", Usage: "read what happened to what you follow, the newest first",
		Flags: []cli.Flag{
			&cli.IntFlag{Name: "limit", Usage: "how many at most", Value: 20},
			&cli.BoolFlag{Name: "read", Usage: "and count it as read"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			news, err := c.News(ctx, cmd.Int("limit"), "")
			if err != nil {
				return err
			}
			if cmd.Bool("read") && len(news.Items) > 0 {
				if err := c.ReadNews(ctx, news.Items[0].Number); err != nil {
					return err
				}
			}
			return a.print(news, func() error {
				t := a.table("", "WHEN", "SLUG", "VERSION", "WHAT", "WHO", "WHY")
				for _, n := range news.Items {
					mark := ""
					if n.Unread {
						mark = a.text("new")
					}
					t.row(mark, a.when(n.At, "2 Jan 15:04"), n.Slug, strconv.Itoa(n.Version), a.happened(n.Action), n.ByName, n.Why.String())
				}
				t.print()
				if len(news.Items) == 0 {
					a.say("Nothing has happened to what you follow.")
				}
				return nil
			})
		},
	}
}

// happened is an action as something that was done.
func (a *app) happened(action string) string {
	switch action {
	case "publish":
		return a.text("published")
	case "retire":
		return a.text("retired")
	case "restore":
		return a.text("back on the shelf")
	case "take-back":
		return a.text("taken back")
	case "return":
		return a.text("returned")
	case "thanks":
		return a.text("thanks you")
	case "stocktake-report":
		return a.text("the report of the stocktake")
	}
	return action
}

func (a *app) channels() *cli.Command {
	return &cli.Command{
		Name: "channels", Usage: "look after the channels that are told of what happens", ArgsUsage: "[NUMBER]",
		Description: "Without arguments it lists the channels; with a channel's number, what it was and is to be told. With a number, --title, --action, --department, --report, --language, --pause and --resume change that channel.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "add", Usage: "a new channel at this `ADDRESS`; its secret is printed this once"},
			&cli.StringFlag{Name: "title", Usage: "what it is called", Value: "Channel"},
			&cli.StringSliceFlag{Name: "action", Usage: "told of this alone: publish, retire, restore, return or take-back"},
			&cli.StringSliceFlag{Name: "department", Usage: "told of this department's entries alone"},
			&cli.StringFlag{Name: "report", Usage: "told the report of the stocktake each `TIME`: week or month; '' for never"},
			&cli.StringFlag{Name: "language", Usage: "of the report: en, de or fr"},
			&cli.Int64Flag{Name: "send", Usage: "have the delivery with this `NUMBER` sent again"},
			&cli.BoolFlag{Name: "pause", Usage: "tell it nothing for now; of what happens meanwhile it never hears"},
			&cli.BoolFlag{Name: "resume", Usage: "tell it again"},
			&cli.Int64Flag{Name: "remove", Usage: "remove the channel with this `NUMBER`"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if address := cmd.String("add"); address != "" {
				h, err := c.AddChannel(ctx, api.NewChannel{Title: cmd.String("title"), URL: address, Actions: cmd.StringSlice("action"), Departments: cmd.StringSlice("department"), Report: cmd.String("report"), Language: message.Language(cmd.String("language"))})
				if err != nil {
					return err
				}
				return a.print(h, func() error {
					_, err := a.printf("%d: %s is told from now on. Its secret, shown this once: %s\n", h.ID, h.URL, h.Secret)
					return err
				})
			}
			if id := cmd.Int64("remove"); id > 0 {
				return c.DeleteChannel(ctx, id)
			}
			changes := slices.ContainsFunc([]string{"title", "action", "department", "report", "language", "pause", "resume"}, cmd.IsSet)
			if !cmd.Args().Present() {
				if changes || cmd.IsSet("send") {
					return wrongUse("which channel? give its number; goldshelf channels lists them")
				}
				return a.listChannels(ctx, c)
			}
			id, err := strconv.ParseInt(cmd.Args().First(), 10, 64)
			if err != nil {
				return wrongUse("%q is no channel's number", cmd.Args().First())
			}
			if n := cmd.Int64("send"); n > 0 {
				if err := c.SendAgain(ctx, id, n); err != nil {
					return err
				}
			}
			if changes {
				return a.changeChannel(ctx, c, cmd, id)
			}
			return a.listDeliveries(ctx, c, id)
		},
	}
}

// changeChannel changes what was asked for of a channel and leaves the rest.
func (a *app) changeChannel(ctx context.Context, c *client.Client, cmd *cli.Command, id int64) error {
	if cmd.Bool("pause") && cmd.Bool("resume") {
		return wrongUse("--pause and --resume undo each other; give one")
	}
	all, err := c.Channels(ctx)
	if err != nil {
		return err
	}
	n := slices.IndexFunc(all.Items, func(h api.Channel) bool { return h.ID == id })
	if n < 0 {
		return a.listDeliveries(ctx, c, id) // the service says that there is none
	}
	was := all.Items[n]
	in := api.NewChannel{Title: was.Title, URL: was.URL, Actions: was.Actions, Departments: was.Departments, Report: was.Report, Language: was.Language, Paused: !was.Active}
	if cmd.IsSet("title") {
		in.Title = cmd.String("title")
	}
	if cmd.IsSet("action") {
		in.Actions = cmd.StringSlice("action")
	}
	if cmd.IsSet("department") {
		in.Departments = cmd.StringSlice("department")
	}
	if cmd.IsSet("report") {
		in.Report = cmd.String("report")
	}
	if cmd.IsSet("language") {
		in.Language = message.Language(cmd.String("language"))
	}
	if cmd.Bool("pause") || cmd.Bool("resume") {
		in.Paused = cmd.Bool("pause")
	}
	now, err := c.SetChannel(ctx, id, in)
	if err != nil {
		return err
	}
	return a.print(now, func() error {
		once := ""
		if !now.Active {
			once = a.text(", once it is resumed")
		}
		_, err := a.printf("%d: %s is told of %s%s\n", now.ID, now.Title, a.toldOf(now), once)
		return err
	})
}

// toldOf is what a channel is told of, in words.
func (a *app) toldOf(h api.Channel) string {
	of := a.text("all")
	if len(h.Actions) > 0 {
		of = strings.Join(h.Actions, ", ")
	}
	if len(h.Departments) > 0 {
		of = a.text("%s in %s", of, strings.Join(h.Departments, ", "))
	}
	return of
}

func (a *app) listChannels(ctx context.Context, c *client.Client) error {
	all, err := c.Channels(ctx)
	if err != nil {
		return err
	}
	return a.print(all, func() error {
		t := a.table("NUMBER", "TITLE", "ADDRESS", "TOLD OF", "WAITING", "GIVEN UP", "")
		for _, h := range all.Items {
			paused := ""
			if !h.Active {
				paused = a.text("paused")
			}
			t.row(strconv.FormatInt(h.ID, 10), h.Title, h.URL, a.toldOf(h), strconv.Itoa(h.Waiting), strconv.Itoa(h.GivenUp), paused)
		}
		t.print()
		if len(all.Items) == 0 {
			a.say("There is no channel; --add ADDRESS makes one.")
		}
		return nil
	})
}

func (a *app) listDeliveries(ctx context.Context, c *client.Client, id int64) error {
	all, err := c.Deliveries(ctx, id, "")
	if err != nil {
		return err
	}
	return a.print(all, func() error {
		t := a.table("NUMBER", "SLUG", "WHAT", "STATE", "ATTEMPTS", "WHY")
		for _, d := range all.Items {
			why := d.Failed
			if d.NextAt != nil && d.Attempts > 0 {
				why = a.text("%s; again at %s", why, a.local(*d.NextAt).Format("15:04:05"))
			}
			t.row(strconv.FormatInt(d.ID, 10), d.Slug, a.happened(d.Action), d.State, strconv.Itoa(d.Attempts), why)
		}
		t.print()
		return nil
	})
}

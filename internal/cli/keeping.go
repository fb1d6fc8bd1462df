package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
)

func (a *app) publish() *cli.Command {
	return &cli.Command{
		Name: "publish", Usage: "put approved versions on the shelf", ArgsUsage: "SLUG…",
		Description: "Several entries are published as one: all of them or none, those that others include first.",
		Flags:       []cli.Flag{&cli.StringFlag{Name: "at", Usage: "publish at a `TIME`, such as 2026-11-30T08:00 or 08:00"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			slugs := cmd.Args().Slice()
			if len(slugs) == 0 {
				return wrongUse("publish takes the slugs of the entries to publish")
			}
			var at *time.Time
			if text := cmd.String("at"); text != "" {
				t, err := readTime(text, time.Now())
				if err != nil {
					return err
				}
				at = &t
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			out, err := c.PublishTogether(ctx, slugs, at)
			if err != nil {
				return err
			}
			return a.print(out, func() error {
				for _, e := range out.Items {
					if out.At != nil {
						fmt.Fprintf(a.out, "%s: version %d will be published on %s\n", e.Slug, e.Version, out.At.Local().Format("2 January at 15:04"))
						continue
					}
					fmt.Fprintf(a.out, "%s: version %d is %s\n", e.Slug, e.Version, e.State.Words())
				}
				return nil
			})
		},
	}
}

// readTime reads a time as people write it: a day with or without a time, or a
// time of this day. Without a zone it is the machine's.
func readTime(text string, now time.Time) (time.Time, error) {
	if t, err := time.Parse(time.RFC3339, text); err == nil {
		return t, nil
	}
	for _, layout := range []string{"2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04", time.DateOnly} {
		if t, err := time.ParseInLocation(layout, text, time.Local); err == nil {
			return t, nil
		}
	}
	if t, err := time.ParseInLocation("15:04", text, time.Local); err == nil {
		y, m, d := now.Local().Date()
		return time.Date(y, m, d, t.Hour(), t.Minute(), 0, 0, time.Local), nil
	}
	return time.Time{}, wrongUse("%q is no time; write one as 2026-11-30T08:00, or 08:00 for today", text)
}

func (a *app) publications() *cli.Command {
	return &cli.Command{
		Name: "publications", Usage: "list what waits to be published at a time",
		Flags: []cli.Flag{&cli.StringFlag{Name: "drop", Usage: "have the publication with this `ID` wait for a word again"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if id := cmd.String("drop"); id != "" {
				if err := c.DropPublication(ctx, id); err != nil {
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
					t.row(p.At.Local().Format("2 Jan 15:04"), strings.Join(p.Slugs, ", "), p.SetBy, p.ID, p.Failed)
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
		return c.BringBack(ctx, slug, n)
	}, func(e api.Entry, given string) error {
		again := " again"
		if strings.Contains(given, "@") {
			again = fmt.Sprintf(", with the text of %s", given)
		}
		_, err := fmt.Fprintf(a.out, "%s: version %d is %s%s\n", e.Slug, e.Version, e.State.Words(), again)
		return err
	})
}

func (a *app) stillGood() *cli.Command {
	flags := []cli.Flag{&cli.StringFlag{Name: "note", Usage: "what was looked at"}}
	return about(a, cli.Command{Name: "still-good", Usage: "say that a published entry was looked at again, and stays", Flags: flags},
		func(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) (api.Entry, error) {
			return c.StillGood(ctx, slug, cmd.String("note"))
		}, func(e api.Entry, _ string) error {
			_, err := fmt.Fprintf(a.out, "%s: version %d stays, and is looked at again by %s\n", e.Slug, e.Version, e.ReviewBy)
			return err
		})
}

func (a *app) takeBack() *cli.Command {
	flags := []cli.Flag{&cli.StringFlag{Name: "because", Usage: "why it should not have been published", Required: true}}
	return about(a, cli.Command{Name: "take-back", Usage: "undo a publication within minutes", Flags: flags},
		func(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) (api.Entry, error) {
			return c.TakeBack(ctx, slug, cmd.String("because"))
		}, func(e api.Entry, _ string) error {
			now := "nothing of it is on the shelf"
			if e.Published > 0 {
				now = fmt.Sprintf("version %d is on the shelf", e.Published)
			}
			_, err := fmt.Fprintf(a.out, "%s: version %d was taken back; %s\n", e.Slug, e.Version, now)
			return err
		})
}

func (a *app) handOver() *cli.Command {
	return &cli.Command{
		Name: "hand-over", Usage: "have someone else answer for an entry, or for all of a person's", ArgsUsage: "[SLUG]",
		Description: "Done at once by a curator's word; else it waits until the new owner accepts it.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "to", Usage: "the sign-in name of the `PERSON` who answers for it from now on", Required: true},
			&cli.StringFlag{Name: "all-of", Usage: "all that this `PERSON` owns"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			from := cmd.String("all-of")
			if (from == "") == (cmd.Args().Len() == 0) || cmd.Args().Len() > 1 {
				return wrongUse("hand-over takes one slug, or --all-of PERSON")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			var out api.HandedOver
			if from != "" {
				out, err = c.HandOverAll(ctx, from, cmd.String("to"))
			} else {
				out, err = c.HandOver(ctx, cmd.Args().First(), cmd.String("to"))
			}
			if err != nil {
				return err
			}
			return a.print(out, func() error {
				for _, slug := range out.Done {
					fmt.Fprintf(a.out, "%s: %s answers for it now\n", slug, cmd.String("to"))
				}
				for _, slug := range out.Offered {
					fmt.Fprintf(a.out, "%s: offered to %s, who has to accept it\n", slug, cmd.String("to"))
				}
				if len(out.Done)+len(out.Offered) == 0 {
					a.say("%s owns nothing.", from)
				}
				return nil
			})
		},
	}
}

func (a *app) keepers() *cli.Command {
	flags := []cli.Flag{
		&cli.StringFlag{Name: "deputy", Usage: "the sign-in name of the `PERSON` who stands in for the owner; '' for nobody"},
		&cli.StringFlag{Name: "department", Usage: "the `DEPARTMENT` that it belongs to; '' for none"},
	}
	given := func(cmd *cli.Command, name string) *string {
		if !cmd.IsSet(name) {
			return nil
		}
		text := cmd.String(name)
		return &text
	}
	return about(a, cli.Command{Name: "keepers", Usage: "show who answers for an entry, or say who stands in", Flags: flags},
		func(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) (api.Entry, error) {
			change := api.Keepers{Deputy: given(cmd, "deputy"), Department: given(cmd, "department")}
			if change == (api.Keepers{}) {
				return c.Entry(ctx, slug)
			}
			return c.SetKeepers(ctx, slug, change)
		},
		func(e api.Entry, _ string) error {
			deputy, department := "nobody", "none"
			if e.Deputy != "" {
				deputy = fmt.Sprintf("%s (%s)", e.DeputyName, e.Deputy)
			}
			if e.Department != "" {
				department = e.Department
			}
			_, err := fmt.Fprintf(a.out, "%s\n  owner       %s (%s)\n  deputy      %s\n  department  %s\n", e.Slug, e.OwnerName, e.Owner, deputy, department)
			return err
		})
}

func (a *app) accept() *cli.Command {
	return about(a, cli.Command{Name: "accept", Usage: "accept an entry that someone hands over to you"},
		func(ctx context.Context, c *client.Client, slug string, _ *cli.Command) (api.Entry, error) {
			return c.Accept(ctx, slug)
		},
		func(e api.Entry, _ string) error {
			_, err := fmt.Fprintf(a.out, "%s: you answer for it now\n", e.Slug)
			return err
		})
}

func (a *app) decline() *cli.Command {
	return about(a, cli.Command{Name: "decline", Usage: "leave an entry that someone hands over to you with its owner"},
		func(ctx context.Context, c *client.Client, slug string, _ *cli.Command) (api.Entry, error) {
			return c.Decline(ctx, slug)
		},
		func(e api.Entry, _ string) error {
			_, err := fmt.Fprintf(a.out, "%s: stays with %s\n", e.Slug, e.OwnerName)
			return err
		})
}

func (a *app) people() *cli.Command {
	return &cli.Command{
		Name: "people", Usage: "list who is in the library and what they own",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "departments", Usage: "what belongs to each department, in figures"},
			&cli.StringFlag{Name: "deactivate", Usage: "sign this `PERSON` out for good; what they own waits on the curators' desk"},
			&cli.StringFlag{Name: "activate", Usage: "let this `PERSON` in again"},
			&cli.StringFlag{Name: "away", Usage: "this `PERSON` is away, from --from to --until; without them, back"},
			&cli.StringFlag{Name: "from", Usage: "the first `DAY` away, as 2026-11-30"},
			&cli.StringFlag{Name: "until", Usage: "the last `DAY` away"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if cmd.Bool("departments") {
				return a.departments(ctx, c)
			}
			no, yes, from, until := false, true, cmd.String("from"), cmd.String("until")
			for _, change := range []struct {
				name string
				in   api.PersonChange
			}{
				{cmd.String("deactivate"), api.PersonChange{Active: &no}},
				{cmd.String("activate"), api.PersonChange{Active: &yes}},
				{cmd.String("away"), api.PersonChange{AwayFrom: &from, AwayUntil: &until}},
			} {
				if change.name == "" {
					continue
				}
				p, err := c.ChangePerson(ctx, change.name, change.in)
				if err != nil {
					return err
				}
				return a.print(p, func() error {
					_, err := fmt.Fprintf(a.out, "%s: %s\n", p.Name, standsNow(p))
					return err
				})
			}
			all, err := c.People(ctx)
			if err != nil {
				return err
			}
			return a.print(all, func() error {
				t := a.table("SLUG", "NAME", "ROLE", "DEPARTMENT", "OWNS", "NOW")
				for _, p := range all.Items {
					t.row(p.Name, p.FullName, string(p.Role), p.Department, strconv.Itoa(p.Owns), standsNow(p))
				}
				t.heads[0] = "PERSON"
				t.print()
				return nil
			})
		},
	}
}

func standsNow(p api.Colleague) string {
	switch {
	case !p.Active:
		return "has left"
	case p.AwayFrom != "":
		return "away from " + p.AwayFrom + " to " + p.AwayUntil
	}
	return "here"
}

func (a *app) departments(ctx context.Context, c *client.Client) error {
	all, err := c.Ownership(ctx)
	if err != nil {
		return err
	}
	return a.print(all, func() error {
		t := a.table("DEPARTMENT", "ENTRIES", "ON THE SHELF", "OPEN", "STALE", "OWNER LEFT", "NO DEPUTY", "OWNERS")
		for _, d := range all.Items {
			if d.Title == "" {
				d.Title = "(none)"
			}
			cells := []string{d.Title}
			for _, n := range []int{d.Entries, d.Published, d.Open, d.Stale, d.Orphans, d.NoDeputy, d.Owners} {
				cells = append(cells, strconv.Itoa(n))
			}
			t.row(cells...)
		}
		t.print()
		return nil
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
				t := a.table("SINCE", "TO DO", "SLUG", "VERSION", "WHY")
				for _, it := range desk.Items {
					why := it.Why
					if slices.Contains([]string{"review", "overdue", "approved"}, it.Waits) {
						why = it.By + ": " + why
					}
					t.row(it.Since.Format("2 Jan"), toDo(it.Action), it.Slug, strconv.Itoa(it.Version), why)
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

func toDo(a entry.Action) string {
	switch a {
	case entry.Approve:
		return "review"
	case entry.Submit:
		return "finish"
	case entry.Begin:
		return "mend"
	}
	return string(a)
}

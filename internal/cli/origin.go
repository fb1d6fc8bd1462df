package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/merge"
)

// adapt makes an entry one's own.
func (a *app) adapt() *cli.Command {
	return &cli.Command{
		Name: "adapt", Usage: "make an entry your own, for a project or department", ArgsUsage: "SLUG",
		Description: "The copy knows where it came from, and is yours alone until you share or submit it.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "for", Usage: "the `PROJECT` or use that it is for"},
			&cli.StringFlag{Name: "department", Usage: "the `DEPARTMENT` that it is for"},
			&cli.StringFlag{Name: "title", Usage: "its `TITLE`"},
			&cli.StringFlag{Name: "slug", Usage: "its `SLUG`"},
			&cli.BoolFlag{Name: "share", Usage: "have those who see drafts see one of yours"},
			&cli.BoolFlag{Name: "list", Usage: "list those of an entry that are shared"},
		},
		Action: a.onEntry(func(ctx context.Context, cmd *cli.Command, c *client.Client, slug string) error {
			switch {
			case cmd.Bool("list"):
				all, err := c.Adaptations(ctx, slug)
				if err != nil {
					return err
				}
				return a.print(all, func() error { a.printAdaptations(all); return nil })
			case cmd.Bool("share"):
				e, err := c.Share(ctx, slug)
				if err != nil {
					return err
				}
				return a.print(e, func() error { a.say("%s is shared.", e.Slug); return nil })
			}
			e, err := c.Adapt(ctx, slug, api.NewAdaptation{Slug: cmd.String("slug"), Title: cmd.String("title"), Purpose: cmd.String("for"), Department: cmd.String("department")})
			if err != nil {
				return err
			}
			return a.print(e, func() error {
				a.say("%s is yours alone. Change it with goldshelf put, share it with goldshelf adapt --share %s.", e.Slug, e.Slug)
				return nil
			})
		}),
	}
}

func (a *app) printAdaptations(all api.Adaptations) {
	if len(all.Items) == 0 {
		a.say("Nobody has shared an adaptation of it.")
	}
	t := a.table("SLUG", "TITLE", "OWNER", "FOR", "FROM VERSION", "STATE")
	for _, it := range all.Items {
		t.row(it.Slug, it.Title, it.OwnerName, it.Purpose, fmt.Sprint(it.Version), strings.ReplaceAll(it.State, "-", " "))
	}
	t.print()
	for _, c := range all.Alike {
		a.say("\n%d of them changed this alike (%s):", len(c.In), strings.Join(c.In, ", "))
		a.saySides("-", c.Before)
		a.saySides("+", c.After)
	}
}

// saySides shows lines behind a sign.
func (a *app) saySides(sign, text string) {
	for line := range strings.Lines(text) {
		a.say("  %s %s", sign, strings.TrimRight(line, "\n"))
	}
}

// rendition makes an entry that says the same for others.
func (a *app) rendition() *cli.Command {
	return &cli.Command{
		Name: "rendition", Usage: "make an entry that says the same in another language, or for another application or model", ArgsUsage: "SLUG",
		Description: "Whoever asks for the entry gets the rendition that suits: their language, and the application that they ask for.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "language", Usage: "the `LANGUAGE`, such as cy or pt-BR"},
			&cli.StringFlag{Name: "application", Usage: "the `APPLICATION`"},
			&cli.StringFlag{Name: "model", Usage: "the `MODEL`"},
			&cli.StringFlag{Name: "title", Usage: "its `TITLE`"},
			&cli.StringFlag{Name: "slug", Usage: "its `SLUG`"},
		},
		Action: a.onEntry(func(ctx context.Context, cmd *cli.Command, c *client.Client, slug string) error {
			e, err := c.AddRendition(ctx, slug, api.NewRendition{
				Slug: cmd.String("slug"), Title: cmd.String("title"), Language: cmd.String("language"), Application: cmd.String("application"), Model: cmd.String("model"),
			})
			if err != nil {
				return err
			}
			return a.print(e, func() error { a.say("%s is a draft. Write it with goldshelf put.", e.Slug); return nil })
		}),
	}
}

// origin shows what has changed where an entry came from, and takes it over.
func (a *app) origin() *cli.Command {
	return &cli.Command{
		Name: "origin", Usage: "see what has changed where an entry came from, and take it over", ArgsUsage: "SLUG",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "take", Usage: "take over what changed there; your own changes stay"},
			&cli.StringFlag{Name: "conflicts", Usage: "with --take, where both have changed the same: ours, theirs or both"},
			&cli.BoolFlag{Name: "follow", Usage: "say that you have looked, and take nothing over"},
		},
		Action: a.onEntry(func(ctx context.Context, cmd *cli.Command, c *client.Client, slug string) error {
			m, err := c.Origin(ctx, slug)
			if err != nil {
				return err
			}
			switch {
			case cmd.Bool("follow"):
				e, err := c.FollowOrigin(ctx, slug, m.Now)
				if err != nil {
					return err
				}
				return a.print(e, func() error { a.say("%s follows version %d of %s.", e.Slug, m.Now, m.Slug); return nil })
			case cmd.Bool("take"):
				etag := ""
				if m.Draft {
					if _, etag, err = c.Draft(ctx, slug); err != nil {
						return err
					}
				}
				e, _, err := c.TakeOver(ctx, slug, etag, api.TakeOver{Version: m.Now, Choices: conflicts(m.Merge, merge.Side(cmd.String("conflicts")))})
				if err != nil {
					return err
				}
				return a.print(e, func() error {
					a.say("The draft of %s has what changed in %s up to version %d.", e.Slug, m.Slug, m.Now)
					return nil
				})
			}
			if m.How == "rendition" && m.Now > m.Version {
				diff, err := c.Diff(ctx, m.Slug, m.Version, m.Now)
				if err != nil {
					return err
				}
				return a.print(diff, func() error {
					if err := a.printDiff(diff, false); err != nil {
						return err
					}
					a.say("Bring %s up to that in your own words, and say goldshelf origin %s --follow.", slug, slug)
					return nil
				})
			}
			return a.print(m, func() error { a.printMerge(m); return nil })
		}),
	}
}

// conflicts takes one side wherever both have changed the same.
func conflicts(m merge.Merge, side merge.Side) (c merge.Choices) {
	if side == "" {
		return c
	}
	c = merge.Choices{Hunks: map[int]merge.Side{}, Blanks: map[string]merge.Side{}, Fields: map[string]merge.Side{}}
	for i, h := range m.Hunks {
		if h.Outcome == merge.Conflict {
			c.Hunks[i] = side
		}
	}
	for of, parts := range map[*map[string]merge.Side][]merge.Part{&c.Blanks: m.Blanks, &c.Fields: m.Fields} {
		for _, p := range parts {
			if p.Outcome == merge.Conflict {
				(*of)[p.Name] = side
			}
		}
	}
	return c
}

func (a *app) printMerge(m api.OriginMerge) {
	if !m.Moved() {
		a.printf("%s is at version %d, and has nothing that is not here.\n", m.Slug, max(m.Now, m.Version))
		return
	}
	a.printf("%s went from version %d to %d:\n", m.Slug, m.Version, m.Now)
	for _, h := range m.Hunks {
		switch h.Outcome {
		case merge.Theirs:
			fmt.Fprintln(a.out)
			a.printSide("-", h.Base)
			a.printSide("+", h.Theirs)
		case merge.Conflict:
			a.printf("\nBoth have changed this. It was:\n")
			a.printSide(" ", h.Base)
			a.printf("Here it is:\n")
			a.printSide(" ", h.Ours)
			a.printf("There it is:\n")
			a.printSide(" ", h.Theirs)
		}
	}
	for _, p := range append(m.Blanks, m.Fields...) {
		switch p.Outcome {
		case merge.Theirs:
			a.printf("\n%s has changed there.\n", p.Name)
		case merge.Conflict:
			a.printf("\nBoth have changed %s.\n", p.Name)
		}
	}
}

func (a *app) printSide(sign, text string) {
	for line := range strings.Lines(text) {
		a.printf("%s %s\n", sign, strings.TrimRight(line, "\n"))
	}
}

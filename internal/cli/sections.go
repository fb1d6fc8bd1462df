package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/message"
)

// sections lists the sections of the shelf, and keeps them.
func (a *app) sections() *cli.Command {
	return &cli.Command{
		Name: "sections", Usage: "list the sections of the shelf, or what is in one; curators keep them", ArgsUsage: "[NAME]",
		Description: "A section is a search, or entries picked by hand: goldshelf sections letters --title Letters --search kind:prompt",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "title", Usage: "its `TITLE`"},
			&cli.StringFlag{Name: "introduction", Usage: "its introduction, as `TEXT`"},
			&cli.StringFlag{Name: "search", Usage: "have it show what these `WORDS` find, as find takes them"},
			&cli.StringSliceFlag{Name: "entry", Usage: "have it show this entry, by `SLUG`, and others that are named so"},
			&cli.StringFlag{Name: "starter", Usage: "have its new entries begin with this `FILE`"},
			&cli.StringSliceFlag{Name: "order", Usage: "put all sections in this order, by `NAME`"},
			&cli.BoolFlag{Name: "delete", Usage: "take it away; its entries stay"},
			&cli.IntFlag{Name: "limit", Usage: "at most so many entries", Value: 50},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if names := cmd.StringSlice("order"); len(names) > 0 {
				if err := c.OrderSections(ctx, names); err != nil {
					return err
				}
			}
			if !cmd.Args().Present() {
				all, err := c.Sections(ctx)
				if err != nil {
					return err
				}
				return a.print(api.Sections{Items: all}, func() error { a.printSections(all); return nil })
			}
			name, err := one(cmd, "name")
			if err != nil {
				return err
			}
			if cmd.Bool("delete") {
				if err := c.DeleteSection(ctx, name); err != nil {
					return err
				}
				a.say("There is no section %s any more; its entries are where they were.", name)
				return nil
			}
			if cmd.IsSet("title") || cmd.IsSet("introduction") || cmd.IsSet("search") || cmd.IsSet("entry") || cmd.IsSet("starter") {
				if err := a.setSection(ctx, c, cmd, name); err != nil {
					return err
				}
			}
			s, err := c.Section(ctx, name, cmd.Int("limit"), "")
			if err != nil {
				return err
			}
			return a.print(s, func() error {
				a.say("%s", s.Title)
				if s.Introduction != "" {
					a.say("%s", s.Introduction)
				}
				return a.printList(api.List{Items: s.Items, Total: s.Total, Note: s.Note}, false)
			})
		},
	}
}

func (a *app) printSections(all []api.Section) {
	t := a.table("NAME", "TITLE", "ENTRIES", "WHAT IS IN IT")
	for _, s := range all {
		what := s.Query
		if what == "" {
			what = message.Say("%s picked by hand", count(len(s.Entries), "entry", "entries")).In(a.language)
		}
		if !s.Note.IsZero() {
			what += " (" + s.Note.String() + ")"
		}
		t.row(s.Name, s.Title, fmt.Sprint(s.Total), what)
	}
	t.print()
	if len(all) == 0 {
		a.say("There are no sections yet.")
	}
}

// setSection changes what is given of a section, and adds one that is not there.
func (a *app) setSection(ctx context.Context, c *client.Client, cmd *cli.Command, name string) error {
	s, err := c.Section(ctx, name, 1, "")
	if err != nil && statusOf(err) != exitNotFound {
		return err
	}
	in := api.SectionChange{Title: s.Title, Introduction: s.Introduction, Query: s.Query, Entries: s.Entries, Starter: s.Starter, Number: s.Number}
	if cmd.IsSet("title") {
		in.Title = cmd.String("title")
	}
	if cmd.IsSet("introduction") {
		in.Introduction = cmd.String("introduction")
	}
	if cmd.IsSet("search") {
		in.Query, in.Entries = cmd.String("search"), nil
	}
	if cmd.IsSet("entry") {
		in.Entries, in.Query = cmd.StringSlice("entry"), ""
	}
	if file := cmd.String("starter"); file != "" {
		data, err := a.readAll(file)
		if err != nil {
			return err
		}
		f, err := bundle.Read(data)
		if err != nil {
			return inFile(file, err)
		}
		in.Starter = &f.Content
	}
	_, err = c.SetSection(ctx, name, in)
	return err
}

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
)

// labels shows the facets and terms, adds and renames them, and labels entries.
func (a *app) labels() *cli.Command {
	return &cli.Command{
		Name: "labels", Usage: "show, add and rename facets and terms, or say which of them an entry has", ArgsUsage: "[SLUG [FACET=TERM,TERM…]…]",
		Description: "With a slug alone it shows the labels of an entry; with labels too, the entry has these and no others in those facets.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "add", Usage: "add a `FACET` or, as FACET/TERM, a term to one"},
			&cli.StringFlag{Name: "rename", Usage: "give a `FACET` or, as FACET/TERM, a term another title"},
			&cli.StringFlag{Name: "title", Usage: "what people read, with --add and --rename"},
			&cli.StringFlag{Name: "import", Usage: "add the facets and terms of a CSV `FILE`: facet, term, title"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if cmd.Args().Present() {
				return a.labelEntry(ctx, c, cmd.Args().First(), cmd.Args().Tail())
			}
			out, err := a.changeLabels(ctx, c, cmd)
			if err != nil {
				return err
			}
			return a.print(out, func() error {
				t := a.table("FACET", "TERM", "TITLE", "ON THE SHELF")
				for _, f := range out {
					t.row(f.Name, "", f.Title, "")
					for _, term := range f.Terms {
						t.row(f.Name, term.Name, term.Title, fmt.Sprint(term.Count))
					}
				}
				t.print()
				if len(out) == 0 {
					a.say("There are no facets yet; goldshelf labels --add department --title Department adds one.")
				}
				return nil
			})
		},
	}
}

// changeLabels does what the flags ask for, and gives all facets but the kinds.
func (a *app) changeLabels(ctx context.Context, c *client.Client, cmd *cli.Command) ([]api.Facet, error) {
	add, rename, title := cmd.String("add"), cmd.String("rename"), cmd.String("title")
	var err error
	switch {
	case add != "":
		facet, term, _ := strings.Cut(add, "/")
		if title == "" {
			return nil, wrongUse("--add takes a --title: what people read")
		}
		_, err = c.AddLabel(ctx, api.NewLabel{Facet: facet, Term: term, Title: title})
	case rename != "":
		facet, term, isTerm := strings.Cut(rename, "/")
		if title == "" {
			return nil, wrongUse("--rename takes a --title: what people read from now on")
		}
		if isTerm {
			_, err = c.RenameTerm(ctx, facet, term, title)
		} else {
			_, err = c.RenameFacet(ctx, facet, title)
		}
	case cmd.String("import") != "":
		var table []byte
		if table, err = a.readAll(cmd.String("import")); err == nil {
			_, err = c.ImportLabels(ctx, table)
		}
	}
	if err != nil {
		return nil, err
	}
	all, err := c.Labels(ctx)
	if len(all) > 0 && all[0].Name == "kind" {
		all = all[1:]
	}
	return all, err
}

// labelEntry shows or changes the labels of an entry.
func (a *app) labelEntry(ctx context.Context, c *client.Client, slug string, pairs []string) error {
	e, err := c.Entry(ctx, slug)
	if err != nil {
		return err
	}
	for _, pair := range pairs {
		facet, terms, ok := strings.Cut(pair, "=")
		if !ok {
			return wrongUse("%q is no label; write it as department=customer-care, or department= for none", pair)
		}
		e.Labels[facet] = nil
		if terms != "" {
			e.Labels[facet] = strings.Split(terms, ",")
		} else {
			delete(e.Labels, facet)
		}
	}
	if len(pairs) > 0 {
		if e, err = c.SetLabels(ctx, e.Slug, e.Labels); err != nil {
			return err
		}
	}
	return a.print(e.Labels, func() error {
		t := a.table("FACET", "TERMS")
		for _, facet := range slices.Sorted(maps.Keys(e.Labels)) {
			t.row(facet, strings.Join(e.Labels[facet], ", "))
		}
		t.print()
		if len(e.Labels) == 0 {
			a.say("%s has no labels.", e.Slug)
		}
		return nil
	})
}

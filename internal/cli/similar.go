package cli

import (
	"context"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
)

func (a *app) similar() *cli.Command {
	return &cli.Command{
		Name: "similar", Usage: "find entries that say nearly the same as a file or an entry", ArgsUsage: "FILE|SLUG",
		Description: "Curators also see what is similar in the whole library, with --groups, and passages that three entries or more have, with --passages.",
		Flags:       []cli.Flag{&cli.BoolFlag{Name: "groups", Usage: "groups of similar entries in the whole library"}, &cli.BoolFlag{Name: "passages", Usage: "passages that could be snippets"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			switch {
			case cmd.Bool("groups"):
				groups, err := c.SimilarGroups(ctx)
				if err != nil {
					return err
				}
				return a.print(groups, func() error { return a.printGroups(groups) })
			case cmd.Bool("passages"):
				passages, err := c.RecurringPassages(ctx)
				if err != nil {
					return err
				}
				return a.print(passages, func() error { return a.printPassages(passages) })
			}
			name, err := one(cmd, "file or slug")
			if err != nil {
				return err
			}
			text, err := a.textOf(ctx, c, name)
			if err != nil {
				return err
			}
			found, err := c.Similar(ctx, text)
			if err != nil {
				return err
			}
			return a.print(found, func() error {
				a.printSimilar(found.Items)
				if len(found.Items) == 0 {
					a.say("Nothing in the library says nearly the same.")
				}
				return nil
			})
		},
	}
}

// textOf reads a file, or the text of an entry.
func (a *app) textOf(ctx context.Context, c *client.Client, name string) (api.TextOf, error) {
	if _, err := os.Stat(name); name == "-" || err == nil {
		data, err := a.readAll(name)
		if err != nil {
			return api.TextOf{}, err
		}
		if f, err := bundle.Read(data); err == nil {
			return api.TextOf{Body: f.Body}, nil
		}
		return api.TextOf{Body: string(data)}, nil
	}
	e, err := c.Entry(ctx, name)
	return api.TextOf{Slug: e.Slug, Body: e.Body}, err
}

func (a *app) printSimilar(items []api.Similar) {
	t := a.table("", "SLUG", "VERSION", "STATE", "ALIKE", "OF IT HERE", "OF THIS THERE")
	for _, it := range items {
		t.row(it.Kind.Letter(), it.Slug, fmt.Sprint(it.Version), it.State.Said().In(a.language), fmt.Sprintf("%d %%", it.Likeness), fmt.Sprintf("%d %%", it.Contains), fmt.Sprintf("%d %%", it.Contained))
	}
	t.print()
}

func (a *app) printGroups(groups api.Groups) error {
	for i, g := range groups.Groups {
		if i > 0 {
			fmt.Fprintln(a.out)
		}
		a.printSimilar(g.Items)
	}
	a.say("%s.", count(len(groups.Groups), "group of similar entries", "groups of similar entries"))
	return nil
}

func (a *app) printPassages(all api.Recurring) error {
	for _, p := range all.Passages {
		slugs := map[string]bool{}
		for _, in := range p.In {
			slugs[in.Entry] = true
		}
		a.printf("%d words in %s:\n  %s\n", p.Words, strings.Join(slices.Sorted(maps.Keys(slugs)), ", "), strings.ReplaceAll(p.Text, "\n", "\n  "))
	}
	a.say("%s.", count(len(all.Passages), "passage that could be a snippet", "passages that could be snippets"))
	return nil
}

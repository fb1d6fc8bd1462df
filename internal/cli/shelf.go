package cli

import (
	"context"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/message"
)

func (a *app) find() *cli.Command {
	return &cli.Command{
		Name: "find", Usage: "search the shelf", ArgsUsage: "[WORDS…]",
		Description: "Words in any form, and their beginnings; wrong letters are forgiven. '\"exact words\"' stand together;\n" +
			"-word, after --, is not there; kind:, owner:, state: and any facet narrow it: goldshelf find meter department:customer-care",
		Flags: append(labelFlags(),
			&cli.BoolFlag{Name: "all-states", Usage: "drafts too, as far as you may see them"},
			&cli.BoolFlag{Name: "mine", Usage: "only what you own or stand in for, in any state"},
			&cli.IntFlag{Name: "best", Usage: "what is used most, liked most and new, over 30, 90 or 365 `DAYS`"},
			&cli.IntFlag{Name: "limit", Usage: "at most so many", Value: 50},
		),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			q, err := queryOf(cmd)
			if err != nil {
				return err
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if cmd.IsSet("best") {
				best, err := c.Best(ctx, cmd.Int("best"))
				if err != nil {
					return err
				}
				return a.print(best, func() error { a.printBest(best); return nil })
			}
			search := c.Shelf
			q.Mine = cmd.Bool("mine")
			states := q.Mine || cmd.Bool("all-states")
			if states {
				search = c.Entries
			}
			list, err := search(ctx, q)
			if err != nil {
				return err
			}
			if !states && q.Words != "" && (list.Total == 0 || list.Partial) {
				// Curators see what is missing; that nobody could be told of it is no trouble here.
				_ = c.AddMissedSearch(ctx, api.Searched{Words: q.Words})
			}
			return a.print(list, func() error { return a.printList(list, states) })
		},
	}
}

func queryOf(cmd *cli.Command) (client.Query, error) {
	q, err := labelsOf(cmd)
	q.Words, q.Limit = strings.Join(cmd.Args().Slice(), " "), cmd.Int("limit")
	return q, err
}

// labelFlags are those by which entries are narrowed.
func labelFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringSliceFlag{Name: "department", Usage: "only entries of this department"},
		&cli.StringSliceFlag{Name: "application", Usage: "only entries for this application"},
		&cli.StringSliceFlag{Name: "model", Usage: "only entries for this model"},
		&cli.StringSliceFlag{Name: "kind", Usage: "prompt, persona, style, snippet, sheet or relay"},
		&cli.StringSliceFlag{Name: "label", Usage: "any other facet, as `FACET=TERM`"},
	}
}

// labelsOf reads the labels that labelFlags take.
func labelsOf(cmd *cli.Command) (client.Query, error) {
	q := client.Query{Labels: map[string][]string{}}
	for _, facet := range []string{"department", "application", "model", "kind"} {
		if terms := cmd.StringSlice(facet); len(terms) > 0 {
			q.Labels[facet] = terms
		}
	}
	for _, label := range cmd.StringSlice("label") {
		facet, term, ok := strings.Cut(label, "=")
		if !ok {
			return q, wrongUse("--label is %q; write it as facet=term, as in audience=farms", label)
		}
		q.Labels[facet] = append(q.Labels[facet], term)
	}
	return q, nil
}

func (a *app) printList(list api.List, states bool) error {
	t := a.table("", "SLUG", "TITLE", "DEPARTMENT", "VERSION")
	if states {
		t = a.table("", "SLUG", "TITLE", "DEPARTMENT", "VERSION", "STATE")
	}
	for _, it := range list.Items {
		row := []string{it.Kind.Letter(), it.Slug, orSlug(it), strings.Join(it.Labels["department"], ", "), strconv.Itoa(it.Version)}
		if states {
			row = append(row, it.State.Said().In(a.language))
		}
		t.row(row...)
	}
	t.print()
	for _, i := range list.Instead {
		a.say("No entry says %q; %q was looked for instead.", i.Typed, i.Taken)
	}
	if !list.Note.IsZero() {
		a.say("%s.", list.Note)
	}
	if list.Partial && list.Total > 0 {
		a.say("No entry has all of these words; these have most of them, or words like them.")
	}
	switch shown := len(list.Items); {
	case list.Total == 0:
		a.say("Nothing on the shelf matches. Fewer words or labels find more.")
	case shown < list.Total:
		a.say("%d of %d entries; --limit %d shows more.", shown, list.Total, list.Total)
	default:
		a.say("%s.", count(list.Total, "entry", "entries"))
	}
	return nil
}

func orSlug(it api.Item) string {
	if it.Title == "" {
		return it.Slug
	}
	return it.Title
}

func count(n int, one, many string) message.Text { return message.Counted(n, one, many) }

func (a *app) show() *cli.Command {
	return about(a, cli.Command{
		Name: "show", Usage: "print an entry as a file: its header and its text", ArgsUsage: "SLUG[@N]",
		Description: "Prints the published version. With @N it prints that version, and with --open, or where nothing is published, the open one, if you may see it.",
		Flags:       []cli.Flag{&cli.BoolFlag{Name: "open", Usage: "print the version that is written or reviewed now"}},
	}, func(ctx context.Context, c *client.Client, ref string, cmd *cli.Command) (api.Entry, error) {
		if cmd.Bool("open") {
			return c.Entry(ctx, ref)
		}
		return readable(ctx, c, ref)
	}, func(e api.Entry, _ string) error {
		if r := e.Retired; r != nil {
			a.say("%s was retired on %s: %s%s.", e.Slug, a.when(r.At, "2 January 2006"), r.Because, instead(r.Instead))
		}
		if len(e.Gone) > 0 {
			are := "is"
			if len(e.Gone) > 1 {
				are = "are"
			}
			a.say("%s is for %s, which %s gone.", e.Slug, strings.Join(e.Gone, " and "), are)
		}
		if e.SetNewest > 0 {
			name, _, _ := strings.Cut(e.Set, "@")
			a.say("%s answers %s, and the questions have gone on to %s@%d.", e.Slug, e.Set, name, e.SetNewest)
		}
		a.saySeen(e)
		return a.printFile(e)
	})
}

func (a *app) printFile(e api.Entry) error {
	_, err := a.out.Write(bundle.File{Content: e.Content, Owner: e.Owner, Deputy: e.Deputy, RenditionOf: e.RenditionOf}.Bytes())
	return err
}

func sorted(texts []string) []string {
	slices.Sort(texts)
	return texts
}

func instead(slug string) string {
	if slug == "" {
		return ""
	}
	return "; use " + slug + " instead"
}

// readable reads what is published and, where nothing is, what the caller may
// see of the drafts.
func readable(ctx context.Context, c *client.Client, ref string) (api.Entry, error) {
	e, err := c.ShelfEntry(ctx, ref)
	if statusOf(err) != exitNotFound {
		return e, err
	}
	slug, digits, pinned := strings.Cut(ref, "@")
	var draft api.Entry
	var draftErr error
	if n, convErr := strconv.Atoi(digits); pinned && convErr == nil {
		draft, draftErr = c.Version(ctx, slug, n)
	} else if !pinned {
		draft, draftErr = c.Entry(ctx, slug)
	} else {
		return e, err
	}
	if draftErr != nil {
		return e, err
	}
	return draft, nil
}

func (a *app) uses() *cli.Command {
	return about(a, cli.Command{
		Name: "uses", Usage: "list what uses an entry, directly and through others",
	}, func(ctx context.Context, c *client.Client, slug string, _ *cli.Command) (api.Uses, error) {
		return c.Uses(ctx, slug)
	}, func(uses api.Uses, slug string) error {
		t := a.table("", "SLUG", "VERSION", "STATE", "USES IT AS", "THROUGH")
		for _, u := range uses.Items {
			how := u.How
			if u.Pinned > 0 {
				how = a.text("%s, stays at %d", how, u.Pinned)
			}
			t.row(u.Kind.Letter(), u.Slug, strconv.Itoa(u.Version), u.State.Said().In(a.language), how, strings.Join(u.Through, ", "))
		}
		t.print()
		if len(uses.Items) == 0 {
			a.say("Nothing uses %s.", slug)
		}
		return nil
	})
}

func (a *app) history() *cli.Command {
	return about(a, cli.Command{
		Name: "history", Usage: "list an entry's versions, newest first",
	}, func(ctx context.Context, c *client.Client, slug string, _ *cli.Command) (api.Versions, error) {
		return c.Versions(ctx, slug)
	}, func(all api.Versions, _ string) error {
		t := a.table("VERSION", "STATE", "DATE", "AUTHOR", "NOTE")
		for _, v := range all.Items {
			t.row(strconv.Itoa(v.Version), v.State.Said().In(a.language), a.dateOf(v), v.Author, v.Note)
		}
		t.print()
		for _, h := range all.Helped {
			a.printf("Version %d: %s helped %s, by %s.\n", h.Version, h.Model, h.By, h.Helper)
		}
		a.printElsewhere(all.Elsewhere)
		return nil
	})
}

// printElsewhere tells what an entry was in the library that it came from.
func (a *app) printElsewhere(all []api.ElsewhereVersion) {
	if len(all) == 0 {
		return
	}
	a.printf("\nElsewhere, before it was imported; nothing of it counts here:\n")
	t := a.table("VERSION", "STATE", "DATE", "AUTHOR", "APPROVED BY", "NOTE")
	for _, v := range all {
		at, names := v.SavedAt, []string{}
		if v.PublishedAt != nil {
			at = *v.PublishedAt
		}
		for _, by := range v.Approvals {
			names = append(names, by.By)
		}
		t.row(strconv.Itoa(v.Version), v.State.Said().In(a.language), a.when(at, "2 Jan 2006"), v.Author, strings.Join(names, ", "), v.Note)
	}
	t.print()
}

// dateOf is the day a version was published, or else last saved.
func (a *app) dateOf(v api.Entry) string {
	if v.PublishedAt != nil {
		return a.when(*v.PublishedAt, "2 Jan 2006")
	}
	return a.when(v.SavedAt, "2 Jan 2006")
}

// colourless says whether what is printed must be plain.
func (a *app) colourless() bool { return os.Getenv("NO_COLOR") != "" || !isTerminal(a.out) }

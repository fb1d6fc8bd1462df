package cli

import (
	"bytes"
	"context"
	"errors"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
)

func (a *app) put() *cli.Command {
	return &cli.Command{
		Name: "put", Usage: "make or change drafts from entry files", ArgsUsage: "FILE…",
		Description: "A file's name is its entry's slug; - reads standard input. Every file is read before the first is sent. A text without a header on standard input becomes a draft as it is, under a title that is suggested from it.",
		Flags: slices.Concat([]cli.Flag{
			&cli.StringFlag{Name: "slug", Usage: "the slug, for standard input"},
			&cli.BoolFlag{Name: "over", Usage: "save over a draft that someone else saved last"},
			&cli.StringFlag{Name: "kind", Usage: "the kind of a text without a header", Value: string(entry.Prompt)},
			&cli.StringFlag{Name: "title", Usage: "its title, if not the suggested one"},
			&cli.BoolFlag{Name: "make-blanks", Usage: "make blanks of the places to fill in that it marks in some other way"},
		}, sourceFlags()),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if !cmd.Args().Present() {
				return wrongUse("put takes entry files, such as burst-main-notice.md")
			}
			if cmd.String("slug") != "" && cmd.Args().Len() > 1 {
				return wrongUse("--slug goes with one file")
			}
			entries, err := a.readFiles(cmd.Args().Slice(), cmd.String("slug"))
			if err != nil {
				return err
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			me, err := c.Session(ctx)
			if err != nil {
				return err
			}
			for _, in := range entries {
				if in.bare {
					if err := a.capture(ctx, c, cmd, in.NewEntry); err != nil {
						return err
					}
					continue
				}
				if err := a.putOne(ctx, c, me.Name, in.NewEntry, cmd.Bool("over")); err != nil {
					return err
				}
			}
			return nil
		},
	}
}

// read is an entry file that was read, and the line on which its text begins.
type read struct {
	api.NewEntry
	bodyLine int
	bare     bool // a text without a header
}

// readFiles reads every file and gives every fault of all of them.
func (a *app) readFiles(names []string, slug string) ([]read, error) {
	var all []read
	var faults []error
	for _, name := range names {
		data, err := a.readAll(name)
		if err != nil {
			faults = append(faults, err)
			continue
		}
		if name == "-" && !strings.HasPrefix(strings.TrimPrefix(string(data), "\ufeff"), "---") {
			all = append(all, read{NewEntry: api.NewEntry{Slug: slug, Content: entry.Content{Body: string(data)}}, bodyLine: 1, bare: true})
			continue
		}
		f, err := bundle.Read(data)
		if err != nil {
			faults = append(faults, inFile(name, err))
			continue
		}
		in := read{NewEntry: api.NewEntry{Slug: slug, Content: f.Content, Owner: f.Owner, Deputy: f.Deputy, RenditionOf: f.RenditionOf}, bodyLine: f.BodyLine()}
		if in.Slug == "" && name != "-" {
			in.Slug, _, _ = strings.Cut(strings.TrimSuffix(filepath.Base(name), ".md"), "@")
			if _, err := entry.ParseSlug(in.Slug); err != nil {
				faults = append(faults, inFile(name, err))
			}
		}
		all = append(all, in)
	}
	return all, errors.Join(faults...)
}

// capture makes a draft of a text as it is, and says what is like it.
func (a *app) capture(ctx context.Context, c *client.Client, cmd *cli.Command, in api.NewEntry) error {
	in.Kind, in.Title, in.Source = entry.Kind(cmd.String("kind")), cmd.String("title"), sourceOf(cmd)
	seen, err := c.ReadText(ctx, api.TextOf{Body: in.Body})
	if err != nil {
		return err
	}
	if in.Title == "" {
		in.Title, in.Summary = seen.Title, seen.Summary
	}
	if cmd.Bool("make-blanks") {
		made, err := c.MakeBlanks(ctx, api.BlanksRequest{Body: in.Body, Places: seen.Places})
		if err != nil {
			return err
		}
		in.Body, in.Blanks = made.Body, made.Blanks
	}
	made, err := c.Create(ctx, in)
	if err := a.reportPut(made, "made", err); err != nil {
		return err
	}
	if n := len(seen.Places); n > 0 && !cmd.Bool("make-blanks") {
		a.say("It marks %s to fill in, such as %s; put --make-blanks makes blanks of them.", count(n, "place", "places"), seen.Places[0].Text)
	}
	if len(seen.Similar) > 0 {
		a.say("Something like it is there already:")
		for _, it := range seen.Similar {
			a.say("  %s, version %d (%s): %d %% alike", it.Slug, it.Version, it.State.Said(), max(it.Likeness, it.Contains, it.Contained))
		}
	}
	return nil
}

// putOne makes an entry, begins its next version or saves its draft, whichever
// it takes.
func (a *app) putOne(ctx context.Context, c *client.Client, me string, in api.NewEntry, over bool) error {
	if in.Slug == "" {
		made, err := c.Create(ctx, in)
		return a.reportPut(made, "made", err)
	}
	there, err := c.Entry(ctx, in.Slug)
	switch {
	case statusOf(err) == exitNotFound:
		made, err := c.Create(ctx, in)
		return a.reportPut(made, "made", err)
	case err != nil:
		return err
	case sameContent(there.Content, in.Content):
		return a.putLabels(ctx, c, there, in)
	case there.Open == 0:
		begun, _, err := c.SaveDraft(ctx, in.Slug, "", in)
		return a.reportPut(begun, "begun", err)
	}
	draft, etag, err := c.Draft(ctx, in.Slug)
	if err != nil {
		return err
	}
	if draft.SavedBy != me && !over {
		return &changed{a.text("%s saved version %d of %s last, on %s; nothing was saved. Read it with goldshelf show %s@%d, put the two together, and put again with --over",
			draft.SavedByName, draft.Version, in.Slug, a.when(draft.SavedAt, "2 January 15:04"), in.Slug, draft.Version)}
	}
	saved, _, err := c.SaveDraft(ctx, in.Slug, etag, in)
	return a.reportPut(saved, "saved", err)
}

// putLabels labels an entry whose text is what it is to be: that makes no version.
func (a *app) putLabels(ctx context.Context, c *client.Client, there api.Entry, in api.NewEntry) error {
	if in.Labels == nil || maps.EqualFunc(there.Labels, in.Labels, slices.Equal) {
		return a.reportPut(there, "unchanged", nil)
	}
	labelled, err := c.SetLabels(ctx, there.Slug, in.Labels)
	return a.reportPut(labelled, "labelled", err)
}

func (a *app) reportPut(e api.Entry, how string, err error) error {
	if err != nil {
		return err
	}
	return a.print(e, func() error {
		_, err := a.printf("%s: version %d, %s, %s\n", e.Slug, e.Version, e.State.Said(), how)
		return err
	})
}

// sameContent says whether two contents would make the same file, labels aside.
func sameContent(x, y entry.Content) bool {
	x.Labels, y.Labels = nil, nil
	return bytes.Equal(bundle.File{Content: x}.Bytes(), bundle.File{Content: y}.Bytes())
}

// about is a command about one entry: it calls the service, and prints what
// comes back as JSON or plainly.
func about[T any](a *app, shape cli.Command, call func(context.Context, *client.Client, string, *cli.Command) (T, error), plain func(T, string) error) *cli.Command {
	if shape.ArgsUsage == "" {
		shape.ArgsUsage = "SLUG"
	}
	shape.Action = func(ctx context.Context, cmd *cli.Command) error {
		slug, err := one(cmd, "slug")
		if err != nil {
			return err
		}
		c, err := a.signedIn()
		if err != nil {
			return err
		}
		got, err := call(ctx, c, slug, cmd)
		if err != nil {
			return err
		}
		return a.print(got, func() error { return plain(got, slug) })
	}
	return &shape
}

// act is a command that takes one action on one entry.
func (a *app) act(name, usage string, flags []cli.Flag, done string, do func(context.Context, *client.Client, string, *cli.Command) (api.Entry, error)) *cli.Command {
	return about(a, cli.Command{Name: name, Usage: usage, Flags: flags}, do, func(e api.Entry, _ string) error {
		_, err := a.printf("%s: version %d is %s%s\n", e.Slug, e.Version, e.State.Said(), done)
		return err
	})
}

func (a *app) submit() *cli.Command {
	flags := []cli.Flag{
		&cli.StringFlag{Name: "note", Usage: "what has changed, and why; left out, the note that the draft has already"},
		&cli.Int64SliceFlag{Name: "settles", Usage: "the `NUMBER` of a report that this version settles"},
	}
	return a.act("submit", "ask for a review of a draft", flags, "", func(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) (api.Entry, error) {
		return c.Submit(ctx, slug, cmd.String("note"), cmd.Int64Slice("settles")...)
	})
}

func (a *app) withdraw() *cli.Command {
	return a.act("withdraw", "take a draft back out of review", nil, " again", func(ctx context.Context, c *client.Client, slug string, _ *cli.Command) (api.Entry, error) {
		return c.Withdraw(ctx, slug)
	})
}

func (a *app) approve() *cli.Command {
	flags := []cli.Flag{&cli.StringFlag{Name: "comment", Usage: "a word to its writer"}, seenFlag(seenUsage)}
	return a.act("approve", "approve a version in review", flags, "", func(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) (api.Entry, error) {
		seen, err := a.seen(ctx, c, cmd, slug, "Approve this text?")
		if err != nil {
			return api.Entry{}, err
		}
		return c.Approve(ctx, slug, seen, cmd.String("comment"))
	})
}

func (a *app) giveBack() *cli.Command {
	flags := []cli.Flag{&cli.StringFlag{Name: "because", Usage: "what its writer should change", Required: true}, seenFlag(seenUsage)}
	return a.act("return", "give a version back to its writer", flags, " again", func(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) (api.Entry, error) {
		seen, err := a.seen(ctx, c, cmd, slug, "Return this text?")
		if err != nil {
			return api.Entry{}, err
		}
		return c.Return(ctx, slug, seen, cmd.String("because"))
	})
}

func (a *app) retire() *cli.Command {
	flags := []cli.Flag{
		&cli.StringFlag{Name: "because", Usage: "why nobody should use it any more", Required: true},
		&cli.StringFlag{Name: "instead", Usage: "the `SLUG` to use instead"},
	}
	return a.act("retire", "take an entry off the shelf", flags, "", func(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) (api.Entry, error) {
		return c.Retire(ctx, slug, api.Retirement{Because: cmd.String("because"), Instead: cmd.String("instead")})
	})
}

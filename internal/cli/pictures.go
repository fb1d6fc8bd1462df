package cli

import (
	"context"
	"fmt"
	"os"
	"slices"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
)

// pictures lists the pictures beside an entry, takes one out as a file, and changes those of
// its draft.
func (a *app) pictures() *cli.Command {
	return &cli.Command{
		Name: "pictures", Usage: "list the pictures beside an entry, or add one to its draft", ArgsUsage: "SLUG",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "add", Usage: "add a PNG, JPEG or WebP `FILE`, with --alt"},
			&cli.StringFlag{Name: "alt", Usage: "what it shows, for those who do not see it"},
			&cli.IntFlag{Name: "remove", Usage: "take the picture with this `NUMBER` out of the draft"},
			&cli.IntFlag{Name: "get", Usage: "write the picture with this `NUMBER` to --out"},
			&cli.StringFlag{Name: "out", Usage: "the `FILE` for --get"},
		},
		Action: a.onEntry(func(ctx context.Context, cmd *cli.Command, c *client.Client, slug string) error {
			e, err := readable(ctx, c, slug)
			if err != nil {
				return err
			}
			numbered := func(of []entry.Picture, name string) (int, error) {
				n := cmd.Int(name)
				if n < 1 || n > len(of) {
					return 0, wrongUse("--%s is %d; %s has %s", name, n, slug, count(len(of), "picture", "pictures"))
				}
				return n - 1, nil
			}
			if cmd.IsSet("get") {
				if cmd.String("out") == "" {
					return wrongUse("--get takes --out FILE")
				}
				n, err := numbered(e.Pictures, "get")
				if err != nil {
					return err
				}
				data, err := c.Picture(ctx, e.Pictures[n].ID, "large")
				if err != nil {
					return err
				}
				return os.WriteFile(cmd.String("out"), data, 0o644)
			}
			if cmd.IsSet("add") || cmd.IsSet("remove") {
				if e, err = a.changePictures(ctx, cmd, slug, numbered); err != nil {
					return err
				}
			}
			return a.print(e, func() error {
				t := a.table("PICTURE", "WHAT IT SHOWS", "ID")
				for i, p := range e.Pictures {
					t.row(fmt.Sprint(i+1), p.Alt, p.ID[:12])
				}
				t.print()
				return nil
			})
		}),
	}
}

func (a *app) changePictures(ctx context.Context, cmd *cli.Command, slug string, numbered func([]entry.Picture, string) (int, error)) (e api.Entry, err error) {
	c, err := a.signedIn()
	if err != nil {
		return e, err
	}
	e, etag, err := c.Draft(ctx, slug)
	if statusOf(err) == exitNotFound {
		e, err = c.ShelfEntry(ctx, slug) // the next version begins with what is on the shelf
	}
	if err != nil {
		return e, err
	}
	if cmd.IsSet("remove") {
		n, err := numbered(e.Pictures, "remove")
		if err != nil {
			return e, err
		}
		e.Pictures = slices.Delete(slices.Clone(e.Pictures), n, n+1)
	}
	if file := cmd.String("add"); file != "" {
		data, err := a.readAll(file)
		if err != nil {
			return e, err
		}
		p, err := c.AddPicture(ctx, data)
		if err != nil {
			return e, err
		}
		e.Pictures = append(slices.Clone(e.Pictures), entry.Picture{ID: p.ID, Alt: cmd.String("alt")})
	}
	in := api.NewEntry{Content: e.Content}
	in.Labels = nil // they are the entry's
	e, _, err = c.SaveDraft(ctx, slug, etag, in)
	return e, err
}

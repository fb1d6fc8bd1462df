package cli

import (
	"context"
	"fmt"
	"strconv"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
)

// sets shows and changes question sets, and reads answers to them.
func (a *app) sets() *cli.Command {
	return &cli.Command{
		Name: "sets", Usage: "show, add and change the question sets that sheets answer, and read answers to one", ArgsUsage: "[NAME[@N]]",
		Description: "Alone it lists the sets; with a name it prints one as a file, which --put takes back. Sheets go on answering the version that they name.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "put", Usage: "add the question set of a `FILE` in YAML or JSON, or save its next version"},
			&cli.StringFlag{Name: "note", Usage: "with --put: why it differs from the version before"},
			&cli.BoolFlag{Name: "history", Usage: "the versions of a set"},
			&cli.BoolFlag{Name: "schema", Usage: "the JSON Schema of the answers to a set"},
			&cli.BoolFlag{Name: "sheets", Usage: "the sheets that answer a set"},
			&cli.StringFlag{Name: "read", Usage: "read answers from a `FILE` (questions and answers, a CSV of two columns, or JSON) and print them as a sheet"},
			&cli.StringFlag{Name: "title", Usage: "with --read: the sheet's title"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			name := cmd.Args().First()
			switch {
			case cmd.String("put") != "":
				return a.putSet(ctx, c, cmd)
			case name == "":
				all, err := c.QuestionSets(ctx)
				if err != nil {
					return err
				}
				return a.print(all, func() error { a.listSets(all.Items); return nil })
			case cmd.Bool("history"):
				all, err := c.QuestionSetVersions(ctx, name)
				if err != nil {
					return err
				}
				return a.print(all, func() error { a.setHistory(all.Items); return nil })
			case cmd.Bool("schema"):
				schema, err := c.QuestionSetSchema(ctx, name)
				if err != nil {
					return err
				}
				_, err = a.out.Write(schema)
				return err
			case cmd.Bool("sheets"):
				return a.sheetsOfSet(ctx, c, name)
			case cmd.String("read") != "":
				return a.readAnswers(ctx, c, name, cmd)
			}
			set, err := c.QuestionSet(ctx, name)
			if err != nil {
				return err
			}
			return a.print(set, func() error {
				file, err := set.YAML()
				if err == nil {
					_, err = a.out.Write(file)
				}
				return err
			})
		},
	}
}

func (a *app) listSets(all []api.QuestionSet) {
	if len(all) == 0 {
		a.say("There are no question sets yet; goldshelf sets --put FILE adds one.")
		return
	}
	t := a.table("NAME", "TITLE", "VERSION", "QUESTIONS", "SHEETS")
	for _, s := range all {
		t.row(s.Name, s.Title, strconv.Itoa(s.Version), strconv.Itoa(len(s.Questions())), strconv.Itoa(s.Sheets))
	}
	t.print()
}

func (a *app) setHistory(all []api.QuestionSet) {
	t := a.table("VERSION", "SAVED BY", "ON", "ADDED", "REMOVED", "CHANGED", "NOTE")
	for i, s := range all {
		added, removed, changed := strconv.Itoa(len(s.Questions())), "0", "0"
		if i+1 < len(all) {
			m := s.Since(all[i+1].Set)
			added, removed, changed = strconv.Itoa(len(m.Added)), strconv.Itoa(len(m.Removed)), strconv.Itoa(len(m.Changed))
		}
		t.row(s.Ref(), s.By, a.when(s.At, "2 Jan 2006"), added, removed, changed, s.Note)
	}
	t.print()
}

// putSet adds a question set or, where there is one of its name, saves its next version.
func (a *app) putSet(ctx context.Context, c *client.Client, cmd *cli.Command) error {
	path := cmd.String("put")
	data, err := a.readAll(path)
	if err != nil {
		return err
	}
	set, err := sheet.ReadSet(data)
	if err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	in := api.NewQuestionSet{Title: set.Title, Groups: set.Groups, Note: cmd.String("note")}
	now, err := c.QuestionSet(ctx, set.Name)
	switch {
	case client.Status(err) == 404:
		in.Name = set.Name
		now, err = c.AddQuestionSet(ctx, in)
	case err == nil:
		now, err = c.SaveQuestionSet(ctx, set.Name, now.Version, in)
	}
	if err != nil {
		return err
	}
	return a.print(now, func() error {
		a.say("%s is there, with %s.", now.Ref(), count(len(now.Questions()), "question", "questions"))
		return nil
	})
}

func (a *app) sheetsOfSet(ctx context.Context, c *client.Client, name string) error {
	all, err := c.SheetsOfSet(ctx, name, "")
	if err != nil {
		return err
	}
	return a.print(all, func() error {
		t := a.table("SLUG", "TITLE", "ANSWERS", "STATE", "OWNER")
		for _, s := range all.Items {
			t.row(s.Slug, s.Title, s.Set, s.State.Said().In(a.language), s.OwnerName)
		}
		t.print()
		return nil
	})
}

// readAnswers prints what a file answers as a sheet's file. What could not be read is said,
// and then nothing is printed.
func (a *app) readAnswers(ctx context.Context, c *client.Client, name string, cmd *cli.Command) error {
	data, err := a.readAll(cmd.String("read"))
	if err != nil {
		return err
	}
	set, err := c.QuestionSet(ctx, name)
	if err != nil {
		return err
	}
	got, err := c.ReadAnswers(ctx, set.Ref(), data)
	if err != nil {
		return err
	}
	if len(got.Problems) > 0 {
		return problem.List(got.Problems)
	}
	return a.print(got, func() error {
		title := cmd.String("title")
		if title == "" {
			title = set.Title
		}
		file := bundle.File{Content: entry.Content{Kind: entry.Sheet, Title: title, Set: set.Ref(), Answers: got.Answers}}
		if _, err := a.out.Write(file.Bytes()); err != nil {
			return err
		}
		for _, q := range got.Missing {
			a.say("%s is not answered.", q)
		}
		return nil
	})
}

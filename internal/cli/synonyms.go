package cli

import (
	"bytes"
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
)

// synonyms shows and changes which words mean the same.
func (a *app) synonyms() *cli.Command {
	return &cli.Command{
		Name: "synonyms", Usage: "show or change which words mean the same in a search",
		Description: "Each line is a list, its words parted by commas: vacancy, advert, job posting.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "set", Usage: "the lists are those of `FILE`, and no others; - is standard input"},
			&cli.BoolFlag{Name: "missed", Usage: "show instead what was searched for and not found in the last ninety days"},
			&cli.StringFlag{Name: "add", Usage: "add one `LIST`, as \"vacancy, advert, job posting\""},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if cmd.Bool("missed") {
				return a.missed(ctx, c)
			}
			all, etag, err := c.Synonyms(ctx)
			if err != nil {
				return err
			}
			file, add := cmd.String("set"), cmd.String("add")
			if file != "" && add != "" {
				return wrongUse("--set takes the place of all lists and --add adds one; use one of them")
			}
			if file != "" {
				text, err := a.readAll(file)
				if err != nil {
					return err
				}
				all.Lists = listsOf(text)
			}
			if add != "" {
				all.Lists = append(all.Lists, listsOf([]byte(add))...)
			}
			if file != "" || add != "" {
				if all, err = c.SetSynonyms(ctx, etag, api.Synonyms{Lists: append([][]string{}, all.Lists...)}); err != nil {
					return err
				}
			}
			return a.print(all, func() error {
				for _, list := range all.Lists {
					fmt.Fprintln(a.out, strings.Join(list, ", "))
				}
				if len(all.Lists) == 0 {
					a.say("No words mean the same yet; goldshelf synonyms --add \"vacancy, advert\" adds some.")
				}
				return nil
			})
		},
	}
}

func (a *app) missed(ctx context.Context, c *client.Client) error {
	all, err := c.MissedSearches(ctx)
	if err != nil {
		return err
	}
	return a.print(api.MissedSearches{Items: all}, func() error {
		t := a.table("SEARCHED FOR", "TIMES", "LAST")
		for _, m := range all {
			t.row(m.Words, strconv.Itoa(m.Times), m.Last)
		}
		t.print()
		if len(all) == 0 {
			a.say("Whatever was searched for in the last ninety days was found.")
		}
		return nil
	})
}

// listsOf reads a list a line, its words parted by commas. Empty lines are passed over.
func listsOf(text []byte) (lists [][]string) {
	for line := range bytes.Lines(text) {
		if len(bytes.TrimSpace(line)) == 0 {
			continue
		}
		var list []string
		for one := range strings.SplitSeq(string(line), ",") {
			list = append(list, strings.TrimSpace(one))
		}
		lists = append(lists, list)
	}
	return lists
}

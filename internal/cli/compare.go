package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/core/change"
)

// compare fills an entry in in two stacks, and shows what differs.
func (a *app) compare() *cli.Command {
	return &cli.Command{
		Name: "compare", Usage: "fill in an entry with and without its persona, or with two, and show what differs", ArgsUsage: "SLUG[@N] [name=value …]",
		Description: "What is not said is as the entry recommends it. A blank without a value stands as its name.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "persona", Usage: "speak as this persona, or none; the recommended one, if left out"},
			&cli.StringFlag{Name: "with", Usage: "and beside it as this `PERSONA`", Value: "none"},
			&cli.StringFlag{Name: "style", Usage: "in this style, or none, both times"},
			&cli.StringSliceFlag{Name: "sheet", Usage: "with this fact sheet, or none, both times"},
			&cli.StringFlag{Name: "values", Usage: "read values from a JSON or YAML `FILE`"},
			&cli.StringSliceFlag{Name: "from", Usage: "read one value from a file, as `name=FILE`"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, given, err := a.filling(ctx, cmd)
			if err != nil {
				return err
			}
			ref, style, sheets := cmd.Args().First(), cmd.String("style"), cmd.StringSlice("sheet")
			asked, err := c.FillStack(ctx, ref, api.FillRequest{Style: style, Sheets: sheets, Persona: cmd.String("persona"), Sketch: true})
			if err != nil {
				return err
			}
			got, err := c.CompareStacks(ctx, ref, api.StacksToCompare{
				Values: typedValues(asked.Blanks, given),
				First:  api.StackChoice{Persona: cmd.String("persona"), Style: style, Sheets: sheets},
				Second: api.StackChoice{Persona: cmd.String("with"), Style: style, Sheets: sheets},
			})
			if err != nil {
				return err
			}
			return a.print(got, func() error { a.printCompared(got); return nil })
		},
	}
}

func (a *app) printCompared(got api.StacksCompared) {
	differ := 0
	for _, l := range got.Lines {
		fmt.Fprintln(a.out, a.diffLine(l))
		if l.Op != change.Same {
			differ++
		}
	}
	a.say("%s differ; - is only in the first, + only in the second.", count(differ, "line", "lines"))
}

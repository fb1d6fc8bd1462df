package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/core/change"
)

// around is how many lines that are the same are shown about a change.
const around = 2

func (a *app) diff() *cli.Command {
	return &cli.Command{
		Name: "diff", Usage: "say what differs between two versions", ArgsUsage: "SLUG [N [M]]",
		Description: "Without numbers it holds the newest version that you may see against the one on the shelf before it; with one number, against that version. --filled compares what a colleague gets, with sample values.",
		Flags:       []cli.Flag{&cli.BoolFlag{Name: "filled", Usage: "compare the filled texts"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args := cmd.Args().Slice()
			if len(args) == 0 || len(args) > 3 {
				return wrongUse("diff takes a slug, and then one or two numbers of versions")
			}
			var numbers [2]int
			for i, arg := range args[1:] {
				n, err := strconv.Atoi(arg)
				if err != nil || n < 1 {
					return wrongUse("%q is no number of a version", arg)
				}
				numbers[i] = n
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			d, err := c.Diff(ctx, args[0], numbers[0], numbers[1])
			if err != nil {
				return err
			}
			return a.print(d, func() error {
				if err := a.printDiff(d, cmd.Bool("filled")); err != nil {
					return err
				}
				if e, err := c.Version(ctx, d.Slug, d.To); err == nil {
					a.saySeen(e)
				}
				return nil
			})
		},
	}
}

func (a *app) printDiff(d api.Diff, filled bool) error {
	for _, f := range d.Fields {
		fmt.Fprintln(a.out, f.Says)
	}
	lines := d.Lines
	if filled {
		lines = d.Filled
	}
	if len(d.Fields) > 0 && len(lines) > 0 {
		fmt.Fprintln(a.out)
	}
	changes := a.printLines(lines)
	if changes+len(d.Fields) == 0 {
		a.say("Versions %d and %d of %s say the same.", d.From, d.To, d.Slug)
	} else {
		a.say("%s, version %d against version %d: %s of the text, and %s besides.", d.Slug, d.To, d.From, count(changes, "line", "lines"), count(len(d.Fields), "change", "changes"))
	}
	return nil
}

// printLines prints the lines that differ, with those around them, and gives how many they are.
func (a *app) printLines(lines []change.Line) (changes int) {
	skipped := false
	for i, l := range lines {
		if l.Op == change.Same && !near(lines, i) {
			skipped = true
			continue
		}
		if skipped {
			fmt.Fprintln(a.out, "…")
		}
		skipped = false
		if l.Op == change.Omitted {
			fmt.Fprintln(a.out, a.text("… %s not shown", count(l.Omitted, "line", "lines")))
			continue
		}
		if l.Op != change.Same {
			changes++
		}
		fmt.Fprintln(a.out, a.diffLine(l))
	}
	return changes
}

// near says whether a line is close to one that differs.
func near(lines []change.Line, at int) bool {
	for i := max(0, at-around); i < min(len(lines), at+around+1); i++ {
		if lines[i].Op != change.Same {
			return true
		}
	}
	return false
}

// diffLine is a line with its sign; in a changed one stands [-what was-]{+what is+}.
func (a *app) diffLine(l change.Line) string {
	sign := map[change.Op]string{change.Same: " ", change.Added: "+", change.Removed: "-", change.Changed: "~", change.Left: "<", change.Moved: ">"}[l.Op]
	paint := func(colour text.Color, s string) string {
		if a.colourless() {
			return s
		}
		return colour.Sprint(s)
	}
	var b strings.Builder
	for _, p := range l.Parts {
		switch {
		case l.Op == change.Changed && p.Op == change.Added:
			b.WriteString(paint(text.FgGreen, "{+"+p.Text+"+}"))
		case l.Op == change.Changed && p.Op == change.Removed:
			b.WriteString(paint(text.FgRed, "[-"+p.Text+"-]"))
		case l.Op == change.Added, l.Op == change.Moved:
			b.WriteString(paint(text.FgGreen, p.Text))
		case l.Op == change.Removed, l.Op == change.Left:
			b.WriteString(paint(text.FgRed, p.Text))
		default:
			b.WriteString(p.Text)
		}
	}
	note := ""
	switch l.Op {
	case change.Left:
		note = a.text("   (stands in line %d now)", l.New)
	case change.Moved:
		note = a.text("   (stood in line %d)", l.Old)
	}
	return sign + " " + b.String() + note
}

package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/layout"
	"goldshelf/core/message"
)

// layouts shows and changes how applications want stacks delivered.
func (a *app) layouts() *cli.Command {
	return &cli.Command{
		Name: "layouts", Usage: "show and change how each application wants a stack delivered", ArgsUsage: "[APPLICATION]",
		Description: "With an application it prints its layout as a file, which --set takes back. goldshelf fill --for APPLICATION delivers by it.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "set", Usage: "keep the layout of a `FILE` in YAML or JSON"},
			&cli.BoolFlag{Name: "delete", Usage: "deliver stacks to the application as they are"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			application := cmd.Args().First()
			switch {
			case application == "" && (cmd.String("set") != "" || cmd.Bool("delete")):
				return wrongUse("name the application that the layout is of")
			case application == "":
				all, err := c.Layouts(ctx)
				if err != nil {
					return err
				}
				return a.print(all, func() error { a.printLayouts(all.Items); return nil })
			case cmd.String("set") != "":
				return a.setLayout(ctx, c, application, cmd.String("set"))
			case cmd.Bool("delete"):
				if err := c.DeleteLayout(ctx, application); err != nil {
					return err
				}
				a.say("Stacks are delivered to %s as they are.", application)
				return nil
			}
			l, err := c.Layout(ctx, application)
			if err != nil {
				return err
			}
			return a.print(l, func() error { return a.printLayout(l) })
		},
	}
}

func (a *app) setLayout(ctx context.Context, c *client.Client, application, file string) error {
	var l layout.Layout
	if err := a.readYAML(file, &l); err != nil {
		return err
	}
	now, err := c.Layout(ctx, application)
	if err != nil && client.Status(err) != 404 {
		return err
	}
	set, err := c.SetLayout(ctx, application, now.Number, l)
	if err != nil {
		return err
	}
	return a.print(set, func() error {
		a.say("Stacks are delivered to %s by it from now on.", set.Title)
		for _, w := range set.Warnings {
			a.say("Take care: %s.", w)
		}
		return nil
	})
}

func (a *app) printLayouts(all []api.SavedLayout) {
	if len(all) == 0 {
		a.say("No application has a layout yet: stacks are delivered as they are. goldshelf layouts APPLICATION --set FILE adds one.")
		return
	}
	t := a.table("APPLICATION", "TITLE", "DELIVERED AS", "HEADINGS", "SHEETS", "BOXES")
	for _, l := range all {
		names := make([]string, len(l.Boxes))
		for i, b := range l.Boxes {
			if names[i] = b.Title + b.Role; names[i] == "" {
				names[i] = a.text("one text")
			}
			if b.Limit > 0 {
				names[i] += fmt.Sprintf(" (%d)", b.Limit)
			}
		}
		t.row(l.Application, l.Title, string(l.As), orElse(string(l.Headings), "markdown"), orElse(l.Sheets, "markdown"), strings.Join(names, ", "))
	}
	t.print()
}

func (a *app) printLayout(l api.SavedLayout) error {
	asJSON, err := json.Marshal(l.Layout)
	if err != nil {
		return err
	}
	file, err := yaml.JSONToYAML(asJSON)
	if err != nil {
		return err
	}
	if _, err := a.out.Write(file); err != nil {
		return err
	}
	for _, w := range l.Warnings {
		a.say("Take care: %s.", w)
	}
	return nil
}

func orElse(text, other string) string {
	if text == "" {
		return other
	}
	return text
}

// boxed prints the boxes of a text for an application: the texts alone, and of each on
// standard error what it is and how long. With the name or number of a box, that one.
func (a *app) boxed(f api.Filled, only string) error {
	boxes := f.Boxes
	if only != "" {
		one, err := boxNamed(boxes, only)
		if err != nil {
			return err
		}
		boxes = []api.FilledBox{one}
	}
	if f.As == string(layout.Messages) && only == "" {
		a.warnOfBoxes(f)
		_, err := fmt.Fprint(a.out, formOf(f, "messages"))
		return err
	}
	for i, b := range boxes {
		if len(boxes) > 1 || b.Title != "" {
			if i > 0 {
				fmt.Fprintln(a.out)
			}
			a.say("── %s · %s", boxName(b, i), lengthOf(b))
		}
		if _, err := fmt.Fprint(a.out, b.Text); err != nil {
			return err
		}
		if len(boxes) > 1 && !strings.HasSuffix(b.Text, "\n") {
			fmt.Fprintln(a.out)
		}
	}
	a.warnOfBoxes(f)
	return nil
}

// warnOfBoxes says which boxes are too long, and what is in none.
func (a *app) warnOfBoxes(f api.Filled) {
	for i, b := range f.Boxes {
		if !b.Over {
			continue
		}
		longest := make([]string, len(b.Longest))
		for k, l := range b.Longest {
			longest[k] = fmt.Sprintf("%s (%d)", orElse(l.Part, l.Title), l.Length)
		}
		a.say("%s is over its limit: %s. Longest: %s.", boxName(b, i), lengthOf(b), strings.Join(longest, ", "))
	}
	for _, left := range f.Left {
		a.say("Take care: %s.", left)
	}
}

func boxName(b api.FilledBox, i int) string {
	return orElse(orElse(b.Title, b.Role), "box "+strconv.Itoa(i+1))
}

func lengthOf(b api.FilledBox) message.Text {
	if b.Limit > 0 {
		return message.Say("%d of %d characters", b.Length, b.Limit)
	}
	return count(b.Length, "character", "characters")
}

func boxNamed(boxes []api.FilledBox, name string) (api.FilledBox, error) {
	names := make([]string, len(boxes))
	for i, b := range boxes {
		names[i] = boxName(b, i)
		if strings.EqualFold(names[i], name) || strconv.Itoa(i+1) == name {
			return b, nil
		}
	}
	return api.FilledBox{}, wrongUse("there is no box %q; there are %s", name, strings.Join(names, ", "))
}

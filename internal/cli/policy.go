package cli

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
)

func (a *app) policy() *cli.Command {
	return &cli.Command{
		Name: "policy", Usage: "show the rules of the checks and what the curators decided about them",
		Description: "With --set a curator puts another policy in force: a JSON or YAML file as --json prints it. What the file leaves out is as it comes.",
		Flags:       []cli.Flag{&cli.StringFlag{Name: "set", Usage: "put the policy of a `FILE` in force"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Args().Present() {
				return wrongUse("policy takes no argument; --set FILE puts another one in force")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			p, err := c.Policy(ctx)
			if err != nil {
				return err
			}
			if file := cmd.String("set"); file != "" {
				next, err := a.readPolicy(file)
				if err != nil {
					return err
				}
				if next.Number > 0 && next.Number != p.Number {
					return &changed{a.text("%s holds policy %d, and %s has set policy %d since; put the two together, and take the number out or set it to %d", file, next.Number, p.SetBy, p.Number, p.Number)}
				}
				if p, err = c.SetPolicy(ctx, p.Number, next.Policy); err != nil {
					return err
				}
			}
			rules, err := c.Rules(ctx)
			if err != nil {
				return err
			}
			return a.print(p, func() error { return a.printPolicy(p, rules) })
		},
	}
}

func (a *app) readPolicy(file string) (p api.Policy, err error) {
	if err := a.readYAML(file, &p); err != nil {
		return p, fmt.Errorf("this holds no policy: %w; goldshelf policy --json prints one to begin with", err)
	}
	return p, nil
}

func (a *app) printPolicy(p api.Policy, rules []api.Rule) error {
	t := a.table("RULE", "SEVERITY", "STOPS", "ABOUT")
	for _, r := range rules {
		severity, stops := r.Severity, []entry.Action{entry.Submit, entry.Publish}
		if own, ok := p.Rules[r.ID]; ok {
			severity = own.Severity
			if len(own.Stops) > 0 {
				stops = own.Stops
			}
		}
		if severity != check.Stop {
			stops = nil
		}
		about, _, _ := strings.Cut(r.About.In(a.language), ". ")
		t.row(r.ID, string(severity), words(stops), strings.TrimSuffix(about, "."))
	}
	t.print()
	for _, line := range []struct{ what, value string }{
		{"Every entry is labelled in", strings.Join(p.Required, ", ")},
		{"Words to avoid", strings.Join(p.Avoid, ", ")},
		{"Models", models(p.Models)},
	} {
		if line.value != "" {
			a.say("%s: %s.", line.what, line.value)
		}
	}
	if p.Number > 0 {
		a.say("Policy %d, set by %s on %s.", p.Number, p.SetBy, a.when(*p.SetAt, "2 January 2006"))
	}
	return nil
}

func words[T ~string](all []T) string {
	texts := make([]string, len(all))
	for i, one := range all {
		texts[i] = string(one)
	}
	return strings.Join(texts, ", ")
}

func models(all map[string]check.Model) string {
	var texts []string
	for _, name := range slices.Sorted(maps.Keys(all)) {
		switch m := all[name]; {
		case m.Retired:
			texts = append(texts, name+" retired")
		case m.Tokens > 0:
			texts = append(texts, fmt.Sprintf("%s at most %d tokens", name, m.Tokens))
		}
	}
	return strings.Join(texts, ", ")
}

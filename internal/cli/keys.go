package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
)

// keys shows, makes, changes, renews and deletes the keys by which applications call.
func (a *app) keys() *cli.Command {
	return &cli.Command{
		Name: "keys", Usage: "show, make, renew and delete the keys by which applications call", ArgsUsage: "[NAME]",
		Description: "Of a key that it makes or renews it prints the secret on standard output: this once, it is kept nowhere. Without a name all are listed. An application sends the secret as Authorization: Bearer.",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "add", Usage: "make a key of this name"},
			&cli.BoolFlag{Name: "renew", Usage: "give it another secret; the one before stays good for --overlap days"},
			&cli.IntFlag{Name: "overlap", Value: 7, Usage: "for how many `DAYS`"},
			&cli.BoolFlag{Name: "change", Usage: "let it do what the other flags say"},
			&cli.BoolFlag{Name: "delete", Usage: "end it at once"},
			&cli.StringSliceFlag{Name: "may", Usage: "what it may do: read, fill, watch (the service's metrics), provision (people and groups, by SCIM); read and fill, if left out"},
			&cli.StringSliceFlag{Name: "department", Usage: "only entries of this `DEPARTMENT`; may be given several times"},
			&cli.IntFlag{Name: "per-minute", Usage: "how often it may call in a minute"},
			&cli.StringFlag{Name: "until", Usage: "the `DAY` on which it ends, as 2027-11-30; a year from now, if left out"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			name, asked := cmd.Args().First(), 0
			for _, flag := range []string{"add", "renew", "change", "delete"} {
				if cmd.Bool(flag) {
					asked++
				}
			}
			switch {
			case cmd.Args().Len() > 1 || asked > 1:
				return wrongUse("say one name, and one of --add, --renew, --change and --delete")
			case asked == 1 && name == "":
				return wrongUse("say which key: goldshelf keys NAME")
			case asked == 0:
				return a.listKeys(ctx, c, name)
			case cmd.Bool("delete"):
				if err := c.DeleteKey(ctx, name); err != nil {
					return err
				}
				a.say("%s calls no more.", name)
				return nil
			case cmd.Bool("renew"):
				k, err := c.RenewKey(ctx, name, api.RenewKey{Overlap: cmd.Int("overlap")})
				return a.printSecret(k, err)
			case cmd.Bool("change"):
				return a.changeKey(ctx, cmd, c, name)
			}
			in := api.NewKey{Name: name}
			if err := keyFlags(cmd, &in.KeyChange); err != nil {
				return err
			}
			k, err := c.AddKey(ctx, in)
			return a.printSecret(k, err)
		},
	}
}

func (a *app) printSecret(k api.KeySecret, err error) error {
	if err != nil {
		return err
	}
	return a.print(k, func() error {
		a.say("The secret of %s, shown this once. It is good until %s.", k.Name, a.when(k.Until, "2 January 2006"))
		if k.OldUntil != nil {
			a.say("The one before is good until %s.", a.when(*k.OldUntil, "2 January 2006 15:04"))
		}
		fmt.Fprintln(a.out, k.Secret)
		return nil
	})
}

// keyFlags reads what a key may do. What was not said stays as it is.
func keyFlags(cmd *cli.Command, in *api.KeyChange) error {
	if cmd.IsSet("may") {
		in.May = cmd.StringSlice("may")
	}
	if cmd.IsSet("department") {
		in.Departments = slices.DeleteFunc(cmd.StringSlice("department"), func(d string) bool { return d == "" })
	}
	if cmd.IsSet("per-minute") {
		in.PerMinute = cmd.Int("per-minute")
	}
	if cmd.IsSet("until") {
		day, err := time.Parse(time.DateOnly, cmd.String("until"))
		if err != nil {
			return wrongUse("--until is %q; write a day as 2027-11-30", cmd.String("until"))
		}
		in.Until = &day
	}
	return nil
}

func (a *app) changeKey(ctx context.Context, cmd *cli.Command, c *client.Client, name string) error {
	all, err := c.Keys(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all.Items, func(k api.Key) bool { return k.Name == name })
	if i < 0 {
		return wrongUse("there is no key %s", name)
	}
	k := all.Items[i]
	in := api.KeyChange{May: k.May, Departments: k.Departments, PerMinute: k.PerMinute, Until: &k.Until}
	if err := keyFlags(cmd, &in); err != nil {
		return err
	}
	if k, err = c.SetKey(ctx, name, k.Number, in); err != nil {
		return err
	}
	return a.print(k, func() error { return a.printKeys([]api.Key{k}) })
}

func (a *app) listKeys(ctx context.Context, c *client.Client, name string) error {
	all, err := c.Keys(ctx)
	if err != nil {
		return err
	}
	if name != "" {
		all.Items = slices.DeleteFunc(all.Items, func(k api.Key) bool { return k.Name != name })
	}
	return a.print(all, func() error { return a.printKeys(all.Items) })
}

func (a *app) printKeys(all []api.Key) error {
	if len(all) == 0 {
		a.say("There is no such key. goldshelf keys NAME --add makes one.")
		return nil
	}
	t := a.table("KEY", "MAY", "DEPARTMENTS", "A MINUTE", "UNTIL", "LAST USED")
	for _, k := range all {
		used := "never"
		if k.UsedAt != nil {
			used = a.when(*k.UsedAt, "2 Jan 2006 15:04")
		}
		t.row(k.Name, strings.Join(k.May, ", "), orElse(strings.Join(k.Departments, ", "), "all"), fmt.Sprint(k.PerMinute), a.when(k.Until, "2 Jan 2006"), used)
	}
	t.print()
	return nil
}

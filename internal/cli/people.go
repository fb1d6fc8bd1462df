package cli

import (
	"context"
	"strconv"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
)

func (a *app) people() *cli.Command {
	return &cli.Command{
		Name: "people", Usage: "list who is in the library and what they own",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "departments", Usage: "what belongs to each department, in figures"},
			&cli.StringFlag{Name: "deactivate", Usage: "sign this `PERSON` out for good; what they own waits on the curators' desk"},
			&cli.StringFlag{Name: "activate", Usage: "let this `PERSON` in again"},
			&cli.StringFlag{Name: "delete", Usage: "delete what is this `PERSON`'s alone, who has left and owns nothing, and make them nameless in what stays; it cannot be undone"},
			&cli.StringFlag{Name: "away", Usage: "this `PERSON` is away, from --from to --until; without them, back"},
			&cli.StringFlag{Name: "from", Usage: "the first `DAY` away, as 2026-11-30"},
			&cli.StringFlag{Name: "until", Usage: "the last `DAY` away"},
			&cli.StringFlag{Name: "import", Usage: "add the people of a CSV `FILE` (name, full_name, role, department), each with a link to set a password"},
			&cli.StringFlag{Name: "add", Usage: "add someone who signs in with this `NAME`, with a link to set a password; needs --full-name"},
			&cli.StringFlag{Name: "full-name", Usage: "of whom to add: the name that colleagues read"},
			&cli.StringFlag{Name: "role", Value: "reader", Usage: "of whom to add: reader, contributor, reviewer or curator"},
			&cli.StringFlag{Name: "department", Usage: "of whom to add"},
			&cli.StringFlag{Name: "codes-off", Usage: "this `PERSON` has lost what shows their one-time codes: they sign in without, and are signed out everywhere"},
			&cli.StringFlag{Name: "password-link", Usage: "give this `PERSON` a link to set a password"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			switch {
			case cmd.Bool("departments"):
				return a.departments(ctx, c)
			case cmd.String("import") != "":
				return a.importPeople(ctx, c, cmd.String("import"))
			case cmd.String("add") != "":
				link, err := c.AddPerson(ctx, api.Person{
					Name: cmd.String("add"), FullName: cmd.String("full-name"), Role: entry.Role(cmd.String("role")), Department: cmd.String("department"),
				})
				if err != nil {
					return err
				}
				return a.print(link, func() error { return a.printLinks(c, []api.PasswordLink{link}) })
			case cmd.String("codes-off") != "":
				if err := c.DropCodesOf(ctx, cmd.String("codes-off")); err != nil {
					return err
				}
				a.say("%s signs in without codes.", cmd.String("codes-off"))
				return nil
			case cmd.String("delete") != "":
				if err := c.DeletePerson(ctx, cmd.String("delete")); err != nil {
					return err
				}
				a.say("%s is deleted: what they wrote and decided stays, and names them no more.", cmd.String("delete"))
				return nil
			case cmd.String("password-link") != "":
				link, err := c.NewPasswordLink(ctx, cmd.String("password-link"))
				if err != nil {
					return err
				}
				return a.print(link, func() error { return a.printLinks(c, []api.PasswordLink{link}) })
			}
			no, yes, from, until := false, true, cmd.String("from"), cmd.String("until")
			for _, change := range []struct {
				name string
				in   api.PersonChange
			}{
				{cmd.String("deactivate"), api.PersonChange{Active: &no}},
				{cmd.String("activate"), api.PersonChange{Active: &yes}},
				{cmd.String("away"), api.PersonChange{AwayFrom: &from, AwayUntil: &until}},
			} {
				if change.name == "" {
					continue
				}
				p, err := c.ChangePerson(ctx, change.name, change.in)
				if err != nil {
					return err
				}
				return a.print(p, func() error {
					_, err := a.printf("%s: %s\n", p.Name, a.standsNow(p))
					return err
				})
			}
			all, err := c.People(ctx)
			if err != nil {
				return err
			}
			return a.print(all, func() error {
				t := a.table("SLUG", "NAME", "ROLE", "DEPARTMENT", "OWNS", "NOW")
				for _, p := range all.Items {
					t.row(p.Name, p.FullName, string(p.Role), p.Department, strconv.Itoa(p.Owns), a.standsNow(p))
				}
				t.heads[0] = "PERSON"
				t.print()
				return nil
			})
		},
	}
}

func (a *app) standsNow(p api.Colleague) string {
	switch {
	case !p.Active:
		return a.text("has left")
	case p.AwayFrom != "":
		return a.text("away from %s to %s", p.AwayFrom, p.AwayUntil)
	}
	return a.text("here")
}

func (a *app) departments(ctx context.Context, c *client.Client) error {
	all, err := c.Ownership(ctx)
	if err != nil {
		return err
	}
	return a.print(all, func() error {
		t := a.table("DEPARTMENT", "ENTRIES", "ON THE SHELF", "OPEN", "STALE", "OWNER LEFT", "NO DEPUTY", "OWNERS")
		for _, d := range all.Items {
			if d.Title == "" {
				d.Title = "(none)"
			}
			cells := []string{d.Title}
			for _, n := range []int{d.Entries, d.Published, d.Open, d.Stale, d.Orphans, d.NoDeputy, d.Owners} {
				cells = append(cells, strconv.Itoa(n))
			}
			t.row(cells...)
		}
		t.print()
		return nil
	})
}

func (a *app) importPeople(ctx context.Context, c *client.Client, file string) error {
	table, err := a.readAll(file)
	if err != nil {
		return err
	}
	out, err := c.ImportPeople(ctx, table)
	if err != nil {
		return err
	}
	return a.print(out, func() error { return a.printLinks(c, out.Items) })
}

// printLinks shows links by which people set a password: this once, for they cannot be
// read again.
func (a *app) printLinks(c *client.Client, links []api.PasswordLink) error {
	t := a.table("SLUG", "NAME", "ID")
	t.heads[0], t.heads[2] = "PERSON", "LINK"
	for _, l := range links {
		t.row(l.Person.Name, l.Person.FullName, c.Address()+"/set-password#"+l.Code)
	}
	t.print()
	if len(links) > 0 {
		a.say("Hand each link to its person: it is shown this once, works once, and ends on %s.", a.when(links[0].Until, "2 January"))
	}
	return nil
}

package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/message"
)

func (a *app) audit() *cli.Command {
	return &cli.Command{
		Name: "audit", Usage: "read the record of changes, the newest first",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "entry", Usage: "changes of the entry with this `SLUG`"},
			&cli.StringFlag{Name: "person", Usage: "changes by this `PERSON`"},
			&cli.StringFlag{Name: "action", Usage: "changes of this kind, such as publish"},
			&cli.StringFlag{Name: "via", Usage: "changes through this: client, console, api, import or service"},
			&cli.StringFlag{Name: "words", Usage: "changes whose details say this"},
			&cli.StringFlag{Name: "from", Usage: "from this `DAY` on, as 2026-11-30"},
			&cli.StringFlag{Name: "until", Usage: "until this `DAY`"},
			&cli.IntFlag{Name: "limit", Usage: "how many at most", Value: 50},
			&cli.StringFlag{Name: "export", Usage: "all that match, the oldest first, as csv or jsonl on standard output"},
			&cli.BoolFlag{Name: "verify", Usage: "hold every record against the one before it"},
			&cli.StringFlag{Name: "head", Usage: "and against the `HEAD` that an earlier verification gave"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if cmd.Bool("verify") {
				v, err := c.VerifyAudit(ctx, cmd.String("head"))
				if err != nil {
					return err
				}
				if err := a.print(v, func() error { _, err := fmt.Fprintln(a.out, Holds(v).In(a.language)); return err }); err != nil || v.Broken == 0 {
					return err
				}
				return fmt.Errorf("record %d does not hold", v.Broken)
			}
			q := client.AuditQuery{
				Entry: cmd.String("entry"), Person: cmd.String("person"), Action: cmd.String("action"), Via: cmd.String("via"),
				Words: cmd.String("words"), From: cmd.String("from"), Until: cmd.String("until"), Limit: cmd.Int("limit"),
			}
			if format := cmd.String("export"); format != "" {
				data, err := c.ExportAudit(ctx, format, q)
				if err == nil {
					_, err = a.out.Write(data)
				}
				return err
			}
			page, err := c.Audit(ctx, q)
			if err != nil {
				return err
			}
			return a.print(page, func() error { return a.printRecords(page) })
		},
	}
}

func (a *app) printRecords(page api.Audit) error {
	t := a.table("NUMBER", "WHEN", "WHO", "VIA", "ACTION", "SLUG", "DETAIL")
	for _, r := range page.Items {
		slug := r.Slug
		if r.Version > 0 {
			slug += "@" + strconv.Itoa(r.Version)
		}
		detail := ""
		if len(r.Detail) > 0 {
			text, err := json.Marshal(r.Detail)
			if err != nil {
				return err
			}
			detail = string(text)
		}
		t.row(strconv.FormatInt(r.Number, 10), a.when(r.At, "2 Jan 2006 15:04"), r.ByName, r.Via, r.Action, slug, detail)
	}
	t.print()
	if len(page.Items) == 0 {
		a.say("Nothing in the record matches.")
	}
	if page.Next != "" {
		a.say("There is more; see --limit, --until and --export.")
	}
	return nil
}

// Holds says in words how the record of changes stands.
func Holds(v api.Verified) message.Text {
	if v.Broken > 0 {
		return message.Say("Record %d of %d does not hold: %s.", v.Broken, v.Records, v.Why)
	}
	if v.HeadIn != nil {
		return message.Say("All %d records hold, and the head that you kept is among them. Keep this one from now on: %s", v.Records, v.Head)
	}
	if v.Nameless > 0 {
		return message.Say("All %d records hold among themselves, %d of them without the names of people who were deleted; a record made anew from its beginning would too. Keep this elsewhere, and verify against it later: %s", v.Records, v.Nameless, v.Head)
	}
	return message.Say("All %d records hold among themselves; a record made anew from its beginning would too. Keep this elsewhere, and verify against it later: %s", v.Records, v.Head)
}

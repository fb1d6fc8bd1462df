package cli

import (
	"bufio"
	"context"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/message"
)

// connections shows and changes where models answer.
func (a *app) connections() *cli.Command {
	return &cli.Command{
		Name: "connections", Usage: "show and change where models answer", ArgsUsage: "[CONNECTION]",
		Description: "With a connection it prints it as a file, which --set takes back. A file has title, address, models and, where they are not to be the usual, secret, at_once, tokens_minute, first_seconds, whole_seconds, departments, labels, no_personal and mapping. The secret itself is in a variable GOLDSHELF_SECRET_… of the service or a file in its --secrets-dir: secret is only what that is called. Or --secret gives it to a service that has a --secret-key-file.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "set", Usage: "add or change the connection by a `FILE` in YAML or JSON"},
			&cli.BoolFlag{Name: "secret", Usage: "give the connection's secret, a line of standard input, to be kept sealed by the service"},
			&cli.BoolFlag{Name: "delete", Usage: "delete the connection"},
			&cli.StringFlag{Name: "try", Usage: "ask this `MODEL` of it, and print what was sent and what came back"},
			&cli.StringFlag{Name: "text", Usage: "with --try: what is asked; a greeting, if left out"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			name := cmd.Args().First()
			switch {
			case name == "" && (cmd.IsSet("set") || cmd.Bool("secret") || cmd.Bool("delete") || cmd.IsSet("try")):
				return wrongUse("name the connection")
			case name == "":
				all, err := c.Connections(ctx)
				if err != nil {
					return err
				}
				return a.print(all, func() error { a.printConnections(all.Items); return nil })
			case cmd.Bool("secret"):
				return a.giveSecret(ctx, c, name)
			case cmd.IsSet("set"):
				return a.setConnection(ctx, c, name, cmd.String("set"))
			case cmd.Bool("delete"):
				if err := c.DeleteConnection(ctx, name); err != nil {
					return err
				}
				a.say("%s is deleted.", name)
				return nil
			case cmd.IsSet("try"):
				tried, err := c.TryConnection(ctx, name, api.ConnectionTrial{Model: cmd.String("try"), Text: cmd.String("text")})
				if err != nil {
					return err
				}
				return a.print(tried, func() error { return a.printTried(tried) })
			}
			one, err := c.Connection(ctx, name)
			if err != nil {
				return err
			}
			return a.print(one, func() error { return a.printConnection(one) })
		},
	}
}

func (a *app) setConnection(ctx context.Context, c *client.Client, name, file string) error {
	in := api.NewConnection{Name: name}
	if err := a.readYAML(file, &in); err != nil {
		return err
	}
	before, err := c.Connection(ctx, name)
	var set api.Connection
	switch {
	case client.Status(err) == 404:
		set, err = c.AddConnection(ctx, in)
	case err == nil:
		set, err = c.SetConnection(ctx, name, before.Number, in)
	}
	if err != nil {
		return err
	}
	return a.print(set, func() error {
		a.say("%s is there: %s at once, for %s.", set.Name, count(set.AtOnce, "call", "calls"), orElse(strings.Join(set.Models, ", "), "no model yet"))
		if set.Secret != "" && !set.SecretThere {
			a.say("Take care: the service finds no secret at %s.", set.Secret)
		}
		return nil
	})
}

// giveSecret has a connection's secret be kept: it is no argument, which others could read.
func (a *app) giveSecret(ctx context.Context, c *client.Client, name string) error {
	before, err := c.Connection(ctx, name)
	if err != nil {
		return err
	}
	secret, err := a.password(bufio.NewReader(a.in), "Secret of "+before.Title+": ")
	if err != nil {
		return err
	}
	in := api.NewConnection{Title: before.Title, Spec: before.Spec, SecretValue: secret}
	in.Secret = ""
	set, err := c.SetConnection(ctx, name, before.Number, in)
	if err != nil {
		return err
	}
	return a.print(set, func() error { a.say("The secret of %s is kept, and is not shown again.", set.Name); return nil })
}

func (a *app) printConnections(all []api.Connection) {
	if len(all) == 0 {
		a.say("No connection yet. goldshelf connections NAME --set FILE adds one; goldshelfd models serves simulated models to try it with.")
		return
	}
	t := a.table("CONNECTION", "TITLE", "ADDRESS", "MODELS", "AT ONCE", "SECRET")
	for _, c := range all {
		secret := "none"
		if c.Secret != "" {
			secret = c.Secret
		}
		if c.SecretKept {
			secret = a.text("kept sealed")
		}
		if secret != "none" && !c.SecretThere {
			secret += " (missing)"
		}
		t.row(c.Name, c.Title, c.Address, strings.Join(c.Models, ", "), strconv.Itoa(c.AtOnce), secret)
	}
	t.print()
}

// printConnection prints one as the file that makes it.
func (a *app) printConnection(c api.Connection) error {
	return a.printYAML(api.NewConnection{Title: c.Title, Spec: c.Spec})
}

func (a *app) printTried(t api.ConnectionTried) error {
	show := func(sign string, h api.HTTPText) {
		for _, line := range append([]string{h.Line}, h.Headers...) {
			a.printf("%s %s\n", sign, line)
		}
		a.printf("\n%s\n\n", strings.TrimRight(h.Body, "\n"))
	}
	if t.Sent.Line != "" {
		show(">", t.Sent)
	}
	if t.Came != nil {
		show("<", *t.Came)
	}
	if !t.Problem.IsZero() {
		return message.Errorf("no reply: %s", t.Problem)
	}
	a.say("It answers, in %d ms: %s", t.MS, t.Reply.Text)
	return nil
}

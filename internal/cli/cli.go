// Package cli is the goldshelf command: it reads what was typed, calls the
// service through package client and prints what came back. It decides nothing
// that the service decides.
package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"goldshelf/client"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Exit statuses of the command.
const (
	exitDone       = 0
	exitFailed     = 1
	exitUsage      = 2
	exitNotFound   = 3
	exitNotAllowed = 4
	exitChanged    = 5
	exitStopped    = 6
)

// usage is an error in what was typed.
type usage struct{ why message.Text }

func (u *usage) Error() string      { return u.why.String() }
func (u *usage) Said() message.Text { return u.why }

func wrongUse(format string, args ...any) error { return &usage{message.Say(format, args...)} }

// changed means that someone else changed a draft first.
type changed struct{ why string }

func (c *changed) Error() string { return c.why }

// Run carries out one command line and gives its exit status.
func Run(ctx context.Context, args []string, in *os.File, out, errs *os.File) int {
	a := &app{in: in, out: screen{out}, errs: screen{errs}, language: message.Preferred(languages())}
	err := a.root().Run(ctx, args)
	if err != nil {
		text := strings.ReplaceAll(message.Of(err).In(a.language), "\n", "\n  ")
		if strings.Contains(text, "\n") {
			text = "\n  " + text
		}
		fmt.Fprintln(a.errs, "goldshelf: "+text)
	}
	var refused *client.Error
	if a.json && errors.As(err, &refused) {
		_ = a.print(refused.Problem, nil) // what went wrong has been said already
	}
	return statusOf(err)
}

// statusOf turns an error into an exit status. This is the one place for it.
func statusOf(err error) int {
	var wrong *usage
	var other *changed
	switch {
	case err == nil:
		return exitDone
	case errors.As(err, &wrong):
		return exitUsage
	case errors.As(err, &other):
		return exitChanged
	case errors.Is(err, errStopped), client.StoppedByChecks(err):
		return exitStopped
	}
	switch client.Status(err) {
	case http.StatusNotFound, http.StatusGone:
		return exitNotFound
	case http.StatusUnauthorized, http.StatusForbidden:
		return exitNotAllowed
	case http.StatusPreconditionFailed:
		return exitChanged
	}
	return exitFailed
}

// errStopped means that a check found a stop.
var errStopped = errors.New("checks found what stops a submission")

// app is what the commands share.
type app struct {
	in        *os.File
	out, errs screen
	language  message.Language
	server    string
	token     string
	json      bool
	zone      func() *time.Location // the library's, asked for when a time is shown
}

func (a *app) root() *cli.Command {
	usageError := func(_ context.Context, _ *cli.Command, err error, _ bool) error { return wrongUse("%v", err) }
	root := &cli.Command{
		Name:                  "goldshelf",
		Usage:                 "find, fill in and look after the entries of a Gold Shelf",
		HideHelpCommand:       true,
		EnableShellCompletion: true,
		Suggest:               true,
		Writer:                a.out,
		ErrWriter:             a.errs,
		ExitErrHandler:        func(context.Context, *cli.Command, error) {},
		ConfigureShellCompletionCommand: func(c *cli.Command) {
			c.Hidden = false
			c.Usage = message.Plain("print the completion script for bash, zsh or fish").String()
			a.speak(c)
		},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "server", Usage: "where the service is; several on one library are separated by commas, and the next is asked where one does not answer", Sources: cli.EnvVars("GOLDSHELF_SERVER"), Destination: &a.server},
			&cli.StringFlag{Name: "token", Usage: "who calls", Sources: cli.EnvVars("GOLDSHELF_TOKEN"), Destination: &a.token},
			&cli.BoolFlag{Name: "json", Usage: "print the service's own JSON", Destination: &a.json},
		},
		Action: func(_ context.Context, c *cli.Command) error {
			if c.Args().Present() {
				return wrongUse("there is no command %q; goldshelf --help lists them", c.Args().First())
			}
			return cli.ShowAppHelp(c)
		},
		Commands: slices.Concat(
			in("Use", a.find(), a.sections(), a.show(), a.fill(), a.compare(), a.try(), a.talks(), a.run(), a.runs(), a.testBed(), a.trial(), a.trials(), a.models(), a.favourite(), a.report()),
			in("Write", a.put(), a.pictures(), a.adapt(), a.rendition(), a.origin(), a.check(), a.similar(), a.sets(), a.voice(), a.samples(), a.submit(), a.withdraw(), a.comments(), a.starters(), a.helper(), a.propose()),
			in("Review", a.desk(), a.approve(), a.giveBack(), a.publish(), a.publications(), a.unpublish(), a.retire(), a.restore(), a.renew(), a.bulk(),
				a.diff(), a.history(), a.annotate(), a.uses()),
			in("Look after", a.owners(), a.rename(), a.transfer(), a.accept(), a.decline(), a.people(), a.signOn(), a.keys(), a.labels(), a.register(), a.layouts(), a.connections(), a.allowances(), a.synonyms(), a.policy(), a.audit(), a.stocktake()),
			in("Move", a.importCommand(), a.exportCommand(), a.pull(), a.mcp()),
			in("Hear", a.follow(), a.news(), a.channels()),
			in("Sign in", a.login(), a.logout(), a.whoami(), a.sessions(), a.changePassword(), a.version()),
		),
	}
	root.OnUsageError = usageError
	for _, c := range root.Commands {
		c.OnUsageError = usageError
		c.HideHelpCommand = true
	}
	a.speak(root)
	return root
}

// in puts commands under a heading of the help: what one wants to do.
func in(heading string, commands ...*cli.Command) []*cli.Command {
	for _, c := range commands {
		c.Category = heading
	}
	return commands
}

// client gives a client that is signed in as far as is known.
func (a *app) client() (*client.Client, error) {
	saved, err := readSession()
	if err != nil {
		return nil, err
	}
	c := &client.Client{Server: a.server, Token: a.token, Agent: "goldshelf/1", Languages: languages()}
	c.Waiting = func(why string, pause time.Duration) { a.say("%s (trying again in %s)", why, pause) }
	if c.Server == "" {
		c.Server = saved.Server
	}
	if c.Server == "" {
		c.Server = "http://127.0.0.1:7420"
	}
	if c.Token == "" && c.Server == saved.Server {
		c.Token = saved.Token
	}
	a.zone = sync.OnceValue(func() *time.Location { return zoneOf(c) })
	return c, nil
}

// local gives a time as the library has it: in its zone, or in the machine's where no
// service says which that is.
func (a *app) local(t time.Time) time.Time {
	if a.zone == nil {
		return t.Local()
	}
	return t.In(a.zone())
}

// when writes a moment as the reader's language does. The layout is that of [time.Time.Format]
// in English.
func (a *app) when(t time.Time, layout string) string {
	t = a.local(t)
	for _, as := range dates[a.language] {
		layout = strings.ReplaceAll(layout, as.english, as.here)
	}
	month := t.Month().String()
	return strings.ReplaceAll(t.Format(layout), month, message.Plain(month).In(a.language))
}

// dates gives how a language writes what English does.
var dates = map[message.Language][]struct{ english, here string }{
	message.German: {{"2 Jan 2006", "02.01.2006"}, {"2 January", "2. January"}, {"2 Jan", "02.01."}, {" at ", " um "}},
	message.French: {{"2 Jan 2006", "02/01/2006"}, {"2 January", "2\u00a0January"}, {"2 Jan", "02/01"}, {" at ", " à "}},
}

func zoneOf(c *client.Client) *time.Location {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	welcome, err := c.Welcome(ctx)
	if err != nil || welcome.Zone == "" {
		return time.Local
	}
	zone, err := time.LoadLocation(welcome.Zone)
	if err != nil {
		return time.Local
	}
	return zone
}

// signedIn is client for commands that need someone to be signed in.
func (a *app) signedIn() (*client.Client, error) {
	c, err := a.client()
	if err == nil && c.Token == "" {
		err = &client.Error{}
		e := err.(*client.Error)
		e.Problem.Status = http.StatusUnauthorized
		e.Detail = message.Say("nobody is signed in at %s; run goldshelf login, or set GOLDSHELF_TOKEN", c.Server)
	}
	return c, err
}

// print writes an answer: as JSON where that was asked for, else with plain.
func (a *app) print(answer any, plain func() error) error {
	if !a.json {
		return plain()
	}
	enc := json.NewEncoder(a.out)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(answer)
}

// say writes a line for people, which is never part of what a pipe gets.
func (a *app) say(format string, args ...any) {
	fmt.Fprintln(a.errs, message.Say(format, args...).In(a.language))
}

// text is something said to people, in their language.
func (a *app) text(format string, args ...any) string {
	return message.Say(format, args...).In(a.language)
}

// printf prints for people, in their language.
func (a *app) printf(format string, args ...any) (int, error) {
	return fmt.Fprint(a.out, message.Say(format, args...).In(a.language))
}

func isTerminal(f interface{ Fd() uintptr }) bool { return term.IsTerminal(int(f.Fd())) }

// one gives the only argument of a command.
func one(c *cli.Command, what string) (string, error) {
	if c.Args().Len() != 1 {
		return "", wrongUse("%s takes one %s; %d were given", c.Name, what, c.Args().Len())
	}
	return c.Args().First(), nil
}

// onEntry has somebody who is signed in do something with the one entry that is named.
func (a *app) onEntry(do func(ctx context.Context, cmd *cli.Command, c *client.Client, slug string) error) cli.ActionFunc {
	return func(ctx context.Context, cmd *cli.Command) error {
		slug, err := one(cmd, "slug")
		if err != nil {
			return err
		}
		c, err := a.signedIn()
		if err != nil {
			return err
		}
		return do(ctx, cmd, c, slug)
	}
}

// inFile says of problems which file they are in, as compilers do.
func inFile(name string, err error) error {
	var list problem.List
	if !errors.As(err, &list) {
		return fmt.Errorf("%s: %w", name, err)
	}
	var lines []error
	for _, p := range list {
		if p.Line > 0 && p.Column > 0 {
			lines = append(lines, fmt.Errorf("%s:%d:%d: %s", name, p.Line, p.Column, p.Message))
		} else {
			lines = append(lines, fmt.Errorf("%s: %s", name, p.Message))
		}
	}
	return errors.Join(lines...)
}

// readAll reads a file, or standard input for "-".
func (a *app) readAll(name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(a.in)
	}
	return os.ReadFile(name)
}

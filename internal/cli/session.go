package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/message"
	"goldshelf/internal/version"
)

// session is what login keeps: one service, who signed in, and the token for it.
type session struct {
	Server string `json:"server"`
	Name   string `json:"name,omitempty"`
	Token  string `json:"token"`
}

func sessionFile() (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", fmt.Errorf("find where to keep the sign-in: %w; set GOLDSHELF_TOKEN instead", err)
	}
	return filepath.Join(dir, "goldshelf", "session.json"), nil
}

func readSession() (s session, err error) {
	path, err := sessionFile()
	if err != nil {
		return s, nil // GOLDSHELF_TOKEN may be set
	}
	data, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return s, nil
	}
	if err == nil {
		err = json.Unmarshal(data, &s)
	}
	if err != nil {
		return s, fmt.Errorf("read the saved sign-in %s: %w; remove it and run goldshelf login", path, err)
	}
	return s, nil
}

// write keeps the session in a file that nobody else can read.
func (s session) write() error {
	path, err := sessionFile()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	return writePrivate(path, s)
}

// writePrivate writes a value into a file that nobody else can read.
func writePrivate(path string, v any) error {
	data, err := json.Marshal(v)
	if err != nil {
		return err
	}
	fresh := path + ".new"
	if err := os.WriteFile(fresh, data, 0o600); err != nil {
		return err
	}
	if err := os.Chmod(fresh, 0o600); err != nil { // one left by a killed login may be wider
		return err
	}
	return os.Rename(fresh, path)
}

func (a *app) login() *cli.Command {
	return &cli.Command{
		Name: "login", Usage: "sign in and keep the token", ArgsUsage: "[NAME]",
		Description: "Asks for the password on a terminal; elsewhere it is the first line of standard input.",
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			lines := bufio.NewReader(a.in)
			name := cmd.Args().First()
			if name == "" {
				if name, err = a.ask(lines, "Name: "); err != nil {
					return err
				}
			}
			password, err := a.password(lines, "Password: ")
			if err != nil {
				return err
			}
			s, err := c.SignIn(ctx, name, password)
			if client.NeedsCode(err) {
				code, askErr := a.ask(lines, "One-time code: ")
				if askErr != nil {
					return askErr
				}
				s, err = c.SignInWith(ctx, api.Credentials{Name: name, Password: password, Code: code})
			}
			if err != nil {
				return err
			}
			if err := (session{c.Server, s.Name, s.Token}).write(); err != nil {
				return fmt.Errorf("keep the sign-in: %w", err)
			}
			return a.print(s, func() error {
				a.say("Signed in at %s as %s, %s.", c.Server, s.FullName, s.Role)
				return nil
			})
		},
	}
}

func (a *app) ask(lines *bufio.Reader, question string) (string, error) {
	fmt.Fprint(a.errs, question)
	line, err := lines.ReadString('\n')
	if line = strings.TrimRight(line, "\r\n"); line == "" && err != nil {
		return "", wrongUse("nothing was given for %q", strings.TrimSpace(question))
	}
	return line, nil
}

// changePassword is for one's own.
func (a *app) changePassword() *cli.Command {
	return &cli.Command{
		Name: "password", Usage: "change your own password, and sign out everywhere else",
		Description: "Asks for the old one and the new one on a terminal; elsewhere they are the first two lines of standard input. With --link it sets the first one, which is then the only line.",
		Flags:       []cli.Flag{&cli.StringFlag{Name: "link", Usage: "set a password by the `LINK` that a curator gave you"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if link := cmd.String("link"); link != "" {
				return a.firstPassword(ctx, link)
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			lines := bufio.NewReader(a.in)
			old, err := a.password(lines, "Old password: ")
			if err != nil {
				return err
			}
			fresh, err := a.password(lines, "New password: ")
			if err != nil {
				return err
			}
			if isTerminal(a.in) {
				again, err := a.password(lines, "New password again: ")
				if err != nil {
					return err
				}
				if again != fresh {
					return wrongUse("the two new passwords differ; nothing was changed")
				}
			}
			s, err := c.ChangePassword(ctx, old, fresh)
			if err != nil {
				return err
			}
			if a.token == "" {
				if err := (session{c.Server, s.Name, s.Token}).write(); err != nil {
					return fmt.Errorf("keep the sign-in: %w", err)
				}
			}
			return a.print(s, func() error {
				a.say("Your password is changed. You are signed in here, and nowhere else.")
				return nil
			})
		},
	}
}

// firstPassword sets a password by a link, or by the code that stands in it after #.
func (a *app) firstPassword(ctx context.Context, link string) error {
	code := link
	if _, after, is := strings.Cut(link, "#"); is {
		code = after
	}
	c, err := a.client()
	if err != nil {
		return err
	}
	password, err := a.password(bufio.NewReader(a.in), "New password: ")
	if err != nil {
		return err
	}
	if err := c.SetPassword(ctx, api.NewPassword{Code: code, Password: password}); err != nil {
		return err
	}
	a.say("Your password is set. Sign in with goldshelf login.")
	return nil
}

func (a *app) password(lines *bufio.Reader, question string) (string, error) {
	if !isTerminal(a.in) {
		return a.ask(lines, "")
	}
	fmt.Fprint(a.errs, question)
	data, err := term.ReadPassword(int(a.in.Fd()))
	fmt.Fprintln(a.errs)
	return string(data), err
}

func (a *app) logout() *cli.Command {
	return &cli.Command{
		Name: "logout", Usage: "sign out and forget the token",
		Flags: []cli.Flag{&cli.BoolFlag{Name: "everywhere", Usage: "end every session and token of yours, in browsers too"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			end := c.SignOut
			if cmd.Bool("everywhere") {
				end = c.SignOutEverywhere
			}
			signOut := end(ctx)
			if path, err := sessionFile(); err == nil && a.token == "" {
				if err := os.Remove(path); err != nil && !errors.Is(err, fs.ErrNotExist) {
					return errors.Join(signOut, err)
				}
			}
			if signOut == nil {
				a.say("Signed out.")
			}
			return signOut
		},
	}
}

func (a *app) whoami() *cli.Command {
	return &cli.Command{
		Name: "whoami", Usage: "say who is signed in, and what the library has of them",
		Description: "The console, your feed and your news are in the language that you choose; this command is in that of the machine (LANG).",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "data", Usage: "all that the library has of you, as JSON"},
			&cli.StringFlag{Name: "language", Usage: "be spoken to in this `LANGUAGE` from now on: en, de or fr; '' for the one that a browser asks for"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if cmd.Bool("data") {
				data, err := c.OwnData(ctx)
				if err != nil {
					return err
				}
				enc := json.NewEncoder(a.out)
				enc.SetIndent("", "  ")
				return enc.Encode(data)
			}
			s, err := c.Session(ctx)
			if err != nil {
				return err
			}
			if cmd.IsSet("language") {
				s.Language = message.Language(cmd.String("language"))
				if _, err := c.ChangePerson(ctx, s.Name, api.PersonChange{Language: &s.Language}); err != nil {
					return err
				}
			}
			return a.print(s, func() error {
				_, err := a.printf("%s (%s), %s at %s%s\n", s.FullName, s.Name, s.Role, c.Server, department(s.Person))
				return err
			})
		},
	}
}

func department(p api.Person) string {
	if p.Department == "" {
		return ""
	}
	return ", " + p.Department
}

func (a *app) version() *cli.Command {
	return &cli.Command{
		Name: "version", Usage: "say which goldshelf this is",
		Action: func(context.Context, *cli.Command) error {
			_, err := fmt.Fprintln(a.out, "goldshelf", version.String())
			return err
		},
	}
}

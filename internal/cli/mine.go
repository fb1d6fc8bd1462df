package cli

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/atotto/clipboard"
	"github.com/aymanbagabas/go-osc52/v2"

	"goldshelf/core/fill"
)

// mostRemembered is of how many blanks the last values are kept.
const mostRemembered = 200

// valuesFile is where it is kept what somebody filled in last: beside the sign-in, for that
// person at that service, and nowhere else.
func valuesFile() (path string, s session, err error) {
	if s, err = readSession(); err != nil {
		return "", s, err
	}
	if s.Name == "" {
		return "", s, errors.New("nobody is signed in")
	}
	at, err := sessionFile()
	return filepath.Join(filepath.Dir(at), "values.json"), s, err
}

// remembered are last values by who filled them in: "name@server".
type remembered map[string]map[string]fill.Value

func (s session) person() string { return s.Name + "@" + s.Server }

func readRemembered(path string) remembered {
	all := remembered{}
	if data, err := os.ReadFile(path); err == nil && json.Unmarshal(data, &all) != nil {
		return remembered{} // one that cannot be read is begun anew
	}
	return all
}

// lastValues gives what the person who is signed in filled in last, by blank.
func (a *app) lastValues() map[string]fill.Value {
	path, s, err := valuesFile()
	if err != nil || os.Getenv("GOLDSHELF_TOKEN") != "" {
		return nil
	}
	return readRemembered(path)[s.person()]
}

// rememberValues keeps what was filled in on a terminal, the newest of each blank. That it
// cannot be kept is no reason not to fill in.
func (a *app) rememberValues(values fill.Values) {
	path, s, err := valuesFile()
	if err != nil || os.Getenv("GOLDSHELF_TOKEN") != "" || !isTerminal(a.in) {
		return
	}
	all := readRemembered(path)
	own := all[s.person()]
	if own == nil || len(own)+len(values) > mostRemembered {
		own = map[string]fill.Value{}
	}
	for name, v := range values {
		own[name] = v
	}
	all[s.person()] = own
	_ = writePrivate(path, all)
}

func (a *app) forgetValues() error {
	path, _, err := valuesFile()
	if err != nil {
		return err
	}
	if err := os.Remove(path); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	a.say("Forgotten.")
	return nil
}

// oneLine is a value as it is offered again.
func oneLine(v fill.Value) string {
	text := strings.Join(strings.Fields(v.String()), " ")
	if runes := []rune(text); len(runes) > 60 {
		text = string(runes[:59]) + "…"
	}
	return text
}

// mostFar is how many bytes terminals take onto the clipboard.
const mostFar = 74_000

// toClipboard puts a text on the clipboard: of this machine or, where the terminal is
// another machine's or there is no clipboard, of the terminal, by OSC 52.
func (a *app) toClipboard(text string) error {
	far := os.Getenv("SSH_TTY") != "" || os.Getenv("SSH_CONNECTION") != ""
	if !far && !clipboard.Unsupported && clipboard.WriteAll(text) == nil {
		a.say("Copied.")
		return nil
	}
	if !isTerminal(a.errs) {
		return wrongUse("there is no clipboard here, and no terminal to put it on; leave --copy out and pipe the text")
	}
	if len(text) > mostFar {
		return wrongUse("the text has %d bytes, and terminals take %d onto the clipboard; leave --copy out", len(text), mostFar)
	}
	sequence := osc52.New(text)
	switch {
	case os.Getenv("TMUX") != "":
		sequence = sequence.Tmux()
	case strings.HasPrefix(os.Getenv("TERM"), "screen"):
		sequence = sequence.Screen()
	}
	if _, err := sequence.WriteTo(a.errs.File); err != nil {
		return err
	}
	a.say("Sent to the terminal's clipboard. Where it does not arrive, the terminal does not take it: allow it there, or leave --copy out.")
	return nil
}

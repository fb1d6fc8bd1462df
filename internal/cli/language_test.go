package cli

import (
	"strings"
	"testing"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/core/message"
)

// The help of every command and option is in the reader's language, of whatever type the
// option's value is.
func TestHelpIsInTheReadersLanguage(t *testing.T) {
	english, german := (&app{language: message.English}).root(), (&app{language: message.German}).root()
	options := 0
	var same func(path string, e, g *cli.Command)
	same = func(path string, e, g *cli.Command) {
		if e.Usage == g.Usage || e.Category != "" && e.Category == g.Category {
			t.Errorf("%s: its help stays %q, under %q", path, g.Usage, g.Category)
		}
		if e.Description != "" && e.Description == g.Description {
			t.Errorf("%s: its description stays %q", path, g.Description)
		}
		said := map[string]string{}
		for _, f := range e.Flags {
			said[f.Names()[0]] = f.(cli.DocGenerationFlag).GetUsage()
		}
		for _, f := range g.Flags {
			options++
			if usage := f.(cli.DocGenerationFlag).GetUsage(); usage == "" || usage == said[f.Names()[0]] {
				t.Errorf("%s --%s: its help stays %q", path, f.Names()[0], usage)
			}
		}
		for i := range e.Commands {
			same(path+" "+e.Commands[i].Name, e.Commands[i], g.Commands[i])
		}
	}
	same("goldshelf", english, german)
	if options < 200 {
		t.Errorf("only %d options were looked at", options)
	}
}

// What is asked of the service is what the machine prefers, before what it falls back to.
func TestTheMachinesLanguage(t *testing.T) {
	for _, c := range []struct{ all, messages, lang, want string }{
		{"", "", "", ""},
		{"C", "", "de_DE.UTF-8", "de-DE"},
		{"", "fr_FR.UTF-8@euro", "de_DE@euro", "fr-FR"},
		{"", "", "de_DE@euro", "de-DE"},
		{"fr.UTF-8", "de", "en", "fr"},
		{"POSIX", "C", "C.UTF-8", ""},
	} {
		t.Setenv("LC_ALL", c.all)
		t.Setenv("LC_MESSAGES", c.messages)
		t.Setenv("LANG", c.lang)
		if got := languages(); got != c.want {
			t.Errorf("%+v prefers %q", c, got)
		}
	}
}

// What the client puts into its own sentences is in their language, too.
func TestWordsThatArePutIn(t *testing.T) {
	a := &app{language: message.French}
	for want, got := range map[string]string{
		"publié":                        a.happened("publish"),
		"le rapport de l’inventaire":    a.happened("stocktake-report"),
		"something-new":                 a.happened("something-new"),
		"tout":                          a.toldOf(api.Channel{}),
		"publish, retire dans grid, it": a.toldOf(api.Channel{Actions: []string{"publish", "retire"}, Departments: []string{"grid", "it"}}),
		"absent du 1 au 2":              a.standsNow(api.Colleague{Active: true, AwayFrom: "1", AwayUntil: "2"}),
		"est parti":                     a.standsNow(api.Colleague{AwayFrom: "1", AwayUntil: "2"}),
	} {
		if got != want {
			t.Errorf("it says %q, want %q", got, want)
		}
	}
	if got := a.asks(api.Facet{Single: true, RequiredFor: []string{"prompt"}, Open: true}); !strings.Contains(got, "un chacun") || !strings.Contains(got, "requis pour prompt") {
		t.Errorf("a facet asks %q", got)
	}
}

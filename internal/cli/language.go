package cli

import (
	"os"
	"reflect"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/core/message"
)

// languages are what somebody prefers, as their machine has it, for Accept-Language.
func languages() string {
	for _, name := range []string{"LC_ALL", "LC_MESSAGES", "LANG"} {
		value, _, _ := strings.Cut(os.Getenv(name), ".")
		value, _, _ = strings.Cut(value, "@") // which currency or script
		if value != "" && value != "C" && value != "POSIX" {
			return strings.ReplaceAll(value, "_", "-")
		}
	}
	return ""
}

// speak says the help of a command, and of those below it, in the language of whoever reads it.
func (a *app) speak(c *cli.Command) {
	if a.language == message.English {
		return
	}
	in := func(text string) string { return message.Plain(text).In(a.language) }
	c.Usage, c.Description, c.Category = in(c.Usage), in(c.Description), in(c.Category)
	for _, f := range c.Flags {
		usage := reflect.ValueOf(f).Elem().FieldByName("Usage") // a type of flag for each type of value, all with this field
		usage.SetString(in(usage.String()))
	}
	c.Flags = append(c.Flags, &cli.BoolFlag{Name: "help", Aliases: []string{"h"}, Usage: in("show help"), HideDefault: true, Local: true})
	var words []string
	for _, word := range []string{"NAME", "USAGE", "CATEGORY", "DESCRIPTION", "GLOBAL OPTIONS", "OPTIONS", "COMMANDS", "options", "command"} {
		words = append(words, word+":", in(word)+":", "["+word, "["+in(word))
	}
	said := strings.NewReplacer(words...)
	c.CustomHelpTemplate = said.Replace(cli.CommandHelpTemplate)
	c.CustomRootCommandHelpTemplate = said.Replace(cli.RootCommandHelpTemplate)
	for _, below := range c.Commands {
		a.speak(below)
	}
}

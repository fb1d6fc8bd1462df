package cli

import (
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/core/message"
)

// languages are what somebody prefers, as their machine has it, for Accept-Language.
func languages() string {
	for _, name := range []string{"LC_ALL", "LC_MESSAGES", "LANG"} {
		value, _, _ := strings.Cut(os.Getenv(name), ".")
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
		switch f := f.(type) {
		case *cli.StringFlag:
			f.Usage = in(f.Usage)
		case *cli.BoolFlag:
			f.Usage = in(f.Usage)
		case *cli.IntFlag:
			f.Usage = in(f.Usage)
		case *cli.FloatFlag:
			f.Usage = in(f.Usage)
		case *cli.StringSliceFlag:
			f.Usage = in(f.Usage)
		}
	}
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

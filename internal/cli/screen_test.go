package cli

import "testing"

func TestHarmless(t *testing.T) {
	for text, want := range map[string]string{
		"plain, é and 水\n\ttoo":             "plain, é and 水\n\ttoo",
		"\x1b[2Jgone":                       `\x1b[2Jgone`,
		"\x1b]0;title\a":                    `\x1b]0;title\x07`,
		"over\rwritten":                     `over\x0dwritten`,
		"back\b\b":                          `back\x08\x08`,
		"\u009b2J":                          `\u009b2J`,
		"turned \u202eround\u202c":          `turned \u202eround\u202c`,
		"\x1b[32mgreen\x1b[0m \x1b[5mblink": "\x1b[32mgreen\x1b[0m " + `\x1b[5mblink`,
		"\x7f":                              `\x7f`,
	} {
		if got := harmless(text); got != want {
			t.Errorf("%q is shown as %q, want %q", text, got, want)
		}
	}
}

package blocks

import (
	"errors"
	"strings"
	"testing"

	"goldshelf/test/intime"
)

// shape writes a letter for each line: c for code, m for material, 1 to 6 for a
// heading, . for all else.
func shape(text string) string {
	var b strings.Builder
	for _, l := range Lines(text) {
		switch {
		case l.Code:
			b.WriteByte('c')
		case l.Fenced:
			b.WriteByte('m')
		case l.Level > 0:
			b.WriteByte(byte('0' + l.Level))
		default:
			b.WriteByte('.')
		}
	}
	return b.String()
}

func TestLines(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct{ text, want string }{
		"nothing":                          {"", ""},
		"headings":                         {"# A\n## B\r\n### C\n#D\n####### E\n##\n", "123..."},
		"code":                             {"a\n```go\n## x\n```\n## y", ".ccc2"},
		"tildes within backticks":          {"```\n~~~\n## x\n```\n## y\n", "cccc2"},
		"closed by as many at least":       {"````\n```\n## x\n`````\n## y\n", "cccc2"},
		"not closed by a word":             {"```\n## x\n``` no\n## y\n", "cccc"},
		"never closed":                     {"```\n## x\n", "cc"},
		"backticks in a line are no fence": {"```a`b\n## x\n", ".2"},
		"between hyphens":                  {"---\n## x\n---\n## y\n", "mmm2"},
		"one line of hyphens is no fence":  {"## x\n---\n## y\n", "2.2"},
		"three of them":                    {"---\n---\n## x\n---\n## y\n", "mm2.2"},
		"quotation marks":                  {"\"\"\"\n## x\n---\n\"\"\"\n## y\n", "mmmm2"},
		"indented":                         {"  ```\n## x\n  ```\n", "ccc"},
		"hyphens within code":              {"```\n---\n```\n---\n## x\n---\n", "cccmmm"},
	} {
		if got := shape(c.text); got != c.want {
			t.Errorf("%s: %q is %s, want %s", name, c.text, got, c.want)
		}
	}
}

func TestAdd(t *testing.T) {
	t.Parallel()
	order := []string{"Role", "Task", "Limits"}
	for name, c := range map[string]struct{ text, add, want string }{
		"to nothing":                   {"", "Task", "## Task\n"},
		"before what comes after it":   {"## Limits\nNone.\n", "Task", "## Task\n\n## Limits\nNone.\n"},
		"after what comes before it":   {"## Role\nYou.", "Task", "## Role\nYou.\n\n## Task\n"},
		"between":                      {"Hello.\n\n## Role\nYou.\n\n## Limits\nNone.\n", "Task", "Hello.\n\n## Role\nYou.\n\n## Task\n\n## Limits\nNone.\n"},
		"not before an unknown one":    {"## Other\nText.\n", "Role", "## Other\nText.\n\n## Role\n"},
		"fences are passed over":       {"---\n## Limits\n---\n", "Task", "---\n## Limits\n---\n\n## Task\n"},
		"what has a blank line has it": {"## Role\n\n", "Task", "## Role\n\n## Task\n"},
	} {
		if got := Join(Add(Parts(c.text), c.add, order)); got != c.want {
			t.Errorf("%s: got %q, want %q", name, got, c.want)
		}
	}
}

func TestRewrite(t *testing.T) {
	t.Parallel()
	order := []string{"Guide", "Use"}
	more := func(below string) (string, error) { return below + "- more\n", nil }
	for text, want := range map[string]string{
		"":                                     "## Guide\n- more\n",
		"## Guide":                             "## Guide\n- more\n",
		"## Use\nTap.\n":                       "## Guide\n- more\n\n## Use\nTap.\n",
		"## guide\nShort.\n\n\n## Use\nTap.":   "## guide\nShort.\n- more\n\n\n## Use\nTap.",
		"## Guide\r\nShort.\r\n\r\n## Use\r\n": "## Guide\r\nShort.\n- more\n\r\n## Use\r\n",
		"Guide\n## Guide\n\n\n## Use\n":        "Guide\n## Guide\n- more\n\n\n## Use\n",
	} {
		if got, err := Rewrite(text, "Guide", order, more); err != nil || got != want {
			t.Errorf("%q is %q, want %q (%v)", text, got, want, err)
		}
	}
	if _, err := Rewrite("x", "Guide", order, func(string) (string, error) { return "", errors.New("no") }); err == nil {
		t.Error("an error is passed over")
	}
}

func FuzzPartsJoin(f *testing.F) {
	for _, s := range []string{"", "## A\r\n", "---\n## B\n---", "```\n## C", "a\n## B\n\nc", "\xff## D\n"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		intime.Do(t, len(text), func() { Join(Parts(text)) })
		if got := Join(Parts(text)); got != text {
			t.Errorf("got %q, want %q", got, text)
		}
		at := 0
		for _, l := range Lines(text) {
			if l.Start != at || l.End <= l.Start {
				t.Fatalf("a line from %d to %d follows %d", l.Start, l.End, at)
			}
			at = l.End
		}
		if at != len(text) {
			t.Errorf("the lines end at %d of %d", at, len(text))
		}
	})
}

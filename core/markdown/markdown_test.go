package markdown_test

import (
	"fmt"
	"strings"
	"testing"
	"unicode/utf8"

	"goldshelf/core/markdown"
)

func ExamplePlain() {
	fmt.Print(markdown.Plain("## Task\n\nWrite **two** lines to [the office](https://water.example).\n\n1. First\n2. Second\n"))
	// Output:
	// Task
	//
	// Write two lines to the office (https://water.example).
	//
	// 1. First
	// 2. Second
}

func TestPlain(t *testing.T) {
	t.Parallel()
	for name, c := range map[string][2]string{
		"nothing":          {"", ""},
		"a line":           {"Say it.", "Say it.\n"},
		"signs":            {"*a* **b** `c` ~~d~~ _e_", "a b c d e\n"},
		"lines stay":       {"one\ntwo", "one\ntwo\n"},
		"a hard break":     {"one  \ntwo", "one\ntwo\n"},
		"nested":           {"- a\n  - b\n  - c\n- d", "- a\n  - b\n  - c\n- d\n"},
		"loose":            {"- a\n\n- b", "- a\n\n- b\n"},
		"numbers go on":    {"3. a\n4. b", "3. a\n4. b\n"},
		"a quotation":      {"> said\n> so", "said\nso\n"},
		"code":             {"```\na *b*\n  c\n```", "a *b*\n  c\n"},
		"code in a list":   {"- a\n\n  ```\n  b\n  c\n  ```", "- a\n\n  b\n  c\n"},
		"a table":          {"| a | b |\n|---|---|\n| 1 | 2 |", "a\tb\n1\t2\n"},
		"HTML is left out": {"a <b>b</b>\n\n<script>x</script>\n\nc", "a b\n\nc\n"},
		"an escape":        {`a \* b`, "a * b\n"},
		"entities":         {"a &amp; b `&amp; \\*`", "a & b &amp; \\*\n"},
		"boxes":            {"- [x] done\n- [ ] open", "- [x] done\n- [ ] open\n"},
		"an address":       {"<https://water.example>", "https://water.example\n"},
	} {
		if got := markdown.Plain(c[0]); got != c[1] {
			t.Errorf("%s: Plain(%q) = %q, want %q", name, c[0], got, c[1])
		}
	}
}

func TestHTML(t *testing.T) {
	t.Parallel()
	got := markdown.HTML("## Task\n\nSay **it**. <script>alert(1)</script> [x](javascript:alert(1))\n\n| a |\n|---|\n| 1 |\n")
	for _, want := range []string{"<h2>Task</h2>", "<strong>it</strong>", "<table>"} {
		if !strings.Contains(got, want) {
			t.Errorf("there is no %s in %s", want, got)
		}
	}
	for _, never := range []string{"<script", "javascript:"} {
		if strings.Contains(got, never) {
			t.Errorf("there is %s in %s", never, got)
		}
	}
}

// Whatever the text, it is written out, and what is left is text.
func FuzzPlain(f *testing.F) {
	for _, s := range []string{"- a\n  1. b", "| a |\n|-|\n", "\\", "> - ```\nx", "[a](<b", "&amp; \\&", strings.Repeat("> ", 50)} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, md string) {
		if plain := markdown.Plain(md); utf8.ValidString(md) && !utf8.ValidString(plain) {
			t.Errorf("Plain(%q) = %q", md, plain)
		}
		markdown.HTML(md)
	})
}

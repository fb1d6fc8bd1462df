package fill

import (
	"os"
	"regexp"
	"strings"
	"testing"
)

var example = regexp.MustCompile("(?s)```fill\n(.*?)```")

// The guide's examples give what it says they give.
func TestGuidesExamples(t *testing.T) {
	t.Parallel()
	guide, err := os.ReadFile("../../docs/language.md")
	if err != nil {
		t.Fatal(err)
	}
	lib := shelf{
		"reach":  source(t, "reach", 1, "Ask for {{name}},\nat any hour.\n"),
		"tone@3": source(t, "tone", 3, "the old tone.\n"),
		"facts":  sheetOf(t, "facts", 4),
	}
	blocks := example.FindAllStringSubmatch(string(guide), -1)
	if len(blocks) < 6 {
		t.Fatalf("the guide has %d examples", len(blocks))
	}
	for _, b := range blocks {
		text, want, ok := strings.Cut(b[1], "=== gives\n")
		if !ok {
			t.Errorf("an example gives nothing:\n%s", b[1])
			continue
		}
		values := Values{}
		lines := strings.SplitAfter(text, "\n")
		text = ""
		for _, line := range lines {
			given, isValue := strings.CutPrefix(strings.TrimSuffix(line, "\n"), "=== ")
			if !isValue {
				text += line
				continue
			}
			name, value, _ := strings.Cut(given, ": ")
			if items, isList := strings.CutPrefix(value, "["); isList {
				values[name] = List(strings.Split(strings.TrimSuffix(items, "]"), ", ")...)
			} else {
				values[name] = Single(value)
			}
		}
		got, err := fillText(t, source(t, "it", 1, text, topics), lib, values)
		if err != nil || got.Text != want {
			t.Errorf("%s\ngives %q, %v\nand not %q", text, got.Text, err, want)
		}
	}
	for _, typ := range Types() {
		if !strings.Contains(string(guide), "\n| "+string(typ)+" | ") {
			t.Errorf("the guide does not know the type %s", typ)
		}
	}
	for word := range reserved {
		if !strings.Contains(string(guide), word) {
			t.Errorf("the guide does not know the word %s", word)
		}
	}
}

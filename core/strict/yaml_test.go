package strict

import (
	"fmt"
	"strings"
	"testing"

	"github.com/goccy/go-yaml/parser"

	"goldshelf/test/intime"
)

// lines is a text of so many lines.
func lines(n int, line func(int) string) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(line(i) + "\n")
	}
	return b.String()
}

func TestYAML(t *testing.T) {
	t.Parallel()
	for name, tt := range map[string]struct{ text, want string }{
		"a header":              {"kind: prompt\nlabels:\n  department: [customer-care, laboratory]\nblanks:\n  - name: area\n    options:\n      - a\n      - b\n  - name: b\n", ""},
		"many blanks":           {"blanks:\n" + lines(200, func(i int) string { return fmt.Sprintf("  - name: b%d\n    ask: Which?\n    options: [a, b, c]", i) }), ""},
		"many options":          {"options:\n" + lines(3000, func(i int) string { return fmt.Sprintf("  - option %d", i) }), ""},
		"brackets in a text":    {"title: \"" + strings.Repeat("[", 100) + "\"\nsample: |\n  " + strings.Repeat("[", 100) + "\n", ""},
		"open brackets":         {strings.Repeat("[", 60<<10), "line 1, column 32: it is more than 32 levels deep"},
		"open braces":           {"a: " + strings.Repeat("{b: ", 10<<10), "more than 32 levels deep"},
		"lists in lists":        {strings.Repeat("- ", 30<<10), "more than 32 levels deep"},
		"deeper with each line": {lines(300, func(i int) string { return strings.Repeat(" ", i) + "a:" }), "line 33"},
		"a text in itself":      {"a: &a x\nb:\n" + lines(30, func(int) string { return "  - *a" }), "names parts of itself"},
		"more keys than any":    {lines(5000, func(i int) string { return fmt.Sprintf("k%d: v", i) }), "more than 2500 keys"},
	} {
		err := YAML(tt.text)
		if tt.want == "" && err != nil || tt.want != "" && (err == nil || !strings.Contains(err.Error(), tt.want)) {
			t.Errorf("%s: got %v, want %q", name, err, tt.want)
		}
	}
}

// What YAML lets pass is parsed in a time that its length bounds.
func FuzzYAML(f *testing.F) {
	f.Add("kind: prompt\nlabels:\n  department: [customer-care]\n")
	f.Add("[[[[[[")
	f.Add("- - - ? a: &b *b")
	f.Add(lines(40, func(i int) string { return fmt.Sprintf("k%d: 'v'", i) }))
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 64<<10 || YAML(text) != nil {
			return
		}
		intime.Do(t, len(text), func() { _, _ = parser.ParseBytes([]byte(text), 0, parser.AllowDuplicateMapKey()) })
	})
}

package fill

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"goldshelf/core/problem"
)

// manyFaults are texts of a size whose every mark is at fault.
func manyFaults(size int) map[string]string {
	all := map[string]string{}
	for name, mark := range map[string]string{
		"names":     "{{A}}",
		"unended":   "{{if a}}",
		"ends":      "{{end}}",
		"comments":  "{{# a }}{{A}}",
		"unclosed":  "{{#\n",
		"strings":   "{{\"\\q\"}}",
		"steps":     "{{from a}}",
		"no entry":  "{{include no-entry}}",
		"no blanks": "{{include known a=\"b\"}}",
	} {
		all[name] = strings.Repeat(mark, size/len(mark))
	}
	return all
}

// tell reads a text and puts it together, and gives what is wrong with it.
func tell(tb testing.TB, text string) problem.List {
	parsed, err := Parse(text)
	if err == nil {
		lib := shelf{"known": source(tb, "known", 1, strings.Repeat("Say it plainly. {{c}}", 5000))}
		_, err = Compile(lib.lookup, Source{Ref: Ref{Entry: "itself", Version: 1}, Text: parsed})
	}
	var found problem.List
	if !errors.As(err, &found) {
		tb.Fatalf("got %v for what is at fault", err)
	}
	return found
}

func TestAHundredFaultsAreToldAndTheRestCounted(t *testing.T) {
	t.Parallel()
	for name, text := range manyFaults(40_000) {
		found := tell(t, text)
		last := found[len(found)-1]
		marks := strings.Count(text, "{{")
		if name == "comments" {
			marks /= 2
		}
		if want := fmt.Sprintf("there are %d more like these; fix those first", marks-problem.Most); len(found) != problem.Most+1 || last.Message.String() != want || last.Code != "more" {
			t.Errorf("%s: %d are told, and last %q; want %q", name, len(found), last.Message, want)
		}
	}
	exactly := strings.Repeat("{{A}}\n", problem.Most)
	if found := tell(t, exactly); len(found) != problem.Most || found[problem.Most-1].Line != problem.Most {
		t.Errorf("of a hundred, %d are told, the last in line %d", len(found), found[len(found)-1].Line)
	}
}

func TestMarks(t *testing.T) {
	t.Parallel()
	text := `{{if a}}x{{"}}"}}{{else}}{{b or "}}"}}{{end}}{{each c as d}}{{d}}{{end}} {{# no }}{{include aa x="}}"}}`
	parsed, err := Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	parsed.Marks(func(start, end int) { got = append(got, text[start:end]) })
	want := `{{if a}} {{"}}"}} {{else}} {{b or "}}"}} {{end}} {{each c as d}} {{d}} {{end}} {{# no }} {{include aa x="}}"}}`
	if strings.Join(got, " ") != want {
		t.Errorf("got %q", got)
	}
}

func BenchmarkFaults(b *testing.B) {
	for name, text := range manyFaults(1 << 20) {
		b.Run(strings.ReplaceAll(name, " ", "_"), func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			for b.Loop() {
				tell(b, text)
			}
		})
	}
}

package fill

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"text/template"
)

// benchText is a 4 KiB prompt with ten blanks, two includes and one choice,
// once for this package and once for text/template.
func benchText(b *testing.B) (*Form, Values, *template.Template, map[string]string) {
	b.Helper()
	para := strings.Repeat("Write plainly, say what happened and what to do now. ", 7)
	var ours, theirs strings.Builder
	values, data := Values{}, map[string]string{}
	for i := range 10 {
		name := fmt.Sprintf("blank%c", 'a'+i)
		values[name], data[name] = Single("Mill Lane and Ferry Row"), "Mill Lane and Ferry Row"
		fmt.Fprintf(&ours, "%s {{%s}}\n", para, name)
		fmt.Fprintf(&theirs, "%s {{.%s}}\n", para, name)
	}
	ours.WriteString("{{include tone}}\n{{if blanka}}yes{{else}}no{{end}}\n{{include close}}\n")
	theirs.WriteString("{{template \"tone\" .}}\n{{if .blanka}}yes{{else}}no{{end}}\n{{template \"close\" .}}\n")
	lib := shelf{"tone": source(b, "tone", 1, "Be calm and exact."), "close": source(b, "close", 1, "Close kindly.")}
	form, err := Compile(lib.lookup, source(b, "it", 1, ours.String()))
	if err != nil {
		b.Fatal(err)
	}
	tmpl := template.Must(template.New("it").Parse(theirs.String()))
	template.Must(tmpl.New("tone").Parse("Be calm and exact."))
	template.Must(tmpl.New("close").Parse("Close kindly."))
	return form, values, tmpl, data
}

var sink []byte

func BenchmarkFill4KiB(b *testing.B) {
	form, values, tmpl, data := benchText(b)
	result, err := form.Fill(values)
	if err != nil {
		b.Fatal(err)
	}
	size := int64(len(result.Text))
	// Both write into memory that is there already.
	b.Run("fill", func(b *testing.B) {
		b.ReportAllocs()
		b.SetBytes(size)
		var room Room
		for b.Loop() {
			if err := form.FillInto(&room, values); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("text-template", func(b *testing.B) {
		b.ReportAllocs()
		b.SetBytes(size)
		var text bytes.Buffer
		for b.Loop() {
			text.Reset()
			if err := tmpl.Execute(&text, data); err != nil {
				b.Fatal(err)
			}
		}
	})
	// And these allocate what they make.
	b.Run("fill-anew", func(b *testing.B) {
		b.ReportAllocs()
		b.SetBytes(size)
		for b.Loop() {
			if _, err := form.Fill(values); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("text-template-anew", func(b *testing.B) {
		b.ReportAllocs()
		b.SetBytes(size)
		for b.Loop() {
			var text strings.Builder
			if err := tmpl.Execute(&text, data); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("copy", func(b *testing.B) {
		b.ReportAllocs()
		b.SetBytes(int64(len(result.Text)))
		for b.Loop() {
			sink = append([]byte(nil), result.Text...)
		}
	})
}

func BenchmarkParse(b *testing.B) {
	for _, kind := range []struct{ name, unit string }{
		{"plain", "Write plainly, say what happened and what to do now.\n"},
		{"dense", "{{area}} {{hours or \"six\"}} {{if urgent}}!{{end}} {{# note }}\n"},
	} {
		for _, size := range []int{1 << 10, 32 << 10, 1 << 20} {
			text := strings.Repeat(kind.unit, size/len(kind.unit)+1)[:size/len(kind.unit)*len(kind.unit)]
			b.Run(fmt.Sprintf("%s/%dKiB", kind.name, size>>10), func(b *testing.B) {
				b.SetBytes(int64(len(text)))
				for b.Loop() {
					if _, err := Parse(text); err != nil {
						b.Fatal(err)
					}
				}
			})
		}
	}
}

func BenchmarkFillGrows(b *testing.B) {
	for _, size := range []int{1 << 10, 32 << 10, 1000 << 10} {
		unit := "Write to {{area}} now, and say when water is back.\n"
		form, err := Compile(shelf{}.lookup, source(b, "it", 1, strings.Repeat(unit, size/len(unit))))
		if err != nil {
			b.Fatal(err)
		}
		b.Run(fmt.Sprintf("%dKiB", size>>10), func(b *testing.B) {
			b.SetBytes(int64(size))
			for b.Loop() {
				if _, err := form.Fill(Values{"area": Single("Mill Ln.")}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

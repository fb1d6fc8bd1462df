package voice

import (
	"fmt"
	"strings"
	"testing"
)

// prose is so many words of the six writers, again and again.
func prose(b *testing.B, n int) string {
	b.Helper()
	_, _, kept := writers(b)
	whole := strings.Join(kept, "\n")
	var text strings.Builder
	for have := 0; have < n; have += 10_000 {
		text.WriteString(whole)
		text.WriteString("\n")
	}
	return text.String()
}

func BenchmarkMeasured(b *testing.B) {
	for _, n := range []int{10_000, 100_000, 1_000_000} {
		text := prose(b, n)
		for _, intervals := range []bool{false, true} {
			b.Run(fmt.Sprintf("%d words, intervals %v", n, intervals), func(b *testing.B) {
				for b.Loop() {
					Measured(read(text), intervals)
				}
			})
		}
	}
}

func BenchmarkFit1000Words200Styles(b *testing.B) {
	_, styles, kept := writers(b)
	text := Read(strings.Join(strings.Fields(kept[0])[:1000], " "), "")
	of := NewProfile([]Sample{{text, 1}}, false)
	background := NewBackground(styles)
	for b.Loop() {
		for i := range 200 {
			styles[i%len(styles)].Fit(text, of, background)
		}
	}
}

// Of passages that nobody has seen, how many are named.
func BenchmarkNamed(b *testing.B) {
	for _, length := range []int{100, 300} {
		b.Run(fmt.Sprintf("%d words", length), func(b *testing.B) {
			right, all := 0, 0
			var wrong []string
			for b.Loop() {
				right, all, wrong = named(b, length)
			}
			b.ReportMetric(100*float64(right)/float64(all), "%right")
			for _, w := range wrong {
				b.Log(w)
			}
		})
	}
}

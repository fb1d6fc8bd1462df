package search

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// large gives an index of so many documents of some 2 KiB, made of the lines and words of
// the demo library.
func large(t testing.TB, n int) *Index {
	t.Helper()
	files, err := filepath.Glob("../../internal/demo/library/*.md")
	if err != nil || len(files) < 30 {
		t.Fatalf("%d files of the demo, %v", len(files), err)
	}
	var lines []string
	for _, f := range files {
		text, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		for line := range strings.Lines(string(text)) {
			if len(line) > 30 {
				lines = append(lines, line)
			}
		}
	}
	words := regexp.MustCompile(`[A-Za-z]{4,}`).FindAllString(strings.Join(lines, " "), -1)
	x := New()
	for i := range n {
		var body strings.Builder
		for k := 0; body.Len() < 2048; k++ {
			body.WriteString(lines[(i*7919+k*k*104729+k*31)%len(lines)])
		}
		d := Document{ID: int64(i + 1), Entry: int64(i + 1), Shelf: true, State: "published", Kind: "prompt", Owner: "lead", At: int64(i), Slug: fmt.Sprintf("made-%d", i), Body: body.String()}
		for k := range 4 {
			d.Title += words[(i*(k+3)*7919+k)%len(words)] + " "
			d.Labels = append(d.Labels, Label{fmt.Sprintf("facet-%d", k), fmt.Sprintf("term-%d", (i*(k+1))%10)})
		}
		x.Add(d)
	}
	x.Done()
	return x
}

func BenchmarkFind(b *testing.B) {
	for _, n := range []int{1_000, 10_000, 100_000} {
		x := large(b, n)
		for _, text := range []string{"", "water", "burst main", "water households letter", "wa", "meterr dispute", "how do i tell residents that their water is off tomorrow"} {
			b.Run(fmt.Sprintf("%d/%s", n, text), func(b *testing.B) {
				ask := Ask{Query: Parse(text, func(string) bool { return false }), Sight: Sight{Shelf: true}, Limit: 24}
				for b.Loop() {
					if r := x.Find(ask); r.Total == 0 {
						b.Fatalf("%d found", r.Total)
					}
				}
			})
		}
	}
}

func BenchmarkAdd(b *testing.B) {
	for b.Loop() {
		large(b, 10_000)
	}
}

// Ten thousand of a hundred thousand documents that change at once, as when they are labelled.
func BenchmarkReplaceMany(b *testing.B) {
	x, all := New(), make([]Document, 100_000)
	for i := range all {
		all[i] = Document{ID: int64(i + 1), Entry: int64(i + 1), Shelf: true, State: published, Kind: "prompt", Slug: fmt.Sprint("made-", i), Title: fmt.Sprint("Title ", i), People: [2]int64{7, 0}}
		x.Add(all[i])
	}
	x.Done()
	ids := make([]int64, 10_000)
	for i := range ids {
		ids[i] = int64(i + 1)
	}
	for b.Loop() {
		x.Replace(ids, all[:len(ids)])
	}
}

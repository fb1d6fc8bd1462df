package shelf_test

import (
	"testing"

	"goldshelf/api"
	"goldshelf/core/fill"
	"goldshelf/internal/index"
	"goldshelf/internal/shelf"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
)

// BenchmarkCountedUse is a fill that is counted, and its share of what is written in
// batches; BenchmarkCountedUse/filled is the fill alone.
func BenchmarkCountedUse(b *testing.B) {
	w := databases.World(b, nil)
	on := texts.New(w.DB)
	s := shelf.New(w.DB, on, index.New())
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	values, by := fill.Values{"area": fill.Single("Mill Lane")}, w.By("reader")
	b.Run("filled", func(b *testing.B) {
		for b.Loop() {
			c, err := on.OnShelf(b.Context(), "notice", 0, texts.Stack{})
			if err != nil {
				b.Fatal(err)
			}
			if _, _, err := c.Form.FillLayers(values); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("counted", func(b *testing.B) {
		n := 0
		for b.Loop() {
			if _, err := s.Fill(b.Context(), by, "notice", 0, api.FillRequest{Values: values}); err != nil {
				b.Fatal(err)
			}
			if n++; n%1000 == 0 {
				if err := s.WriteUses(b.Context()); err != nil {
					b.Fatal(err)
				}
			}
		}
	})
}

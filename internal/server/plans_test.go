package server

import (
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/fill"
	"goldshelf/internal/history"
	"goldshelf/internal/index"
	"goldshelf/internal/notify"
	"goldshelf/internal/reports"
	"goldshelf/internal/shelf"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// What the pages of the shelf ask of a library of a hundred thousand entries is looked up:
// nothing goes through a whole table.
func TestNoPageReadsAWholeTable(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	w.Publish(testdb.Part("snippet", "close", "Yours, the care team.\n"), testdb.Prompt("notice", "Write to {{area}} of the 114 reservoirs.\n{{include close}}\n"))
	w.Create(testdb.Prompt("draft", "Not yet of reservoirs {{area}}.\n"))
	w.Large(25_000, 60)
	x := index.New()
	if err := x.Read(ctx, w.DB); err != nil {
		t.Fatal(err)
	}
	w.Store.Close() // and what it has read is counted
	before := w.ReadWhole()
	for _, table := range []string{"versions", "entries", "labels"} {
		if _, is := before[table]; !is {
			t.Fatalf("%s is not large: %v", table, before)
		}
	}
	second, shut := w.Another()
	s := shelf.New(second, texts.New(second), x)
	reader, curator := w.By("reader"), w.By("curator")
	pages := map[string]func() error{
		"the first page": func() error { _, err := s.Shelf(ctx, work.Service(), shelf.Query{Newest: true, Limit: 4}); return err },
		"a search":       func() error { _, err := s.Shelf(ctx, work.Service(), shelf.Query{Text: "notice area"}); return err },
		"exact words": func() error {
			_, err := s.Shelf(ctx, work.Service(), shelf.Query{Text: `"114 reservoirs"`})
			return err
		},
		"labels": func() error {
			_, err := s.Shelf(ctx, work.Service(), shelf.Query{Labels: map[string][]string{"facet-1": {"term-3"}}})
			return err
		},
		"drafts too":       func() error { _, err := s.Entries(ctx, curator, shelf.Query{Text: "reservoirs"}); return err },
		"a person's own":   func() error { _, err := s.Entries(ctx, w.By("contributor"), shelf.Query{Mine: true}); return err },
		"an entry":         func() error { _, err := s.OnShelf(ctx, reader, "notice", 0); return err },
		"its versions":     func() error { _, err := history.New(second).Versions(ctx, reader, "notice", 0, ""); return err },
		"what uses it":     func() error { _, err := s.Uses(ctx, reader, "close"); return err },
		"a fill":           func() error { _, err := s.Fill(ctx, reader, "notice", 0, fillOf("Mill Lane")); return err },
		"favourites":       func() error { _, err := s.Favourites(ctx, reader); return err },
		"one more":         func() error { return s.Favour(ctx, reader, "notice", true) },
		"the sections":     func() error { _, err := s.Sections(ctx); return err },
		"the best":         func() error { _, err := s.Best(ctx, 30); return err },
		"how it went":      func() error { _, err := reports.New(second).Reports(ctx, reader, "notice", ""); return err },
		"uses":             func() error { return s.WriteUses(ctx) },
		"what is followed": func() error { _, err := notify.New(second, nil).Follows(ctx, reader); return err },
		"what is missed":   func() error { _, err := s.Missed(ctx, curator); return err },
	}
	for name, page := range pages {
		if err := page(); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	shut()
	time.Sleep(100 * time.Millisecond)
	for table, n := range w.ReadWhole() {
		if n > before[table] {
			t.Errorf("%d rows of %s were read by going through all of it", n-before[table], table)
		}
	}
}

func fillOf(area string) api.FillRequest {
	return api.FillRequest{Values: fill.Values{"area": fill.Single(area)}}
}

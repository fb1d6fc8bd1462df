package similar_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/likeness"
	"goldshelf/internal/similar"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

var databases *testdb.Server

func TestMain(m *testing.M) { os.Exit(testdb.Run(m, &databases)) }

// words is a text of about 2 KiB.
func words(r *rand.Rand) []string {
	all := make([]string, 300)
	for i := range all {
		all[i] = fmt.Sprintf("word%d", int(math.Abs(r.NormFloat64()*2000)))
		if i%12 == 11 {
			all[i] += "."
		}
	}
	return all
}

func varied(r *rand.Rand, all []string, share float64) string {
	out := append([]string{}, all...)
	for i := range out {
		if r.Float64() < share {
			out[i] = fmt.Sprintf("other%d", r.IntN(1e6))
		}
	}
	return strings.Join(out, " ")
}

// BenchmarkSimilarAmong100000 looks for look-alikes of one text in a library of
// 100,000 published entries. It reports, beside the time, how many of the pairs
// with a Jaccard likeness over 0.8 it finds, and how many of those shown are
// under one half of it; both against the exact figure.
func BenchmarkSimilarAmong100000(b *testing.B) {
	const n = 100_000
	ctx := context.Background()
	url := databases.URL(b)
	conn, err := pgx.Connect(ctx, databases.Owner(url))
	if err != nil {
		b.Fatal(err)
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, `insert into people (name, full_name, role) values ('writer', 'Writer', 'curator')`); err != nil {
		b.Fatal(err)
	}
	r := rand.New(rand.NewPCG(3, 4))
	texts := make([][]string, n)
	copyRows := func(table string, columns []string, row func(i int) []any) {
		if _, err := conn.CopyFrom(ctx, pgx.Identifier{table}, columns, pgx.CopyFromSlice(n, func(i int) ([]any, error) { return row(i), nil })); err != nil {
			b.Fatal(err)
		}
	}
	copyRows("entries", []string{"slug", "kind", "owner_id", "created_by"}, func(i int) []any { return []any{fmt.Sprintf("e%d", i), "prompt", 1, 1} })
	now := time.Now()
	copyRows("versions", []string{"entry_id", "number", "state", "note", "published_at", "title", "summary", "body", "created_by", "saved_by"}, func(i int) []any {
		texts[i] = words(r)
		return []any{i + 1, 1, "published", "n", now, fmt.Sprintf("Title %d", i), "Summary", strings.Join(texts[i], " "), 1, 1}
	})
	copyRows("prints", []string{"version_id", "bands", "units"}, func(i int) []any {
		p := likeness.Read(strings.Join(texts[i], " ")).Print()
		return []any{i + 1, p.Bands, p.Units}
	})
	if _, err := conn.Exec(ctx, "vacuum analyze"); err != nil {
		b.Fatal(err)
	}
	db, err := store.Open(url)
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close()
	find := similar.New(work.New(db, time.Now))
	by := work.Caller{ID: 1, Name: "writer", Role: entry.Curator, Via: "service"}

	alike, found, shown, wrong := 0, 0, 0, 0
	for range 400 {
		i := r.IntN(n)
		query := varied(r, texts[i], 0.06*r.Float64())
		got, err := find.To(ctx, by, api.TextOf{Body: query})
		if err != nil {
			b.Fatal(err)
		}
		exact := likeness.Jaccard(likeness.Read(query), likeness.Read(strings.Join(texts[i], " ")))
		if exact > 0.8 {
			alike++
		}
		for _, it := range got.Items {
			shown++
			if it.Slug == fmt.Sprintf("e%d", i) && exact > 0.8 {
				found++
			}
			if likeness.Jaccard(likeness.Read(query), likeness.Read(it.Body)) < 0.5 && it.Contains < 80 && it.Contained < 80 {
				wrong++
			}
		}
	}
	query := varied(r, texts[7], 0.05)
	for b.Loop() {
		if _, err := find.To(ctx, by, api.TextOf{Body: query}); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(100*float64(found)/float64(alike), "%found")
	b.ReportMetric(100*float64(wrong)/float64(max(shown, 1)), "%wrong")
}

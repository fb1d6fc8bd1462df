// Package judge says how well a search finds what colleagues mean, by a set of queries
// on the demo library, each with the entries that should come.
package judge

import (
	"context"
	_ "embed"
	"encoding/csv"
	"slices"
	"strings"

	"goldshelf/client"
)

//go:embed queries.csv
var queries string

// Query is what a colleague types, and the slugs of the entries that should come first.
type Query struct {
	Text   string
	Wanted []string
}

// Queries is the judged set.
func Queries() ([]Query, error) { return Read(queries) }

// Read reads queries from a table with the columns query and wanted, the slugs parted by
// spaces.
func Read(table string) ([]Query, error) {
	rows, err := csv.NewReader(strings.NewReader(table)).ReadAll()
	if err != nil {
		return nil, err
	}
	var all []Query
	for _, row := range rows[1:] {
		all = append(all, Query{row[0], strings.Fields(row[1])})
	}
	return all, nil
}

// Verdict is how well a set of queries was answered.
type Verdict struct {
	Queries int
	MRR     float64 // mean of one over the rank of the first wanted entry; 0 where none came
	Recall  float64 // share of the wanted entries among the first five
	Misses  []Miss
}

// Miss is a query whose first answer was not wanted, with the first five.
type Miss struct {
	Query
	Got []string
}

// Judge asks a service every query.
func Judge(ctx context.Context, c *client.Client, all []Query) (Verdict, error) {
	const first = 5
	v := Verdict{Queries: len(all)}
	for _, q := range all {
		list, err := c.Shelf(ctx, client.Query{Words: q.Text, Limit: 24})
		if err != nil {
			return v, err
		}
		var got []string
		for _, it := range list.Items {
			got = append(got, it.Slug)
		}
		if at := slices.IndexFunc(got, func(s string) bool { return slices.Contains(q.Wanted, s) }); at >= 0 {
			v.MRR += 1 / float64(at+1)
		}
		top, came := got[:min(first, len(got))], 0
		for _, s := range q.Wanted {
			if slices.Contains(top, s) {
				came++
			}
		}
		v.Recall += float64(came) / float64(min(first, len(q.Wanted)))
		if len(top) == 0 || !slices.Contains(q.Wanted, top[0]) {
			v.Misses = append(v.Misses, Miss{q, top})
		}
	}
	v.MRR /= float64(len(all))
	v.Recall /= float64(len(all))
	return v, nil
}

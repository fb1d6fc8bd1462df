package stocktake

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/bundle"
)

// Table gives figures as a table, CSV, whose first row says what the columns are.
func Table(figures any) ([]byte, error) {
	var rows [][]string
	switch f := figures.(type) {
	case api.Coverage:
		rows = append(rows, []string{f.Rows.Name, f.Columns.Name, "entries", "fresh", "used", "uses"})
		for _, c := range f.Cells {
			rows = append(rows, []string{c.Row, c.Column, number(c.Entries), number(c.Fresh), number(c.Used), number(c.Uses)})
		}
	case api.UseFigures:
		rows = append(rows, append([]string{f.By, "title", "uses", "before", "people", "change"}, f.Weeks...))
		for _, u := range append([]api.UseSeries{f.All}, f.Items...) {
			row := []string{u.Name, u.Title, number(u.Uses), number(u.Before), number(u.People), string(u.Change)}
			for _, n := range u.Weekly {
				row = append(row, number(n))
			}
			rows = append(rows, row)
		}
	case api.Gaps:
		rows = append(rows, []string{"words", "times", "unopened", "last", "others"})
		for _, g := range f.Items {
			rows = append(rows, []string{g.Words, number(g.Times), number(g.Unopened), g.Last, fmt.Sprintf("%q", g.Others)})
		}
	case api.Repetition:
		rows = append(rows, []string{"what", "saves", "entries", "words or title", "percent alike"})
		for _, g := range f.Groups {
			var slugs []string
			for _, it := range g.Items {
				slugs = append(slugs, it.Slug)
			}
			rows = append(rows, []string{"similar", number(g.Saves), strings.Join(slugs, " "), g.Items[0].Title, number(g.Items[len(g.Items)-1].Likeness)})
		}
		for _, p := range f.Passages {
			var slugs []string
			for _, u := range p.In {
				slugs = append(slugs, u.Entry)
			}
			rows = append(rows, []string{"passage", number(p.Saves), strings.Join(slugs, " "), p.Text, ""})
		}
		for _, d := range f.Drifted {
			rows = append(rows, []string{d.How, number(d.Saves), d.Slug + " " + d.Of, d.Title, number(d.Likeness)})
		}
	case api.Freshness:
		rows = append(rows, []string{"what", "name", "title", "count", "days", "since"})
		for _, a := range f.Ages {
			rows = append(rows, []string{"age", number(a.Days), "", number(a.Entries), "", ""})
		}
		for _, e := range f.Stale {
			rows = append(rows, []string{"stale", e.Slug, e.Title, "", "", e.Day})
		}
		for _, e := range f.OwnerLeft {
			rows = append(rows, []string{"owner left", e.Slug, e.Title, "", "", e.Day})
		}
		for _, o := range f.Owners {
			rows = append(rows, []string{"owner", o.Name, o.FullName, number(o.Entries), "", ""})
		}
		for _, w := range f.Waiting {
			rows = append(rows, []string{"waits for review", w.Slug, w.Title, "", number(w.Days), w.Since.Format(time.DateOnly)})
		}
		for _, m := range f.ToShelf {
			rows = append(rows, []string{"to the shelf", m.Name, m.Title, number(m.Versions), decimal(m.Median), ""})
		}
		for _, m := range f.ByReviewer {
			rows = append(rows, []string{"to the shelf, by reviewer", m.Name, m.Title, number(m.Versions), decimal(m.Median), ""})
		}
		for _, r := range f.Returned {
			rows = append(rows, []string{"returned", r.Name, r.Title, number(r.Count), "", ""})
		}
	case api.Quality:
		rows = append(rows, []string{"slug", "title", "model", "on", "met", "of", "before_on", "before_met", "before_of"})
		for _, q := range f.Items {
			row := []string{q.Slug, q.Title, q.Model, q.On, number(q.Met), number(q.Of), "", "", ""}
			if b := q.Before; b != nil {
				row = append(row[:6], b.On, number(b.Met), number(b.Of))
			}
			rows = append(rows, row)
		}
	case api.Contributors:
		rows = append(rows, []string{"name", "full_name", "entries", "people", "before", "change"})
		for _, c := range f.Items {
			rows = append(rows, []string{c.Name, c.FullName, number(c.Entries), number(c.People), number(c.Before), string(c.Change)})
		}
	case api.Costs:
		rows = append(rows, []string{"what", "name", "title", "month", "uses", "per_use", "spent", "words"})
		for _, c := range f.Items {
			rows = append(rows, []string{c.Facet, c.Name, c.Title, money(c.Month), number(c.Uses), money(c.PerUse), "", ""})
		}
		for _, s := range f.Teams {
			rows = append(rows, []string{"department", s.Name, s.Title, "", number(s.Replies), "", decimal(s.Cost), strconv.FormatInt(s.Words, 10)})
		}
		for _, s := range f.Ways {
			rows = append(rows, []string{"for", s.Name, s.Title, "", number(s.Replies), "", decimal(s.Cost), strconv.FormatInt(s.Words, 10)})
		}
		for _, e := range f.Entries {
			rows = append(rows, []string{"entry", e.Slug, e.Title, "", number(e.Replies), strconv.FormatFloat(e.Each, 'f', 4, 64), decimal(e.Cost), ""})
		}
	default:
		return nil, fmt.Errorf("there is no table of %T", figures)
	}
	return bundle.Rows(rows[0], rows[1:]), nil
}

func number(n int) string      { return strconv.Itoa(n) }
func decimal(f float64) string { return strconv.FormatFloat(f, 'f', 2, 64) }

func money(f *float64) string {
	if f == nil {
		return ""
	}
	return decimal(*f)
}

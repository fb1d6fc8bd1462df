package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/message"
	"goldshelf/core/stocktake"
)

var figureNames = []string{"use", "coverage", "gaps", "repetition", "freshness", "contributors", "quality", "costs", "report"}

// stocktake shows the figures of the library.
func (a *app) stocktake() *cli.Command {
	return &cli.Command{
		Name: "stocktake", Usage: "figures: what is used, missing, stale, and what it costs", ArgsUsage: "[use|coverage|gaps|repetition|freshness|contributors|quality|costs|report]",
		Description: "Of whole weeks; by themselves of the thirteen that ended last. People are counted anew each week, and nobody counts for what they answer for. \"more\" and \"less\" are said where a change is more than chance.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "since", Usage: "a `DAY`, as 2026-08-31; its week is the first"},
			&cli.StringFlag{Name: "until", Usage: "a `DAY`; its week is the last"},
			&cli.StringFlag{Name: "department", Usage: "uses by this department alone"},
			&cli.StringFlag{Name: "application", Usage: "uses for this application alone"},
			&cli.StringFlag{Name: "by", Usage: "of use: by entry, application, department or kind"},
			&cli.StringFlag{Name: "rows", Usage: "of coverage: a `FACET`, or kind"},
			&cli.StringFlag{Name: "columns", Usage: "of coverage: another `FACET`"},
			&cli.StringFlag{Name: "thank", Usage: "of contributors: thank this `PERSON`, once for the same weeks"},
			&cli.BoolFlag{Name: "csv", Usage: "as a table that a spreadsheet opens"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			what := cmd.Args().First()
			if what == "" {
				what = "use"
			}
			if cmd.Args().Len() > 1 || !slices.Contains(figureNames, what) {
				return wrongUse("the figures are %s; name one of them", strings.Join(figureNames, ", "))
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			f := client.FigureQuery{Since: cmd.String("since"), Until: cmd.String("until"), Department: cmd.String("department"), Application: cmd.String("application")}
			if name := cmd.String("thank"); name != "" {
				if err := c.Thank(ctx, name, f); err != nil {
					return err
				}
				a.say("%s hears that you thank them, and why.", name)
				return nil
			}
			if what == "report" {
				out, err := c.StocktakeReport(ctx, f, "")
				return shownAs(a, out, err, func(r api.StocktakeReport) { fmt.Fprint(a.out, r.Markdown) })
			}
			if cmd.Bool("csv") {
				data, err := c.FiguresTable(ctx, f, what, cmd.String("by"))
				if err == nil {
					_, err = a.out.Write(data)
				}
				return err
			}
			switch what {
			case "coverage":
				out, err := c.Coverage(ctx, f, cmd.String("rows"), cmd.String("columns"))
				return shownAs(a, out, err, a.coverage)
			case "gaps":
				out, err := c.Gaps(ctx, f)
				return shownAs(a, out, err, a.gaps)
			case "repetition":
				out, err := c.Repetition(ctx)
				return shownAs(a, out, err, a.repetition)
			case "freshness":
				out, err := c.Freshness(ctx, f)
				return shownAs(a, out, err, a.freshness)
			case "contributors":
				out, err := c.Contributors(ctx, f)
				return shownAs(a, out, err, a.contributors)
			case "quality":
				out, err := c.Quality(ctx)
				return shownAs(a, out, err, a.quality)
			case "costs":
				out, err := c.Costs(ctx, f)
				return shownAs(a, out, err, a.costs)
			}
			out, err := c.UseFigures(ctx, f, cmd.String("by"))
			return shownAs(a, out, err, a.useFigures)
		},
	}
}

// shownAs prints an answer as JSON, or in words.
func shownAs[T any](a *app, out T, err error, words func(T)) error {
	if err != nil {
		return err
	}
	return a.print(out, func() error {
		words(out)
		return nil
	})
}

func (a *app) sayPeriod(p api.Period) {
	a.say("%d weeks, %s to %s; uses counted until %s.", p.Weeks, p.Since, p.Until, a.when(p.AsOf, "2 January 15:04"))
}

func (a *app) useFigures(f api.UseFigures) {
	a.sayPeriod(f.Period)
	t := a.table("WHAT", "USES", "BEFORE", "PEOPLE", "CHANGE", "BY WEEK")
	row := func(what string, u api.UseSeries) {
		t.row(what, strconv.Itoa(u.Uses), strconv.Itoa(u.Before), strconv.Itoa(u.People), changeWord(u.Change).In(a.language), bars(u.Weekly))
	}
	row(a.text("All"), f.All)
	for _, u := range f.Items {
		row(titleOf(u.Title, u.Name), u)
	}
	t.print()
	if f.More > 0 {
		a.say("And %d more; see --csv for those that are listed, or narrow it.", f.More)
	}
	if n := len(f.Never) + f.NeverMore; n > 0 {
		a.say("Never used in these weeks: %d, such as %s.", n, slugs(f.Never))
	}
	for _, u := range f.FellShort {
		a.say("%s fell short for %d who said so, and worked for %d.", u.Title, u.FellShort, u.Worked)
	}
	for _, s := range f.Swapped {
		a.say("%s was used %d times of %d with persona %s.", s.Title, s.Uses, s.Of, s.Persona)
	}
}

// titleOf is how a line is called.
// changeWord says of a number of people what became of it.
func changeWord(c stocktake.Change) message.Text {
	switch c {
	case stocktake.More:
		return message.Plain("more")
	case stocktake.Less:
		return message.Plain("less")
	case stocktake.New:
		return message.Plain("new")
	}
	return message.Text{}
}

func titleOf(title, name string) string {
	if name == "" || strings.EqualFold(title, name) {
		return title
	}
	return title + " (" + name + ")"
}

func slugs(items []api.Item) string {
	var all []string
	for _, it := range items[:min(len(items), 5)] {
		all = append(all, it.Slug)
	}
	return strings.Join(all, ", ")
}

// bars draws numbers, each as a bar of eight heights.
func bars(numbers []int) string {
	most := max(1, slices.Max(append([]int{0}, numbers...)))
	var out strings.Builder
	for _, n := range numbers {
		out.WriteRune([]rune("▁▂▃▄▅▆▇█")[n*7/most])
	}
	return out.String()
}

func (a *app) coverage(f api.Coverage) {
	a.sayPeriod(f.Period)
	a.say("Entries, and how many of them were used: %s down, %s across.", strings.ToLower(f.Rows.Title), strings.ToLower(f.Columns.Title))
	none := api.Term{Title: "None"}
	columns, rows := append(slices.Clone(f.Columns.Terms), none), append(slices.Clone(f.Rows.Terms), none)
	at := map[[2]string]stocktake.Cell{}
	for _, c := range f.Cells {
		at[[2]string{c.Row, c.Column}] = c
	}
	heads := []string{f.Rows.Title}
	for _, c := range columns {
		heads = append(heads, c.Title)
	}
	t := a.table(heads...)
	for _, r := range rows {
		cells := []string{r.Title}
		for _, c := range columns {
			cell := ""
			if n, is := at[[2]string{r.Name, c.Name}]; is {
				cell = a.text("%d, %d used", n.Entries, n.Used)
			}
			cells = append(cells, cell)
		}
		t.row(cells...)
	}
	t.print()
}

func (a *app) gaps(f api.Gaps) {
	if len(f.Items) == 0 {
		a.say("Whatever was searched for since %s was found.", f.Since)
		return
	}
	t := a.table("SEARCHED FOR", "NOT FOUND", "NOT OPENED", "LAST", "ALSO AS")
	for _, g := range f.Items {
		t.row(g.Words, strconv.Itoa(g.Times), strconv.Itoa(g.Unopened), g.Last, strings.Join(g.Others, "; "))
	}
	t.print()
}

func (a *app) repetition(f api.Repetition) {
	t := a.table("WHAT", "SAVES", "ENTRIES", "")
	for _, g := range f.Groups {
		var slugs []string
		for _, it := range g.Items {
			slugs = append(slugs, it.Slug)
		}
		t.row(a.text("similar"), strconv.Itoa(g.Saves), strings.Join(slugs, " "), g.Items[0].Title)
	}
	for _, p := range f.Passages {
		var slugs []string
		for _, u := range p.In {
			slugs = append(slugs, u.Entry)
		}
		t.row(a.text("passage"), strconv.Itoa(p.Saves), strings.Join(slugs, " "), p.Text)
	}
	for _, d := range f.Drifted {
		t.row(a.text("drifted"), strconv.Itoa(d.Saves), d.Slug, a.text("%s has gone on from version %d to %d", d.Of, d.From, d.Now))
	}
	t.print()
	a.say("What it saves is in words that are looked after more than once.")
}

func (a *app) freshness(f api.Freshness) {
	a.sayPeriod(f.Period)
	t := a.table("AGE", "ENTRIES", "STALE")
	for _, g := range f.Ages {
		age := a.text("up to %d days", g.Days)
		if g.Days == 0 {
			age = "older"
		}
		t.row(age, strconv.Itoa(g.Entries), strconv.Itoa(g.Stale))
	}
	t.print()
	a.say("%d are stale, %d have an owner who has left, %d have no deputy.", f.StaleAll, len(f.OwnerLeft), f.NoDeputy)
	t = a.table("SLUG", "ENTRY", "OWNER", "TO BE LOOKED AT BY")
	for _, e := range f.Stale {
		t.row(e.Slug, e.Title, e.OwnerName, e.Day)
	}
	t.print()
	t = a.table("WAITS FOR REVIEW", "DAYS")
	for _, w := range f.Waiting {
		t.row(w.Slug, strconv.Itoa(w.Days))
	}
	t.print()
	t = a.table("TO THE SHELF", "VERSIONS", "DAYS, MEDIAN")
	for _, s := range slices.Concat(f.ToShelf, f.ByReviewer[min(1, len(f.ByReviewer)):]) {
		what := titleOf(s.Title, s.Name)
		if s.Name == "" {
			what = a.text("All")
		}
		t.row(what, strconv.Itoa(s.Versions), strconv.FormatFloat(s.Median, 'f', 1, 64))
	}
	t.print()
}

func (a *app) contributors(f api.Contributors) {
	a.sayPeriod(f.Period)
	t := a.table("PERSON", "NAME", "ENTRIES", "PEOPLE", "BEFORE", "CHANGE")
	for _, c := range f.Items {
		t.row(c.Name, c.FullName, strconv.Itoa(c.Entries), strconv.Itoa(c.People), strconv.Itoa(c.Before), changeWord(c.Change).In(a.language))
	}
	t.print()
}

func (a *app) quality(f api.Quality) {
	of := func(met, all int) string { return fmt.Sprintf("%d of %d", met, all) }
	t := a.table("SLUG", "ENTRY", "MODEL", "MET", "BEFORE", "ON")
	for _, q := range f.Items {
		before := ""
		if q.Before != nil {
			before = of(q.Before.Met, q.Before.Of)
		}
		t.row(q.Slug, q.Title, q.Model, of(q.Met, q.Of), before, q.On)
	}
	t.print()
	t = a.table("MODEL", "ENTRIES", "MET")
	for _, m := range f.Models {
		t.row(m.Model, strconv.Itoa(m.Entries), of(m.Met, m.Of))
	}
	t.print()
	if len(f.Items) == 0 {
		a.say("No trial has ended yet that everyone sees; goldshelf trial SLUG begins one.")
	}
}

func (a *app) costs(f api.Costs) {
	a.sayPeriod(f.Period)
	amount := func(n *float64) string {
		if n == nil {
			return ""
		}
		return strconv.FormatFloat(*n, 'f', 2, 64)
	}
	t := a.table("WHAT", "NAME", "A MONTH, "+f.Currency, "USES", "EACH")
	for _, c := range f.Items {
		t.row(c.Facet, titleOf(c.Title, c.Name), amount(c.Month), strconv.Itoa(c.Uses), amount(c.PerUse))
	}
	t.print()
	t = a.table("DEPARTMENT", "REPLIES", "WORDS", "SPENT, "+f.Currency)
	for _, s := range f.Teams {
		t.row(titleOf(s.Title, s.Name), strconv.Itoa(s.Replies), strconv.FormatInt(s.Words, 10), strconv.FormatFloat(s.Cost, 'f', 2, 64))
	}
	t.print()
	t = a.table("FOR", "REPLIES", "WORDS", "SPENT, "+f.Currency)
	for _, s := range f.Ways {
		t.row(s.Name, strconv.Itoa(s.Replies), strconv.FormatInt(s.Words, 10), strconv.FormatFloat(s.Cost, 'f', 2, 64))
	}
	t.print()
	t = a.table("ENTRY", "REPLIES", "SPENT, "+f.Currency, "OF TRIALS", "EACH")
	for _, e := range f.Entries {
		t.row(e.Slug, strconv.Itoa(e.Replies), strconv.FormatFloat(e.Cost, 'f', 2, 64), strconv.FormatFloat(e.Trials, 'f', 2, 64), strconv.FormatFloat(e.Each, 'f', 4, 64))
	}
	t.print()
}

package stocktake

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/markdown"
	"goldshelf/core/message"
	"goldshelf/core/stocktake"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const (
	mostTold = 8 // of each list in a report

	// leastPeople is how many people something is told of at least before whose it is is
	// told to others than curators.
	leastPeople = 5
)

// Report gives a report of the stocktake in a language, as Markdown.
func (s *Service) Report(ctx context.Context, by work.Caller, q Query, in message.Language) (api.StocktakeReport, error) {
	return figures(ctx, s, by, asked{Query: q, figure: "report", rows: string(in)}, func(ctx context.Context) (api.StocktakeReport, error) { return s.report(ctx, q, in) })
}

func (s *Service) report(ctx context.Context, q Query, in message.Language) (out api.StocktakeReport, err error) {
	w := writer{in: in}
	use, err := s.use(ctx, q, "entry")
	if err != nil {
		return out, err
	}
	q.Until = use.Period.Until
	gaps, err := s.gaps(ctx, q)
	if err != nil {
		return out, err
	}
	fresh, err := s.freshness(ctx, q)
	if err != nil {
		return out, err
	}
	costs, err := s.costs(ctx, q)
	if err != nil {
		return out, err
	}
	people, err := s.contributors(ctx, q)
	if err != nil {
		return out, err
	}
	w.heading(1, "Stocktake, %s to %s", dayOf(use.Period.Since), dayOf(use.Period.Until))
	w.use(use)
	w.gaps(gaps)
	w.freshness(fresh)
	w.costs(costs)
	w.thanks(people)
	return api.StocktakeReport{Period: use.Period, Language: in, Markdown: w.String(), HTML: markdown.HTML(w.String())}, nil
}

// writer writes Markdown in a language.
type writer struct {
	strings.Builder
	in message.Language
}

func (w *writer) heading(level int, format string, args ...any) {
	if w.Len() > 0 && !strings.HasSuffix(w.String(), "\n\n") {
		w.WriteByte('\n')
	}
	fmt.Fprintf(w, "%s %s\n\n", strings.Repeat("#", level), message.Say(format, args...).In(w.in))
}

func (w *writer) line(format string, args ...any) {
	fmt.Fprintf(w, "- %s\n", message.Say(format, args...).In(w.in))
}

// linked is an entry as a link to it.
func linked(title, slug string) string {
	title = strings.NewReplacer("[", "\\[", "]", "\\]", "\n", " ").Replace(title)
	return "[" + title + "](/entries/" + slug + ")"
}

// dayOf is a day as each language writes it.
func dayOf(day string) any {
	if t, err := time.Parse(time.DateOnly, day); err == nil {
		return message.Day(t)
	}
	return day
}

func (w *writer) use(f api.UseFigures) {
	w.heading(2, "What works")
	w.line("%d uses in %d weeks, and %d in as many weeks before.", f.All.Uses, f.Period.Weeks, f.All.Before)
	for _, u := range f.Items[:min(len(f.Items), mostTold)] {
		switch {
		case u.Change == stocktake.More:
			w.line("%s: %d uses, and %d before; more people use it, and that is more than chance.", linked(u.Title, u.Name), u.Uses, u.Before)
		case u.Change == stocktake.Less:
			w.line("%s: %d uses, and %d before; fewer people use it, and that is more than chance.", linked(u.Title, u.Name), u.Uses, u.Before)
		default:
			w.line("%s: %d uses, and %d before.", linked(u.Title, u.Name), u.Uses, u.Before)
		}
	}
	for _, u := range f.FellShort[:min(len(f.FellShort), mostTold)] {
		w.line("%s was used %d times, and fell short for %d who said so.", linked(u.Title, u.Name), u.Uses, u.FellShort)
	}
	if n := len(f.Never) + f.NeverMore; n > 0 {
		w.line("Nobody used %d of the entries in these weeks.", n)
	}
}

func (w *writer) gaps(g api.Gaps) {
	w.heading(2, "What is missing")
	for _, it := range g.Items[:min(len(g.Items), mostTold)] {
		if it.Times > 0 {
			w.line("“%s” was searched for and not found, %d times.", it.Words, it.Times)
		}
		if it.Unopened > 0 {
			w.line("“%s” was searched for, and nothing that was found was opened, %d times.", it.Words, it.Unopened)
		}
	}
	if len(g.Items) == 0 {
		w.line("Whatever was searched for was found.")
	}
}

func (w *writer) freshness(f api.Freshness) {
	w.heading(2, "What has gone stale")
	w.line("%d are to be looked at again.", f.StaleAll)
	for _, e := range f.Stale[:min(len(f.Stale), mostTold)] {
		w.line("%s was to be looked at by %s; %s answers for it.", linked(e.Title, e.Slug), dayOf(e.Day), e.OwnerName)
	}
	for _, e := range f.OwnerLeft[:min(len(f.OwnerLeft), mostTold)] {
		w.line("%s is without an owner: %s has left.", linked(e.Title, e.Slug), e.OwnerName)
	}
	for _, e := range f.Waiting[:min(len(f.Waiting), mostTold)] {
		w.line("%s has waited for a review for %s.", linked(e.Title, e.Slug), message.Counted(e.Days, "day", "days"))
	}
	if len(f.ToShelf) > 0 && f.ToShelf[0].Versions > 0 {
		w.line("From draft to shelf it took %.1f days in the middle, of %d versions.", f.ToShelf[0].Median, f.ToShelf[0].Versions)
	}
}

func (w *writer) costs(c api.Costs) {
	w.heading(2, "What it costs")
	month := 0.0
	for _, it := range c.Items {
		if it.Month != nil {
			month += *it.Month
		}
	}
	if c.Cap != nil {
		w.line("The applications cost %.2f %s a month, of a cap of %.2f.", month, c.Currency, *c.Cap)
	} else {
		w.line("The applications cost %.2f %s a month.", month, c.Currency)
	}
	w.line("Replies of models cost %.2f %s in these months.", c.Spent, c.Currency)
	for _, e := range c.Entries[:min(len(c.Entries), 3)] {
		w.line("%s cost %.2f %s of that: %d replies.", linked(e.Title, e.Slug), e.Cost, c.Currency, e.Replies)
	}
}

func (w *writer) thanks(c api.Contributors) {
	first := true
	for _, it := range c.Items {
		if it.People < leastPeople {
			continue
		}
		if first {
			w.heading(2, "Thanks to")
			first = false
		}
		w.line("%s: %d people used what is theirs.", it.FullName, it.People)
	}
}

// MakeReports makes the reports that channels want and that are due: of the week, or of the
// weeks that ended with the month. Each is made once, however many services look for it.
func (s *Service) MakeReports(ctx context.Context) error {
	wanted, err := work.Ask(ctx, s.db, func(v work.View) ([]store.StocktakeReport, error) { return v.WantedReports() })
	if err != nil || len(wanted) == 0 {
		return err
	}
	var failed error
	for _, r := range wanted {
		failed = errors.Join(failed, s.makeReport(ctx, r))
	}
	return failed
}

func (s *Service) makeReport(ctx context.Context, r store.StocktakeReport) error {
	st, err := s.stock.Get(ctx, none{}, s.readStock)
	if err != nil {
		return err
	}
	r.Since, r.Until = stocktake.Reported(r.Every, st.today)
	has, err := work.Ask(ctx, s.db, func(v work.View) (bool, error) { return v.HasReport(r.Every, r.Language, r.Since) })
	if err != nil || has {
		return err
	}
	in := message.Language(r.Language)
	if !message.Known(in) {
		in = message.English
	}
	report, err := s.report(ctx, Query{Since: r.Since.Format(time.DateOnly), Until: r.Until.AddDate(0, 0, -1).Format(time.DateOnly)}, in)
	if err != nil {
		return err
	}
	r.Text = report.Markdown
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		id, err := u.AddStocktakeReport(r)
		if errors.Is(err, store.ErrNotFound) { // another service was first
			return nil
		}
		if err != nil {
			return err
		}
		u.Record(entry.StocktakeReport, 0, 0, map[string]any{"report": id, "every": r.Every, "language": r.Language, "since": r.Since.Format(time.DateOnly)})
		return nil
	})
}

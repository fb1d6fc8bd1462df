package demo

import (
	"context"
	"math/rand/v2"
	"slices"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/shelf"
	"goldshelf/internal/work"
)

// often is how often in a hundred days an entry is used, and where it counts less in some
// month, from which on: what nobody writes here is used now and then.
var often = map[string]int{
	"meter-dispute-reply": 150, "burst-main-notice": 90, "lab-result-plain": 70, "minutes-to-actions": 65, "planned-work-letter": 45,
	"leak-allowance-decision": 40, "reading-reminder": 38, "supply-restored": 30, "shift-handover": 60, "board-paper": 12,
	"tender-comparison": 8, "technician-advert": 10, "toolbox-talk": 15, "interview-questions": 6,
}

const nowAndThen = 3

// neverAlone is a snippet that nobody fills in alone, while published entries include it.
const neverAlone = "when-water-returns"

// used has colleagues use what is on the shelf for a year, by the same dice each time.
func (l *loader) used(ctx context.Context) error {
	dice := rand.New(rand.NewPCG(7, 1))
	list, err := l.lib.Shelf.Shelf(ctx, work.Service(), shelf.Query{Limit: 100})
	if err != nil {
		return err
	}
	asks := map[string]api.FillRequest{}
	for _, it := range list.Items {
		if asks[it.Slug], err = l.usual(ctx, it.Slug); err != nil {
			return err
		}
	}
	var who []string
	for name := range l.by {
		who = append(who, name)
	}
	slices.Sort(who)
	applications := []string{"", "", "brook-chat", "sluice-desk", "weir-mail"}
	for day := 364; day > 0; day-- {
		l.daysAgo(day)
		if l.now.Weekday() == time.Saturday || l.now.Weekday() == time.Sunday {
			continue
		}
		for _, it := range list.Items {
			if it.PublishedAt == nil || l.firstShelved(it.Slug).After(l.now) {
				continue
			}
			rate, known := often[it.Slug]
			if !known {
				rate = nowAndThen
			}
			for range 3 {
				if dice.IntN(300) >= rate {
					continue
				}
				by := l.by[who[dice.IntN(len(who))]]
				by.Via = []work.Via{work.ViaConsole, work.ViaConsole, work.ViaClient}[dice.IntN(3)]
				req := asks[it.Slug]
				req.For = applications[dice.IntN(len(applications))]
				if it.Slug == neverAlone {
					continue
				}
				if _, err := l.lib.Shelf.Fill(ctx, by, it.Slug, 0, req); err != nil {
					return err
				}
			}
		}
	}
	return l.lib.Shelf.WriteUses(ctx)
}

// looked has colleagues look for what is not there, without saying who.
func (l *loader) looked(ctx context.Context) error {
	for _, m := range []struct {
		daysAgo, every, times int
		words                 string
		unopened              bool
	}{
		{80, 6, 13, "pump fault report", false}, {70, 11, 6, "report of a pump fault", false}, {40, 9, 4, "pump faults", false},
		{60, 12, 5, "sickness note", false}, {33, 8, 4, "quote comparison", false}, {21, 10, 2, "comparing quotes", false},
		{50, 14, 3, "hosepipe ban letter", false}, {18, 9, 2, "drought press release", false}, {44, 5, 8, "complaint", true},
	} {
		for n := range m.times {
			l.daysAgo(m.daysAgo - n*m.every)
			if err := l.lib.Shelf.MissedSearch(ctx, l.by["reader"], api.Searched{Words: m.words, Unopened: m.unopened}); err != nil {
				return err
			}
		}
	}
	return nil
}

// usual is how an entry is filled in: with its blanks' own samples, and with a sheet where it
// wants one.
func (l *loader) usual(ctx context.Context, slug string) (api.FillRequest, error) {
	e, err := l.lib.Shelf.OnShelf(ctx, l.by["reader"], slug, 0)
	req := api.FillRequest{Values: fill.Values{}}
	for _, b := range e.Asks {
		if !b.Sample.IsZero() {
			req.Values[b.Name] = b.Sample
		}
	}
	if len(e.SheetOf) > 0 {
		req.Sheets = []string{"household-customers"}
	}
	return req, err
}

// firstShelved is when an entry came on the shelf first.
func (l *loader) firstShelved(slug string) time.Time {
	for _, c := range chapters() {
		if c.slug == slug && c.end == entry.Published {
			return l.dayAgo(c.daysAgo - 2)
		}
	}
	return l.dayAgo(100)
}

// said is what colleagues said of how it went.
func (l *loader) said(ctx context.Context) error {
	yes, no := true, false
	for _, r := range []struct {
		daysAgo   int
		who, slug string
		api.NewReport
	}{
		{30, "reader", "meter-dispute-reply", api.NewReport{Worked: &yes, Model: "heron-2", Words: "Sent as it was, but for the greeting."}},
		{14, "care-lead", "burst-main-notice", api.NewReport{Worked: &yes, Model: "heron-2", Words: "The regulator's wording came out whole."}},
		{9, "field-lead", "burst-main-notice", api.NewReport{Worked: &yes, Model: "heron-2-mini"}},
		{8, "reader", "meter-dispute-reply", api.NewReport{
			Worked: &no, Model: "heron-2-mini", Words: "It promised a refund that nobody had decided on.",
			Reply: "We are sorry for the trouble. You will get 42.00 back within five days.",
		}},
		{6, "press-desk", "lab-result-plain", api.NewReport{Worked: &yes, Model: "osprey-70", Words: "The customer thanked us."}},
		{3, "reader", "planned-work-letter", api.NewReport{Worked: &no, Model: "marsh-local", Words: "It left out until when the water is off."}},
	} {
		l.daysAgo(r.daysAgo)
		if _, err := l.lib.Reports.Report(ctx, l.by[r.who], r.slug, 0, r.NewReport); err != nil {
			return err
		}
	}
	for slug, names := range map[string][]string{
		"meter-dispute-reply": {"reader", "reviewer", "field-lead"}, "burst-main-notice": {"reader", "care-lead", "press-desk", "curator"},
		"minutes-to-actions": {"curator", "people-lead"}, "lab-result-plain": {"reviewer"},
	} {
		for _, name := range names {
			if err := l.lib.Shelf.Favour(ctx, l.by[name], slug, true); err != nil {
				return err
			}
		}
	}
	return nil
}

// Package register is what a company knows of the applications and models that it uses:
// whether they may be used, and what they cost a month against a cap for all of them.
package register

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Status says whether an application or a model may be used.
type Status string

// The statuses.
const (
	Allowed     Status = "allowed"
	OnTrial     Status = "on-trial"
	NotToBeUsed Status = "not-to-be-used"
	Gone        Status = "gone"
)

// Statuses lists them in the order in which they are offered.
func Statuses() []Status { return []Status{Allowed, OnTrial, NotToBeUsed, Gone} }

// Words says a status as people do.
func (s Status) Words() string { return strings.ReplaceAll(string(s), "-", " ") }

// Said gives the words of a status.
func (s Status) Said() message.Text { return message.Plain(s.Words()) }

// The facets whose terms are registered.
const (
	Application = "application"
	Model       = "model"
)

// Limits of what is kept.
const (
	mostNotes = 2000 // characters
	mostMoney = 1e9
	mostCount = 1_000_000_000
)

// Details are what is kept of an application or a model. Prices and costs are in the
// register's currency.
type Details struct {
	Keeper     string   `json:"keeper,omitempty"` // who looks after it: a person's sign-in name
	Status     Status   `json:"status"`
	Notes      string   `json:"notes,omitempty"`
	TokenLimit int      `json:"token_limit,omitempty"` // of a model: tokens that it takes at once
	PriceIn    *float64 `json:"price_in,omitempty"`    // of a model: of a million tokens that it reads
	PriceOut   *float64 `json:"price_out,omitempty"`   // of a model: of a million tokens that it writes
	CostMonth  *float64 `json:"cost_month,omitempty"`  // of an application
	Seats      int      `json:"seats,omitempty"`       // of an application
	Renews     string   `json:"renews,omitempty"`      // of an application: the day on which it is renewed, as 2027-03-31
	Replaces   string   `json:"replaces,omitempty"`    // another of the same facet, by its name
}

// Problems says what keeps details of a facet from being saved, all at once. Whether there
// is such a keeper, and what is replaced, is for others to say.
func (d Details) Problems(facet string) problem.List {
	var found problem.List
	if !slices.Contains(Statuses(), d.Status) {
		found.Add("/status", "status", "the status is %.40q; it is allowed, on-trial, not-to-be-used or gone", string(d.Status))
	}
	found = append(found, problem.Text("/notes", d.Notes)...)
	if n := utf8.RuneCountInString(d.Notes); n > mostNotes {
		found.Add("/notes", "size", "the notes have %d characters; they have at most %d", n, mostNotes)
	}
	found = append(found, problem.Line("/keeper", "the keeper", d.Keeper)...)
	if d.Replaces != "" && !fill.IsSlug(d.Replaces) {
		found.Add("/replaces", "name", "%.80q is no name of an application or model", d.Replaces)
	}
	if d.Renews != "" {
		if _, err := time.Parse(time.DateOnly, d.Renews); err != nil {
			found.Add("/renews", "date", "it is renewed on %.40q; write a day that the calendar has, as 2027-03-31", d.Renews)
		}
	}
	only := func(given bool, of, field, what string) {
		if given && facet != of {
			found.Add(field, "facet", "%s is for %ss; leave it out", message.Plain(what), of)
		}
	}
	only(d.TokenLimit != 0, Model, "/token_limit", "a limit in tokens")
	only(d.PriceIn != nil, Model, "/price_in", "a price of tokens")
	only(d.PriceOut != nil, Model, "/price_out", "a price of tokens")
	only(d.CostMonth != nil, Application, "/cost_month", "a cost a month")
	only(d.Seats != 0, Application, "/seats", "a number of seats")
	only(d.Renews != "", Application, "/renews", "a day of renewal")
	found = append(found, money("/price_in", "the price of what it reads", d.PriceIn)...)
	found = append(found, money("/price_out", "the price of what it writes", d.PriceOut)...)
	found = append(found, money("/cost_month", "the cost a month", d.CostMonth)...)
	count(&found, "/token_limit", "the limit in tokens", d.TokenLimit)
	count(&found, "/seats", "the number of seats", d.Seats)
	return found
}

func money(field, what string, n *float64) problem.List {
	var found problem.List
	switch {
	case n == nil:
	case *n < 0:
		found.Add(field, "range", "%s is %s; it is 0 or more", message.Plain(what), fill.Decimal(*n))
	case *n > mostMoney:
		found.Add(field, "range", "%s is %s; it is at most %s", message.Plain(what), fill.Decimal(*n), fill.Decimal(mostMoney))
	case math.Abs(*n*1e4-math.Round(*n*1e4)) > 1e-6*math.Max(1, *n):
		found.Add(field, "decimals", "%s is %s; it has at most four decimals", message.Plain(what), fill.Decimal(*n))
	}
	return found
}

func count(found *problem.List, field, what string, n int) {
	if n < 0 || n > mostCount {
		found.Add(field, "range", "%s is %d; it is 1 to %d, or 0 where there is none", message.Plain(what), n, mostCount)
	}
}

// Budget is the cap for what all applications cost in a month together.
type Budget struct {
	Cap      *float64 `json:"cap,omitempty"`
	Currency string   `json:"currency"` // as ISO 4217 has it
}

// Problems says what keeps a budget from being saved.
func (b Budget) Problems() problem.List {
	found := money("/cap", "the cap", b.Cap)
	if len(b.Currency) != 3 || strings.Trim(b.Currency, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") != "" {
		found.Add("/currency", "currency", "the currency is %.20q; write its three capital letters, as EUR", b.Currency)
	}
	return found
}

// Item is an application or a model by its name, with what it costs a month.
type Item struct {
	Name   string
	Title  string
	Status Status
	Cost   float64 // a month; 0 for none
}

// Month is what all applications cost in a month, against the cap.
type Month struct {
	Total   float64 `json:"total"`
	Left    float64 `json:"left"`               // below the cap; less than 0 above it, 0 without one
	Level   Level   `json:"level,omitempty"`    // near or over; empty where there is room, or no cap
	WouldGo []Cost  `json:"would_go,omitempty"` // over the cap: what would have to go
}

// Level says how near the cap is.
type Level string

// The levels. Near is within a tenth of the cap.
const (
	Room Level = ""
	Near Level = "near"
	Over Level = "over"
)

// Cost is what an application costs a month.
type Cost struct {
	Name  string  `json:"name"`
	Title string  `json:"title"`
	Cost  float64 `json:"cost"`
}

// Sum adds up what items cost in a month. What is gone costs nothing any more.
func Sum(items []Item, b Budget) Month {
	var m Month
	var counted []Item
	for _, it := range items {
		if it.Status != Gone && it.Cost > 0 {
			m.Total += it.Cost
			counted = append(counted, it)
		}
	}
	m.Total = cents(m.Total)
	if b.Cap == nil {
		return m
	}
	m.Left = cents(*b.Cap - m.Total)
	switch {
	case m.Left < 0:
		m.Level, m.WouldGo = Over, wouldGo(counted, -m.Left)
	case m.Total >= 0.9**b.Cap && m.Total > 0:
		m.Level = Near
	}
	return m
}

// wouldGo gives what would have to go for costs to fall by an excess: what is not to be
// used first, then what is on trial, and of each the one that is just enough or, where none
// is, the dearest.
func wouldGo(items []Item, excess float64) (all []Cost) {
	for _, status := range []Status{NotToBeUsed, OnTrial, Allowed} {
		var of []Item
		for _, it := range items {
			if it.Status == status {
				of = append(of, it)
			}
		}
		slices.SortFunc(of, func(a, b Item) int { return cmp.Or(cmp.Compare(a.Cost, b.Cost), cmp.Compare(a.Name, b.Name)) })
		for excess > 0 && len(of) > 0 {
			at := slices.IndexFunc(of, func(it Item) bool { return it.Cost >= excess })
			if at < 0 {
				at = len(of) - 1
			}
			all = append(all, Cost{of[at].Name, of[at].Title, of[at].Cost})
			excess = cents(excess - of[at].Cost)
			of = slices.Delete(of, at, at+1)
		}
	}
	return all
}

// Warns says in words that the cap is passed, and what would have to go; of a month with
// room nothing.
func (m Month) Warns(b Budget) string {
	if m.Level != Over {
		return ""
	}
	names := make([]string, len(m.WouldGo))
	for i, c := range m.WouldGo {
		names[i] = fmt.Sprintf("%s (%s)", c.Title, Amount(c.Cost))
	}
	return fmt.Sprintf("the month would cost %s %s, %s over the cap of %s; to stay below it this would have to go: %s",
		Amount(m.Total), b.Currency, Amount(-m.Left), Amount(*b.Cap), strings.Join(names, ", "))
}

// Amount writes money as people do: 4,310 or 12.50.
func Amount(n float64) string {
	text := strconv.FormatFloat(math.Abs(n), 'f', 2, 64)
	whole, part, _ := strings.Cut(text, ".")
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	if part != "00" {
		whole += "." + part
	}
	if n < 0 {
		return "-" + whole
	}
	return whole
}

func cents(n float64) float64 { return math.Round(n*100) / 100 }

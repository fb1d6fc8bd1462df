// Package stocktake works out figures of what is on the shelf: what there is for whom, what is
// used and by how many, what is missing and what has gone stale. It reads nothing itself.
package stocktake

import (
	"cmp"
	"math"
	"slices"
	"time"
)

// Entry is an entry on the shelf, with what is counted of it over a period and over as long a
// time before.
type Entry struct {
	ID          int64
	Slug        string
	Kind        string
	Title       string
	Owner       string // a sign-in name
	OwnerName   string
	OwnerLeft   bool
	Deputy      bool
	Department  string              // that answers for it
	Labels      map[string][]string // by facet
	PublishedAt time.Time           // its version on the shelf
	FirstAt     time.Time           // when it came on the shelf first
	ReviewBy    *time.Time          // the day until which it is to be looked at

	Uses, Before         int
	People, PeopleBefore int // counted anew each week and added up, without who answers for it
	Worked, FellShort    int // people who said so
}

// FreshFor is for how many days a version counts as fresh that nobody has said more of.
const FreshFor = 365

// Stale says whether an entry is past the day until which it was to be looked at.
func (e Entry) Stale(today time.Time) bool { return e.ReviewBy != nil && e.ReviewBy.Before(today) }

// Fresh says whether an entry is not stale, and its version not older than [FreshFor] days.
func (e Entry) Fresh(today time.Time) bool {
	return !e.Stale(today) && today.Sub(e.PublishedAt) <= FreshFor*24*time.Hour
}

// Change says whether an entry is used by more or fewer people than in as long a time before,
// which began then.
func (e Entry) Change(before time.Time) Change {
	if e.FirstAt.After(before) {
		return New
	}
	return Compare(e.People, e.PeopleBefore)
}

// terms gives the terms that an entry has of a facet, "kind" included. Without any it has the
// empty one.
func (e Entry) terms(facet string) []string {
	if facet == "kind" {
		return []string{e.Kind}
	}
	if t := e.Labels[facet]; len(t) > 0 {
		return t
	}
	return []string{""}
}

// Cell is how many entries have a term of one facet and one of another: an empty one stands
// for those without any.
type Cell struct {
	Row     string `json:"row"`
	Column  string `json:"column"`
	Entries int    `json:"entries"`
	Fresh   int    `json:"fresh"`
	Used    int    `json:"used"` // in the period
	Uses    int    `json:"uses"`
}

// Coverage counts entries by the terms of two facets. Cells in which there is nothing are left
// out; the rest come in the order of rows and columns.
func Coverage(all []Entry, rows, columns string, today time.Time) []Cell {
	at := map[[2]string]*Cell{}
	for _, e := range all {
		for _, row := range e.terms(rows) {
			for _, column := range e.terms(columns) {
				key := [2]string{row, column}
				c := at[key]
				if c == nil {
					c = &Cell{Row: row, Column: column}
					at[key] = c
				}
				c.Entries++
				c.Uses += e.Uses
				if e.Fresh(today) {
					c.Fresh++
				}
				if e.Uses > 0 {
					c.Used++
				}
			}
		}
	}
	cells := make([]Cell, 0, len(at))
	for _, c := range at {
		cells = append(cells, *c)
	}
	slices.SortFunc(cells, func(a, b Cell) int {
		return cmp.Or(cmp.Compare(a.Row, b.Row), cmp.Compare(a.Column, b.Column))
	})
	return cells
}

// Change says in which direction a figure has gone, where that is more than chance.
type Change string

// Changes.
const (
	Same Change = "" // or too few to say
	More Change = "more"
	Less Change = "less"
	New  Change = "new" // it was not there all the time before
)

// leastChance is below which a difference counts as more than chance.
const leastChance = 0.01

// Compare says whether so many are more or fewer than there were in as long a time before, as
// if each came by themselves.
func Compare(now, before int) Change {
	switch {
	case Chance(now, before) >= leastChance:
		return Same
	case now > before:
		return More
	}
	return Less
}

// Chance is the probability that two counts over equally long times are at least so far apart
// where both are of one rate: two-sided, by the binomial distribution of one of them given
// both together (J. Przyborowski and H. Wilenski, Homogeneity of Results in Testing Samples
// from Poisson Series, Biometrika 31, 1940).
func Chance(a, b int) float64 {
	n, k := a+b, min(a, b)
	if n == 0 {
		return 1
	}
	if n > 2000 { // by the normal distribution, with Yates' correction
		z := (math.Abs(float64(a-b)) - 1) / math.Sqrt(float64(n))
		return math.Erfc(max(0, z) / math.Sqrt2)
	}
	sum, half := 0.0, float64(n)*math.Log(2)
	all, _ := math.Lgamma(float64(n + 1))
	for i := 0; i <= k; i++ {
		in, _ := math.Lgamma(float64(i + 1))
		out, _ := math.Lgamma(float64(n - i + 1))
		sum += math.Exp(all - in - out - half)
	}
	return min(1, 2*sum)
}

// Age is how many entries have a version on the shelf that is so old.
type Age struct {
	Days    int `json:"days"` // at most; 0 for older than all of them
	Entries int `json:"entries"`
	Stale   int `json:"stale"`
}

// Ages counts entries by the age of what is on the shelf.
func Ages(all []Entry, today time.Time) []Age {
	ages := []Age{{Days: 30}, {Days: 90}, {Days: 180}, {Days: FreshFor}, {}}
	for _, e := range all {
		old := int(today.Sub(e.PublishedAt).Hours() / 24)
		i := slices.IndexFunc(ages, func(a Age) bool { return a.Days == 0 || old <= a.Days })
		ages[i].Entries++
		if e.Stale(today) {
			ages[i].Stale++
		}
	}
	return ages
}

// ContributorFigure is someone whose entries others use.
type ContributorFigure struct {
	Name     string `json:"name"`
	FullName string `json:"full_name"`
	Entries  int    `json:"entries"` // that others have used in the period
	People   int    `json:"people"`  // counted anew each week and added up
	Before   int    `json:"before"`
	Change   Change `json:"change,omitempty"`
	Thanked  bool   `json:"thanked,omitempty"` // for these weeks
}

// Contributors gives those whose entries others use, by how many people that are. Nobody
// gains by their own use, and whoever has left is left out.
func Contributors(all []Entry) []ContributorFigure {
	at := map[string]*ContributorFigure{}
	for _, e := range all {
		if e.OwnerLeft || e.People+e.PeopleBefore == 0 {
			continue
		}
		c := at[e.Owner]
		if c == nil {
			c = &ContributorFigure{Name: e.Owner, FullName: e.OwnerName}
			at[e.Owner] = c
		}
		if e.People > 0 {
			c.Entries++
		}
		c.People += e.People
		c.Before += e.PeopleBefore
	}
	list := make([]ContributorFigure, 0, len(at))
	for _, c := range at {
		c.Change = Compare(c.People, c.Before)
		list = append(list, *c)
	}
	slices.SortFunc(list, func(a, b ContributorFigure) int { return cmp.Or(b.People-a.People, cmp.Compare(a.Name, b.Name)) })
	return list
}

// Median gives the middle of values, or between the two in the middle; 0 of none.
func Median(values []float64) float64 {
	if len(values) == 0 {
		return 0
	}
	sorted := slices.Sorted(slices.Values(values))
	n := len(sorted)
	return (sorted[(n-1)/2] + sorted[n/2]) / 2
}

// Monday is the day on which the week of a day begins.
func Monday(day time.Time) time.Time {
	return day.AddDate(0, 0, -(int(day.Weekday())+6)%7)
}

// Mondays gives the days on which the weeks begin from one Monday until before another.
func Mondays(since, until time.Time) (all []time.Time) {
	for at := since; at.Before(until); at = at.AddDate(0, 0, 7) {
		all = append(all, at)
	}
	return all
}

// Reported gives the weeks, from a Monday until before another, that the report of a day is of
// that is made each "week" or each "month": the week that ended last, or the weeks that began
// in the month that ended last. Those of one month follow on those of the month before.
func Reported(every string, today time.Time) (since, until time.Time) {
	if every == "week" {
		until = Monday(today)
		return until.AddDate(0, 0, -7), until
	}
	first := time.Date(today.Year(), today.Month(), 1, 0, 0, 0, 0, time.UTC)
	if firstMonday(first).After(today) {
		first = first.AddDate(0, -1, 0)
	}
	return firstMonday(first.AddDate(0, -1, 0)), firstMonday(first)
}

// firstMonday is the first Monday on or after a day.
func firstMonday(day time.Time) time.Time {
	if m := Monday(day); m.Before(day) {
		return m.AddDate(0, 0, 7)
	}
	return day
}

package entry

import (
	"maps"
	"math"
	"slices"
	"time"

	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Reviewing is what the curators of a library have decided about reviews. The
// zero Reviewing wants one approval, from any reviewer, and asks them all.
type Reviewing struct {
	Rules       []ReviewRule        `json:"rules,omitempty"`
	Ask         map[string][]string `json:"ask,omitempty"`          // by department: sign-in names, asked in turn
	RemindAfter int                 `json:"remind_after,omitempty"` // days until a review is overdue; 0 is 3
	NextAfter   int                 `json:"next_after,omitempty"`   // days until the next reviewer is asked too; 0 is 5
	KeepFor     int                 `json:"keep_for,omitempty"`     // days until what is published is looked at again; 0 is 180
}

// ReviewRule says what some entries need. A rule holds for an entry that is of
// one of its kinds, belongs to one of its departments and has one of its terms
// in each of its facets; what is empty holds for all.
type ReviewRule struct {
	Kinds       []Kind              `json:"kinds,omitempty"`
	Departments []string            `json:"departments,omitempty"`
	Labels      map[string][]string `json:"labels,omitempty"`
	Approvals   int                 `json:"approvals"`
	From        []From              `json:"from,omitempty"` // one approval each from such a person

	// Trial is what a trial of exactly the text must have reached before it is reviewed: the
	// lower bound of its pass rate, over 0 and under 1. 0 is none.
	Trial float64 `json:"trial,omitempty"`
}

// From is whom an approval has to come from: someone of at least a role, of a
// department, or both.
type From struct {
	Role       Role   `json:"role,omitempty"`
	Department string `json:"department,omitempty"`
}

// Words is From as people read it.
func (f From) Words() string {
	switch {
	case f.Department == "":
		return "a " + string(f.Role)
	case f.Role == "":
		return "someone in " + f.Department
	}
	return "a " + string(f.Role) + " in " + f.Department
}

// Need is what a version needs to be approved.
type Need struct {
	Approvals int
	From      []From
	Trial     float64 // of exactly the text, before it is reviewed; 0 is none
}

// Approver is someone who has approved a version.
type Approver struct {
	ID         int64
	Role       Role
	Department string // a term
}

// Need gives what a version needs: the most approvals of the rules that hold for
// it, and every origin that any of them asks for. Departments and labels are those
// that its entry has, and those that it has had since it was last published.
func (r Reviewing) Need(kind Kind, departments []string, labels map[string][]string) Need {
	need := Need{Approvals: 1}
	for _, rule := range r.Rules {
		if !rule.holds(kind, departments, labels) {
			continue
		}
		need.Approvals = max(need.Approvals, rule.Approvals)
		need.Trial = max(need.Trial, rule.Trial)
		for _, f := range rule.From {
			if !slices.Contains(need.From, f) {
				need.From = append(need.From, f)
			}
		}
	}
	need.Approvals = max(need.Approvals, len(need.From))
	return need
}

// And is what is needed where both are.
func (n Need) And(other Need) Need {
	from := slices.Clone(n.From)
	for _, f := range other.From {
		if !slices.Contains(from, f) {
			from = append(from, f)
		}
	}
	return Need{max(n.Approvals, other.Approvals, len(from)), from, max(n.Trial, other.Trial)}
}

func (r ReviewRule) holds(kind Kind, departments []string, labels map[string][]string) bool {
	of := func(d string) bool { return slices.Contains(r.Departments, d) }
	if len(r.Kinds) > 0 && !slices.Contains(r.Kinds, kind) || len(r.Departments) > 0 && !slices.ContainsFunc(departments, of) {
		return false
	}
	for facet, terms := range r.Labels {
		if !slices.ContainsFunc(terms, func(t string) bool { return slices.Contains(labels[facet], t) }) {
			return false
		}
	}
	return true
}

// Wanting gives how many more approvals are needed at least, and from whom.
func (n Need) Wanting(given []Approver) (more int, from []From) {
	for _, f := range n.From {
		if !slices.ContainsFunc(given, f.is) {
			from = append(from, f)
		}
	}
	return max(n.Approvals-len(given), len(from), 0), from
}

func (f From) is(a Approver) bool {
	return (f.Role == "" || a.Role.Includes(f.Role)) && (f.Department == "" || f.Department == a.Department)
}

// Turn puts the people that are to be asked in order: whoever was asked first the
// longest ago, or never, comes first.
func Turn(people []int64, last map[int64]time.Time) []int64 {
	turn := []int64{}
	for _, p := range people {
		if !slices.Contains(turn, p) {
			turn = append(turn, p)
		}
	}
	slices.SortStableFunc(turn, func(a, b int64) int { return last[a].Compare(last[b]) })
	return turn
}

// OverdueBefore gives the time before which a review was asked for if it is
// reminded of now.
func (r Reviewing) OverdueBefore(now time.Time) time.Time { return now.Add(-days(r.RemindAfter, 3)) }

// Patience is after how long the next reviewer is asked too.
func (r Reviewing) Patience() time.Duration { return days(r.NextAfter, 5) }

// KeepDays is after how many days what is published or found good is to be looked at
// again.
func (r Reviewing) KeepDays() int {
	if r.KeepFor == 0 {
		return 180
	}
	return r.KeepFor
}

func days(n, otherwise int) time.Duration {
	if n == 0 {
		n = otherwise
	}
	return time.Duration(n) * 24 * time.Hour
}

// Problems says what is wrong with it. Terms are the library's, by facet, and
// mayReview says of a sign-in name whether there is such a reviewer.
func (r Reviewing) Problems(terms map[string][]string, mayReview func(name string) bool) problem.List {
	var found problem.List
	department := func(at, name string) {
		if !slices.Contains(terms["department"], name) {
			found.Add(at, "label", "there is no department %q", name)
		}
	}
	for i, rule := range r.Rules {
		at := problem.Pointer("review", "rules", i)
		if rule.Approvals < 1 || rule.Approvals > 9 {
			found.Add(at+"/approvals", "range", "%d approvals are asked for; it takes 1 to 9", rule.Approvals)
		}
		if math.IsNaN(rule.Trial) || rule.Trial < 0 || rule.Trial >= 1 {
			found.Add(at+"/trial", "range", "a trial is to reach %g; that is over 0 and under 1, or 0 for none", rule.Trial)
		}
		for k, kind := range rule.Kinds {
			if !slices.Contains(Kinds(), kind) {
				found.Add(at+problem.Pointer("kinds", k), "kind", "there is no kind %q", kind)
			}
		}
		for k, d := range rule.Departments {
			department(at+problem.Pointer("departments", k), d)
		}
		for _, facet := range slices.Sorted(maps.Keys(rule.Labels)) {
			for k, t := range rule.Labels[facet] {
				if !slices.Contains(terms[facet], t) {
					found.Add(at+problem.Pointer("labels", facet, k), "label", "there is no term %q in the facet %s", t, facet)
				}
			}
		}
		for k, f := range rule.From {
			at := at + problem.Pointer("from", k)
			switch {
			case f.Role == "" && f.Department == "":
				found.Add(at, "missing", "say from which role or department the approval comes")
			case f.Role != "" && f.Role != Reviewer && f.Role != Curator:
				found.Add(at+"/role", "role", "a %s approves nothing; name reviewer or curator", f.Role)
			case f.Department != "":
				department(at+"/department", f.Department)
			}
		}
	}
	for _, d := range slices.Sorted(maps.Keys(r.Ask)) {
		department(problem.Pointer("review", "ask", d), d)
		for i, name := range r.Ask[d] {
			if !mayReview(name) {
				found.Add(problem.Pointer("review", "ask", d, i), "person", "there is no reviewer %q to ask", name)
			}
		}
	}
	for _, f := range []struct {
		name string
		days int
	}{{"remind_after", r.RemindAfter}, {"next_after", r.NextAfter}, {"keep_for", r.KeepFor}} {
		if f.days < 0 || f.days > 3650 {
			found.Add(problem.Pointer("review", f.name), "range", "%s is %d days; it is 1 to 3650", f.name, f.days)
		}
	}
	return found
}

// AwayProblems says what is wrong with a time away, of a first and a last day.
func AwayProblems(from, until *time.Time) problem.List {
	var found problem.List
	switch {
	case (from == nil) != (until == nil):
		found.Add("/away_until", "missing", "a time away has a first and a last day; give both, or neither")
	case from != nil && until.Before(*from):
		found.Add("/away_until", "range", "the last day away, %s, is before the first, %s", until.Format(time.DateOnly), from.Format(time.DateOnly))
	}
	return found
}

// Scheduled says what is wrong with the time at which something is to be published.
func Scheduled(at, now time.Time) problem.List {
	switch {
	case !at.After(now):
		return problem.List{{Field: "/at", Code: "past", Message: message.Say("%s is past; leave the time out to publish now", at.UTC().Format(time.RFC3339))}}
	case at.After(now.AddDate(1, 0, 0)):
		return problem.List{{Field: "/at", Code: "range", Message: message.Say("%s is over a year away; choose an earlier time", at.UTC().Format(time.RFC3339))}}
	}
	return nil
}

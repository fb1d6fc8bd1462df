package check

import (
	"reflect"
	"testing"

	"goldshelf/core/entry"
)

// What a policy says of a term it says of the one that it became part of: nothing of it is
// lost, and nothing else changes.
func TestAPolicyFollowsAMergedTerm(t *testing.T) {
	t.Parallel()
	p := Policy{
		Models: map[string]Model{"heron": {Tokens: 100}, "osprey": {Tokens: 200}},
		Review: entry.Reviewing{
			Rules: []entry.ReviewRule{
				{Departments: []string{"lab", "care"}, Approvals: 2, From: []entry.From{{Department: "lab"}, {Department: "science"}}},
				{Labels: map[string][]string{"department": {"lab"}, "model": {"heron"}}, Approvals: 1},
			},
			Ask: map[string][]string{"lab": {"ann", "bo"}, "science": {"bo"}},
		},
	}
	before := p
	got, changed := p.Renamed("department", "lab", "science")
	want := Policy{
		Models: p.Models,
		Review: entry.Reviewing{
			Rules: []entry.ReviewRule{
				{Departments: []string{"science", "care"}, Approvals: 2, From: []entry.From{{Department: "science"}}},
				{Labels: map[string][]string{"department": {"science"}, "model": {"heron"}}, Approvals: 1},
			},
			Ask: map[string][]string{"science": {"bo", "ann"}},
		},
	}
	if !changed || !reflect.DeepEqual(got, want) {
		t.Errorf("got %+v, %v; want %+v", got, changed, want)
	}
	if !reflect.DeepEqual(p, before) || p.Review.Rules[0].From[0].Department != "lab" || len(p.Review.Ask["science"]) != 1 {
		t.Errorf("the policy before has changed: %+v", p)
	}
	if got, changed := p.Renamed("model", "heron", "osprey"); !changed || len(got.Models) != 1 || got.Models["osprey"].Tokens != 200 || got.Review.Rules[1].Labels["model"][0] != "osprey" {
		t.Errorf("of a model: %+v, %v", got, changed)
	}
	if _, changed := p.Renamed("application", "lab", "science"); changed {
		t.Error("another facet's term is another term")
	}
}

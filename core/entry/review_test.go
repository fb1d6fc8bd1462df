package entry

import (
	"slices"
	"testing"
	"time"
)

func TestNeed(t *testing.T) {
	regs, lab := From{Department: "regulatory-affairs"}, From{Role: Curator, Department: "laboratory"}
	r := Reviewing{Rules: []ReviewRule{
		{Labels: map[string][]string{"department": {"regulatory-affairs"}}, Approvals: 2, From: []From{regs}},
		{Kinds: []Kind{Snippet}, Departments: []string{"laboratory"}, Approvals: 1, From: []From{lab, regs}},
		{Kinds: []Kind{Relay}, Approvals: 3},
	}}
	for name, c := range map[string]struct {
		kind       Kind
		department string
		labels     map[string][]string
		want       Need
	}{
		"no rule holds":                {Prompt, "laboratory", nil, Need{1, nil, 0}},
		"a label":                      {Prompt, "", map[string][]string{"department": {"x", "regulatory-affairs"}}, Need{2, []From{regs}, 0}},
		"a kind and a department":      {Snippet, "laboratory", nil, Need{2, []From{lab, regs}, 0}},
		"a kind of another department": {Snippet, "procurement", nil, Need{1, nil, 0}},
		"two rules": {Snippet, "laboratory", map[string][]string{"department": {"regulatory-affairs"}},
			Need{2, []From{regs, lab}, 0}},
		"the most approvals": {Relay, "", nil, Need{3, nil, 0}},
	} {
		got := r.Need(c.kind, []string{"elsewhere", c.department}, c.labels)
		if got.Approvals != c.want.Approvals || !slices.Equal(got.From, c.want.From) {
			t.Errorf("%s: got %+v, want %+v", name, got, c.want)
		}
	}
}

func TestWanting(t *testing.T) {
	need := Need{Approvals: 2, From: []From{{Department: "lab"}, {Role: Curator}}}
	reviewer, chemist, curator := Approver{1, Reviewer, "care"}, Approver{2, Reviewer, "lab"}, Approver{3, Curator, "lab"}
	for name, c := range map[string]struct {
		given []Approver
		more  int
		from  int
	}{
		"nobody":                        {nil, 2, 2},
		"one from elsewhere":            {[]Approver{reviewer}, 2, 2},
		"one of the laboratory":         {[]Approver{chemist}, 1, 1},
		"two, and none a curator":       {[]Approver{reviewer, chemist}, 1, 1},
		"a curator of the laboratory":   {[]Approver{curator}, 1, 0},
		"both":                          {[]Approver{chemist, curator}, 0, 0},
		"more than it takes, all apart": {[]Approver{reviewer, chemist, curator}, 0, 0},
	} {
		more, from := need.Wanting(c.given)
		if more != c.more || len(from) != c.from {
			t.Errorf("%s: %d more, from %v; want %d and %d", name, more, from, c.more, c.from)
		}
	}
}

func TestTurn(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 3, n, 0, 0, 0, 0, time.UTC) }
	last := map[int64]time.Time{1: day(5), 2: day(2), 4: day(9)}
	if got, want := Turn([]int64{4, 1, 2, 3, 1}, last), []int64{3, 2, 1, 4}; !slices.Equal(got, want) {
		t.Errorf("got %v, want %v: never asked first, then the longest ago, each once", got, want)
	}
	if got := Turn(nil, nil); len(got) != 0 {
		t.Errorf("nobody in turn is %v", got)
	}
}

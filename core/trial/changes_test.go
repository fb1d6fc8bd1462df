package trial

import (
	"testing"

	"goldshelf/core/message"
)

// repliesOf gives times replies to each fill under each set-up, so many of which are met.
func repliesOf(fills, times int, met ...int) (all []Reply) {
	for setUp, n := range met {
		for f := range fills {
			for t := range times {
				state := Missed
				if t < n {
					state = Met
				}
				all = append(all, Reply{Fill: f, SetUp: setUp, Met: []State{state}})
			}
		}
	}
	return all
}

func TestChanges(t *testing.T) {
	for _, test := range []struct {
		name        string
		fills       int
		before, now []int // replies of four that are met, by set-up
		want        Trend
		verdicts    []Verdict
	}{
		{"worse", 10, []int{4}, []int{1}, Worse, []Verdict{Difference}},
		{"better", 10, []int{1}, []int{4}, Better, []Verdict{Difference}},
		{"the same", 20, []int{3}, []int{3}, Unchanged, []Verdict{NoDifference}},
		{"one of two is worse", 10, []int{4, 1}, []int{1, 4}, Worse, []Verdict{Difference, Difference}},
		{"one is better, one the same", 20, []int{1, 3}, []int{4, 3}, Better, []Verdict{Difference, NoDifference}},
		{"too few fills", 5, []int{4}, []int{1}, Untold, []Verdict{TooFew}},
		{"nothing came before", 10, nil, []int{4}, Untold, []Verdict{TooFew}},
	} {
		size := Size{test.fills, max(len(test.before), len(test.now)), 1}
		got := Changes(size, repliesOf(test.fills, 4, test.before...), repliesOf(test.fills, 4, test.now...), Matters, 1)
		if change := TrendOf(got); change != test.want {
			t.Errorf("%s: it is %s, want %s", test.name, change, test.want)
		}
		for i, c := range got {
			if c.Verdict != test.verdicts[i] || c.First != i || c.Second != i {
				t.Errorf("%s: contrast %d is %+v, want %s", test.name, i, c, test.verdicts[i])
			}
		}
	}
	if got := TrendOf(nil); got != Untold {
		t.Errorf("without contrasts it is %s", got)
	}
}

func TestSince(t *testing.T) {
	for _, test := range []struct {
		c    Contrast
		want string
	}{
		{Contrast{Fills: 12, Ahead: 9, Value: 0.3, Verdict: Difference}, "heron-2 keeps short less often than before, in 9 of 12 fills; that is unlikely to be chance."},
		{Contrast{Fills: 12, Behind: 8, Value: -0.3, Verdict: Difference}, "heron-2 keeps short more often than before, in 8 of 12 fills; that is unlikely to be chance."},
		{Contrast{Fills: 1, Value: 0.3, Verdict: Difference, OneFill: true}, "heron-2 keeps short less often than before; that is unlikely to be chance, for this fill alone."},
		{Contrast{Fills: 12, Verdict: NoDifference}, "heron-2: no difference that matters in how often it keeps short."},
		{Contrast{Fills: 4, Verdict: TooFew, More: 8}, "heron-2: too few to tell whether it keeps short more or less often than before: 8 fills more would."},
		{Contrast{Verdict: TooFew}, "heron-2: no fill was answered both before and now."},
	} {
		if got := test.c.Since("heron-2", message.Plain("keeps short")).String(); got != test.want {
			t.Errorf("got  %s\nwant %s", got, test.want)
		}
	}
}

// Only set-ups that are the same but for the other entry's version say what that changes.
func TestChangeBy(t *testing.T) {
	p := Design{SetUps: []SetUp{{Model: "a", Title: "as it is"}, {Model: "a", Title: "with", With: "x@2"}, {Model: "b", With: "x@2"}}}
	contrast := func(first, second int, value float64) Contrast {
		return Contrast{First: first, Second: second, Expectation: Every, Value: value, Verdict: Difference}
	}
	for name, test := range map[string]struct {
		all  []Contrast
		want Trend
	}{
		"worse with it":              {[]Contrast{contrast(0, 1, 0.3)}, Worse},
		"better with it":             {[]Contrast{contrast(0, 1, -0.3)}, Better},
		"models differ, that is all": {[]Contrast{contrast(0, 2, 0.3), contrast(1, 2, 0.3)}, Untold},
		"of one expectation":         {[]Contrast{{First: 0, Second: 1, Expectation: 0, Value: 0.3, Verdict: Difference}}, Untold},
	} {
		if got := p.TrendBy(Figures{Contrasts: test.all}); got != test.want {
			t.Errorf("%s: %s, want %s", name, got, test.want)
		}
	}
	p.SetUps[0], p.SetUps[1] = p.SetUps[1], p.SetUps[0]
	if got := p.TrendBy(Figures{Contrasts: []Contrast{contrast(0, 1, 0.3)}}); got != Better {
		t.Errorf("the other way round: %s", got)
	}
}

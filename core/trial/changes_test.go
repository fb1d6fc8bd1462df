package trial

import "testing"

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
		want        Change
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
		if change := ChangeOf(got); change != test.want {
			t.Errorf("%s: it is %s, want %s", test.name, change, test.want)
		}
		for i, c := range got {
			if c.Verdict != test.verdicts[i] || c.First != i || c.Second != i {
				t.Errorf("%s: contrast %d is %+v, want %s", test.name, i, c, test.verdicts[i])
			}
		}
	}
	if got := ChangeOf(nil); got != Untold {
		t.Errorf("without contrasts it is %s", got)
	}
}

package trial

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"goldshelf/core/message"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %.6f, want %.6f", what, got, want)
	}
}

func interval(t *testing.T, what string, got Interval, low, high float64) {
	t.Helper()
	near(t, what+" from", got.Low, low, 0.00006)
	near(t, what+" to", got.High, high, 0.00006)
}

// The examples of the papers that the docstrings name.
func TestPublishedProportions(t *testing.T) {
	t.Parallel()
	// Newcombe 1998, single proportion, table I, method 3.
	interval(t, "81 of 263", Wilson(81, 263, 0.95), 0.2553, 0.3662)
	interval(t, "15 of 148", Wilson(15, 148, 0.95), 0.0624, 0.1605)
	interval(t, "0 of 20", Wilson(0, 20, 0.95), 0, 0.1611)
	interval(t, "1 of 29", Wilson(1, 29, 0.95), 0.0061, 0.1718)
	// Newcombe 1998, difference of independent proportions, table II, method 10.
	interval(t, "56 of 70 less 48 of 80", Newcombe(56, 70, 48, 80, 0.95), 0.0524, 0.3339)
	interval(t, "9 of 10 less 3 of 10", Newcombe(9, 10, 3, 10, 0.95), 0.1705, 0.8090)
	interval(t, "5 of 56 less 0 of 29", Newcombe(5, 56, 0, 29, 0.95), -0.0381, 0.1926)
	interval(t, "10 of 10 less 0 of 10", Newcombe(10, 10, 0, 10, 0.95), 0.6075, 1)
	// Newcombe in "Statistics with Confidence", 2nd edition, 2000, chapter 6: 14, 5, 0 and 22.
	got := Pairs{14, 5, 0, 22}.Newcombe(0.95)
	near(t, "paired from", got.Low, 0.011, 0.0006)
	near(t, "paired to", got.High, 0.226, 0.0006)
	// Fisher's lady tasting tea, and his twins of convicts.
	near(t, "the lady", Fisher(3, 4, 1, 4), 0.4857, 0.00005)
	near(t, "the twins", Fisher(2, 12, 15, 18), 0.0005367, 0.0000005)
	near(t, "no difference", Fisher(5, 10, 5, 10), 1, 1e-9)
	// Exact binomials of the pairs that differ.
	near(t, "59 against 121", Pairs{101, 59, 121, 33}.McNemar(), 4.434e-06, 5e-9)
	near(t, "0 against 5", Pairs{9, 0, 5, 9}.McNemar(), 0.0625, 1e-12)
	// Conover 1999, example 1 of 3.4: eight prefer one, one the other, one neither.
	near(t, "8 against 1", SignTest(8, 1), 0.0390625, 1e-9)
	near(t, "none", SignTest(0, 0), 1, 0)
	// Holm's procedure on the example of S. Holm's order: 0.01, 0.04, 0.03, 0.005.
	if got := Holm([]float64{0.01, 0.04, 0.03, 0.005, math.NaN()}); math.Abs(got[0]-0.03) > 1e-12 || math.Abs(got[1]-0.06) > 1e-12 || math.Abs(got[2]-0.06) > 1e-12 || math.Abs(got[3]-0.02) > 1e-12 || !math.IsNaN(got[4]) {
		t.Errorf("Holm: %v", got)
	}
}

// Darwin's fifteen pairs of maize, crossed less self-fertilised, in eighths of an inch, as
// Fisher has them.
var maize = []float64{49, -67, 8, 16, 6, 23, 28, 41, 14, 29, 56, 24, 75, 60, -48}

func TestPublishedPairs(t *testing.T) {
	t.Parallel()
	near(t, "Fisher's 1726 of 32768", SignFlip(maize, 1), 1726.0/32768, 1e-12)
	// The same by trying every flip, and by some of them.
	sizes := make([]float64, len(maize))
	sum := 0.0
	for i, d := range maize {
		sizes[i] = math.Abs(d)
		sum += d
	}
	near(t, "every flip", flipAll(sizes, sum-1e-9), 1726.0/32768, 1e-12)
	near(t, "some flips", flipSome(sizes, sum-1e-9, 7), 1726.0/32768, 0.003)

	// M. Hollander and D. A. Wolfe, "Nonparametric Statistical Methods", 1973, 29f.: a scale of
	// depression before and after. T⁺ = 40 of 45.
	before := []float64{1.83, 0.50, 1.62, 2.48, 1.68, 1.88, 1.55, 3.06, 1.30}
	after := []float64{0.878, 0.647, 0.598, 2.05, 1.06, 1.29, 1.06, 3.14, 1.29}
	var d []float64
	for i := range before {
		d = append(d, before[i]-after[i])
	}
	near(t, "Wilcoxon", SignedRanks(d), 2*0.01953, 0.00005)
	near(t, "Hodges–Lehmann", HodgesLehmann(d), 0.46, 0.0005)
	if SignFlip(nil, 1) != 1 || SignedRanks([]float64{0, 0}) != 1 || !math.IsNaN(HodgesLehmann(nil)) {
		t.Error("without a difference")
	}
}

// Noughts keep their ranks and ties share theirs: against every flip of the signs.
func TestSignedRanksWithNoughtsAndTies(t *testing.T) {
	t.Parallel()
	for _, d := range [][]float64{{0, 2, 3, 4, 6, 7, 8, 9, 11, 14, 15, 17, -18}, {0, 0, 1, 1, 1, -1, 2, 2, -3}, {1}, {-2, -2, -2, 0}} {
		ranks := make([]float64, len(d)) // from 1, the mean of ties
		for i := range d {
			for j := range d {
				switch a, b := math.Abs(d[j]), math.Abs(d[i]); {
				case a < b:
					ranks[i]++
				case a == b:
					ranks[i] += 0.5
				}
			}
			ranks[i] += 0.5
		}
		var own []float64
		plus, all := 0.0, 0.0
		for i, v := range d {
			if v != 0 {
				own = append(own, ranks[i])
				all += ranks[i]
			}
			if v > 0 {
				plus += ranks[i]
			}
		}
		as, least := 0, min(plus, all-plus)
		for k := range 1 << len(own) {
			s := 0.0
			for i, r := range own {
				if k>>i&1 == 1 {
					s += r
				}
			}
			if s <= least {
				as++
			}
		}
		near(t, "signed ranks", SignedRanks(d), min(1, 2*float64(as)/float64(int(1)<<len(own))), 1e-12)
	}
	// Beyond 25 the normal distribution takes over without a step.
	r := rand.New(rand.NewPCG(1, 2))
	var d []float64
	for range 25 {
		d = append(d, math.Round(20*r.NormFloat64()+6))
	}
	exact := SignedRanks(d)
	more := append(slices.Clone(d), 1e-9, -1e-9) // which hardly count
	near(t, "the normal distribution", SignedRanks(more), exact, 0.03)
}

func TestHodgesLehmannIsTheMedianOfAllMeans(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(3, 4))
	for n := 1; n < 40; n++ {
		var d, means []float64
		for range n {
			d = append(d, math.Round(8*r.NormFloat64())/4)
		}
		for i := range d {
			for j := i; j < n; j++ {
				means = append(means, (d[i]+d[j])/2)
			}
		}
		slices.Sort(means)
		m := len(means)
		near(t, "the middle", HodgesLehmann(d), (means[(m-1)/2]+means[m/2])/2, 1e-12)
	}
}

// K. Krippendorff's examples of 2011: two judges, and four with gaps.
func TestPublishedAgreement(t *testing.T) {
	t.Parallel()
	columns := func(judges ...string) (units [][]string) {
		for i := range judges[0] {
			var u []string
			for _, j := range judges {
				answer := ""
				if j[i] != '.' {
					answer = j[i : i+1]
				}
				u = append(u, answer)
			}
			units = append(units, u)
		}
		return units
	}
	two, ok := Krippendorff(columns("0100000010", "1110010000"), 0.95, 1)
	near(t, "two judges", two.Value, 0.095, 0.0005)
	four, ok4 := Krippendorff(columns("123321412...", "1233224125.3", ".3332342251.", "12332441251."), 0.95, 1)
	near(t, "four judges", four.Value, 0.743, 0.0005)
	if !ok || !ok4 || four.Of != 11 || four.Interval.Low >= four.Value || four.Interval.High <= four.Value {
		t.Errorf("%+v, %+v", two, four)
	}
	if _, ok := Krippendorff([][]string{{"a", ""}, {"", "b"}}, 0.95, 1); ok {
		t.Error("of what nobody judged twice")
	}
	// Cohen's kappa of 20, 5, 10 and 15; J. L. Fleiss, J. Cohen and B. S. Everitt's standard error.
	k, ok := Kappa(Pairs{20, 5, 10, 15}, 0.95)
	near(t, "kappa", k.Value, 0.4, 1e-9)
	if !ok || k.Interval.Low > 0.16 || k.Interval.Low < 0.14 || k.Interval.High < 0.63 || k.Interval.High > 0.66 {
		t.Errorf("its interval is %+v", k.Interval)
	}
	if _, ok := Kappa(Pairs{Both: 9}, 0.95); ok {
		t.Error("of two who always say yes")
	}
}

// grid draws a trial: the share of each fill is drawn, and replies from it.
func grid(r *rand.Rand, fills, times, setUps, expectations int, share func(fill, setUp int) float64) (Size, []Reply) {
	var all []Reply
	for f := range fills {
		for s := range setUps {
			p := share(f, s)
			for range times {
				met := make([]State, expectations)
				for e := range met {
					met[e] = Missed
					if r.Float64() < p {
						met[e] = Met
					}
				}
				all = append(all, Reply{Fill: f, SetUp: s, Met: met, Words: 100 + math.Round(20*r.NormFloat64()), Seconds: r.Float64(), Tokens: 200, Cost: math.NaN()})
			}
		}
	}
	return Size{fills, setUps, expectations}, all
}

// Where two set-ups are the same, a trial seldom says otherwise; where one is better by as
// much as matters, its interval holds that difference 19 times of 20. Shares differ widely by
// fill, which is what fools those who count replies.
func TestFalseAlarmsAndCoverage(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		fills, times, sims int
	}{{1, 15, 600}, {10, 1, 600}, {10, 3, 250}, {12, 5, 250}, {30, 3, 200}} {
		r := rand.New(rand.NewPCG(uint64(c.fills), uint64(c.times)))
		alarms, covered, truth := 0, 0, 0.15
		for range c.sims {
			shares := make([]float64, c.fills)
			for i := range shares {
				shares[i] = 0.1 + 0.7*r.Float64()
			}
			// No difference on the whole, though one fill suits one and another the other.
			size, replies := grid(r, c.fills, c.times, 2, 1, func(f, s int) float64 {
				if c.fills == 1 || s == 0 {
					return shares[f]
				}
				return shares[f] + 0.2*(r.Float64()-0.5)
			})
			if NewFigures(size, replies, 0.01, 1).Contrasts[0].Adjusted <= 0.05 {
				alarms++
			}
			size, replies = grid(r, c.fills, c.times, 2, 1, func(f, s int) float64 { return shares[f] + truth*float64(1-s) })
			if i := NewFigures(size, replies, 0.01, 1).Contrasts[0].Interval; i.Low <= truth && truth <= i.High {
				covered++
			}
		}
		alarm, cover := float64(alarms)/float64(c.sims), float64(covered)/float64(c.sims)
		t.Logf("%d fills, %d times: false alarms %.3f, covered %.3f", c.fills, c.times, alarm, cover)
		// Exact tests of few pairs cannot come up to 0.05.
		spare := 2 * math.Sqrt(0.05*0.95/float64(c.sims))
		if alarm > 0.05+spare {
			t.Errorf("%d fills, %d times: false alarms in %.3f", c.fills, c.times, alarm)
		}
		if cover < 0.95-spare || cover > 0.99 {
			t.Errorf("%d fills, %d times: covered in %.3f", c.fills, c.times, cover)
		}
		if c.fills*c.times >= 60 && (alarm < 0.02 || cover > 0.98) {
			t.Errorf("%d fills, %d times: too careful: false alarms %.3f, covered %.3f", c.fills, c.times, alarm, cover)
		}
	}
}

func TestFamiliesAreHeldTogether(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(5, 6))
	alarms, sims := 0, 100
	for range sims {
		shares := make([]float64, 12)
		for i := range shares {
			shares[i] = r.Float64()
		}
		size, replies := grid(r, 12, 3, 3, 3, func(f, _ int) float64 { return shares[f] })
		for _, c := range NewFigures(size, replies, 0.01, 1).Contrasts {
			if c.Adjusted <= 0.05 {
				alarms++
				break
			}
		}
	}
	if share := float64(alarms) / float64(sims); share > 0.05+2*math.Sqrt(0.05*0.95/float64(sims)) {
		t.Errorf("of trials without a difference %.3f say that there is one", share)
	}
}

func TestVerdicts(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(9, 9))
	for name, c := range map[string]struct {
		fills, times int
		share        func(int, int) float64
		want         Verdict
		says         string
	}{
		"a difference":     {12, 3, func(_, s int) float64 { return []float64{1, 0.2}[s] }, Difference, "osprey meets more often than heron, in 12 of 12 fills; that is unlikely to be chance."},
		"no difference":    {40, 3, func(_, _ int) float64 { return 1 }, NoDifference, "osprey and heron: no difference that matters in how often each meets."},
		"too few fills":    {5, 9, func(_, s int) float64 { return float64(s) }, TooFew, "osprey and heron: too few to tell which more often meets: 27 fills more would."},
		"one fill":         {1, 15, func(_, s int) float64 { return float64(1 - s) }, Difference, "osprey meets more often than heron; that is unlikely to be chance, for this fill alone."},
		"nothing has come": {3, 0, func(_, _ int) float64 { return 0 }, TooFew, "osprey and heron have no fill yet to which both have answered."},
	} {
		size, replies := grid(r, c.fills, c.times, 2, 1, c.share)
		f := NewFigures(size, replies, Matters, 1)
		got := f.Contrasts[0]
		if says := got.Sentence("osprey", "heron", message.Plain("meets")).String(); got.Verdict != c.want || says != c.says {
			t.Errorf("%s: %+v says %q", name, got, says)
		}
	}
	// It is passed once the lower bound reaches the figure.
	for fills, passed := range map[int]bool{10: false, 17: true} {
		size, replies := grid(r, fills, 2, 1, 2, func(_, _ int) float64 { return 1 })
		if got := NewFigures(size, replies, Matters, 1).Passed(0, PassesAt); got != passed {
			t.Errorf("all of %d fills met: passed is %v", fills, got)
		}
	}
}

// One set-up is compared with none, and nothing may have come: what there is none of is empty, and
// no null to who reads it.
func TestFiguresOfLittle(t *testing.T) {
	t.Parallel()
	size, replies := grid(rand.New(rand.NewPCG(1, 1)), 2, 1, 1, 1, func(int, int) float64 { return 1 })
	for name, f := range map[string]Figures{
		"one set-up": NewFigures(size, replies, Matters, 1), "no reply": NewFigures(Size{3, 2, 2}, nil, Matters, 1), "no expectation": NewFigures(Size{2, 1, 0}, []Reply{{Words: 3, Cost: math.NaN()}}, Matters, 1),
	} {
		text, err := json.Marshal(f)
		if err != nil || strings.Contains(string(text), "null") {
			t.Errorf("%s: %s, %v", name, text, err)
		}
	}
}

func BenchmarkFigures(b *testing.B) {
	for _, c := range []struct {
		name                 string
		fills, setUps, times int
	}{{"100 fills, 4 set-ups, 25 times", 100, 4, 25}, {"1000 fills, 5 set-ups, 2 times", 1000, 5, 2}, {"2500 fills, 4 set-ups", 2500, 4, 1}} {
		b.Run(c.name, func(b *testing.B) {
			r := rand.New(rand.NewPCG(1, 1))
			size, replies := grid(r, c.fills, c.times, c.setUps, 5, func(f, s int) float64 { return float64(f%7+s) / 12 })
			for b.Loop() {
				NewFigures(size, replies, Matters, 1)
			}
		})
	}
}

package trial

import (
	"math"
	"math/rand/v2"
	"slices"
)

// Agreement is how far judges agree, 1 for wholly and 0 for as by chance, with its interval.
type Agreement struct {
	Value    float64  `json:"value"`
	Interval Interval `json:"interval"`
	Of       int      `json:"of"` // what was judged by more than one
}

// Krippendorff gives the agreement of several judges who each gave some units one of several
// kinds of answer: alpha for nominal data, its interval by bootstrap over units. Rows are
// units, their columns judges; an empty text is no answer. It is not ok where no unit has two
// answers, or all answers are the same. K. Krippendorff, "Computing Krippendorff's
// Alpha-Reliability", 2011.
func Krippendorff(units [][]string, level float64, seed uint64) (a Agreement, ok bool) {
	var judged [][]string
	for _, u := range units {
		given := slices.DeleteFunc(slices.Clone(u), func(s string) bool { return s == "" })
		if len(given) > 1 {
			judged = append(judged, given)
		}
	}
	value, ok := alpha(judged)
	if !ok {
		return Agreement{}, false
	}
	r := rand.New(rand.NewPCG(seed, uint64(len(judged))))
	var drawn []float64
	sample := make([][]string, len(judged))
	for range resamples {
		for i := range sample {
			sample[i] = judged[r.IntN(len(judged))]
		}
		v, varied := alpha(sample)
		if !varied {
			v = 1 // all the same: nobody disagrees
		}
		drawn = append(drawn, v)
	}
	slices.Sort(drawn)
	return Agreement{value, Interval{quantile(drawn, (1-level)/2), quantile(drawn, (1+level)/2)}, len(judged)}, true
}

// alpha works on units with two answers or more.
func alpha(units [][]string) (value float64, ok bool) {
	count, all, differ := map[string]float64{}, 0.0, 0.0
	for _, u := range units {
		m := float64(len(u))
		here := map[string]float64{}
		for _, answer := range u {
			here[answer]++
			count[answer]++
		}
		all += m
		same := 0.0
		for _, n := range here {
			same += n * (n - 1)
		}
		differ += (m*(m-1) - same) / (m - 1)
	}
	byChance := all * (all - 1)
	for _, n := range count {
		byChance -= n * (n - 1)
	}
	if byChance <= 0 {
		return 0, false
	}
	return 1 - (all-1)*differ/byChance, true
}

// Kappa gives the agreement of two who each said yes or no of the same things. J. Cohen, "A
// coefficient of agreement for nominal scales", Educational and Psychological Measurement 20,
// 1960; its interval by the standard error of J. L. Fleiss, J. Cohen and B. S. Everitt,
// "Large sample standard errors of kappa and weighted kappa", Psychological Bulletin 72, 1969.
// It is not ok where there is nothing, or both always said the same.
func Kappa(p Pairs, level float64) (a Agreement, ok bool) {
	n := float64(p.Of())
	if n == 0 {
		return Agreement{}, false
	}
	cells := [2][2]float64{{float64(p.Both) / n, float64(p.First) / n}, {float64(p.Second) / n, float64(p.Neither) / n}}
	rows := [2]float64{cells[0][0] + cells[0][1], cells[1][0] + cells[1][1]}
	columns := [2]float64{cells[0][0] + cells[1][0], cells[0][1] + cells[1][1]}
	agreed, chance := cells[0][0]+cells[1][1], rows[0]*columns[0]+rows[1]*columns[1]
	if chance >= 1 {
		return Agreement{}, false
	}
	kappa := (agreed - chance) / (1 - chance)
	sum := 0.0
	for i := range 2 {
		for j := range 2 {
			if i == j {
				sum += cells[i][i] * math.Pow(1-(rows[i]+columns[i])*(1-kappa), 2)
			} else {
				sum += (1 - kappa) * (1 - kappa) * cells[i][j] * math.Pow(columns[i]+rows[j], 2)
			}
		}
	}
	variance := (sum - math.Pow(kappa-chance*(1-kappa), 2)) / (n * (1 - chance) * (1 - chance))
	half := two(level) * math.Sqrt(max(0, variance))
	return Agreement{kappa, Interval{kappa - half, kappa + half}.clipped(-1, 1), p.Of()}, true
}

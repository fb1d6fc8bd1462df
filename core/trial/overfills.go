package trial

import (
	"math"
	"math/bits"
	"math/rand/v2"
	"slices"
)

// What is drawn by chance is drawn from the caller's seed, so that the same replies give the
// same figures.
const (
	flips     = 100_000 // of signs, where there are too many to try them all
	resamples = 2_000   // of fills

	exactFlips = 20 // fills
	exactRanks = 25 // differences
)

// samples gives how many times so many fills are drawn.
func samples(fills int) int { return max(200, min(resamples, 100*resamples/fills)) }

// Resampling draws fills with replacement, the same ones for every figure of a trial.
type Resampling struct {
	seed  uint64
	drawn map[int][]uint32 // by how many there are: that many places for each time
	t     map[int]float64  // Student's, by how many there are
}

// NewResampling draws from a seed.
func NewResampling(seed uint64) *Resampling {
	return &Resampling{seed, map[int][]uint32{}, map[int]float64{}}
}

func (r *Resampling) of(n int) []uint32 {
	at, done := r.drawn[n]
	if !done {
		source := rand.New(rand.NewPCG(r.seed, uint64(n)))
		at = make([]uint32, samples(n)*n)
		for i := range at {
			at[i] = source.Uint32N(uint32(n))
		}
		r.drawn[n] = at
	}
	return at
}

// MeanInterval gives the interval of a mean over fills, of values that lie between low and
// high, such as a rate of each fill or the difference of two. It is by bootstrap over fills,
// its percentiles drawn apart for so few (B. Efron and R. J. Tibshirani, "An Introduction to
// the Bootstrap", 1993, 13.3; T. C. Hesterberg, "What teachers should know about the
// bootstrap", The American Statistician 69, 2015, 3.3), and no narrower than Student's. Where
// all fills agree, it says how far they would be from that together if as many did not as
// could still be unseen, at most 1 − ((1 − level)/2)^(1/n) of them (C. J. Clopper and E. S. Pearson, Biometrika 26, 1934).
// Under two fills it is everything that there can be. The level is 0.95.
func (r *Resampling) MeanInterval(values []float64, low, high float64) Interval {
	n := len(values)
	if n < 2 {
		return Interval{low, high}
	}
	mean, spread := meanAndSpread(values)
	if spread == 0 {
		rare := 1 - math.Pow((1-level)/2, 1/float64(n))
		return Interval{mean - rare*(mean-low), mean + rare*(high-mean)}
	}
	t, known := r.t[n]
	if !known {
		t = student((1+level)/2, n-1)
		r.t[n] = t
	}
	half := t * spread / math.Sqrt(float64(n))
	tail := below(-math.Sqrt(float64(n)/float64(n-1)) * t)
	means := make([]float64, samples(n))
	at := r.of(n)
	for i := range means {
		sum := 0.0
		for _, k := range at[i*n : i*n+n] {
			sum += values[k]
		}
		means[i] = sum / float64(n)
	}
	slices.Sort(means)
	drawn := Interval{quantile(means, tail), quantile(means, 1-tail)}
	return Interval{min(drawn.Low, mean-half), max(drawn.High, mean+half)}.clipped(low, high)
}

func meanAndSpread(values []float64) (mean, spread float64) {
	for _, v := range values {
		mean += v
	}
	mean /= float64(len(values))
	if slices.Min(values) == slices.Max(values) {
		return values[0], 0 // not the roundings of a sum
	}
	for _, v := range values {
		spread += (v - mean) * (v - mean)
	}
	return mean, math.Sqrt(spread / float64(len(values)-1))
}

// quantile gives that of sorted values, between two of them in proportion (R. J. Hyndman and
// Y. Fan, "Sample quantiles in statistical packages", The American Statistician 50, 1996,
// definition 7).
func quantile(sorted []float64, p float64) float64 {
	if len(sorted) == 0 {
		return math.NaN()
	}
	at := p * float64(len(sorted)-1)
	i := int(at)
	if i+1 >= len(sorted) {
		return sorted[len(sorted)-1]
	}
	return sorted[i] + (at-float64(i))*(sorted[i+1]-sorted[i])
}

// student gives the quantile of Student's distribution with so many degrees of freedom. G. W.
// Hill, "Algorithm 396: Student's t-quantiles", Communications of the ACM 13, 1970; with a
// step of Newton's on the distribution itself.
func student(p float64, degrees int) float64 {
	v := float64(degrees)
	switch degrees {
	case 1:
		return math.Tan(math.Pi * (p - 0.5))
	case 2:
		a := 4 * p * (1 - p)
		return 2 * (p - 0.5) * math.Sqrt(2/a)
	}
	z := normal(p)
	t := z + (z*z*z+z)/(4*v) + (5*math.Pow(z, 5)+16*z*z*z+3*z)/(96*v*v)
	for range 20 {
		step := (studentBelow(t, v) - p) / studentDensity(t, v)
		if t -= step; math.Abs(step) < 1e-10 {
			break
		}
	}
	return t
}

func studentDensity(t, v float64) float64 {
	a, _ := math.Lgamma((v + 1) / 2)
	b, _ := math.Lgamma(v / 2)
	return math.Exp(a-b-(v+1)/2*math.Log1p(t*t/v)) / math.Sqrt(v*math.Pi)
}

// studentBelow integrates the density by Simpson's rule.
func studentBelow(t, v float64) float64 {
	const steps = 400
	sum, h := 0.0, t/steps
	for i := range steps {
		x := float64(i) * h
		sum += h / 6 * (studentDensity(x, v) + 4*studentDensity(x+h/2, v) + studentDensity(x+h, v))
	}
	return 0.5 + sum
}

// SignFlip gives the probability, where neither of two set-ups is better, of differences by
// fill whose mean is as far from nought as these or farther: each fill's difference might as
// well have had the other sign. It is exact up to 20 fills, and for any number where all
// differences are so many parts of a whole, as rates of the same number of replies are; else it is from
// 100,000 seeded flips. R. A. Fisher, "The Design of Experiments", 1935, 21; E. J. G. Pitman,
// "Significance tests which may be applied to samples from any populations", 1937.
func SignFlip(differences []float64, seed uint64) float64 {
	var sizes []float64
	sum := 0.0
	for _, d := range differences {
		if d != 0 { // its sign changes nothing
			sizes = append(sizes, math.Abs(d))
			sum += d
		}
	}
	far := math.Abs(sum) - 1e-9
	if parts, whole := inParts(sizes); parts != nil {
		return flipParts(parts, whole, far)
	}
	if len(sizes) <= exactFlips {
		return flipAll(sizes, far)
	}
	return flipSome(sizes, far, seed)
}

// mostParts is the largest whole that differences are looked for as parts of.
const mostParts = 1000

// inParts gives sizes as so many parts of a whole, or nothing where there is no such whole.
func inParts(sizes []float64) (parts []int, whole int) {
	for whole = 1; whole <= mostParts; whole++ {
		if parts = partsOf(sizes, whole); parts != nil {
			return parts, whole
		}
	}
	return nil, 0
}

func partsOf(sizes []float64, whole int) []int {
	parts := make([]int, len(sizes))
	for i, s := range sizes {
		n := math.Round(s * float64(whole))
		if math.Abs(s*float64(whole)-n) > 1e-9 || n > 1e6 {
			return nil
		}
		parts[i] = int(n)
	}
	return parts
}

// flipParts counts the ways to each sum, passing over what has a probability under 1e-18.
func flipParts(parts []int, whole int, far float64) float64 {
	all := 0
	for _, p := range parts {
		all += p
	}
	share := make([]float64, all+1) // of the flips whose minuses make up so much
	share[0] = 1
	from, to := 0, 0
	for _, p := range parts {
		to += p
		for s := to; s >= from; s-- {
			with := 0.0
			if s-p >= from {
				with = share[s-p]
			}
			share[s] = (share[s] + with) / 2
		}
		for from < to && share[from] < 1e-18 {
			share[from] = 0
			from++
		}
		for to > from && share[to] < 1e-18 {
			share[to] = 0
			to--
		}
	}
	as := 0.0
	for s := from; s <= to; s++ {
		if math.Abs(float64(all-2*s))/float64(whole) >= far {
			as += share[s]
		}
	}
	return min(as, 1)
}

// flipAll tries every flip: Gray's code changes one sign at a time, and half of them is enough,
// as the others mirror them.
func flipAll(sizes []float64, far float64) float64 {
	n, now, as := len(sizes), 0.0, 0
	for _, s := range sizes {
		now += s
	}
	minus := make([]bool, n)
	for k := 1; ; k++ {
		if math.Abs(now) >= far {
			as++
		}
		if k == 1<<(n-1) {
			return float64(as) / float64(k)
		}
		i := bits.TrailingZeros(uint(k))
		if minus[i] {
			now += 2 * sizes[i]
		} else {
			now -= 2 * sizes[i]
		}
		minus[i] = !minus[i]
	}
}

func flipSome(sizes []float64, far float64, seed uint64) float64 {
	r, as := rand.New(rand.NewPCG(seed, uint64(len(sizes)))), 1
	for range flips {
		now, signs := 0.0, uint64(0)
		for i, s := range sizes {
			if i%64 == 0 {
				signs = r.Uint64()
			}
			now += s * float64(int(signs&1)*2-1)
			signs >>= 1
		}
		if math.Abs(now) >= far {
			as++
		}
	}
	return float64(as) / (flips + 1)
}

// SignedRanks gives the probability, where neither of two set-ups has more, of differences by
// fill whose signed ranks are as uneven as these or more, from both sides. Noughts have ranks
// and no sign (J. W. Pratt, "Remarks on zeros and ties in the Wilcoxon signed rank
// procedures", Journal of the American Statistical Association 54, 1959); ties share the mean
// of their ranks. It is exact up to 25 differences, ties and all, else by the normal
// distribution with that variance. F. Wilcoxon, Biometrics Bulletin 1, 1945.
func SignedRanks(differences []float64) float64 {
	type sized struct{ size, sign float64 }
	all := make([]sized, len(differences))
	for i, d := range differences {
		all[i] = sized{math.Abs(d), sign(d)}
	}
	slices.SortFunc(all, func(a, b sized) int { return int(sign(a.size - b.size)) })
	var twice []int // the rank of each that is not nought, doubled so that it is whole
	positive, whole := 0, 0
	for i := 0; i < len(all); {
		j := i
		for j < len(all) && all[j].size == all[i].size {
			j++
		}
		rank := i + 1 + j // the mean of i+1 to j, doubled
		for ; i < j; i++ {
			if all[i].sign == 0 {
				continue
			}
			twice = append(twice, rank)
			whole += rank
			if all[i].sign > 0 {
				positive += rank
			}
		}
	}
	if len(twice) == 0 {
		return 1
	}
	least := min(positive, whole-positive)
	if len(twice) > exactRanks {
		variance := 0.0
		for _, r := range twice {
			variance += float64(r*r) / 4
		}
		return min(1, 2*below((float64(least)+1-float64(whole)/2)/math.Sqrt(variance)))
	}
	ways := make([]float64, whole+1)
	ways[0] = 1
	for _, r := range twice {
		for s := whole; s >= r; s-- {
			ways[s] += ways[s-r]
		}
	}
	tail := 0.0
	for s := 0; s <= least; s++ {
		tail += ways[s]
	}
	return min(1, 2*tail/math.Pow(2, float64(len(twice))))
}

func sign(d float64) float64 {
	switch {
	case d > 0:
		return 1
	case d < 0:
		return -1
	}
	return 0
}

// HodgesLehmann gives the middle of differences by fill: the median of the means of each two
// of them, each with itself as well. J. L. Hodges and E. L. Lehmann, "Estimates of location
// based on rank tests", Annals of Mathematical Statistics 34, 1963.
func HodgesLehmann(differences []float64) float64 {
	n := len(differences)
	if n == 0 {
		return math.NaN()
	}
	sorted := slices.Sorted(slices.Values(differences))
	pairs := n * (n + 1) / 2
	return (meanAt(sorted, (pairs+1)/2) + meanAt(sorted, pairs/2+1)) / 2
}

// meanAt gives the kth smallest mean of two, from 1, without making them all: it halves the
// range until no mean is left between its ends.
func meanAt(sorted []float64, k int) float64 {
	low, high := sorted[0], sorted[len(sorted)-1] // under k means are below low, k at least up to high
	for {
		middle := low + (high-low)/2
		if count, least, most := meansUpTo(sorted, middle); count >= k {
			if most <= low || middle == high {
				return most
			}
			high = most
		} else {
			if least >= high || middle == low {
				return least
			}
			low = least
		}
	}
}

// meansUpTo counts the means of two that are at most x, and gives the largest of them and the
// smallest of the others.
func meansUpTo(sorted []float64, x float64) (count int, above, upTo float64) {
	above, upTo = math.Inf(1), math.Inf(-1)
	j := len(sorted) - 1
	for i, d := range sorted {
		for j >= i && (d+sorted[j])/2 > x {
			above = min(above, (d+sorted[j])/2)
			j--
		}
		if j < i {
			above = min(above, d) // its mean with itself, and with those after it, is no less
			break
		}
		count += j - i + 1
		upTo = max(upTo, (d+sorted[j])/2)
	}
	return count, above, upTo
}

// Spread is how values lie: a quarter of them at or below Low, half below Median.
type Spread struct {
	Low    float64 `json:"low"`
	Median float64 `json:"median"`
	High   float64 `json:"high"`
}

// SpreadOf gives the quartiles of values; those of none are nought.
func SpreadOf(values []float64) Spread {
	if len(values) == 0 {
		return Spread{}
	}
	sorted := slices.Sorted(slices.Values(values))
	return Spread{quantile(sorted, 0.25), quantile(sorted, 0.5), quantile(sorted, 0.75)}
}

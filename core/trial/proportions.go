package trial

import (
	"math"
	"slices"
)

// Interval is where a figure lies, by the evidence there is, at a level such as 0.95. Low is
// never above High.
type Interval struct {
	Low  float64 `json:"low"`
	High float64 `json:"high"`
}

// Within says whether an interval lies wholly inside ± a size.
func (i Interval) Within(size float64) bool { return i.Low > -size && i.High < size }

// clipped keeps an interval to what its figure can be at all.
func (i Interval) clipped(low, high float64) Interval {
	return Interval{max(low, min(i.Low, high)), min(high, max(i.High, low))}
}

// normal gives the quantile of the standard normal distribution.
func normal(p float64) float64 { return math.Sqrt2 * math.Erfinv(2*p-1) }

// below gives the probability of a standard normal value under z.
func below(z float64) float64 { return math.Erfc(-z/math.Sqrt2) / 2 }

// two gives the quantile for both sides of a level: 1.96 for 0.95.
func two(level float64) float64 { return normal((1 + level) / 2) }

// Wilson gives the score interval of a share, met of so many that are independent of each
// other. Of none it is from 0 to 1. E. B. Wilson, "Probable inference, the law of succession,
// and statistical inference", Journal of the American Statistical Association 22, 1927.
func Wilson(met, of int, level float64) Interval {
	if of == 0 {
		return Interval{0, 1}
	}
	n, z := float64(of), two(level)
	p := float64(met) / n
	middle, half := p+z*z/(2*n), z*math.Sqrt(p*(1-p)/n+z*z/(4*n*n))
	i := Interval{(middle - half) / (1 + z*z/n), (middle + half) / (1 + z*z/n)}
	if met == 0 {
		i.Low = 0
	}
	if met == of {
		i.High = 1
	}
	return i
}

// Newcombe gives the interval of the difference of two shares that are independent of each
// other, the first less the second: Wilson's limits squared and added. R. G. Newcombe,
// "Interval estimation for the difference between independent proportions: comparison of
// eleven methods", Statistics in Medicine 17, 1998, method 10.
func Newcombe(met1, of1, met2, of2 int, level float64) Interval {
	if of1 == 0 || of2 == 0 {
		return Interval{-1, 1}
	}
	p1, p2 := float64(met1)/float64(of1), float64(met2)/float64(of2)
	one, other := Wilson(met1, of1, level), Wilson(met2, of2, level)
	return Interval{
		p1 - p2 - math.Hypot(p1-one.Low, other.High-p2),
		p1 - p2 + math.Hypot(one.High-p1, p2-other.Low),
	}
}

// Pairs are the counts of pairs of which both, the first alone, the second alone or neither
// met something.
type Pairs struct{ Both, First, Second, Neither int }

// Of is how many pairs there are.
func (p Pairs) Of() int { return p.Both + p.First + p.Second + p.Neither }

// Newcombe gives the interval of the difference of the two shares of pairs, the first less
// the second. R. G. Newcombe, "Improved confidence intervals for the difference between
// binomial proportions based on paired data", Statistics in Medicine 17, 1998, method 10:
// Wilson's limits squared and added with the correlation of the two, its numerator corrected
// for continuity.
func (p Pairs) Newcombe(level float64) Interval {
	of := p.Of()
	if of == 0 {
		return Interval{-1, 1}
	}
	a, b, c, d, n := float64(p.Both), float64(p.First), float64(p.Second), float64(p.Neither), float64(of)
	p1, p2 := (a+b)/n, (a+c)/n
	one, other := Wilson(p.Both+p.First, of, level), Wilson(p.Both+p.Second, of, level)
	phi := 0.0
	if product := (a + b) * (c + d) * (a + c) * (b + d); product > 0 {
		over := a*d - b*c
		if over > 0 {
			over = max(over-n/2, 0)
		}
		phi = over / math.Sqrt(product)
	}
	l1, u1, l2, u2 := p1-one.Low, one.High-p1, p2-other.Low, other.High-p2
	return Interval{
		p1 - p2 - math.Sqrt(max(0, l1*l1-2*phi*l1*u2+u2*u2)),
		p1 - p2 + math.Sqrt(max(0, u1*u1-2*phi*u1*l2+l2*l2)),
	}
}

// Fisher gives the probability of a table as uneven as this one or more where two shares are
// the same, from both sides: that of all tables with its margins that are no likelier than
// itself. R. A. Fisher, "The Design of Experiments", 1935.
func Fisher(met1, of1, met2, of2 int) float64 {
	met, all := met1+met2, of1+of2
	logOf := func(k int) float64 { return logChoose(of1, k) + logChoose(of2, met-k) - logChoose(all, met) }
	this, p := logOf(met1), 0.0
	for k := max(0, met-of2); k <= min(of1, met); k++ {
		if l := logOf(k); l <= this+1e-7 {
			p += math.Exp(l)
		}
	}
	return min(p, 1)
}

// McNemar gives the probability, where neither is better, of pairs that differ as unevenly as
// these or more: exact, from both sides. Q. McNemar, "Note on the sampling error of the
// difference between correlated proportions or percentages", Psychometrika 12, 1947; exact as
// a binomial test of the pairs that differ.
func (p Pairs) McNemar() float64 { return signs(p.First, p.Second) }

// SignTest gives the probability, where neither is preferred, of a preference as uneven as
// this or more, from both sides. Ties are left out. J. Arbuthnot, 1710; W. J. Conover,
// "Practical Nonparametric Statistics", 3rd edition, 1999, 3.4.
func SignTest(first, second int) float64 { return signs(first, second) }

func signs(first, second int) float64 {
	n, p := first+second, 0.0
	for k := range min(first, second) + 1 {
		p += math.Exp(logChoose(n, k) - float64(n)*math.Ln2)
	}
	return min(2*p, 1)
}

func logChoose(n, k int) float64 {
	if k < 0 || k > n {
		return math.Inf(-1)
	}
	return logFactorial(n) - logFactorial(k) - logFactorial(n-k)
}

func logFactorial(n int) float64 {
	l, _ := math.Lgamma(float64(n) + 1)
	return l
}

// Holm gives each probability as it counts among all of its family: reject those that are at
// most the level, and none of a family without differences is rejected more often than that.
// S. Holm, "A simple sequentially rejective multiple test procedure", Scandinavian Journal of
// Statistics 6, 1979. One that is not a number is of a test that was not made, and stays.
func Holm(all []float64) []float64 {
	order := []int{}
	adjusted := slices.Clone(all)
	for i, p := range all {
		if !math.IsNaN(p) {
			order = append(order, i)
		}
	}
	slices.SortFunc(order, func(i, j int) int {
		switch {
		case all[i] < all[j]:
			return -1
		case all[i] > all[j]:
			return 1
		}
		return 0
	})
	highest := 0.0
	for k, i := range order {
		highest = max(highest, min(1, float64(len(order)-k)*all[i]))
		adjusted[i] = highest
	}
	return adjusted
}

package voice

import (
	"cmp"
	"math"
	"slices"
)

// Characteristic is a word or an opening that somebody uses more than others do.
type Characteristic struct {
	Text   string
	Times  int
	G2     float64 // the log-likelihood ratio
	Rate   float64 // of 10,000 words, or of 1,000 sentences
	Others float64 // the same of the background
}

// G2 is the log-likelihood ratio of something that stands a times among c in one text and
// b times among d in another (T. Dunning, "Accurate methods for the statistics of surprise
// and coincidence", 1993, in the form of P. Rayson and R. Garside, "Comparing corpora using
// frequency profiling", 2000): above 10.83 it is chance once in a thousand times.
func G2(a, c, b, d float64) float64 {
	if c+d == 0 {
		return 0
	}
	expectedA, expectedB := c*(a+b)/(c+d), d*(a+b)/(c+d)
	sum := 0.0
	if a > 0 {
		sum += a * math.Log(a/expectedA)
	}
	if b > 0 {
		sum += b * math.Log(b/expectedB)
	}
	return 2 * sum
}

const (
	surprising = 10.83 // G² with a probability of one in a thousand
	unlikely   = 6.63  // of one in a hundred
	leastTimes = 4     // of a word
	leastBegun = 3     // of an opening
	mostShown  = 12
)

// Words gives the words most characteristic of a style against a background, the most so
// first: twelve at most, none that stands there less than four times, or that chance
// might bring there once in a thousand times.
func (p *Profile) Words(b *Background) []Characteristic {
	return characteristic(p.words, p.total, b.sum.words, b.sum.total, leastTimes, surprising, 10_000)
}

// Openings gives the first two words of sentences, in the same way; chance might bring one
// of them there once in a hundred times.
func (p *Profile) Openings(b *Background) []Characteristic {
	return characteristic(p.openings, sum(p.openings), b.sum.openings, sum(b.sum.openings), leastBegun, unlikely, 1000)
}

// Avoided gives the words that others use and the style does not, or hardly.
func (p *Profile) Avoided(b *Background) []Characteristic {
	return characteristic(b.sum.words, b.sum.total, p.words, p.total, leastTimes, surprising, 10_000)
}

func sum(of map[string]int) (n int) {
	for _, times := range of {
		n += times
	}
	return n
}

func characteristic(own map[string]int, ownOf int, others map[string]int, othersOf, leastTimes int, least, per float64) (all []Characteristic) {
	c, d := float64(ownOf), float64(othersOf)
	for text, times := range own {
		a, b := float64(times), float64(others[text])
		if times < leastTimes || d == 0 || a/c <= b/d || letters(text) == 0 {
			continue
		}
		if g := G2(a, c, b, d); g >= least {
			all = append(all, Characteristic{text, times, g, per * a / c, per * b / d})
		}
	}
	slices.SortFunc(all, func(x, y Characteristic) int { return cmp.Or(cmp.Compare(y.G2, x.G2), cmp.Compare(x.Text, y.Text)) })
	return all[:min(mostShown, len(all))]
}

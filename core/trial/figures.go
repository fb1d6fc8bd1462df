// Package trial is how replies of models are judged: what each is expected to hold to, and
// what many of them say of the set-ups that brought them. The unit is the fill: replies to one
// fill are not independent of each other, so that what is said beyond one fill is worked out
// over fills.
package trial

import (
	"math"
	"slices"

	"goldshelf/core/message"
)

const (
	level      = 0.95
	LeastFills = 6 // under which nothing is said of set-ups but for one fill
	power      = 0.8

	// Matters is the smallest difference of two pass rates that matters, if nobody says.
	Matters = 0.2
	// PassesAt is what the lower bound of a pass rate reaches where a trial is passed, if the
	// policy does not say.
	PassesAt = 0.8
)

// Reply is what a reply of a trial was found to be.
type Reply struct {
	Fill, SetUp int     // from 0
	Met         []State // of each expectation
	Words       float64
	Seconds     float64
	Tokens      float64
	Cost        float64 // NaN where it is not known
}

// All says whether a reply has met every expectation; it is unknown while any is, unless one
// is missed already.
func (r Reply) All() State {
	all := Met
	for _, s := range r.Met {
		switch s {
		case Missed:
			return Missed
		case Unknown:
			all = Unknown
		}
	}
	return all
}

// Every stands for all expectations together, where others have their number.
const Every = -1

func (r Reply) state(expectation int) State {
	if expectation == Every {
		return r.All()
	}
	return r.Met[expectation]
}

// PassRate is how often replies of a set-up met something.
type PassRate struct {
	SetUp       int      `json:"set_up"`
	Expectation int      `json:"expectation"` // -1 for all together
	Met         int      `json:"met"`         // replies
	Of          int      `json:"of"`
	Fills       int      `json:"fills"` // that these are of
	Value       float64  `json:"value"` // the mean over fills of each fill's share
	Interval    Interval `json:"interval"`
}

// Verdict is what a difference amounts to.
type Verdict string

// The verdicts.
const (
	Difference   Verdict = "difference"    // it is unlikely to be chance
	NoDifference Verdict = "no-difference" // there is none that matters
	TooFew       Verdict = "too-few"       // nobody can tell yet
)

// Contrast is how two set-ups differ in how often they meet something.
type Contrast struct {
	First       int      `json:"first"`
	Second      int      `json:"second"`
	Expectation int      `json:"expectation"` // -1 for all together
	Fills       int      `json:"fills"`       // that both have replies to
	Ahead       int      `json:"ahead"`       // of those, where the first met it more often
	Behind      int      `json:"behind"`      // where the second did
	Value       float64  `json:"value"`       // the first's rate less the second's
	Interval    Interval `json:"interval"`
	P           float64  `json:"p"`
	Adjusted    float64  `json:"adjusted"` // as it counts among all contrasts of the trial
	Verdict     Verdict  `json:"verdict"`
	More        int      `json:"more"` // fills that would tell; of one fill, replies of each set-up
	OneFill     bool     `json:"one_fill"`
}

// Measure is something that is measured of replies.
type Measure struct {
	Name  string       `json:"name"`
	Title message.Text `json:"title"`
	Unit  message.Text `json:"unit"`
}

// Measures gives what is measured of replies: words, seconds, tokens and money.
func Measures() []Measure {
	return []Measure{
		{"words", message.Plain("Length"), message.Plain("words")},
		{"seconds", message.Plain("Time"), message.Plain("seconds")},
		{"tokens", message.Plain("Tokens written"), message.Plain("tokens")},
		{"cost", message.Plain("Cost"), message.Plain("money")},
	}
}

func (r Reply) measured(measure int) float64 {
	return [...]float64{r.Words, r.Seconds, r.Tokens, r.Cost}[measure]
}

// Distribution is how something that is measured lies among the replies of a set-up.
type Distribution struct {
	SetUp   int    `json:"set_up"`
	Measure string `json:"measure"`
	Of      int    `json:"of"` // replies
	Spread
}

// Shift is by how much two set-ups differ in something that is measured.
type Shift struct {
	First    int     `json:"first"`
	Second   int     `json:"second"`
	Measure  string  `json:"measure"`
	Fills    int     `json:"fills"`
	Value    float64 `json:"value"` // by the Hodges–Lehmann estimate, the first less the second
	P        float64 `json:"p"`     // by Wilcoxon's signed ranks
	Adjusted float64 `json:"adjusted"`
	Verdict  Verdict `json:"verdict"` // difference or too few
}

// Figures are all that a trial says.
type Figures struct {
	Rates         []PassRate     `json:"rates"`
	Contrasts     []Contrast     `json:"contrasts"`
	Distributions []Distribution `json:"distributions"`
	Shifts        []Shift        `json:"shifts"`
}

// Size is how large a trial is.
type Size struct{ Fills, SetUps, Expectations int }

// NewFigures works out what replies say. A difference of less than matters (from 0 to 1) does
// not count. The same replies and seed give the same figures.
func NewFigures(size Size, replies []Reply, matters float64, seed uint64) Figures {
	w := worker{size: size, bySetUp: make([][]Reply, size.SetUps), drawn: NewResampling(seed), matters: matters, seed: seed}
	for _, r := range replies {
		w.bySetUp[r.SetUp] = append(w.bySetUp[r.SetUp], r)
	}
	f := Figures{[]PassRate{}, []Contrast{}, []Distribution{}, []Shift{}} // with one set-up some stay empty
	for e := Every; e < size.Expectations; e++ {
		if e == 0 && size.Expectations == 1 {
			break // all together say the same
		}
		f.ofExpectation(&w, e)
	}
	w.judge(f.Contrasts)
	for m := range Measures() {
		f.ofMeasure(&w, m)
	}
	ps := make([]float64, len(f.Shifts))
	for i, s := range f.Shifts {
		ps[i] = s.P
	}
	for i, p := range Holm(ps) {
		s := &f.Shifts[i]
		s.Adjusted, s.Verdict = p, TooFew
		if p <= 1-level && s.Fills >= LeastFills {
			s.Verdict = Difference
		}
	}
	return f
}

type worker struct {
	size    Size
	bySetUp [][]Reply
	drawn   *Resampling
	matters float64
	seed    uint64

	spreads []float64 // of the differences by fill, of each contrast
}

// counts are the replies of a set-up to each fill, and how many of them met something.
type counts struct{ met, of []int }

func (w *worker) count(setUp, expectation int) counts {
	c := counts{make([]int, w.size.Fills), make([]int, w.size.Fills)}
	for _, r := range w.bySetUp[setUp] {
		switch r.state(expectation) {
		case Met:
			c.met[r.Fill]++
			c.of[r.Fill]++
		case Missed:
			c.of[r.Fill]++
		}
	}
	return c
}

func (c counts) rate(fill int) float64 { return float64(c.met[fill]) / float64(c.of[fill]) }

func (f *Figures) ofExpectation(w *worker, e int) {
	all := make([]counts, w.size.SetUps)
	for s := range all {
		all[s] = w.count(s, e)
		f.Rates = append(f.Rates, w.rate(s, e, all[s]))
	}
	for i := range all {
		for j := i + 1; j < len(all); j++ {
			c, spread := w.contrast(all[i], all[j])
			c.First, c.Second, c.Expectation = i, j, e
			f.Contrasts = append(f.Contrasts, c)
			w.spreads = append(w.spreads, spread)
		}
	}
}

func (w *worker) rate(setUp, e int, c counts) PassRate {
	r := PassRate{SetUp: setUp, Expectation: e, Interval: Interval{0, 1}}
	var values []float64
	for fill, of := range c.of {
		if of > 0 {
			r.Met, r.Of = r.Met+c.met[fill], r.Of+of
			values = append(values, c.rate(fill))
		}
	}
	r.Fills = len(values)
	if r.Fills == 0 {
		return r
	}
	r.Value, _ = meanAndSpread(values)
	if r.Fills == 1 || r.Of == r.Fills {
		r.Interval = Wilson(r.Met, r.Of, level)
	} else {
		r.Interval = w.drawn.MeanInterval(values, 0, 1)
	}
	return r
}

// contrast gives how two differ, and the spread of their differences by fill.
func (w *worker) contrast(one, two counts) (c Contrast, spread float64) {
	c.P, c.Interval = math.NaN(), Interval{-1, 1}
	var differences []float64
	var pairs Pairs
	replies, last := 0, 0
	for fill := range one.of {
		if one.of[fill] == 0 || two.of[fill] == 0 {
			continue
		}
		last = fill
		replies += one.of[fill] + two.of[fill]
		d := one.rate(fill) - two.rate(fill)
		differences = append(differences, d)
		switch {
		case d > 0:
			c.Ahead++
			pairs.First++
		case d < 0:
			c.Behind++
			pairs.Second++
		case one.met[fill] > 0:
			pairs.Both++
		default:
			pairs.Neither++
		}
	}
	c.Fills = len(differences)
	if c.Fills == 0 {
		return c, 0
	}
	c.Value, spread = meanAndSpread(differences)
	switch {
	case w.size.Fills == 1:
		c.OneFill = true
		c.P = Fisher(one.met[last], one.of[last], two.met[last], two.of[last])
		c.Interval = Newcombe(one.met[last], one.of[last], two.met[last], two.of[last], level)
		p, q := one.rate(last), two.rate(last)
		spread = math.Sqrt(p*(1-p) + q*(1-q))
	case replies == 2*c.Fills:
		c.P = pairs.McNemar()
		c.Interval = pairs.Newcombe(level)
	default:
		c.P = SignFlip(differences, w.seed)
		c.Interval = w.drawn.MeanInterval(differences, -1, 1)
	}
	return c, spread
}

// judge says what contrasts amount to, all of them taken as one family.
func (w *worker) judge(all []Contrast) {
	ps := make([]float64, len(all))
	for i, c := range all {
		ps[i] = c.P
	}
	for i, p := range Holm(ps) {
		c := &all[i]
		c.Adjusted = p
		enough := c.OneFill || c.Fills >= LeastFills
		switch {
		case enough && c.Interval.Within(w.matters):
			c.Verdict = NoDifference
		case enough && p <= 1-level:
			c.Verdict = Difference
		default:
			c.Verdict = TooFew
			c.More = w.more(*c, w.spreads[i], len(all))
		}
		if math.IsNaN(p) { // JSON has no such number
			c.P, c.Adjusted = 1, 1
		}
	}
}

// more gives how many fills more would tell a difference that matters from none, with a power
// of 0.8 at the level that a family of so many leaves each: ((z + z) × spread ÷ difference)²,
// by the normal distribution (J. Cohen, "Statistical Power Analysis for the Behavioral
// Sciences", 2nd edition, 1988). Where all fills agree, a spread as of one fill in so many
// that does not is taken.
func (w *worker) more(c Contrast, spread float64, family int) int {
	have := c.Fills
	if c.OneFill {
		have = 0
		for _, r := range w.bySetUp[c.First] {
			if r.state(c.Expectation) != Unknown {
				have++
			}
		}
	}
	rare := 1 / float64(max(have, 2))
	spread = max(spread, math.Sqrt(rare*(1-rare)))
	z := normal(1-(1-level)/2/float64(max(family, 1))) + normal(power)
	want := int(math.Ceil(math.Pow(z*spread/w.matters, 2)))
	return max(want, LeastFills, have+1) - have
}

func (f *Figures) ofMeasure(w *worker, m int) {
	name := Measures()[m].Name
	medians := make([][]float64, w.size.SetUps) // by fill, NaN for none
	any := false
	for s, replies := range w.bySetUp {
		var all []float64
		byFill := make([][]float64, w.size.Fills)
		for _, r := range replies {
			if v := r.measured(m); !math.IsNaN(v) {
				all = append(all, v)
				byFill[r.Fill] = append(byFill[r.Fill], v)
			}
		}
		medians[s] = make([]float64, w.size.Fills)
		for i, values := range byFill {
			medians[s][i] = math.NaN()
			if len(values) > 0 {
				medians[s][i] = SpreadOf(values).Median
			}
		}
		any = any || len(all) > 0
		f.Distributions = append(f.Distributions, Distribution{SetUp: s, Measure: name, Of: len(all), Spread: SpreadOf(all)})
	}
	if !any {
		f.Distributions = f.Distributions[:len(f.Distributions)-w.size.SetUps]
		return
	}
	for i := range medians {
		for j := i + 1; j < len(medians); j++ {
			var differences []float64
			for fill, v := range medians[i] {
				if d := v - medians[j][fill]; !math.IsNaN(d) {
					differences = append(differences, d)
				}
			}
			s := Shift{First: i, Second: j, Measure: name, Fills: len(differences), P: 1}
			if len(differences) > 0 {
				s.Value, s.P = HodgesLehmann(differences), SignedRanks(differences)
			}
			f.Shifts = append(f.Shifts, s)
		}
	}
}

// Passed says whether a set-up's replies met every expectation often enough: the lower bound
// of the rate's interval reaches a figure.
func (f Figures) Passed(setUp int, at float64) bool {
	i := slices.IndexFunc(f.Rates, func(r PassRate) bool { return r.SetUp == setUp && r.Expectation == Every })
	return i >= 0 && f.Rates[i].Of > 0 && f.Rates[i].Interval.Low >= at-1e-9
}

// Sentence says in plain words what a contrast amounts to, with the set-ups' names and what
// the expectation is called, such as "keeps to 120 words".
func (c Contrast) Sentence(first, second string, does message.Text) message.Text {
	switch {
	case c.Fills == 0:
		return message.Say("%s and %s have no fill yet to which both have answered.", first, second)
	case c.Verdict == NoDifference && c.OneFill:
		return message.Say("%s and %s: no difference that matters in how often each %s, for this fill alone.", first, second, does)
	case c.Verdict == NoDifference:
		return message.Say("%s and %s: no difference that matters in how often each %s.", first, second, does)
	case c.Verdict == TooFew && c.OneFill:
		return message.Say("%s and %s: too few to tell which more often %s: %s more of each would, for this fill alone.", first, second, does, message.Counted(c.More, "reply", "replies"))
	case c.Verdict == TooFew:
		return message.Say("%s and %s: too few to tell which more often %s: %s more would.", first, second, does, message.Counted(c.More, "fill", "fills"))
	}
	ahead := c.Ahead
	if c.Value < 0 {
		first, second, ahead = second, first, c.Behind
	}
	if c.OneFill {
		return message.Say("%s %s more often than %s; that is unlikely to be chance, for this fill alone.", first, does, second)
	}
	return message.Say("%s %s more often than %s, in %d of %s; that is unlikely to be chance.", first, does, second, ahead, message.Counted(c.Fills, "fill", "fills"))
}

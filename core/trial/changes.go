package trial

import (
	"reflect"
	"slices"

	"goldshelf/core/message"
)

// Trend is what became of how often a text meets what is expected of it.
type Trend string

// The changes.
const (
	Unchanged Trend = "none" // no difference that matters
	Better    Trend = "better"
	Worse     Trend = "worse"
	Untold    Trend = "too-few" // nobody can tell yet
)

// Said gives the change for people.
func (t Trend) Said() message.Text {
	switch t {
	case Better:
		return message.Plain("better")
	case Worse:
		return message.Plain("worse")
	case Unchanged:
		return message.Plain("no difference that matters")
	}
	return message.Plain("too few to tell")
}

// Changes sets the replies of a trial beside those of an earlier one to the same fills under
// the same set-ups: a contrast for each set-up, all of them one family, in which the first is
// what was before. First and Second are both the set-up's number.
func Changes(size Size, before, now []Reply, matters float64, seed uint64) []Contrast {
	w := worker{size: size, bySetUp: make([][]Reply, 2*size.SetUps), drawn: NewResampling(seed), matters: matters, seed: seed}
	for _, r := range before {
		w.bySetUp[r.SetUp] = append(w.bySetUp[r.SetUp], r)
	}
	for _, r := range now {
		w.bySetUp[size.SetUps+r.SetUp] = append(w.bySetUp[size.SetUps+r.SetUp], r)
	}
	all := make([]Contrast, size.SetUps)
	for s := range all {
		c, spread := w.contrast(w.count(s, Every), w.count(size.SetUps+s, Every))
		c.First, c.Second, c.Expectation = s, s, Every
		all[s], w.spreads = c, append(w.spreads, spread)
	}
	w.judge(all)
	return all
}

// TrendOf sums up contrasts whose first is what was before: worse wherever one is worse.
func TrendOf(all []Contrast) Trend {
	has := func(is func(Contrast) bool) bool { return slices.ContainsFunc(all, is) }
	switch {
	case has(func(c Contrast) bool { return c.Verdict == Difference && c.Value > 0 }):
		return Worse
	case has(func(c Contrast) bool { return c.Verdict == Difference }):
		return Better
	case len(all) == 0, has(func(c Contrast) bool { return c.Verdict == TooFew }):
		return Untold
	}
	return Unchanged
}

// Since says in plain words what a contrast of [Changes] amounts to, with the set-up's name and
// what the expectation is called, such as "keeps to 120 words".
func (c Contrast) Since(setUp string, does message.Text) message.Text {
	switch {
	case c.Fills == 0:
		return message.Say("%s: no fill was answered both before and now.", setUp)
	case c.Verdict == NoDifference:
		return message.Say("%s: no difference that matters in how often it %s.", setUp, does)
	case c.Verdict == TooFew && c.OneFill:
		return message.Say("%s: too few to tell whether it %s more or less often than before: %s more would.", setUp, does, message.Counted(c.More, "reply", "replies"))
	case c.Verdict == TooFew:
		return message.Say("%s: too few to tell whether it %s more or less often than before: %s more would.", setUp, does, message.Counted(c.More, "fill", "fills"))
	}
	less, in := "less", c.Ahead
	if c.Value < 0 {
		less, in = "more", c.Behind
	}
	if c.OneFill {
		return message.Say("%s %s %s often than before; that is unlikely to be chance, for this fill alone.", setUp, does, message.Plain(less))
	}
	return message.Say("%s %s %s often than before, in %d of %s; that is unlikely to be chance.", setUp, does, message.Plain(less), in, message.Counted(c.Fills, "fill", "fills"))
}

// TrendBy says what the version of another entry changes that some set-ups have in place:
// each beside those that are the same but for that.
func (p Design) TrendBy(f Figures) Trend {
	var all []Contrast
	for _, c := range f.Contrasts {
		one, two := p.SetUps[c.First], p.SetUps[c.Second]
		if c.Expectation != Every || one.With == two.With || one.With != "" && two.With != "" || !one.sameBut(two) {
			continue
		}
		if one.With != "" {
			c.Value = -c.Value
		}
		all = append(all, c)
	}
	return TrendOf(all)
}

// sameBut says whether two set-ups are the same but for the other entry's version, and what
// they are called.
func (s SetUp) sameBut(other SetUp) bool {
	s.With, s.Title, other.With, other.Title = "", "", "", ""
	return reflect.DeepEqual(s, other)
}

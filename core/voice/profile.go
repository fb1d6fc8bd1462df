package voice

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"sort"
	"strings"
)

// functionWords are the words that say little by themselves, and that people use each in
// their own measure without thinking (F. Mosteller and D. L. Wallace, "Inference and
// Disputed Authorship", 1964).
var functionWords = strings.Fields("a about above after again against all almost along already also although always among an and another any are around as at away back be because been before being below between both but by can cannot could did do does down during each either else enough even ever every few first for from further had has have having he her here hers him his how however i if in instead into is it its itself just last least less like many may me might mine more most much must my near never next no nor not nothing now of off often on once one only onto or other our out over own per perhaps please quite rather same shall she should since so some something soon still such than that the their them then there therefore these they this those though through thus to together too towards two under unless until up upon us very was we well were what when where whether which while who whom whose why will with within without would yet you your")

var functionWord = func() map[string]int {
	all := map[string]int{}
	for i, w := range functionWords {
		all[w] = i
	}
	return all
}()

// Profile is what is known of how somebody writes, or of a text that is set beside it.
type Profile struct {
	Figures Figures

	english  bool
	all      tally   // of everything, weighted
	function []int32 // how often each function word stands there
	words    map[string]int
	total    int // words
	openings map[string]int
	ratios   []float64 // of the windows of all samples, in hundredths
	habits   habits

	// Of the sentences before each, and of all at the end.
	before         []tally
	functionBefore [][]int32
}

// NewProfile takes samples together. Intervals say whether its figures have them.
func NewProfile(samples []Sample, intervals bool) *Profile {
	c := count(samples)
	p := &Profile{
		Figures: Measured(samples, intervals), english: c.english, all: c.all,
		function: make([]int32, len(functionWords)), words: map[string]int{}, openings: map[string]int{},
		before: make([]tally, 1), functionBefore: [][]int32{make([]int32, len(functionWords))},
	}
	for _, s := range samples {
		for i := range s.Text.Paragraphs {
			par := &s.Text.Paragraphs[i]
			for k := range par.Sentences {
				one := countSentence(&par.Sentences[k], s.Text.lexicon, c.english)
				if k == 0 {
					one[paragraphs] = 1
					if par.Item {
						one[listItems] = 1
					}
				}
				one.add(&p.before[len(p.before)-1], 1)
				p.before = append(p.before, one)
				p.read(par.Sentences[k].Words, s.Text.lexicon)
				p.functionBefore = append(p.functionBefore, slices.Clone(p.function))
			}
		}
		p.ratios = append(p.ratios, windowRatios(s.Text)...)
	}
	p.habits = p.newHabits()
	return p
}

func (p *Profile) read(all []Word, lexicon []lexeme) {
	for _, word := range all {
		w := &lexicon[word.lexeme]
		p.words[w.text]++
		p.total++
		if w.function >= 0 {
			p.function[w.function]++
		}
	}
	if len(all) > 2 {
		p.openings[lexicon[all[0].lexeme].text+" "+lexicon[all[1].lexeme].text]++
	}
}

// sentence gives what one of the sentences has.
func (p *Profile) sentence(i int) tally {
	t := p.before[i+1]
	t.sub(&p.before[i])
	return t
}

// stretch is so many words in a row, to the end of a sentence.
type stretch struct {
	tally    tally
	function []int32
	variety  float64
	longest  float64 // words of a sentence
}

const mostStretches = 30

// stretches gives stretches of a length in words, spread over all of the samples; none
// where they are shorter.
func (p *Profile) stretches(length int) (all []stretch) {
	last := len(p.before) - 1
	starts := sort.Search(last, func(i int) bool { return p.before[last][words]-p.before[i][words] < float64(length) })
	step := max(1, (starts+mostStretches-1)/mostStretches)
	for from := 0; from < starts; from += step {
		to := from + sort.Search(last-from, func(n int) bool { return p.before[from+n][words]-p.before[from][words] >= float64(length) })
		one := stretch{tally: p.before[to], function: make([]int32, len(functionWords))}
		one.tally.sub(&p.before[from])
		one.tally[paragraphs] = max(1, one.tally[paragraphs])
		for f := range one.function {
			one.function[f] = p.functionBefore[to][f] - p.functionBefore[from][f]
		}
		for i := from; i < to; i++ {
			one.longest = max(one.longest, p.before[i+1][words]-p.before[i][words])
		}
		all = append(all, one)
	}
	p.addVariety(all)
	return all
}

// addVariety gives each stretch the variety of as many windows, spread alike.
func (p *Profile) addVariety(all []stretch) {
	flat := p.ratios
	if len(flat) == 0 {
		return
	}
	sums := make([]float64, len(flat)+1)
	for i, r := range flat {
		sums[i+1] = sums[i] + r
	}
	for i := range all {
		n := max(1, int(all[i].tally[words])-windowWords)
		from := 0
		if room := len(flat) - n; room > 0 {
			from = room * i / max(1, len(all)-1)
		}
		to := min(len(flat), from+n)
		all[i].variety = (sums[to] - sums[from]) / float64(to-from)
	}
}

// whole gives everything as one stretch.
func (p *Profile) whole() stretch {
	s := stretch{tally: p.all, function: p.function, variety: p.Figures.figure("variety").Value}
	s.tally[paragraphs] = max(1, s.tally[paragraphs])
	return s
}

// counted features, each out of so many words or sentences.
var features = []struct{ of, to int }{
	{longWords, words}, {contractions, words}, {firstPerson, words}, {secondPerson, words}, {thirdPerson, words}, {questions, sentences},
	{exclamations, sentences}, {dashes, words}, {semicolons, words}, {brackets, words}, {hedges, words}, {intensifiers, words}, {passives, sentences},
	{sentences, words},
}

// Background is what other people's writing is like, beside which a style is its own.
type Background struct {
	sum   Profile
	usual []usualWord // the most so first
}

// usualWord is a word, and the standard deviation of how often styles use it.
type usualWord struct {
	text   string
	spread float64
}

// NewBackground takes styles together, each counting as much as another.
func NewBackground(profiles []*Profile) *Background {
	b := &Background{}
	b.sum.function, b.sum.words, b.sum.openings = make([]int32, len(functionWords)), map[string]int{}, map[string]int{}
	for _, p := range profiles {
		b.sum.all.add(&p.all, 1)
		b.sum.total += p.total
		for i, n := range p.function {
			b.sum.function[i] += n
		}
		for w, n := range p.words {
			b.sum.words[w] += n
		}
		for w, n := range p.openings {
			b.sum.openings[w] += n
		}
	}
	b.usual = usual(profiles, b.sum.words)
	return b
}

const usualWords = 150

// usual gives the words that are used most of all, as far as styles differ in them.
func usual(profiles []*Profile, together map[string]int) (all []usualWord) {
	words := slices.SortedFunc(maps.Keys(together), func(a, b string) int {
		return cmp.Or(cmp.Compare(together[b], together[a]), cmp.Compare(a, b))
	})
	k := float64(len(profiles))
	for _, w := range words[:min(usualWords, len(words))] {
		mean, square := 0.0, 0.0
		for _, one := range profiles {
			r := one.rateOf(w)
			mean, square = mean+r/k, square+r*r
		}
		if sd := math.Sqrt(max(0, (square-k*mean*mean)/max(1, k-1))); sd > 1e-12 {
			all = append(all, usualWord{w, sd})
		}
	}
	return all
}

const (
	prior          = 400  // words of background that stand beside a style's own, so that nothing is impossible
	usualSentence  = 16   // words
	syllableSpread = 0.95 // the standard deviation of the syllables of a word, in English
	mostDeviance   = 30   // of one feature, so that none decides alone
)

// rate is how often something is to be expected in a style.
func rate(own, ownOf, others, othersOf float64, prior float64) float64 {
	background := (others + 0.5) / (othersOf + 1)
	return (own + prior*background) / (ownOf + prior)
}

// deviance is how much a count differs from what is expected: the squared deviance
// residual of a Poisson count (P. McCullagh and J. A. Nelder, "Generalized Linear Models",
// 1989, 2.4).
func deviance(seen, expected float64) float64 {
	if seen == 0 {
		return 2 * expected
	}
	return 2 * (seen*math.Log(seen/expected) - (seen - expected))
}

// distance is how far a stretch is from how a style reads: the root of the mean squared
// residual over the function words and the figures. It is about 1 for what the style
// itself might have. A stretch of the style's own is set beside the rest of it.
func (p *Profile) distance(s, own *stretch, b *Background) float64 {
	sum, n := 0.0, 0.0
	all, total := p.all, float64(p.total)
	if own != nil {
		all.sub(&own.tally)
		total -= own.tally[words]
	}
	if p.english {
		for i, seen := range s.function {
			times := p.function[i]
			if own != nil {
				times -= own.function[i]
			}
			expected := rate(float64(times), total, float64(b.sum.function[i]), float64(b.sum.total), prior) * s.tally[words]
			sum += min(deviance(float64(seen), expected), mostDeviance)
		}
		n += float64(len(functionWords))
	}
	for _, f := range features {
		beside := float64(prior)
		if f.to == sentences {
			beside = prior / usualSentence
		}
		expected := rate(max(0, all[f.of]), max(0, all[f.to]), b.sum.all[f.of], b.sum.all[f.to], beside) * s.tally[f.to]
		sum += min(deviance(s.tally[f.of], expected), mostDeviance)
	}
	n += float64(len(features))
	if p.english {
		usual, seen := all[syllables]/max(1, all[words]), s.tally[syllables]/max(1, s.tally[words])
		z := (seen - usual) * math.Sqrt(s.tally[words]) / syllableSpread
		sum += min(z*z, mostDeviance)
		n++
	}
	return math.Sqrt(sum / n)
}

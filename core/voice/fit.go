package voice

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"goldshelf/core/message"
)

// Fit is how near a text is to how a style reads.
type Fit struct {
	Words    int
	Figures  []FitFigure
	Distance float64 // about 1 for what the style's own samples have
	Own      float64 // below it are 95 % of the samples' own stretches of that length
	Near     Nearness
	Delta    float64 // Burrows's, from 500 words on
	HasDelta bool
	Stands   []StandsOut  // the sentences that stand out most, the most so first
	Note     message.Text // why it says less than it might
}

// Nearness is a distance in a word.
type Nearness string

// How near a text is: within what the samples have themselves, up to half as much again,
// or more.
const (
	Near    Nearness = "near"
	Off     Nearness = "some way off"
	Far     Nearness = "far off"
	Unknown Nearness = "too little to say"
)

// Said gives the word for people.
func (n Nearness) Said() message.Text {
	switch n {
	case Near:
		return message.Plain("near")
	case Off:
		return message.Plain("some way off")
	case Far:
		return message.Plain("far off")
	}
	return message.Plain("too little to say")
}

// FitFigure is one of a text's figures beside the range of a style's.
type FitFigure struct {
	Name  string
	Value float64
	Low   float64 // the range of 95 % of the samples' own stretches of that length
	High  float64
	Where Where
	Note  message.Text // why it is not set beside them
}

// Where is where a figure is beside a range.
type Where string

// Inside and the rest are where a figure can be.
const (
	Inside  Where = "inside"
	Above   Where = "above"
	Below   Where = "below"
	Nowhere Where = ""
)

// Said gives the word for people.
func (w Where) Said() message.Text {
	switch w {
	case Inside:
		return message.Plain("inside")
	case Above:
		return message.Plain("above")
	case Below:
		return message.Plain("below")
	}
	return message.Text{}
}

const (
	leastFit   = 30  // words, to say how near a text is
	leastDelta = 500 // words
	mostStands = 5   // sentences
)

// Fit sets a text beside a style. The text has been taken for a profile without intervals.
func (p *Profile) Fit(text *Text, of *Profile, b *Background) Fit {
	f := Fit{Words: of.Figures.Words, Near: Unknown}
	whole := of.whole()
	own := p.stretches(f.Words)
	f.Figures = p.figuresBeside(of, own)
	switch {
	case p.Figures.Words == 0:
		f.Note = message.Say("the style has no samples")
		return f
	case f.Words < leastFit:
		f.Note = message.Say("the text is too short to set it beside a style: it wants %s more", message.Counted(leastFit-f.Words, "word", "words"))
	case !p.english || !of.english:
		f.Note = message.Say("only what does not depend on English words is set beside the style")
	}
	f.Distance = p.distance(&whole, nil, b)
	if f.Words >= leastFit && len(own) > 1 {
		f.Own = p.ownDistance(own, b)
		switch {
		case f.Distance <= f.Own:
			f.Near = Near
		case f.Distance <= f.Own*1.5:
			f.Near = Off
		default:
			f.Near = Far
		}
	} else if f.Note.IsZero() {
		f.Note = message.Say("the samples are shorter than the text: they want %s more", message.Counted(max(1, 2*f.Words-p.Figures.Words), "word", "words"))
	}
	if f.Words >= leastDelta && of.english && p.english {
		f.Delta, f.HasDelta = p.delta(of, b), true
	}
	f.Stands = p.standsOut(text, of)
	return f
}

func (p *Profile) ownDistance(own []stretch, b *Background) float64 {
	all := make([]float64, len(own))
	for i := range own {
		all[i] = p.distance(&own[i], &own[i], b)
	}
	slices.Sort(all)
	return quantile(all, 0.95)
}

// figuresBeside sets each figure beside the range of the samples' own stretches.
func (p *Profile) figuresBeside(of *Profile, own []stretch) []FitFigure {
	values := make([]float64, len(own))
	var all []FitFigure
	for i, m := range measures {
		one := FitFigure{Name: m.Name, Value: of.Figures.All[i].Value}
		switch {
		case m.Name == "longest-sentence":
			one.Value = of.longest()
		case m.Name == "variety":
			one.Value = mean(of.ratios)
		case !of.Figures.All[i].Known && m.of != nil && of.Figures.Words > 0 && (of.english || !m.english):
			one.Value = m.of(&of.all) // it is set beside stretches that are as short
		}
		switch {
		case m.english && !(p.english && of.english):
			one.Note = message.Say("not measured in this language")
		case m.Name == "variety" && (of.Figures.Words < windowWords || len(own) == 0 || own[0].variety == 0):
			one.Note = message.Say("too short to say")
		case len(own) < 2:
			one.Note = message.Say("the samples are too short to say")
		case of.Figures.Words < leastFit:
			one.Note = message.Say("too short to say")
		default:
			for k := range own {
				values[k] = own[k].value(m)
			}
			slices.Sort(values)
			one.Low, one.High, one.Where = quantile(values, 0.025), quantile(values, 0.975), Inside
			if one.Value > one.High+1e-9 {
				one.Where = Above
			} else if one.Value < one.Low-1e-9 {
				one.Where = Below
			}
		}
		all = append(all, one)
	}
	return all
}

func mean(all []float64) float64 {
	sum := 0.0
	for _, v := range all {
		sum += v
	}
	return sum / max(1, float64(len(all)))
}

func (p *Profile) longest() (n float64) {
	for i := range len(p.before) - 1 {
		n = max(n, p.before[i+1][words]-p.before[i][words])
	}
	return n
}

// value gives what a measure is of a stretch.
func (s *stretch) value(m Measure) float64 {
	switch m.Name {
	case "variety":
		return s.variety
	case "longest-sentence":
		return s.longest
	}
	return m.of(&s.tally)
}

// delta is Burrows's Delta ("'Delta': a measure of stylistic difference and a guide to
// likely authorship", 2002): over the 150 words that the background uses most, the mean
// difference of the text's rate and the style's, each in standard deviations over the
// background's styles.
func (p *Profile) delta(of *Profile, b *Background) float64 {
	sum := 0.0
	for _, w := range b.usual {
		sum += math.Abs(of.rateOf(w.text)-p.rateOf(w.text)) / w.spread
	}
	return sum / float64(max(1, len(b.usual)))
}

func (p *Profile) rateOf(word string) float64 {
	return float64(p.words[word]) / float64(max(1, p.total))
}

// StandsOut is a sentence that the style would hardly have.
type StandsOut struct {
	Start, End int // bytes of the text
	Reasons    []Reason
}

// Reason is why a sentence stands out, and what would bring it nearer.
type Reason struct{ Why, Instead message.Text }

// standsOut gives the sentences that have most of what the samples hardly have.
func (p *Profile) standsOut(text *Text, of *Profile) []StandsOut {
	if p.Figures.Words < 100 {
		return nil
	}
	h := &p.habits
	type scored struct {
		StandsOut
		score float64
	}
	var all []scored
	for i, s := range text.Sentences() {
		one := scored{StandsOut: StandsOut{Start: s.Start, End: s.End}}
		t := of.sentence(i)
		add := func(score float64, why, instead message.Text) {
			one.score += score
			one.Reasons = append(one.Reasons, Reason{why, instead})
		}
		if t[words] > h.longest {
			add(t[words]/h.longest, message.Say("It has %.0f words; of the samples’ sentences hardly one has more than %.0f.", t[words], h.longest), message.Say("Cut it in two."))
		}
		for _, r := range rareThings {
			if t[r.of] > 0 && h.rate(r.of, r.to) < r.least && (p.english && of.english || !r.english) {
				why := message.Say("%s.", r.why)
				if has := shown(&s, text.lexicon, r.of); has != "" {
					why = message.Say("%s: %s.", r.why, has)
				}
				add(r.score, why, r.instead)
			}
		}
		if p.english && of.english && t[words] >= 6 && t[syllables]/t[words] > h.syllables {
			add(1, message.Say("Its words are long (%s); the samples’ are shorter.", strings.Join(longest(&s, text.lexicon), ", ")), message.Say("Choose shorter words."))
		}
		if one.score > 0 {
			all = append(all, one)
		}
	}
	slices.SortStableFunc(all, func(a, b scored) int { return cmp.Compare(b.score, a.score) })
	var stands []StandsOut
	for _, s := range all[:min(mostStands, len(all))] {
		stands = append(stands, s.StandsOut)
	}
	return stands
}

// rareThings are what a sentence has that stands out where the samples have hardly any: so
// many of 1,000 words, or of 100 sentences.
var rareThings = []struct {
	of, to       int
	least        float64
	english      bool
	score        float64
	why, instead message.Text
}{
	{passives, sentences, 10, true, 1, message.Plain("It reads as passive, and the samples hardly do"), message.Plain("Say who does it.")},
	{contractions, words, 1, true, 1, message.Plain("It draws words together, and the samples do not"), message.Plain("Write them out.")},
	{questions, sentences, 1, false, 1, message.Plain("It asks, and the samples do not"), message.Plain("Say it as a statement.")},
	{exclamations, sentences, 1, false, 1, message.Plain("It exclaims, and the samples do not"), message.Plain("End it with a full stop.")},
	{semicolons, words, 0.5, false, 0.7, message.Plain("It has a semicolon, and the samples have none"), message.Plain("Make it two sentences.")},
	{dashes, words, 0.5, false, 0.7, message.Plain("It has a dash, and the samples have none"), message.Plain("Use a comma or a full stop.")},
	{brackets, words, 0.5, false, 0.7, message.Plain("It has brackets, and the samples have none"), message.Plain("Take out what stands in them, or say it by itself.")},
	{hedges, words, 2, true, 0.7, message.Plain("It hedges, and the samples hardly do"), message.Plain("Say it straight, or leave it out.")},
	{intensifiers, words, 1, true, 0.7, message.Plain("It presses, and the samples hardly do"), message.Plain("Leave the word out.")},
	{firstPerson, words, 1, true, 0.5, message.Plain("It speaks of the writer, and the samples do not"), message.Plain("Say it without the writer.")},
	{secondPerson, words, 1, true, 0.5, message.Plain("It speaks to the reader, and the samples do not"), message.Plain("Say it without the reader.")},
}

// habits are what the samples’ sentences are like.
type habits struct {
	longest, syllables float64 // 97.5 % of them have less
	all                *tally
}

func (p *Profile) newHabits() habits {
	var lengths, syllable []float64
	for i := range len(p.before) - 1 {
		t := p.sentence(i)
		lengths = append(lengths, t[words])
		if t[words] >= 6 {
			syllable = append(syllable, t[syllables]/t[words])
		}
	}
	slices.Sort(lengths)
	slices.Sort(syllable)
	return habits{max(5, quantile(lengths, 0.975)), quantile(syllable, 0.975), &p.all}
}

func (h habits) rate(of, to int) float64 {
	times := 1000.0
	if to == sentences {
		times = 100
	}
	return times * h.all[of] / max(1, h.all[to])
}

// shown gives the words of a sentence that are of a class, and nothing for what has none.
func shown(s *Sentence, lexicon []lexeme, of int) string {
	class := map[int]byte{hedges: ofHedge, intensifiers: ofIntensifier, firstPerson: ofFirst, secondPerson: ofSecond}[of]
	var all []string
	for i := range s.Words {
		w := &lexicon[s.Words[i].lexeme]
		if of == contractions && w.contraction == 1 || class != 0 && w.class == class {
			if quoted := "“" + w.text + "”"; !slices.Contains(all, quoted) {
				all = append(all, quoted)
			}
		}
	}
	return strings.Join(all, ", ")
}

// longest gives the three words of a sentence with the most syllables.
func longest(s *Sentence, lexicon []lexeme) (all []string) {
	var long []lexeme
	for i := range s.Words {
		w := lexicon[s.Words[i].lexeme]
		if w.syllables > 2 && !slices.ContainsFunc(long, func(l lexeme) bool { return l.text == w.text }) {
			long = append(long, w)
		}
	}
	slices.SortStableFunc(long, func(a, b lexeme) int { return cmp.Compare(b.syllables, a.syllables) })
	for _, w := range long[:min(3, len(long))] {
		all = append(all, w.text)
	}
	return all
}

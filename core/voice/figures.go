package voice

import (
	"math"
	"math/bits"
	"slices"
	"strings"

	"goldshelf/core/message"
)

// Measure is something that is measured of a text.
type Measure struct {
	Name  string
	Title message.Text
	Unit  message.Text
	About string // how it is worked out, with its source
	Words int    // below which it says nothing

	english bool // it depends on English words
	of      func(t *tally) float64
}

// Measures gives what is measured, in the order in which it is shown.
func Measures() []Measure { return slices.Clone(measures) }

func ratio(of, to int, times float64) func(*tally) float64 {
	return func(t *tally) float64 {
		if t[to] == 0 {
			return 0
		}
		return times * t[of] / t[to]
	}
}

const (
	perHundred  = 100
	perThousand = 1000
)

var measures = []Measure{
	{Name: "sentence-length", Title: message.Plain("Sentence length"), Unit: message.Plain("words"), Words: 100, of: ratio(words, sentences, 1),
		About: "Words for each sentence, the mean."},
	{Name: "sentence-spread", Title: message.Plain("Spread of sentence length"), Unit: message.Plain("words"), Words: 150, of: spread,
		About: "The standard deviation of the words for each sentence, with n − 1 below."},
	{Name: "longest-sentence", Title: message.Plain("Longest sentence"), Unit: message.Plain("words"),
		About: "The words of the longest sentence. It has no interval: it grows with the text."},
	{Name: "syllables", Title: message.Plain("Syllables a word"), Unit: message.Plain("syllables"), Words: 100, english: true, of: ratio(syllables, words, 1),
		About: "Syllables for each word, estimated from groups of vowels and from endings that are not spoken."},
	{Name: "reading-ease", Title: message.Plain("Reading ease"), Unit: message.Plain("points"), Words: 100, english: true, of: readingEase,
		About: "206.835 − 1.015 × words a sentence − 84.6 × syllables a word. R. Flesch, “A new readability yardstick”, 1948."},
	{Name: "reading-grade", Title: message.Plain("Reading grade"), Unit: message.Plain("years of school"), Words: 100, english: true, of: readingGrade,
		About: "0.39 × words a sentence + 11.8 × syllables a word − 15.59. J. P. Kincaid, R. P. Fishburne, R. L. Rogers and B. S. Chissom, “Derivation of new readability formulas”, 1975."},
	{Name: "long-words", Title: message.Plain("Long words"), Unit: message.Plain("of 100 words"), Words: 100, of: ratio(longWords, words, perHundred),
		About: "Words of more than six letters, of 100 words. C.-H. Björnsson, “Läsbarhet”, 1968."},
	{Name: "variety", Title: message.Plain("Variety of words"), Unit: message.Plain("of 100 words"), Words: 100,
		About: "The moving-average type–token ratio: of each 50 words in a row the share that are different, the mean of all. M. A. Covington and J. D. McFall, “Cutting the Gordian knot”, 2010."},
	{Name: "contractions", Title: message.Plain("Contractions"), Unit: message.Plain("of 1,000 words"), Words: 200, english: true, of: ratio(contractions, words, perThousand),
		About: "Words drawn together with an apostrophe (don’t, we’ll, it’s), of 1,000 words; genitives apart. A mark of involved style in D. Biber, “Variation across Speech and Writing”, 1988."},
	{Name: "first-person", Title: message.Plain("I and we"), Unit: message.Plain("of 1,000 words"), Words: 200, english: true, of: ratio(firstPerson, words, perThousand),
		About: "Pronouns of the first person, of 1,000 words. D. Biber, 1988."},
	{Name: "second-person", Title: message.Plain("You"), Unit: message.Plain("of 1,000 words"), Words: 200, english: true, of: ratio(secondPerson, words, perThousand),
		About: "Pronouns of the second person, of 1,000 words. D. Biber, 1988."},
	{Name: "third-person", Title: message.Plain("He, she, it and they"), Unit: message.Plain("of 1,000 words"), Words: 200, english: true, of: ratio(thirdPerson, words, perThousand),
		About: "Pronouns of the third person, of 1,000 words. D. Biber, 1988."},
	{Name: "questions", Title: message.Plain("Questions"), Unit: message.Plain("of 100 sentences"), Words: 200, of: ratio(questions, sentences, perHundred),
		About: "Sentences that end with a question mark, of 100."},
	{Name: "exclamations", Title: message.Plain("Exclamations"), Unit: message.Plain("of 100 sentences"), Words: 200, of: ratio(exclamations, sentences, perHundred),
		About: "Sentences that end with an exclamation mark and no question mark, of 100."},
	{Name: "dashes", Title: message.Plain("Dashes"), Unit: message.Plain("of 1,000 words"), Words: 200, of: ratio(dashes, words, perThousand),
		About: "Dashes between words, and hyphens with spaces around them, for 1,000 words."},
	{Name: "semicolons", Title: message.Plain("Semicolons"), Unit: message.Plain("of 1,000 words"), Words: 200, of: ratio(semicolons, words, perThousand),
		About: "Semicolons for 1,000 words."},
	{Name: "brackets", Title: message.Plain("Brackets"), Unit: message.Plain("of 1,000 words"), Words: 200, of: ratio(brackets, words, perThousand),
		About: "Opening round and square brackets for 1,000 words."},
	{Name: "paragraph-length", Title: message.Plain("Paragraph length"), Unit: message.Plain("words"), Words: 200, of: ratio(words, paragraphs, 1),
		About: "Words for each paragraph, an item of a list being one, the mean."},
	{Name: "lists", Title: message.Plain("Lists"), Unit: message.Plain("of 100 paragraphs"), Words: 200, of: ratio(listItems, paragraphs, perHundred),
		About: "Paragraphs that are items of lists, of 100."},
	{Name: "hedges", Title: message.Plain("Hedges"), Unit: message.Plain("of 1,000 words"), Words: 200, english: true, of: ratio(hedges, words, perThousand),
		About: "Words that leave room (perhaps, may, usually), of 1,000 words. The words are from K. Hyland, “Metadiscourse”, 2005."},
	{Name: "intensifiers", Title: message.Plain("Intensifiers"), Unit: message.Plain("of 1,000 words"), Words: 200, english: true, of: ratio(intensifiers, words, perThousand),
		About: "Words that press (very, completely, truly), of 1,000 words. The words are amplifiers from R. Quirk and others, “A Comprehensive Grammar of the English Language”, 1985."},
	{Name: "passive", Title: message.Plain("Passive sentences"), Unit: message.Plain("of 100 sentences"), Words: 200, english: true, of: ratio(passives, sentences, perHundred),
		About: "Sentences with a form of “be” and a past participle after it, of 100: an estimate, since “was tired” looks like one."},
}

func spread(t *tally) float64 {
	n := t[sentences]
	if n < 2 {
		return 0
	}
	return math.Sqrt(max(0, (t[wordsSquared]-t[words]*t[words]/n)/(n-1)))
}

func readingEase(t *tally) float64 {
	if t[words] == 0 {
		return 0
	}
	return 206.835 - 1.015*t[words]/t[sentences] - 84.6*t[syllables]/t[words]
}

func readingGrade(t *tally) float64 {
	if t[words] == 0 {
		return 0
	}
	return 0.39*t[words]/t[sentences] + 11.8*t[syllables]/t[words] - 15.59
}

// Figure is what a measure gives of texts.
type Figure struct {
	Name  string
	Value float64
	Low   float64 // the 95 % interval, where it has one
	High  float64
	Known bool         // the value says something
	Range bool         // Low and High do
	Note  message.Text // why not, and what would help
}

// Figures are all that is measured of texts.
type Figures struct {
	Words, Sentences, Paragraphs int
	All                          []Figure     // one of each measure
	Note                         message.Text // what cannot be measured at all, and why
}

// Sample is a text by somebody, and how much it counts beside others: 1 as a rule.
type Sample struct {
	Text   *Text
	Weight float64
}

const (
	resamples   = 1000
	leastParts  = 5 // paragraphs, or windows, for an interval
	windowWords = 50
)

// Measured gives the figures of samples taken together, with 95 % intervals by the
// percentile bootstrap over paragraphs, and over windows for the variety of words (B. Efron
// and R. J. Tibshirani, "An Introduction to the Bootstrap", 1993, 13.3), if it is asked for
// them. The same samples give the same intervals.
func Measured(samples []Sample, intervals bool) Figures {
	c := count(samples)
	f := Figures{Words: int(c.plain[words]), Sentences: int(c.plain[sentences]), Paragraphs: int(c.plain[paragraphs]), Note: c.note}
	variety, windows := c.variety()
	var ranges [][2]float64
	if intervals {
		ranges = c.ranges(windows)
	}
	for i, m := range measures {
		one := Figure{Name: m.Name}
		switch {
		case m.english && !c.english:
			one.Note = c.why
		case c.unspaced && m.Name != "questions" && m.Name != "exclamations" && m.Name != "lists":
			one.Note = message.Say("words are not parted in this script")
		case f.Words < m.Words || f.Words == 0:
			one.Note = message.Say("too short to say: it wants %s more", message.Counted(max(1, m.Words-f.Words), "word", "words"))
		default:
			one.Known = true
			switch m.Name {
			case "longest-sentence":
				one.Value = float64(c.longest)
			case "variety":
				one.Value = variety
			default:
				one.Value = m.of(&c.all)
			}
			if intervals && m.Name != "longest-sentence" {
				one.Note = c.tooFew(m.Name, f, len(windows))
				if one.Range = one.Note.IsZero(); one.Range {
					one.Low, one.High = ranges[i][0], ranges[i][1]
				}
			}
		}
		f.All = append(f.All, one)
	}
	return f
}

// tooFew says what is missing for an interval.
func (c *counted) tooFew(name string, f Figures, windows int) message.Text {
	parts := len(c.parts)
	if name == "variety" {
		parts = windows
	}
	if parts >= leastParts {
		return message.Text{}
	}
	more := (leastParts - parts) * max(windowWords, f.Words/max(1, parts))
	return message.Say("no interval: it wants about %s more", message.Counted(more, "word", "words"))
}

// counted is what was counted of samples.
type counted struct {
	parts    []tally // of paragraphs, weighted
	all      tally   // their sum
	plain    tally   // unweighted
	longest  int
	texts    []*Text
	weights  []float64
	english  bool
	unspaced bool
	why      message.Text // English is not measured
	note     message.Text
}

func count(samples []Sample) *counted {
	c := &counted{english: true}
	strange, all := 0, 0
	for _, s := range samples {
		c.texts, c.weights = append(c.texts, s.Text), append(c.weights, s.Weight)
		strange, all = strange+s.Text.unspaced, all+s.Text.words
		if why := s.Text.notEnglish(); !why.IsZero() && c.english {
			c.english, c.why = false, why
			c.note = message.Say("%s: syllables, readability, contractions, persons, hedges, intensifiers and passives are not measured", why)
		}
	}
	if c.unspaced = strange > all/4; c.unspaced {
		c.english, c.why = false, message.Say("words are not parted in this script")
		c.note = message.Say("%s: only questions, exclamations and lists are measured", c.why)
	}
	for _, s := range samples {
		for i := range s.Text.Paragraphs {
			p := &s.Text.Paragraphs[i]
			sum := countParagraph(p, s.Text.lexicon, c.english)
			for k := range p.Sentences {
				c.longest = max(c.longest, len(p.Sentences[k].Words))
			}
			c.plain.add(&sum, 1)
			var part tally
			part.add(&sum, s.Weight)
			c.all.add(&part, 1)
			c.parts = append(c.parts, part)
		}
	}
	return c
}

func countParagraph(p *Paragraph, lexicon []lexeme, english bool) (sum tally) {
	for i := range p.Sentences {
		one := countSentence(&p.Sentences[i], lexicon, english)
		sum.add(&one, 1)
	}
	sum[paragraphs] = 1
	if p.Item {
		sum[listItems] = 1
	}
	return sum
}

// notEnglish says why a text is not measured as English, or nothing: its language says so,
// or hardly one of its words is among the most usual of English.
func (t *Text) notEnglish() message.Text {
	if tag := strings.ToLower(t.Language); tag != "" && tag != "en" && !strings.HasPrefix(tag, "en-") {
		return message.Say("it is in another language than English (%s)", t.Language)
	}
	if t.words < 40 {
		return message.Text{}
	}
	usual := 0
	for _, p := range t.Paragraphs {
		for _, s := range p.Sentences {
			for _, w := range s.Words {
				if t.lexicon[w.lexeme].usual {
					usual++
				}
			}
		}
	}
	if usual*100 < t.words*12 {
		return message.Say("it does not read as English")
	}
	return message.Text{}
}

var mostUsual = set("the of and to in that it is was for on with as be at by this have from or not but are they you we he she i his her an which will one all there when who if no what your so can has had were their do my our its would up out about them than then")

// variety is the moving-average type–token ratio in hundredths, of all windows, weighted by
// samples; and that of windows side by side, for an interval.
func (c *counted) variety() (mean float64, apart []float64) {
	sum, weight := 0.0, 0.0
	for i, t := range c.texts {
		ratios := windowRatios(t)
		for k, r := range ratios {
			sum += c.weights[i] * r
			weight += c.weights[i]
			if k%windowWords == 0 {
				apart = append(apart, r)
			}
		}
	}
	if weight > 0 {
		mean = sum / weight
	}
	return mean, apart
}

// windowRatios gives of each 50 words in a row how many of 100 are different.
func windowRatios(t *Text) []float64 {
	if t.words < windowWords {
		return nil
	}
	ids := make([]int32, 0, t.words)
	for _, p := range t.Paragraphs {
		for _, s := range p.Sentences {
			for _, w := range s.Words {
				ids = append(ids, w.lexeme)
			}
		}
	}
	in := make([]int32, len(t.lexicon))
	different := 0
	ratios := make([]float64, 0, len(ids)-windowWords+1)
	for i, id := range ids {
		if in[id]++; in[id] == 1 {
			different++
		}
		if i >= windowWords {
			old := ids[i-windowWords]
			if in[old]--; in[old] == 0 {
				different--
			}
		}
		if i >= windowWords-1 {
			ratios = append(ratios, 100*float64(different)/windowWords)
		}
	}
	return ratios
}

// ranges gives the interval of each measure.
func (c *counted) ranges(windows []float64) [][2]float64 {
	draw := draws(len(c.parts)) // the same each time
	drawn := make([][]float64, len(measures))
	for i := range drawn {
		drawn[i] = make([]float64, resamples)
	}
	for n := range resamples {
		var sum tally
		for range c.parts {
			part := &c.parts[draw.below(len(c.parts))]
			for k := range sum {
				sum[k] += part[k]
			}
		}
		for i, m := range measures {
			if m.of != nil {
				drawn[i][n] = m.of(&sum)
			}
		}
	}
	ranges := make([][2]float64, len(measures))
	for i, m := range measures {
		if m.Name == "variety" && len(windows) > 0 {
			for n := range resamples {
				sum := 0.0
				for range windows {
					sum += windows[draw.below(len(windows))]
				}
				drawn[i][n] = sum / float64(len(windows))
			}
		}
		slices.Sort(drawn[i])
		ranges[i] = [2]float64{quantile(drawn[i], 0.025), quantile(drawn[i], 0.975)}
	}
	return ranges
}

// draws are numbers without a pattern, the same from the same beginning (G. L. Steele, D. Lea
// and C. H. Flood, "Fast splittable pseudorandom number generators", 2014).
type draws uint64

// below gives a number from 0 on that is less than n.
func (d *draws) below(n int) int {
	*d += 0x9e3779b97f4a7c15
	z := uint64(*d)
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	high, _ := bits.Mul64(z^z>>31, uint64(n))
	return int(high)
}

// quantile gives a quantile of sorted values, between two of them in proportion (R. J.
// Hyndman and Y. Fan, "Sample quantiles in statistical packages", 1996, definition 7).
func quantile(sorted []float64, q float64) float64 {
	if len(sorted) == 0 {
		return math.NaN()
	}
	at := q * float64(len(sorted)-1)
	low := int(at)
	high := min(low+1, len(sorted)-1)
	return sorted[low] + (at-float64(low))*(sorted[high]-sorted[low])
}

// figure gives one of a text's figures by its name.
func (f Figures) figure(name string) Figure {
	i := slices.IndexFunc(f.All, func(one Figure) bool { return one.Name == name })
	return f.All[max(i, 0)]
}

package voice

import "strings"

// What is counted of a sentence or a paragraph; every figure but a few comes from the sums.
const (
	words = iota
	sentences
	wordsSquared // of each sentence
	syllables
	longWords
	contractions
	firstPerson
	secondPerson
	thirdPerson
	questions
	exclamations
	dashes
	semicolons
	brackets
	paragraphs
	listItems
	hedges
	intensifiers
	passives
	counts
)

// tally is how many there are of each; it may be weighted.
type tally [counts]float64

func (t *tally) add(o *tally, weight float64) {
	for i := range t {
		t[i] += weight * o[i]
	}
}

func (t *tally) sub(o *tally) {
	for i := range t {
		t[i] -= o[i]
	}
}

// countSentence counts what a sentence has.
func countSentence(s *Sentence, lexicon []lexeme, english bool) (t tally) {
	n := float64(len(s.Words))
	t[words], t[sentences], t[wordsSquared] = n, 1, n*n
	t[dashes], t[semicolons], t[brackets] = float64(s.marks.dashes), float64(s.marks.semicolons), float64(s.marks.brackets)
	switch s.Stop {
	case '?':
		t[questions]++
	case '!':
		t[exclamations]++
	}
	for i := range s.Words {
		w := &lexicon[s.Words[i].lexeme]
		t[longWords] += float64(w.long)
		if !english {
			continue
		}
		t[syllables] += float64(w.syllables)
		t[contractions] += float64(w.contraction)
		if w.class != 0 {
			t[classCounts[w.class]]++
		}
	}
	if english && isPassive(s.Words, lexicon) {
		t[passives]++
	}
	return t
}

// lexeme is a word and what is to be known of it.
type lexeme struct {
	text              string // in lower case, with curly apostrophes straight
	syllables         uint8
	long, contraction uint8 // 1 for yes
	class             uint8
	part              uint8 // in a passive
	function          int16 // its number among the function words, or -1
	usual             bool
}

func newLexeme(text string) lexeme {
	w := lexeme{text: text, syllables: uint8(min(255, Syllables(text))), function: -1, usual: mostUsual[text]}
	if letters(text) > 6 {
		w.long = 1
	}
	base, after, short := strings.Cut(text, "'")
	if short && isContraction(base, after) {
		w.contraction = 1
	}
	w.class = classes[base]
	if f, is := functionWord[base]; is {
		w.function = int16(f)
	}
	switch {
	case formsOfBe[text]:
		w.part = be
	case isParticiple(text):
		w.part = participle
	case between[text] || strings.HasSuffix(text, "ly"):
		w.part = adverb
	}
	return w
}

// letters counts the letters of a word, without hyphens and the like.
func letters(w string) (n int) {
	for _, r := range w {
		if r != '-' && r != '\'' && r != '.' && (r < '0' || r > '9') {
			n++
		}
	}
	return n
}

// isContraction says whether a word is two drawn together, and no genitive.
func isContraction(base, after string) bool {
	switch after {
	case "t", "re", "ve", "ll", "m", "d":
		return true
	case "s":
		return drawnTogether[base]
	}
	return false
}

var drawnTogether = set("it that he she there what who where here let how when why this everything something nothing")

const (
	_ = iota
	ofFirst
	ofSecond
	ofThird
	ofHedge
	ofIntensifier
)

var classCounts = [...]int{ofFirst: firstPerson, ofSecond: secondPerson, ofThird: thirdPerson, ofHedge: hedges, ofIntensifier: intensifiers}

// classes has the pronouns of each person, the hedges (single words of K. Hyland,
// "Metadiscourse", 2005, appendix, but those that mostly mean something else) and the
// intensifiers (amplifiers of R. Quirk and others, "A Comprehensive Grammar of the English
// Language", 1985, 8.104).
var classes = func() map[string]byte {
	all := map[string]byte{}
	for class, words := range map[byte]string{
		ofFirst:  "i me my mine myself we us our ours ourselves",
		ofSecond: "you your yours yourself yourselves",
		ofThird:  "he him his himself she her hers herself it its itself they them their theirs themselves",
		ofHedge: "almost apparently appear appears approximately arguably assume believe broadly could doubt estimate fairly frequently " +
			"generally guess largely likely mainly may maybe might mostly often perhaps plausible plausibly possible possibly presumably " +
			"probable probably quite rather relatively roughly seem seems seemed seemingly sometimes somewhat suggest suggests suppose supposedly suspect " +
			"tend tends tended typically uncertain unclear unlikely usually",
		ofIntensifier: "absolutely altogether awfully badly completely deeply enormously entirely especially exceptionally extremely fully greatly highly " +
			"hugely immensely incredibly indeed intensely particularly perfectly really remarkably simply strongly terribly thoroughly totally truly utterly very wholly",
	} {
		for w := range strings.FieldsSeq(words) {
			all[w] = class
		}
	}
	return all
}()

// isPassive says whether a sentence has a form of "be" with a participle after it, two
// adverbs or the like between them at most: an estimate, since "was tired" looks like one.
func isPassive(all []Word, lexicon []lexeme) bool {
	for i := range all {
		if lexicon[all[i].lexeme].part != be {
			continue
		}
		for j := i + 1; j < min(len(all), i+4); j++ {
			part := lexicon[all[j].lexeme].part
			if part == participle {
				return true
			}
			if part == none {
				break
			}
		}
	}
	return false
}

// What a word can be in a passive.
const (
	none = iota
	be
	adverb
	participle
)

var (
	formsOfBe = set("am is are was were be been being isn't aren't wasn't weren't")
	between   = set("not never also still already often always now then just only ever soon to")
	notOne    = set("need red bed feed seed speed indeed shed hundred wicked naked sacred rugged aged ahead instead embed breed greed exceed proceed succeed open even often seven eleven ten men women then when children garden kitchen heaven oxygen sudden golden wooden")
)

// isParticiple says whether a word looks like a past participle.
func isParticiple(w string) bool {
	if irregular[w] {
		return true
	}
	return len(w) > 3 && strings.HasSuffix(w, "ed") && !notOne[w]
}

var irregular = set("beaten become begun bent bound bitten blown born borne bought broken brought built burnt burst caught chosen cut dealt done drawn drunk driven dug eaten fed felt fought found forbidden forgotten forgiven frozen given gone grown heard held hidden hit hung hurt kept known laid led learnt left lent let lit lost made meant met mown paid put proven read ridden rung risen run said seen sent set sewn shaken shed shone shot shown shrunk shut sold sought spent spoken spilt split spoilt spread stolen stood struck stuck sung sunk sworn swept swollen taken taught thought thrown told torn understood undertaken undone woken won worn wound woven written withdrawn withheld overseen overtaken rebuilt redone rewritten reset resent")

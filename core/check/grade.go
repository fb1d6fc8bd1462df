package check

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Grade is the reading grade of prose, in years of school, and the number of words that it is
// worked out from; and whether there is a formula for its language, a tag of BCP 47 of which
// none is English.
//
// English: 0.39 × words a sentence + 11.8 × syllables a word − 15.59 (J. P. Kincaid,
// R. P. Fishburne, R. L. Rogers and B. S. Chissom, 1975).
//
// German: the first "Wiener Sachtextformel", 0.1935 × words of three syllables and more of
// 100 + 0.1672 × words a sentence + 0.1297 × words of more than six letters of 100 − 0.0327 ×
// words of one syllable of 100 − 0.875 (R. Bamberger and E. Vanecek, 1984).
//
// French: the reading ease 207 − 1.015 × words a sentence − 73.6 × syllables a word (L. Kandel
// and A. Moles, 1958), which has the scale of Flesch's, as the grade that his table gives it
// (R. Flesch, "The Art of Readable Writing", 1949), between its steps in a straight line.
func Grade(text, language string) (grade float64, words int, known bool) {
	base, _, _ := strings.Cut(strings.ToLower(language), "-")
	switch base {
	case "", "en":
		p := readProse(text, syllablesIn)
		return 0.39*p.perSentence() + 11.8*p.per(p.syllables, 1) - 15.59, p.words, true
	case "de":
		p := readProse(text, germanSyllables)
		return 0.1935*p.per(p.three, 100) + 0.1672*p.perSentence() + 0.1297*p.per(p.long, 100) - 0.0327*p.per(p.one, 100) - 0.875, p.words, true
	case "fr":
		p := readProse(text, frenchSyllables)
		return gradeOfEase(207 - 1.015*p.perSentence() - 73.6*p.per(p.syllables, 1)), p.words, true
	}
	return 0, Words(text), false
}

// prose is what is counted of a text.
type prose struct {
	words, sentences, syllables int
	one, three                  int // words of one syllable, and of three and more
	long                        int // words of more than six letters
}

func readProse(text string, syllables func(string) int) (p prose) {
	open := false
	for w := range strings.FieldsSeq(text) {
		letters := strings.TrimFunc(w, func(r rune) bool { return !unicode.IsLetter(r) })
		if letters != "" {
			n := syllables(letters)
			p.words++
			p.syllables += n
			open = true
			switch {
			case n == 1:
				p.one++
			case n > 2:
				p.three++
			}
			if utf8.RuneCountInString(letters) > 6 {
				p.long++
			}
		}
		if open && strings.ContainsAny(w[len(w)-1:], ".!?:;") {
			p.sentences++
			open = false
		}
	}
	if open {
		p.sentences++
	}
	return p
}

// per is how many there are of so many words.
func (p prose) per(n int, of float64) float64 { return of * float64(n) / float64(max(1, p.words)) }

func (p prose) perSentence() float64 { return float64(p.words) / float64(max(1, p.sentences)) }

// gradeOfEase is Flesch's table: points of reading ease, and the year of school.
func gradeOfEase(ease float64) float64 {
	table := [][2]float64{{95, 5}, {85, 6}, {75, 7}, {65, 8.5}, {55, 11}, {40, 14.5}, {15, 17}}
	for i := 1; i < len(table); i++ {
		if a, b := table[i-1], table[i]; ease >= b[0] || i == len(table)-1 {
			return a[1] + (a[0]-ease)*(b[1]-a[1])/(a[0]-b[0])
		}
	}
	return 0
}

// syllablesIn counts the groups of vowels of an English word, less a silent e.
func syllablesIn(word string) int {
	word = strings.ToLower(word)
	n, inVowels := 0, false
	for _, r := range word {
		vowel := strings.ContainsRune("aeiouy", r)
		if vowel && !inVowels {
			n++
		}
		inVowels = vowel
	}
	if n > 1 && strings.HasSuffix(word, "e") && !strings.HasSuffix(word, "le") {
		n--
	}
	return max(n, 1)
}

var (
	germanTogether = []string{"au", "äu", "ai", "ay", "ei", "ey", "eu", "ie", "aa", "ee", "oo", "oi"}
	frenchTogether = []string{"eau", "oeu", "œu", "aî", "ai", "au", "eu", "eû", "ou", "où", "oû", "oi", "oî", "ei", "ui", "ie", "ié", "iè", "io", "ia", "ay", "oy", "uy"}
)

// germanSyllables counts the vowels of a German word, those that are spoken together as one.
func germanSyllables(word string) int {
	return max(1, nuclei(strings.ReplaceAll(strings.ToLower(word), "qu", "q"), "aeiouyäöü", germanTogether))
}

// frenchSyllables does so of a French word, without an e at its end that is not spoken.
func frenchSyllables(word string) int {
	word = strings.ReplaceAll(strings.ReplaceAll(strings.ToLower(word), "qu", "q"), "gue", "ge")
	n := nuclei(word, "aeiouyàâäéèêëîïôöùûüœæ", frenchTogether)
	stem, silent := strings.CutSuffix(strings.TrimSuffix(word, "s"), "e")
	if n > 1 && silent && !strings.HasSuffix(stem, "i") { // which is one with it
		n--
	}
	return max(1, n)
}

// nuclei counts the vowels of a word, those of one of the groups as one.
func nuclei(word, vowels string, together []string) (n int) {
	for i := 0; i < len(word); {
		r, size := utf8.DecodeRuneInString(word[i:])
		if !strings.ContainsRune(vowels, r) {
			i += size
			continue
		}
		n++
		if at := slices.IndexFunc(together, func(g string) bool { return strings.HasPrefix(word[i:], g) }); at >= 0 {
			size = len(together[at])
		}
		i += size
	}
	return n
}

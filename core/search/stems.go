package search

import (
	"strings"

	"github.com/blevesearch/snowballstem"
	"github.com/blevesearch/snowballstem/danish"
	"github.com/blevesearch/snowballstem/dutch"
	"github.com/blevesearch/snowballstem/english"
	"github.com/blevesearch/snowballstem/finnish"
	"github.com/blevesearch/snowballstem/french"
	"github.com/blevesearch/snowballstem/german"
	"github.com/blevesearch/snowballstem/italian"
	"github.com/blevesearch/snowballstem/norwegian"
	"github.com/blevesearch/snowballstem/portuguese"
	"github.com/blevesearch/snowballstem/spanish"
	"github.com/blevesearch/snowballstem/swedish"
)

// stemmers give what the forms of a word have in common, by language: Snowball's algorithms
// (M. F. Porter, "Snowball", 2001). The first is for what says no language, or another one.
var stemmers = []struct {
	tag  string // the base of a BCP 47 tag
	stem func(*snowballstem.Env) bool
}{
	{"en", english.Stem}, {"de", german.Stem}, {"fr", french.Stem}, {"es", spanish.Stem}, {"it", italian.Stem}, {"nl", dutch.Stem},
	{"pt", portuguese.Stem}, {"sv", swedish.Stem}, {"da", danish.Stem}, {"no", norwegian.Stem}, {"fi", finnish.Stem},
}

// stemmerOf gives the number of the stemmer for a language, as BCP 47 names it.
func stemmerOf(language string) int {
	base, _, _ := strings.Cut(strings.ToLower(language), "-")
	if base == "nb" || base == "nn" {
		base = "no"
	}
	for i, s := range stemmers {
		if s.tag == base {
			return i
		}
	}
	return 0
}

// stemBy gives the stem of a word by one of the stemmers.
func stemBy(stemmer int, word string) string {
	if stemmer == 0 {
		return Stem(word)
	}
	env := snowballstem.NewEnv(word)
	stemmers[stemmer].stem(env)
	return env.Current()
}

// Stem gives what the forms of an English word have in common. Other words are given as they
// are.
func Stem(word string) string {
	for i := range len(word) {
		if word[i] < 'a' || word[i] > 'z' {
			return word
		}
	}
	env := snowballstem.NewEnv(word)
	english.Stem(env)
	return env.Current()
}

// stemKey is by what words of one stem are found in the vocabulary.
type stemKey struct {
	stemmer int
	stem    string
}

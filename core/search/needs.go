package search

import (
	"cmp"
	"slices"
	"strings"
)

// need is one thing that was asked for: a word or several that mean one thing, or what
// may stand in their place.
type need struct {
	typed   []string
	alts    []alternative
	having  int     // documents with a form of its words, about
	small   bool    // it counts, and is not missed
	factor  float32 // of its weight
	weight  float32
	streams []stream
	met     bitset // documents that have it, unless it is small
}

// alternative has for each of its words the forms that will do.
type alternative struct {
	words  [][]form
	factor float32
	other  bool // it is not what was typed
}

// form is a word of the index that will do for another, and how much it counts beside it.
type form struct {
	word   int32
	factor float32
}

// How much the forms of a word count beside the word as it was typed.
const (
	sameStem  = 0.92
	continued = 0.8 // the word that is still being typed
	begun     = 0.5 // a word that another begins with
	joined    = 0.95
	parted    = 0.85
)

const mostContinued = 100 // words that begin like one

const mostSmall = 5000 // documents with a small word, above which it tells nothing

// MostAlike is how many words something has at most that others may stand for.
const MostAlike = 4

// WellKnown is how many documents have a word that needs no others beside it.
const WellKnown = 100

// takeApart gives what the query needs.
func (s *search) takeApart() []need {
	words := s.Words
	nothingElse := !slices.ContainsFunc(words, func(w string) bool { return !small[w] && !weak[w] })
	allSmall := !slices.ContainsFunc(words, func(w string) bool { return !small[w] })
	var needs []need
	for i := 0; i < len(words); {
		n := s.needAt(i)
		n.factor = 1
		if len(n.typed) == 1 {
			w := words[i]
			last := i == len(words)-1 && !s.Ends
			switch {
			case small[w] && !allSmall && !(last && len(words) == 1):
				if n.having > mostSmall {
					i++
					continue
				}
				n.small, n.factor = true, 0.1
			case weak[w] && !nothingElse:
				n.small, n.factor = true, 0.4
			}
		}
		needs = append(needs, n)
		i += len(n.typed)
	}
	return needs
}

// needAt gives what words from one on stand for: as many as mean one thing together.
func (s *search) needAt(i int) need {
	for span := min(MostAlike, len(s.Words)-i); span > 1; span-- {
		typed := s.Words[i : i+span]
		if alike := s.Alike[Stems(typed)]; alike != nil {
			return need{typed: typed, alts: s.alternatives(append(slices.Clip(alike), Alternative{typed, 1}))}
		}
	}
	w := s.Words[i]
	n := need{typed: s.Words[i : i+1]}
	forms := s.forms(w)
	unknown := len(forms) == 0
	n.having = s.Having(w)
	if still := i == len(s.Words)-1 && !s.Ends; still || n.having <= WellKnown {
		forms = append(forms, s.longer(w, still, unknown)...)
	}
	if unknown {
		forms = append(forms, s.joinedWith(i)...)
	}
	n.alts = append(n.alts, s.alternatives(s.Alike[Stem(w)])...)
	if unknown && len(forms) == 0 && len(w) > 2 {
		if parts := s.parts(w); parts != nil {
			n.alts = append(n.alts, alternative{words: parts, factor: parted})
			s.instead = append(s.instead, Instead{w, s.words[parts[0][0].word].text + " " + s.words[parts[1][0].word].text})
		} else if near := s.near(w); near != nil {
			forms = append(forms, near...)
			if len(n.alts) == 0 {
				s.instead = append(s.instead, Instead{w, s.words[near[0].word].text})
			}
		}
	} else if !unknown {
		forms = append(forms, s.joinedWith(i)...)
	}
	n.alts = append(n.alts, alternative{words: [][]form{forms}, factor: 1})
	return n
}

// IsSmall says whether a word is one that holds sentences together.
func IsSmall(word string) bool { return small[word] }

// Stems gives of several words that by which is looked up what may stand for them.
func Stems(words []string) string {
	all := make([]string, len(words))
	for i, w := range words {
		all[i] = Stem(w)
	}
	return strings.Join(all, " ")
}

// alternatives gives what may stand in the place of a word, as far as documents have it,
// and as far as it is worth reading through.
func (s *search) alternatives(all []Alternative) (alts []alternative) {
	room := 1000 + len(s.docs)
	for _, a := range all {
		alt := s.alternative(a.Words, a.Factor)
		if alt.words == nil {
			continue
		}
		for _, forms := range alt.words {
			for _, f := range forms {
				room -= s.words[f.word].posts.n
			}
		}
		if alts = append(alts, alt); room < 0 {
			break
		}
	}
	return alts
}

func (s *search) alternative(words []string, factor float32) alternative {
	alt := alternative{factor: factor, other: factor < 1}
	for i, w := range words {
		if small[w] && (len(alt.words) > 0 || i+1 < len(words)) {
			continue // it holds the others together
		}
		forms := s.forms(w)
		if len(forms) == 0 {
			return alternative{}
		}
		alt.words = append(alt.words, forms)
	}
	return alt
}

// longer gives the words that begin with one.
func (s *search) longer(w string, still, unknown bool) (forms []form) {
	if len(w) < 2 || !still && !unknown && len(w) < 3 {
		if !still {
			return nil
		}
	}
	begin := s.beginning(w)
	if len(begin) > 20*mostContinued {
		begin = begin[:20*mostContinued]
	}
	stem := Stem(w)
	for _, id := range begin {
		word := &s.words[id]
		if word.text == w || word.stem == stem || word.posts.n == 0 {
			continue
		}
		factor := float32(begun)
		if still {
			factor = continued
		}
		factor *= 0.5 + 0.5*float32(len(w))/float32(len(word.text))
		forms = append(forms, form{id, factor})
	}
	// Those that begin many words are not worth reading through every one of them.
	slices.SortFunc(forms, func(a, b form) int {
		return cmp.Or(cmp.Compare(b.factor, a.factor), cmp.Compare(s.words[b.word].posts.n, s.words[a.word].posts.n))
	})
	room := 1000 + len(s.docs)
	for i, f := range forms {
		if room -= s.words[f.word].posts.n; room < 0 || i == mostContinued {
			return forms[:i+1]
		}
	}
	return forms
}

// joinedWith gives the words that one makes with the one before or after it.
func (s *search) joinedWith(i int) (forms []form) {
	for _, at := range []int{i - 1, i} {
		if at >= 0 && at+1 < len(s.Words) {
			for _, f := range s.forms(s.Words[at] + s.Words[at+1]) {
				forms = append(forms, form{f.word, f.factor * joined})
			}
		}
	}
	return forms
}

// parts gives the two words that one is made of, or nil.
func (s *search) parts(w string) [][]form {
	for i := 3; i <= len(w)-3; i++ {
		if a, b := s.forms(w[:i]), s.forms(w[i:]); len(a) > 0 && len(b) > 0 && a[0].factor == 1 && b[0].factor == 1 {
			return [][]form{a, b}
		}
	}
	return nil
}

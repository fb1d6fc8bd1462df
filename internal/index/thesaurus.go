package index

import (
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"goldshelf/core/search"
	"goldshelf/core/wordnet"
)

// Thesaurus is where Debian's package wordnet-base puts WordNet's files.
const Thesaurus = "/usr/share/wordnet"

// thesaurus knows words that mean nearly the same, where its files are there.
type thesaurus struct {
	words wordnet.Words
	known *lru.Cache[string, []nearWord]
}

// nearWord is a word that means nearly the same, and how much it counts.
type nearWord struct {
	text   string
	factor float32
}

const (
	remembered = 500 // words that were looked up
	mostAlike  = 40  // of a word: the nearest
)

var openThesaurus = sync.OnceValue(func() *thesaurus {
	t := &thesaurus{words: wordnet.Words{Index: map[string]wordnet.File{}, Data: map[string]wordnet.File{}}}
	t.known, _ = lru.New[string, []nearWord](remembered) // a size above 0 is no error
	for _, part := range wordnet.Parts() {
		for kind, into := range map[string]map[string]wordnet.File{"index": t.words.Index, "data": t.words.Data} {
			f, err := os.Open(filepath.Join(Thesaurus, kind+"."+part))
			if err != nil {
				return nil
			}
			info, err := f.Stat()
			if err != nil {
				return nil
			}
			into[part] = wordnet.File{ReaderAt: f, Size: info.Size()}
		}
	}
	return t
})

// near gives what is near some words, which is read from files; or nothing where there are none.
func (t *thesaurus) near(words []string) (map[string][]nearWord, error) {
	if t == nil {
		return nil, nil
	}
	all := map[string][]nearWord{}
	for _, word := range words {
		if search.IsSmall(word) || strings.ContainsAny(word, "0123456789") {
			continue
		}
		known, is := t.known.Get(word)
		if !is {
			near, err := t.words.Near(word)
			if err != nil {
				return nil, err
			}
			known = single(near)
			t.known.Add(word, known)
		}
		all[word] = known
	}
	return all, nil
}

// alternatives gives what may stand in the place of a word, as far as documents have it: of a
// word that they have themselves only what means the same, and that less.
func alternatives(near []nearWord, known bool, having func(word string) int) []search.Alternative {
	least := float32(0)
	if known {
		least = 0.3
	}
	var alike []search.Alternative
	for _, a := range near {
		if a.factor > least && having(a.text) > 0 {
			if known {
				a.factor *= 0.4
			}
			if alike = append(alike, search.Alternative{Words: []string{a.text}, Factor: a.factor}); len(alike) == mostAlike {
				break
			}
		}
	}
	return alike
}

// single gives of what is near the single words, in as little memory as they need: what
// is read from WordNet's files has a whole line behind each word.
func single(near []wordnet.Near) []nearWord {
	var all []nearWord
	for _, n := range near {
		if !strings.ContainsAny(n.Word, "_-") {
			all = append(all, nearWord{strings.Clone(n.Word), float32(0.55 * math.Exp(-0.5*n.Cost))})
		}
	}
	return slices.Clone(all) // without room for growing
}

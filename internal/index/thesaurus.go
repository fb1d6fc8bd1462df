package index

import (
	"math"
	"os"
	"path/filepath"
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
	known *lru.Cache[string, []search.Alternative]
}

const (
	remembered = 1000 // words that were looked up
	mostAlike  = 40   // of a word: the nearest
)

var openThesaurus = sync.OnceValue(func() *thesaurus {
	t := &thesaurus{words: wordnet.Words{Index: map[string]wordnet.File{}, Data: map[string]wordnet.File{}}}
	t.known, _ = lru.New[string, []search.Alternative](remembered) // a size above 0 is no error
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

// alike gives what may stand in the place of a word, as far as documents have it: of a
// word that they have themselves only what means the same, and that less.
func (t *thesaurus) alike(word string, known bool, having func(word string) int) ([]search.Alternative, error) {
	least := float32(0)
	if known {
		least = 0.3
	}
	all, is := t.known.Get(word)
	if !is {
		near, err := t.words.Near(word)
		if err != nil {
			return nil, err
		}
		for _, n := range near {
			all = append(all, search.Alternative{Words: strings.FieldsFunc(n.Word, func(r rune) bool { return r == '_' || r == '-' }), Factor: float32(0.55 * math.Exp(-0.5*n.Cost))})
		}
		t.known.Add(word, all)
	}
	var alike []search.Alternative
	for _, a := range all {
		if len(a.Words) == 1 && a.Factor > least && having(a.Words[0]) > 0 {
			if known {
				a.Factor *= 0.6
			}
			if alike = append(alike, a); len(alike) == mostAlike {
				break
			}
		}
	}
	return alike, nil
}

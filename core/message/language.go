package message

import (
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"

	"golang.org/x/text/feature/plural"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/message/catalog"
)

// Language is one that people are spoken to in, as an ISO 639-1 code.
type Language string

// The languages that there are catalogues of. English is what the texts are written in.
const (
	English Language = "en"
	German  Language = "de"
	French  Language = "fr"
)

// Languages lists all, the usual one first.
func Languages() []Language { return []Language{English, German, French} }

// Preferred gives the language that suits best what somebody prefers, as the header
// Accept-Language has it (RFC 9110, section 12.5.4): English where none does.
func Preferred(accept string) Language {
	if accept == "" {
		return English
	}
	tags, _, err := language.ParseAcceptLanguage(accept)
	if err != nil {
		return English
	}
	_, at, sure := matcher().Match(tags...)
	if sure == language.No {
		return English
	}
	return Languages()[at]
}

// Known says whether there is a catalogue of a language.
func Known(l Language) bool { return slices.Contains(Languages(), l) }

//go:embed catalogues/*.json
var files embed.FS

var matcher = sync.OnceValue(func() language.Matcher {
	var tags []language.Tag
	for _, l := range Languages() {
		tags = append(tags, language.MustParse(string(l)))
	}
	return language.NewMatcher(tags)
})

// catalogue is what there is of a language.
type catalogue struct {
	translations map[string]Translation // by the English
	printer      *message.Printer
}

// catalogues are those of all languages but English. Each is read when somebody is first
// spoken to in it: most programs speak one.
var catalogues = func() map[Language]func() *catalogue {
	all := map[Language]func() *catalogue{}
	for _, l := range Languages() {
		if l != English {
			all[l] = sync.OnceValue(func() *catalogue { return read(l) })
		}
	}
	return all
}()

// Translation is what a catalogue says for a text: words, or words by the plural of one of
// the values that are put in, which is counted from 1.
type Translation struct {
	Words  string
	Number int               // of the value that is counted, or 0
	Cases  map[string]string // by CLDR category, or as "=1"
}

// UnmarshalJSON reads words, or an object with "number" and the cases.
func (t *Translation) UnmarshalJSON(data []byte) error {
	if err := json.Unmarshal(data, &t.Words); err == nil {
		return nil
	}
	var counted struct {
		Number int               `json:"number"`
		Cases  map[string]string `json:"cases"`
	}
	if err := json.Unmarshal(data, &counted); err != nil {
		return err
	}
	if counted.Number < 1 || counted.Cases["other"] == "" {
		return errors.New("a plural says which value is counted, and has the case other")
	}
	t.Number, t.Cases = counted.Number, counted.Cases
	return nil
}

// Catalogue gives the translations of a language by their English. It is not to be changed.
func Catalogue(l Language) map[string]Translation {
	if of, ok := catalogues[l]; ok {
		return of().translations
	}
	return nil
}

func read(l Language) *catalogue {
	all := map[string]Translation{}
	data, err := files.ReadFile("catalogues/" + string(l) + ".json")
	if err == nil {
		err = json.Unmarshal(data, &all)
	}
	if err != nil {
		panic(fmt.Sprintf("the catalogue %s cannot be read: %v", l, err))
	}
	tag, texts := language.MustParse(string(l)), catalog.NewBuilder(catalog.Fallback(language.English))
	for english, t := range all {
		if err := t.into(texts, tag, english); err != nil {
			panic(fmt.Sprintf("the catalogue %s says of %q: %v", l, english, err))
		}
	}
	return &catalogue{all, message.NewPrinter(tag, message.Catalog(texts))}
}

func (t Translation) into(all *catalog.Builder, tag language.Tag, english string) error {
	if t.Number == 0 {
		return all.SetString(tag, english, t.Words)
	}
	var cases []any
	for _, c := range []string{"=0", "=1", "zero", "one", "two", "few", "many", "other"} {
		if words, ok := t.Cases[c]; ok {
			cases = append(cases, c, words)
		}
	}
	return all.Set(tag, english, plural.Selectf(t.Number, "%d", cases...))
}

// catalogued looks up words that nothing is put into.
func catalogued(l Language, english string) string {
	if t, ok := Catalogue(l)[english]; ok {
		return t.Words
	}
	return english
}

// All gives the words of every case.
func (t Translation) All() []string {
	if t.Number == 0 {
		return []string{t.Words}
	}
	return slices.Collect(maps.Values(t.Cases))
}

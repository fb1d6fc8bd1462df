// Package rendition says which of several entries that say the same suits whoever asks: by
// their language, and by the application that it is for.
package rendition

import (
	"slices"
	"strings"

	"golang.org/x/text/language"
)

// One is an entry, by what it is made for.
type One struct {
	Language     string // a tag of BCP 47; empty stands for English
	Applications []string
	Models       []string
}

const mostLanguages = 3

// Languages reads what a reader prefers, as the header Accept-Language says it (RFC 9110,
// 12.5.4), into tags with commas between, the first that is preferred first. What cannot
// be read is passed over.
func Languages(header string) string {
	tags, _, err := language.ParseAcceptLanguage(header)
	if err != nil {
		return ""
	}
	var all []string
	for _, t := range tags {
		if text := t.String(); text != "mul" && text != "und" && len(all) < mostLanguages {
			all = append(all, text)
		}
	}
	return strings.Join(all, ",")
}

// Fit gives the place of the rendition that suits best, or -1 for the base. Languages are
// as [Languages] gives them. One that is made for another application or model than the
// base is suits only whoever asks for that; who asks for no model gets none made for one.
func Fit(base One, all []One, languages, application string) int {
	wanted := best(base, all, languages)
	at, most := -1, 0
	for i, r := range all {
		score := 0
		if special(r.Models, base.Models) {
			continue
		}
		if special(r.Applications, base.Applications) {
			if application == "" || !slices.Contains(r.Applications, application) {
				continue
			}
			score += 2
		}
		switch {
		case tag(r.Language) == wanted && wanted != tag(base.Language):
			score++
		case tag(r.Language) != tag(base.Language):
			continue
		}
		if score > most {
			at, most = i, score
		}
	}
	return at
}

// special says whether one is made for others than the base is, or for fewer; for none is
// for all.
func special(these, base []string) bool {
	return len(these) > 0 && !slices.Equal(slices.Sorted(slices.Values(these)), slices.Sorted(slices.Values(base)))
}

// best gives the language that suits best of those that there are: the base's, where none
// does.
func best(base One, all []One, languages string) language.Tag {
	own := tag(base.Language)
	if languages == "" {
		return own
	}
	there := []language.Tag{own}
	for _, r := range all {
		if t := tag(r.Language); !slices.Contains(there, t) {
			there = append(there, t)
		}
	}
	if len(there) == 1 {
		return own
	}
	var wanted []language.Tag
	for text := range strings.SplitSeq(languages, ",") {
		wanted = append(wanted, tag(text))
	}
	_, at, sure := language.NewMatcher(there).Match(wanted...)
	if sure == language.No {
		return own
	}
	return there[at]
}

func tag(text string) language.Tag {
	if text == "" {
		return language.English
	}
	t, err := language.Parse(text)
	if err != nil {
		return language.Und
	}
	return t
}

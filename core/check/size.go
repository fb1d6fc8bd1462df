package check

import (
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/core/problem"
)

func itoa(n int) string { return strconv.Itoa(n) }

func sizeRules() []Rule {
	return []Rule{
		{ID: "too-long", Severity: Warning, About: "A text that takes more tokens than its models allow is cut short or refused. The count is estimated from characters and words, and may be 25 % off either way.",
			Fires: "a text of more tokens than the policy gives its model", Quiet: "a shorter one", find: func(r *reading) {
				tokens := Tokens(r.body)
				limit, whose := r.policy.tokens(), "a prompt"
				for _, m := range r.Labels["model"] {
					if l := r.policy.Models[m].Tokens; l > 0 && l < limit {
						limit, whose = l, m
					}
				}
				if tokens > limit {
					r.say("/body", "The text has %d words, about %d tokens (give or take 25 %%), and %s may have %d. Shorten it, or move parts into a step of their own.", Words(r.body), tokens, whose, limit)
				}
			}},
		{ID: "hard-to-read", Severity: Note, About: "The reading grade of the prose, in years of school: of English by the formula of Kincaid and others (1975), of German by that of Bamberger and Vanecek (1984), of French by those of Kandel and Moles (1958) and Flesch (1949). What people find hard to read, they find hard to check. For texts of 60 words and more.",
			Fires: "long sentences of long words", Quiet: "short sentences of everyday words", find: func(r *reading) {
				if grade, words, known := Grade(r.prose, r.Language); known && words >= 60 && grade > r.policy.grade() {
					r.say("/body", "It reads at grade %.0f, and grade %.0f is the aim. Cut long sentences in two, and choose shorter words.", grade, r.policy.grade())
				}
			}},
		{ID: "model-retired", Severity: Warning, About: "A label names a model that is not to be used any more; the policy says which.",
			Fires: "a label of a retired model", Quiet: "a label of one in use", find: func(r *reading) {
				for i, m := range r.Labels["model"] {
					if r.policy.Models[m].Retired {
						r.say(problem.Pointer("labels", "model", i), "%s is retired. Try the entry on another model, and label it with that.", m)
					}
				}
				for _, name := range sortedKeys(r.policy.Models) {
					if !r.policy.Models[name].Retired || !strings.Contains(r.body, name) {
						continue
					}
					for _, at := range regexp.MustCompile(`\b`+regexp.QuoteMeta(name)+`\b`).FindAllStringIndex(r.body, -1) {
						if rest := r.body[at[1]:]; !strings.HasPrefix(rest, "-") { // no longer name that begins with it
							r.sayAt(at[0], at[1], "%s is retired. Name another model, or none.", name)
						}
					}
				}
			}},
	}
}

// Words counts the words of a text: stretches without white space that have a
// letter or digit.
func Words(text string) int {
	n := 0
	for w := range strings.FieldsSeq(text) {
		if strings.IndexFunc(w, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) >= 0 {
			n++
		}
	}
	return n
}

// Tokens estimates how many tokens a text takes: the mean of a token for every
// four characters and four for every three words. It may be 25 % off.
func Tokens(text string) int {
	return (utf8.RuneCountInString(text)/4 + Words(text)*4/3 + 1) / 2
}

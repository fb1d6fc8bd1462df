package standin

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

var (
	eachQuestion = regexp.MustCompile(`(?i)\ba line for each question\b`)
	questionLine = regexp.MustCompile(`(?m)^([a-z][a-z0-9_]*): ([^\n]+?) \(([a-z-]+)(?:: ([^\n]*))?\)$`)
	digits       = regexp.MustCompile(`\d+(?:\.\d+)?`)
)

// asked is a question that notes are read for.
type asked struct {
	name, words, kind string
	options           []string
}

// questionsOf gives the questions that a text wants answered from notes, and these: what stands
// last between two lines of ---.
func questionsOf(text string) (all []asked, notes string) {
	if !strings.Contains(strings.ToLower(text), "line for each question") || !eachQuestion.MatchString(text) {
		return nil, ""
	}
	for _, q := range questionLine.FindAllStringSubmatch(text, -1) {
		one := asked{name: q[1], words: strings.ToLower(strings.ReplaceAll(q[1], "_", " ") + " " + q[2]), kind: q[3]}
		if q[4] != "" {
			one.options = strings.Split(q[4], ", ")
		}
		all = append(all, one)
	}
	if parts := strings.Split(text, "\n---\n"); len(parts) > 2 {
		notes = parts[len(parts)-2]
	}
	return all, notes
}

// answers writes a line for each question that the notes have something on, but for those that
// it forgets.
func (w *writer) answers() string {
	sentences := strings.FieldsFunc(strings.ReplaceAll(w.b.notes, ". ", "\n"), func(r rune) bool { return r == '\n' })
	var lines []string
	for _, q := range w.b.questions {
		best, most := "", 0
		for _, s := range sentences {
			if n := shared(q.words, strings.ToLower(s)); n > most {
				best, most = strings.TrimRight(strings.TrimSpace(s), "."), n
			}
		}
		switch {
		case q.kind == "number" && digits.MatchString(best):
			best = digits.FindString(best)
		case q.kind == "number" && shared(q.words, q.words) == 0: // "How many are there?" is of all
			best = digits.FindString(w.b.notes)
		case q.kind == "number":
			best = ""
		case q.options != nil:
			best = ""
			for _, o := range q.options {
				if strings.Contains(strings.ToLower(w.b.notes), strings.ToLower(o)) {
					best += ", " + o
				}
			}
			best = strings.TrimPrefix(best, ", ")
		}
		if best != "" && !w.chance(w.m.forgets) {
			lines = append(lines, fmt.Sprintf("%s: %s", q.name, best))
		}
	}
	return strings.Join(lines, "\n")
}

// small words say nothing of what a sentence is about.
var small = []string{"they", "them", "what", "when", "where", "which", "there", "many", "most", "from", "must", "want", "with", "have", "does"}

// shared is how many of the longer words of a question stand in a sentence.
func shared(question, sentence string) (n int) {
	for _, word := range strings.FieldsFunc(question, func(r rune) bool { return r < 'a' || r > 'z' }) {
		if len(word) > 3 && !slices.Contains(small, word) && strings.Contains(sentence, word) {
			n++
		}
	}
	return n
}

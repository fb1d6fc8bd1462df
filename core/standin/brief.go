package standin

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/core/blocks"
	"goldshelf/core/endpoint"
)

// ruleKind is what a rule is about.
type ruleKind int

const (
	mostWords ruleKind = iota
	mostSentences
	mostParagraphs
	listOf   // so many items
	asJSON   // with names as keys
	asTable  // with names as columns
	never    // says text
	endsWith // text
	under    // headings, that are its names
)

func (k ruleKind) isForm() bool { return k == listOf || k == asJSON || k == asTable || k == under }

// rule is something that a text asks of the reply.
type rule struct {
	kind  ruleKind
	at    int // where it stands in the text
	n     int
	text  string
	names []string
}

// brief is what a model has understood of what it was sent.
type brief struct {
	rules   []rule // in the order of the text
	topics  []topic
	subject string   // what it is about, in its own words
	places  string   // names of streets and the like
	when    string   // the time that it names
	figures []string // other numbers that it gives, with the word after them
	numbers []string

	persona, style bool
	yesNo          bool
	judged         string // the text that a yes or no is about
	wantsPrompt    bool
	questions      []asked
	notes          string // that they are answered from
	last           string // the reply before
	changes        string // what a follow-up asks of it
}

// mostAsked is the largest number that is taken at its word.
const mostAsked = 500

const number = `(\d+|one|two|three|four|five|six|seven|eight|nine|ten|twelve|fifteen|twenty)`

var (
	wordLimit      = regexp.MustCompile(`(?i)(?:no more than|at most|not more than|up to|under|within|maximum of)\s+` + number + `\s+words|` + number + ` words at most`)
	sentenceLimit  = regexp.MustCompile(`(?i)\b` + number + `\s+(?:short\s+)?sentences?\b`)
	oneSentence    = regexp.MustCompile(`(?i)\b(?:answer|reply) in one sentence\b`)
	paragraphLimit = regexp.MustCompile(`(?i)\b` + number + `\s+(?:short\s+)?paragraphs?\b`)
	listRule       = regexp.MustCompile(`(?i)\b` + number + `\s+(?:short\s+)?(?:bullets|bullet points|points|items|questions|ideas|reasons|actions|headlines)\b`)
	plainList      = regexp.MustCompile(`(?i)\b(?:as|in|into|make|write|of) (?:a |one )?(?:bulleted |numbered |plain |short )?list\b|\blist (?:every|each|all|the)\b`)
	jsonRule       = regexp.MustCompile(`(?i)\b(?:as|in|of|only|valid|one)\s+(?:a |an )?JSON\b([^\n]*)`)
	tableRule      = regexp.MustCompile(`(?i)\b(?:as|in|into|make|draw|of) (?:an? |one )?(?:markdown |small |plain )?table\b([^\n]*)`)
	headingRule    = regexp.MustCompile(`(?i)\bheadings?\b[^\n]*`)
	neverRule      = regexp.MustCompile(`(?i)(?:\bnever\b|\bavoid\b|\bdo not (?:say|write|use)\b)[^\n.]*`)
	quoted         = regexp.MustCompile(`["“]([^"”\n]{2,80})["”]`)
	endRule        = regexp.MustCompile(`(?i)\b(?:end|close|finish) with (?:this|the)(?: line| sentence| words)?(?::| below:)\s*([^\n]+)`)
	yesOrNo        = regexp.MustCompile(`(?i)\byes or no\b`)
	writePrompt    = regexp.MustCompile(`(?i)\bwrite (?:a|one|the|another) prompt\b`)
	aboutWhat      = regexp.MustCompile(`(?i)\b(?:about|of) (?:the |a |an )?([a-z][a-z' -]{3,40}[a-z])\b`)
	street         = regexp.MustCompile(`\b[A-Z][a-z]+ (?:Lane|Row|Street|Road|Bridge|Green|Fen|Mill|Drove|Quay)\b`)
	timeOf         = regexp.MustCompile(`(?i)\b(?:within|until|since|by|from|before|after) (?:\d{1,2}:\d{2}|\d+ (?:hours?|days?|weeks?|minutes?)|\d{1,2} (?:January|February|March|April|May|June|July|August|September|October|November|December))`)
	figure         = regexp.MustCompile(`\b\d[\d,.]*\d?(?: (?:percent|litres|homes|people|kilometres|metres|hours|days|bar|euros?|EUR|m³))\b`)
	personaSign    = regexp.MustCompile(`(?m)^## (?:Who|Speaks)\b|(?m)^You are `)
	styleSign      = regexp.MustCompile(`(?m)^## (?:Guide|Use|Avoid)\b`)
)

// read takes in what a model is sent.
func read(messages []endpoint.ModelMessage) brief {
	var b brief
	var all strings.Builder
	for i, m := range messages {
		if m.Role == endpoint.Assistant {
			b.last = m.Text
			continue
		}
		if i == len(messages)-1 && b.last != "" {
			b.changes = m.Text
		}
		all.WriteString(m.Text + "\n\n")
	}
	text := all.String()
	task := taskOf(text)
	// What most texts have not is looked for plainly first.
	headed := strings.Contains(text, "## ")
	b.persona = (headed || strings.Contains(text, "You are ")) && personaSign.MatchString(text)
	b.style = headed && styleSign.MatchString(text)
	small := strings.ToLower(task)
	b.yesNo = strings.Contains(small, "yes or no") && yesOrNo.MatchString(task)
	b.wantsPrompt = strings.Contains(small, "prompt") && writePrompt.MatchString(task)
	if b.yesNo {
		b.judged = fenced(text)
	}
	b.questions, b.notes = questionsOf(text)
	lower := strings.ToLower(text)
	b.numbers = numbersIn(text)
	b.rules = rulesOf(text, lower)
	b.topics = topicsOf(text)
	if found := aboutWhat.FindStringSubmatch(task); found != nil {
		b.subject = found[1]
	}
	var streets []string
	for _, at := range around(street, text, lower, []string{" lane", " row", " street", " road", " bridge", " green", " fen", " mill", " drove", " quay"}, 6) {
		streets = append(streets, text[at[0]:at[1]])
	}
	b.places = strings.Join(distinct(streets, 2), " and ")
	if at := around(timeOf, text, lower, strings.Split("0123456789", ""), 1); at != nil {
		b.when = text[at[0][0]:at[0][1]]
	}
	var figures []string
	for _, at := range around(figure, text, lower, strings.Split("0123456789", ""), 20) {
		figures = append(figures, text[at[0]:at[1]])
	}
	for _, f := range distinct(figures, 4) {
		if !strings.Contains(b.when, f) {
			b.figures = append(b.figures, f)
		}
	}
	return b
}

// numbersIn gives the digits that stand together.
func numbersIn(text string) (all []string) {
	start := -1
	for i := 0; i <= len(text); i++ {
		digit := i < len(text) && text[i] >= '0' && text[i] <= '9'
		switch {
		case digit && start < 0:
			start = i
		case !digit && start >= 0:
			all = append(all, text[start:i])
			start = -1
		}
	}
	return all
}

// around gives where a pattern is found, so many times at most, on the lines that have one of
// some words: looking for these is much quicker. A text that is longer in lower case is looked
// through whole.
func around(pattern *regexp.Regexp, text, lower string, words []string, most int) (all [][]int) {
	if len(lower) != len(text) {
		return pattern.FindAllStringIndex(text, most)
	}
	at := 0
	for line := range strings.Lines(text) {
		small := lower[at : at+len(line)]
		if slices.ContainsFunc(words, func(w string) bool { return strings.Contains(small, w) }) {
			for _, found := range pattern.FindAllStringIndex(line, most-len(all)) {
				all = append(all, []int{at + found[0], at + found[1]})
			}
		}
		if at += len(line); len(all) >= most {
			break
		}
	}
	return all
}

// taskOf is what is below the heading "Task", or all of a text.
func taskOf(text string) string {
	for _, p := range blocks.Parts(text) {
		if strings.EqualFold(p.Title, "Task") {
			return p.Text
		}
	}
	return text
}

// fenced is what stands between the first two fences.
func fenced(text string) string {
	_, after, _ := strings.Cut(text, "\n---\n")
	inner, _, _ := strings.Cut(after, "\n---\n")
	return inner
}

// usualList is how long a list is where nobody says.
const usualList = 4

// rulesOf finds what a text asks of the reply: one of each kind but of what it must never
// say.
func rulesOf(text, lower string) (all []rule) {
	for _, limit := range limits {
		if r, asked := limit.largest(text, lower); asked {
			all = append(all, r)
		}
	}
	if strings.Contains(lower, "list") && !slices.ContainsFunc(all, func(r rule) bool { return r.kind == listOf }) {
		if at := plainList.FindStringIndex(text); at != nil {
			all = append(all, rule{kind: listOf, at: at[0], n: usualList})
		}
	}
	if strings.Contains(lower, "in one sentence") && oneSentence.MatchString(text) {
		all = append(all, rule{kind: mostSentences, n: 1})
	}
	for _, form := range []struct {
		kind    ruleKind
		hint    string
		pattern *regexp.Regexp
	}{{asJSON, "json", jsonRule}, {asTable, "table", tableRule}} {
		if !strings.Contains(lower, form.hint) {
			continue
		}
		if found := form.pattern.FindStringSubmatchIndex(text); found != nil {
			all = append(all, rule{kind: form.kind, at: found[0], names: namesIn(text[found[2]:found[3]])})
		}
	}
	for _, found := range around(headingRule, text, lower, []string{"heading"}, 1) {
		var names []string
		for _, q := range quoted.FindAllStringSubmatch(text[found[0]:found[1]], 10) {
			names = append(names, q[1])
		}
		if names != nil {
			all = append(all, rule{kind: under, at: found[0], names: names})
		}
	}
	for _, found := range around(neverRule, text, lower, []string{"never", "avoid", "do not "}, 20) {
		for _, q := range quoted.FindAllStringSubmatch(text[found[0]:found[1]], 5) {
			all = append(all, rule{kind: never, at: found[0], text: q[1]})
		}
	}
	for _, p := range blocks.Parts(text) {
		if strings.EqualFold(p.Title, "Avoid") {
			for _, q := range quoted.FindAllStringSubmatch(p.Text, 10) {
				all = append(all, rule{kind: never, at: strings.Index(text, p.Text), text: q[1]})
			}
		}
	}
	if strings.Contains(lower, "with th") {
		if found := endRule.FindStringSubmatchIndex(text); found != nil {
			all = append(all, rule{kind: endsWith, at: found[0], text: strings.TrimSpace(text[found[2]:found[3]])})
		}
	}
	slices.SortFunc(all, func(a, b rule) int {
		if a.at != b.at {
			return a.at - b.at
		}
		if a.kind != b.kind {
			return int(a.kind - b.kind)
		}
		return strings.Compare(a.text, b.text)
	})
	return slices.CompactFunc(all, func(a, b rule) bool {
		return a.kind == b.kind && a.n == b.n && a.text == b.text && len(a.names) == len(b.names)
	})
}

// limit is a rule with a number, and the words that stand at its end: only where one of them
// is does the pattern have to be looked for.
type limit struct {
	kind    ruleKind
	pattern *regexp.Regexp
	words   []string
}

var limits = []limit{
	{mostWords, wordLimit, []string{"words"}},
	{mostSentences, sentenceLimit, []string{"sentence"}},
	{mostParagraphs, paragraphLimit, []string{"paragraph"}},
	{listOf, listRule, []string{"bullets", "bullet points", "points", "items", "questions", "ideas", "reasons", "actions", "headlines"}},
}

// reach is how far a limit begins before its last word, and goes on after it, in bytes.
const reach = 60

// largest is the rule of a kind with the largest number: smaller ones are about a part of
// the reply, such as its heading.
func (l limit) largest(text, lower string) (r rule, asked bool) {
	if len(lower) != len(text) {
		lower = text // a letter that is longer in lower case: what is written small is found
	}
	for _, word := range l.words {
		for from := 0; ; {
			i := strings.Index(lower[from:], word)
			if i < 0 {
				break
			}
			start := max(0, from+i-reach)
			from += i + len(word)
			near := text[start:min(len(text), from+reach/2)]
			for _, found := range l.pattern.FindAllStringSubmatchIndex(near, -1) {
				for g := 2; g+1 < len(found); g += 2 {
					if found[g] < 0 {
						continue
					}
					if n := count(near[found[g]:found[g+1]]); n > r.n && n > 1 {
						r, asked = rule{kind: l.kind, at: start + found[0], n: n}, true
					}
				}
			}
		}
	}
	return r, asked
}

func count(text string) int {
	if n, err := strconv.Atoi(text); err == nil {
		return max(1, min(n, mostAsked))
	}
	switch names := strings.Fields("one two three four five six seven eight nine ten"); {
	case slices.Contains(names, strings.ToLower(text)):
		return slices.Index(names, strings.ToLower(text)) + 1
	case strings.EqualFold(text, "twelve"):
		return 12
	case strings.EqualFold(text, "fifteen"):
		return 15
	}
	return 20
}

var listed = regexp.MustCompile(`(?i)\b(?:keys?|fields?|members?|columns?)\b:?\s*(?:are |named |called )?([^.;\n]+)`)

// namesIn gives the keys or columns that are listed after a form: "with the keys a, b and c".
func namesIn(text string) (names []string) {
	found := listed.FindStringSubmatch(text)
	if found == nil {
		return nil
	}
	for name := range strings.SplitSeq(strings.NewReplacer(" and ", ",", ";", ",").Replace(found[1]), ",") {
		name = strings.TrimFunc(name, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' })
		if name != "" && utf8.RuneCountInString(name) <= 40 {
			names = append(names, name)
		}
	}
	return names
}

func distinct(all []string, most int) (out []string) {
	for _, s := range all {
		if !slices.Contains(out, s) && len(out) < most {
			out = append(out, s)
		}
	}
	return out
}

// split parts prose into sentences.
func split(text string) (all []string) {
	for line := range strings.SplitSeq(text, "\n") {
		rest := strings.TrimSpace(line)
		for rest != "" {
			end := len(rest)
			for i := 0; i < len(rest)-1; i++ {
				if strings.IndexByte(".?!", rest[i]) >= 0 && rest[i+1] == ' ' {
					end = i + 1
					break
				}
			}
			all = append(all, rest[:end])
			rest = strings.TrimSpace(rest[end:])
		}
	}
	return all
}

func firstLine(text string) string {
	line, _, _ := strings.Cut(strings.TrimSpace(text), "\n")
	return line
}

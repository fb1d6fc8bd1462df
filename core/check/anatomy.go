package check

import (
	"regexp"
	"slices"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
)

// part is a part that a prompt of some length usually has. It is there if one
// of its headings is, or if the text says it in other words.
type part struct {
	id       string
	headings []string
	words    *regexp.Regexp
	ask      string
	about    string
	fires    string
	quiet    string
}

var parts = func() []part {
	says := func(expression string) *regexp.Regexp { return regexp.MustCompile(`(?im)` + expression) }
	return []part{
		{"anatomy-role", []string{"role", "who", "persona"}, says(`^(you are|act as|you answer|you speak|you work|take the part)\b`),
			"Who does the work? A line such as “You are the shift lead of a water network crew” steers tone and knowledge, unless a persona does it.",
			"Says who speaks: under a heading, in words such as “You are …”, or by a recommended persona.", "a prompt that never says who speaks", "You are the shift lead."},
		{"anatomy-background", []string{"background", "context", "situation"}, says(`\b(the reader|the audience|our customers|supplies|has read|background:|context:)`),
			"What must it know to do well? Say who reads the result, and what they know already.",
			"Says what the model must know: the situation, the readers, what has happened before.", "a prompt without any background", "## Background"},
		{"anatomy-task", []string{"task", "job", "assignment"}, says(`^(write|list|answer|tell|make|turn|draft|decide|sum up|summarise|explain|compare|check|translate|put|sort|draw up|give)\b`),
			"What is to be made, for whom? Begin a line with the verb: Write, List, Answer.",
			"Says what is to be made.", "a prompt that asks for nothing", "Write a notice."},
		{"anatomy-steps", []string{"steps", "procedure", "method"}, says(`^\s*1[.)] `),
			"In which order? Numbered steps help where one depends on another.",
			"Gives an order of work, where there is one.", "a long prompt without steps", "1. Read the letter."},
		{"anatomy-examples", []string{"examples", "example"}, says(`\b(for example|an example|such as|e\.g\.)|^> `),
			"What does a good one look like? One good example helps more than three rules.",
			"Shows what a good result looks like.", "a prompt without an example", "> **Valves left shut** 114"},
		{"anatomy-limits", []string{"limits", "rules", "constraints"}, says(`\b(do not|don't|never|no more than|at most|only|leave nothing out|avoid)\b`),
			"What must it not do? Name what it must leave alone, and how long it may be.",
			"Says what the model must not do.", "a prompt without limits", "Do not give a cause."},
		{"anatomy-answer-form", []string{"answer form", "answer", "output", "format"}, says(`\b(words|bullets?|table|paragraphs?|one line|in a sentence|headings?|letter of|json)\b`),
			"How long, in what shape? Say the length and the form: paragraphs, a table, a letter.",
			"Says what the answer looks like.", "a prompt that leaves the shape open", "A letter of at most 180 words."},
	}
}()

// anatomyRules are notes, not marks: what a prompt lacks is a question to its
// writer, and what it has is there with the passage that shows it.
func anatomyRules() []Rule {
	var rules []Rule
	for _, p := range parts {
		rules = append(rules, Rule{ID: p.id, Severity: Note, About: p.about, Fires: p.fires, Quiet: p.quiet, find: func(r *reading) {
			if r.short() {
				return
			}
			if _, ok := r.shows(p); !ok {
				r.say("/body", "%s", message.Plain(p.ask))
			}
		}})
	}
	return append(rules, Rule{
		ID: "paste-unfenced", Severity: Stop,
		About: "A text that somebody pastes in may hold orders of its own. Between two lines of ---, three backticks or three quotation marks, or within quotation marks, it is read as material.",
		Fires: "Answer this letter: {{letter}}, where letter takes a text", Quiet: "the same between two lines of ---", find: unfenced,
	})
}

// short says whether an entry needs no anatomy: it is no prompt, or a prompt of
// a line or two.
func (r *reading) short() bool {
	filled := 0
	for _, l := range r.lines {
		if strings.TrimSpace(l.text) != "" {
			filled++
		}
	}
	return r.Kind != entry.Prompt || filled <= 2
}

// shows gives the passage by which a part is there.
func (r *reading) shows(p part) (passage string, ok bool) {
	if p.id == "anatomy-role" && r.Persona != "" {
		return "persona: " + r.Persona, true
	}
	for _, s := range r.sections {
		if slices.Contains(p.headings, strings.ToLower(s.title)) {
			return "## " + s.title, true
		}
	}
	if at := p.words.FindStringIndex(r.body); at != nil {
		line, _, _ := strings.Cut(r.body[at[0]:], "\n")
		return line, true
	}
	return "", false
}

// Anatomy is a part of a prompt, with the passage that shows it, or empty
// where nothing does.
type Anatomy struct {
	Rule    string `json:"rule"`
	Passage string `json:"passage"`
}

// Parts gives the parts of a prompt and where each is. Of other kinds, and of
// prompts of a line or two, it gives none.
func Parts(in Input) []Anatomy {
	r := newReading(in, Policy{})
	if r.short() {
		return nil
	}
	var all []Anatomy
	for _, p := range parts {
		passage, _ := r.shows(p)
		all = append(all, Anatomy{p.id, passage})
	}
	return all
}

func unfenced(r *reading) {
	if r.text == nil || r.Kind != entry.Prompt && r.Kind != entry.Snippet {
		return
	}
	long := map[string]bool{}
	for _, b := range r.Blanks {
		long[b.Name] = b.Kind() == fill.LongText
	}
	r.text.Walk(func(n fill.Node) {
		hole, ok := n.(*fill.Hole)
		if !ok || !long[hole.Name] || r.isFenced(hole.Pos(), hole.End()) {
			return
		}
		start, end := hole.Pos(), hole.End()
		found := r.sayAt(start, end, "Pasted text stands unfenced. Put {{%s}} between two lines of ---, so that an order inside it is not taken for yours.", hole.Name)
		found.Fix = &Fix{message.Say("Fence it"), r.fenced(start, end)}
	})
}

// fenced gives a stretch of the body between fences that have their lines to
// themselves.
func (r *reading) fenced(start, end int) string {
	text := "---\n" + r.body[start:end] + "\n---"
	if start > 0 && r.body[start-1] != '\n' {
		text = "\n" + text
	}
	if end < len(r.body) && r.body[end] != '\n' && r.body[end] != '\r' {
		text += "\n"
	}
	return text
}

// isFenced says whether a place of the body is between fences, in a quotation,
// within quotation marks or within tags.
func (r *reading) isFenced(pos, end int) bool {
	i, _ := slices.BinarySearchFunc(r.lines, pos, func(l line, pos int) int {
		if l.start+len(l.text) < pos {
			return -1
		}
		if l.start > pos {
			return 1
		}
		return 0
	})
	if i >= len(r.lines) {
		return false
	}
	l := r.lines[i]
	before, after := l.text[:pos-l.start], l.text[min(end-l.start, len(l.text)):]
	bare := strings.TrimSpace(before)
	switch {
	case l.fenced, strings.HasPrefix(bare, ">"):
		return true
	case strings.HasSuffix(bare, `"`), strings.HasSuffix(bare, "“"), strings.HasSuffix(bare, "«"), strings.HasSuffix(bare, "„"):
		return strings.IndexAny(after, `"”»“`) == 0
	case strings.HasSuffix(bare, ">"):
		return strings.HasPrefix(strings.TrimSpace(after), "</")
	}
	// Tags on the lines around it.
	if i > 0 && i+1 < len(r.lines) {
		return strings.HasPrefix(strings.TrimSpace(r.lines[i-1].text), "<") && strings.HasPrefix(strings.TrimSpace(r.lines[i+1].text), "</")
	}
	return false
}

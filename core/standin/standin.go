// Package standin writes what simulated models answer: prose of rules and weighted phrases
// about the text that they are sent, in the world of the demo. The same request with the
// same seed gets the same reply. It is for demos and tests; no model is behind it.
package standin

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"goldshelf/core/check"
	"goldshelf/core/endpoint"
	"goldshelf/core/message"
)

// Model is one of them, with its habits. Habits are probabilities.
type Model struct {
	Name      string
	Window    int           // tokens of what it is sent
	First     time.Duration // until the first piece
	PerSecond float64       // pieces

	forgets     float64 // each rule about what is said
	breaks      float64 // a form: JSON, a table, a list of so many
	invents     float64 // a number
	dropsLast   float64 // the last rule
	longWinded  bool    // without a style
	stiff       bool    // without a persona
	takesItself int     // sentences that it writes where nobody says how many
}

// Models gives the four.
func Models() []Model {
	return []Model{
		{Name: "heron-2", Window: 16_000, First: 300 * time.Millisecond, PerSecond: 40, forgets: 0.03, breaks: 0.1, longWinded: true, takesItself: 9},
		{Name: "heron-2-mini", Window: 16_000, First: 120 * time.Millisecond, PerSecond: 120, forgets: 0.2, breaks: 0.25, invents: 1.0 / 12, takesItself: 7},
		{Name: "osprey-70", Window: 16_000, First: 600 * time.Millisecond, PerSecond: 25, forgets: 0.06, breaks: 0.01, stiff: true, takesItself: 8},
		{Name: "marsh-local", Window: 8_000, First: 900 * time.Millisecond, PerSecond: 12, forgets: 0.1, breaks: 0.2, dropsLast: 1.0 / 6, takesItself: 6},
	}
}

// ModelNamed gives one of them.
func ModelNamed(name string) (Model, bool) {
	for _, m := range Models() {
		if m.Name == name {
			return m, true
		}
	}
	return Model{}, false
}

// TooLong is the error of a text that a model cannot take.
type TooLong struct{ Tokens, Window int }

func (e *TooLong) Error() string { return e.Said().String() }

// Said gives what it says.
func (e *TooLong) Said() message.Text {
	return message.Say("the text has about %d tokens; this model takes %d at once", e.Tokens, e.Window)
}

// Reply writes what a model answers to a request, whose seed is 0 where it has none.
func (m Model) Reply(r endpoint.Request) (endpoint.Reply, error) {
	in := 0
	hash := fnv.New64a()
	for _, msg := range r.Messages {
		in += check.Tokens(msg.Text)
		fmt.Fprintf(hash, "%s\x00%s\x00", msg.Role, msg.Text)
	}
	if in > m.Window {
		return endpoint.Reply{}, &TooLong{in, m.Window}
	}
	fmt.Fprint(hash, m.Name)
	seed := uint64(0)
	if r.Settings.Seed != nil {
		seed = uint64(*r.Settings.Seed)
	}
	w := &writer{m: m, b: read(r.Messages), r: rand.New(rand.NewPCG(hash.Sum64(), seed))}
	out := endpoint.Reply{Text: w.write(), Reason: endpoint.End, Tokens: endpoint.Tokens{In: in}}
	if most := r.Settings.MaxTokens; most > 0 && check.Tokens(out.Text) > most {
		out.Text, out.Reason = cutTo(out.Text, most), endpoint.Length
	}
	out.Tokens.Out = check.Tokens(out.Text)
	return out, nil
}

// Pieces parts a text into what comes at a time: a word with the space after it.
func Pieces(text string) (all []string) {
	for part := range strings.SplitAfterSeq(text, " ") {
		if part != "" {
			all = append(all, part)
		}
	}
	return all
}

func cutTo(text string, tokens int) string {
	var kept strings.Builder
	for _, piece := range Pieces(text) {
		if check.Tokens(kept.String()+piece) > tokens {
			break
		}
		kept.WriteString(piece)
	}
	return strings.TrimRight(kept.String(), " ")
}

// writer writes one reply.
type writer struct {
	m Model
	b brief
	r *rand.Rand

	broken map[int]bool // rules that it does not keep, by number
}

func (w *writer) chance(p float64) bool { return w.r.Float64() < p }

func (w *writer) one(of []string) string { return of[w.r.IntN(len(of))] }

func (w *writer) write() string {
	w.broken = map[int]bool{}
	for i, rule := range w.b.rules {
		p := w.m.forgets
		if rule.kind.isForm() {
			p = w.m.breaks
		}
		again := i > 0 && rule.kind == never && w.b.rules[i-1].kind == never && w.b.rules[i-1].at == rule.at
		w.broken[i] = !again && w.chance(p) // what is forbidden in one breath is one rule
	}
	if n := len(w.b.rules); n > 0 && w.chance(w.m.dropsLast) {
		w.broken[n-1] = true
	}
	switch {
	case w.b.changes != "":
		return w.changed()
	case w.b.yesNo:
		return w.verdict()
	case w.b.wantsPrompt:
		return w.prompt()
	}
	if w.b.questions != nil {
		return w.answers()
	}
	if rule, kept := w.rule(asJSON); rule != nil {
		return w.json(rule, kept)
	}
	if rule, kept := w.rule(asTable); rule != nil {
		return w.table(rule, kept)
	}
	if rule, kept := w.rule(under); rule != nil {
		return w.ended(w.sections(rule.names, kept))
	}
	return w.prose()
}

// sections writes under headings; where that is not kept, the last one is left out.
func (w *writer) sections(headings []string, kept bool) string {
	const each = 3 // sentences
	sentences := w.padded(w.slipped(w.sentences()), each*len(headings))
	var all []string
	for i, h := range headings {
		text := strings.Join(sentences[i*each:(i+1)*each], " ")
		if kept || i < len(headings)-1 {
			text = "## " + h + "\n\n" + text
		}
		all = append(all, text)
	}
	return strings.Join(all, "\n\n")
}

// rule gives the first rule of a kind, and whether it is kept.
func (w *writer) rule(kind ruleKind) (r *rule, kept bool) {
	for i := range w.b.rules {
		if w.b.rules[i].kind == kind {
			return &w.b.rules[i], !w.broken[i]
		}
	}
	return nil, true
}

// prose writes sentences about what the text is about, within the limits that it keeps.
func (w *writer) prose() string {
	sentences := w.slipped(w.sentences())
	if rule, kept := w.rule(listOf); rule != nil {
		return w.ended(w.list(sentences, rule, kept))
	}
	if rule, kept := w.rule(mostSentences); rule != nil {
		n := rule.n
		if !kept {
			n += 1 + w.r.IntN(2)
		}
		sentences = w.padded(sentences, n)[:n]
	}
	if rule, kept := w.rule(mostWords); rule != nil {
		most, words := rule.n-check.Words(w.ending()), 0
		for _, s := range sentences {
			words += check.Words(s)
		}
		if kept {
			for len(sentences) > 1 && words > most {
				words -= check.Words(sentences[len(sentences)-1])
				sentences = sentences[:len(sentences)-1]
			}
		} else {
			over := rule.n + rule.n/10 + w.r.IntN(rule.n/5+2)
			for words <= over {
				sentences = append(sentences, w.filler())
				words += check.Words(sentences[len(sentences)-1])
			}
		}
	}
	return w.ended(w.paragraphs(sentences))
}

func (w *writer) padded(sentences []string, n int) []string {
	for len(sentences) < n {
		sentences = append(sentences, w.filler())
	}
	return sentences
}

// paragraphs puts sentences together, three or so at a time.
func (w *writer) paragraphs(sentences []string) string {
	per := 3
	if rule, kept := w.rule(mostParagraphs); rule != nil {
		parts := rule.n
		if !kept {
			parts++
		}
		per = max(1, (len(sentences)+parts-1)/parts)
	}
	var all []string
	for part := range slices.Chunk(sentences, per) {
		all = append(all, strings.Join(part, " "))
	}
	return strings.Join(all, "\n\n")
}

func (w *writer) list(sentences []string, rule *rule, kept bool) string {
	n := rule.n
	if !kept {
		n += 1 - 2*w.r.IntN(2)
	}
	n = max(1, n)
	sentences = w.padded(sentences, n)
	lines := make([]string, n)
	for i := range lines {
		lines[i] = "- " + sentences[i]
	}
	return strings.Join(lines, "\n")
}

// slipped puts in what should not be there: a word that is forbidden, where that rule is
// forgotten, and a number that nobody gave.
func (w *writer) slipped(sentences []string) []string {
	var slips []string
	for i, r := range w.b.rules {
		if r.kind == never && w.broken[i] {
			slips = append(slips, sentenceWith(r.text))
		}
	}
	if w.chance(w.m.invents) {
		slips = append(slips, fmt.Sprintf("About %d homes have noticed it so far.", w.newNumber()))
	}
	return slices.Concat(slips, sentences)
}

// ended puts the line that is asked for at the end.
func (w *writer) ended(text string) string {
	if end := w.ending(); end != "" {
		return text + "\n\n" + end
	}
	return text
}

// ending is the line to end with, if that is asked for and not forgotten.
func (w *writer) ending() string {
	if rule, kept := w.rule(endsWith); rule != nil && kept {
		return rule.text
	}
	return ""
}

// newNumber is one that stands nowhere in what was sent.
func (w *writer) newNumber() int {
	for {
		if n := 110 + 10*w.r.IntN(180); !slices.Contains(w.b.numbers, fmt.Sprint(n)) {
			return n
		}
	}
}

func sentenceWith(words string) string {
	words = strings.TrimRight(words, ".!, ")
	if words == "" {
		return ""
	}
	return strings.ToUpper(words[:1]) + words[1:] + ", this has happened."
}

func (w *writer) json(rule *rule, kept bool) string {
	keys := rule.names
	if len(keys) == 0 {
		keys = []string{"summary", "next_step"}
	}
	sentences := w.padded(w.sentences(), len(keys))
	lines := make([]string, len(keys))
	for i, k := range keys {
		lines[i] = fmt.Sprintf("  %q: %q", k, sentences[i])
	}
	text := "{\n" + strings.Join(lines, ",\n") + "\n}"
	if kept {
		return text
	}
	return w.one([]string{"Here is the answer:\n\n" + text, strings.TrimSuffix(text, "\n}") + ",\n}", strings.ReplaceAll(text, `"`, `'`)})
}

func (w *writer) table(rule *rule, kept bool) string {
	columns := rule.names
	if len(columns) == 0 {
		columns = []string{"Point", "What it means"}
	}
	sentences := w.sentences()
	var rows []string
	rows = append(rows, "| "+strings.Join(columns, " | ")+" |", "|"+strings.Repeat("---|", len(columns)))
	for i := 0; i < min(4, len(sentences)); i++ {
		cells := make([]string, len(columns))
		for c := range cells {
			cells[c] = strings.TrimSuffix(sentences[(i+c)%len(sentences)], ".")
		}
		rows = append(rows, "| "+strings.Join(cells, " | ")+" |")
	}
	if !kept {
		return "- " + strings.Join(sentences[:min(4, len(sentences))], "\n- ")
	}
	return strings.Join(rows, "\n")
}

// verdict answers a question of yes or no: yes where the text that is judged keeps what is
// asked of it as far as that can be counted, and now and then the other way round.
func (w *writer) verdict() string {
	yes := w.b.judged == "" || !strings.Contains(strings.ToLower(w.b.judged), "unfortunately")
	if w.chance(0.5 * w.m.forgets) {
		yes = !yes
	}
	if yes {
		return "Yes."
	}
	return "No."
}

// prompt writes a prompt by the outline.
func (w *writer) prompt() string {
	about := cmp.Or(w.b.subject, "what the customer asks")
	return "## Role\nYou write for a water company, to one person.\n\n" +
		"## Background\nThe reader wants to know about " + about + ", and knows nothing of pipes.\n\n" +
		"## Task\nWrite about " + about + " for {{reader}}. Say what has happened, then what to do now.\n\n" +
		"## Limits\nNo more than 120 words. Do not guess.\n\n" +
		"## Answer form\nThree short paragraphs, without a heading.\n"
}

// changed writes the last reply as a follow-up asks for it.
func (w *writer) changed() string {
	sentences := split(w.b.last)
	asked := strings.ToLower(w.b.changes)
	switch {
	case strings.Contains(asked, "short"), strings.Contains(asked, "half"), strings.Contains(asked, "brief"):
		return strings.Join(sentences[:max(1, len(sentences)/2)], " ")
	case strings.Contains(asked, "warm"), strings.Contains(asked, "kind"), strings.Contains(asked, "friendl"):
		return w.one(warm) + " " + strings.Join(sentences, " ") + " " + w.one(thanks)
	case strings.Contains(asked, "plain"), strings.Contains(asked, "simpl"), strings.Contains(asked, "easier"):
		return plainer.Replace(strings.Join(sentences, " "))
	case strings.Contains(asked, "formal"), strings.Contains(asked, "professional"):
		return "We write with regard to the matter below. " + strings.Join(sentences, " ")
	}
	return strings.Join(sentences, " ") + " " + w.one(w.sentences()) + " You asked about this: " + strings.TrimRight(firstLine(w.b.changes), ".?!") + "."
}

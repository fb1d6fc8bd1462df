package trial

import (
	"errors"
	"maps"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"goldshelf/core/blocks"
	"goldshelf/core/check"
	"goldshelf/core/message"
	"goldshelf/core/voice"
)

// Given is what replies are judged beside.
type Given struct {
	Sent     string // all that the model was sent
	Language string // of what was sent, as BCP 47 names it; none is English
	// Styles gives how near a text is to a style, by its slug; false where there is no such style.
	Styles func(slug, text string) (voice.Fit, bool)
}

// Judge looks whether replies hold to expectations.
type Judge struct {
	all      []Expectation
	patterns []*regexp.Regexp
	sizes    []int // of the patterns
	schemas  []*jsonschema.Schema
	costs    []int                     // of the schemas
	avoid    map[string]*regexp.Regexp // the house's words to avoid
}

// NewJudge takes expectations that have no problems, and the words that the house avoids.
func NewJudge(all []Expectation, avoid []string) (*Judge, error) {
	if err := Problems(all).Err(); err != nil {
		return nil, err
	}
	n := len(all)
	j := &Judge{all, make([]*regexp.Regexp, n), make([]int, n), make([]*jsonschema.Schema, n), make([]int, n), map[string]*regexp.Regexp{}}
	for _, w := range avoid {
		if w = strings.TrimSpace(w); w != "" {
			j.avoid[w] = regexp.MustCompile(`(?i)\b` + regexp.QuoteMeta(w) + `\b`)
		}
	}
	for i, e := range all {
		var err error
		switch {
		case e.Kind == Holds:
			j.patterns[i], err = regexp.Compile(`(?i)` + regexp.QuoteMeta(e.Text))
		case e.Kind == Matches:
			j.patterns[i], j.sizes[i], err = compilePattern(e.Text)
		case e.Schema != nil:
			j.schemas[i], j.costs[i], err = compile(e.Schema)
		}
		if err != nil {
			return nil, err
		}
	}
	return j, nil
}

// Outcomes gives what came of each expectation. Those that a prompt or a person judges are
// unknown here.
func (j *Judge) Outcomes(reply string, given Given) []Observation {
	all := make([]Observation, len(j.all))
	lines, lookedAt := blocks.Lines(reply), 0
	for i, e := range j.all {
		o := Observation{State: Unknown}
		switch e.Kind {
		case Holds, Matches:
			needs := len(reply) * j.sizes[i]
			if lookedAt+needs > mostLookedAt {
				o.Note = message.Say("the reply is too long for this pattern to be looked for; write it shorter, or with less repetition")
				break
			}
			lookedAt += needs
			o = e.found(spans(reply, j.patterns[i]))
		case Words:
			n := check.Words(reply)
			o = e.within(float64(n), message.Counted(n, "word", "words"))
		case Headings:
			o = e.headings(lines)
		case List:
			o = e.list(lines)
		case Table:
			o = e.table(lines)
		case JSON:
			o = isJSON(reply, j.schemas[i], j.costs[i])
		case Numbers:
			o = numbers(reply, given.Sent)
		case Grade:
			o = e.grade(reply, given.Language)
		case Style:
			o = e.style(reply, given)
		case Avoided:
			o = j.avoided(reply)
		}
		if len(o.At) > mostSpans {
			o.At = o.At[:mostSpans]
		}
		all[i] = o
	}
	return all
}

func spans(text string, pattern *regexp.Regexp) (all []Extent) {
	for _, at := range pattern.FindAllStringIndex(text, mostSpans+1) {
		if at[1] > at[0] {
			all = append(all, Extent{at[0], at[1]})
		}
	}
	if all == nil && pattern.MatchString(text) {
		all = []Extent{{0, 0}} // a pattern that needs no text
	}
	return all
}

// found is the outcome of something that was looked for.
func (e Expectation) found(at []Extent) Observation {
	o := Observation{State: Missed, At: at, Note: message.Say("it is not there")}
	if len(at) > 0 {
		o.Note = message.Say("it is there")
	}
	if (len(at) > 0) != e.Not {
		o.State = Met
	}
	return o
}

// within is the outcome of a number that has limits.
func (e Expectation) within(n float64, note message.Text) Observation {
	o := Observation{State: Met, Note: note}
	if e.Least != nil && n < *e.Least || e.Most != nil && n > *e.Most {
		o.State = Missed
	}
	return o
}

// counted is the outcome of so many of something, at least one if nobody says how many.
func (e Expectation) counted(n int, note message.Text, at []Extent) Observation {
	o := e.within(float64(n), note)
	if e.Least == nil && e.Most == nil && n == 0 {
		o.State = Missed
	}
	o.At = at
	if e.Not {
		o.State = map[State]State{Met: Missed, Missed: Met}[o.State]
	}
	return o
}

func (e Expectation) headings(lines []blocks.Line) Observation {
	var at []Extent
	there := map[string]bool{}
	for _, l := range lines {
		if l.Level > 0 {
			at = append(at, Extent{l.Start, l.Start + len(l.Text)})
			there[strings.ToLower(strings.TrimSpace(l.Title))] = true
		}
	}
	var missing []string
	for title := range strings.Lines(e.Text) {
		title = strings.TrimSpace(strings.TrimLeft(strings.TrimSpace(title), "#"))
		if title != "" && !there[strings.ToLower(title)] {
			missing = append(missing, title)
		}
	}
	if strings.TrimSpace(e.Text) != "" && e.Least == nil && e.Most == nil {
		o := Observation{State: Met, At: at, Note: message.Say("they are all there")}
		if missing != nil {
			o.State, o.Note = Missed, message.Say("not there: %s", strings.Join(missing, ", "))
		}
		if e.Not {
			o.State = map[State]State{Met: Missed, Missed: Met}[o.State]
		}
		return o
	}
	o := e.counted(len(at), message.Counted(len(at), "heading", "headings"), at)
	if missing != nil {
		o.State, o.Note = Missed, message.Say("%s; not there: %s", o.Note, strings.Join(missing, ", "))
	}
	return o
}

var item = regexp.MustCompile(`^\s{0,3}([-*+]|\d{1,9}[.)])\s+\S`)

// list counts the items of the longest list, of its outermost level.
func (e Expectation) list(lines []blocks.Line) Observation {
	var longest, now []Extent // now may share its room with the longest, and is begun anew apart
	blank, depth := 0, 0
	for _, l := range lines {
		switch {
		case l.Code:
			continue
		case item.MatchString(l.Text) && (now == nil || indent(l.Text) < depth+2):
			if now == nil {
				depth = indent(l.Text)
			}
			now, blank = append(now, Extent{l.Start, l.Start + len(l.Text)}), 0
		case strings.TrimSpace(l.Text) == "":
			blank++
		case blank > 0 && !strings.HasPrefix(l.Text, "  ") && !strings.HasPrefix(l.Text, "\t"), l.Level > 0:
			now = nil // a paragraph: the list has ended
		}
		if len(now) > len(longest) {
			longest = now
		}
	}
	note := message.Say("no list")
	if len(longest) > 0 {
		note = message.Say("a list of %s", message.Counted(len(longest), "item", "items"))
	}
	return e.counted(len(longest), note, longest)
}

func indent(line string) int { return len(line) - len(strings.TrimLeft(line, " ")) }

var rule = regexp.MustCompile(`^\s*\|?\s*:?-{1,}:?\s*(\|\s*:?-{1,}:?\s*)*\|?\s*$`)

// table looks for one as GitHub Flavored Markdown has them: a row with bars, and a line of
// hyphens under it.
func (e Expectation) table(lines []blocks.Line) Observation {
	var at []Extent
	for i := 1; i < len(lines); i++ {
		above, l := lines[i-1], lines[i]
		if !l.Code && strings.Contains(above.Text, "|") && strings.Contains(l.Text, "|") && strings.Contains(l.Text, "-") && rule.MatchString(l.Text) {
			end := i
			for end+1 < len(lines) && strings.Contains(lines[end+1].Text, "|") {
				end++
			}
			at = append(at, Extent{above.Start, lines[end].Start + len(lines[end].Text)})
			i = end // a table has one such line
		}
	}
	note := message.Say("there is no table")
	if len(at) > 0 {
		note = message.Say("there is a table")
	}
	return Expectation{Not: e.Not}.counted(len(at), note, at)
}

func isJSON(reply string, schema *jsonschema.Schema, cost int) Observation {
	read, err := jsonschema.UnmarshalJSON(strings.NewReader(reply))
	if err != nil {
		note := message.Say("it is no JSON: %v", err)
		if i := strings.IndexAny(reply, "{["); i > 0 && strings.TrimSpace(reply[:i]) != "" {
			note = message.Say("there is other text before the JSON")
		}
		return Observation{State: Missed, Note: note}
	}
	if schema == nil {
		return Observation{State: Met, Note: message.Say("it is JSON")}
	}
	if most := mostVisits / cost; values(read, most) > most {
		return Observation{State: Unknown, Note: message.Say("the reply is too long to be held to this schema; ask for less, or take a simpler schema")}
	}
	var wrong *jsonschema.ValidationError
	if err := schema.Validate(read); errors.As(err, &wrong) {
		for len(wrong.Causes) > 0 {
			wrong = wrong.Causes[0]
		}
		where := ""
		for _, part := range wrong.InstanceLocation {
			where += "/" + part
		}
		said := strings.Split(wrong.Error(), "\n")
		what := afterPlace(said[len(said)-1])
		if where == "" {
			return Observation{State: Missed, Note: message.Say("it does not fit the schema: %s", what)}
		}
		return Observation{State: Missed, Note: message.Say("%s does not fit the schema: %s", where, what)}
	} else if err != nil {
		return Observation{State: Missed, Note: message.Of(err)}
	}
	return Observation{State: Met, Note: message.Say("it fits the schema")}
}

// afterPlace leaves out where the library says a value stands.
func afterPlace(said string) string {
	if _, what, ok := strings.Cut(said, "': "); ok {
		return what
	}
	return said
}

var (
	number  = regexp.MustCompile(`\d+(?:[.,:]\d+)*`)
	ordinal = regexp.MustCompile(`(?m)^\s*\d{1,3}[.)]\s`)
	inWords = strings.Fields("zero one two three four five six seven eight nine ten eleven twelve")
)

// numbers looks for those that were not given. What numbers the items of a list is none.
func numbers(reply, sent string) Observation {
	given := map[string]bool{}
	for _, n := range number.FindAllString(sent, -1) {
		given[plain(n)] = true
	}
	low := strings.FieldsFunc(strings.ToLower(sent), func(r rune) bool { return r < 'a' || r > 'z' })
	for i, w := range inWords {
		if slices.Contains(low, w) {
			given[strconv.Itoa(i)] = true
		}
	}
	var at []Extent
	var new []string
	ordinals := ordinal.FindAllStringIndex(reply, -1) // in order, as the numbers are
	for _, s := range number.FindAllStringIndex(reply, -1) {
		for len(ordinals) > 0 && ordinals[0][1] < s[1] {
			ordinals = ordinals[1:]
		}
		if len(at) > mostSpans {
			break // it is told
		}
		n := reply[s[0]:s[1]]
		isOrdinal := len(ordinals) > 0 && s[0] >= ordinals[0][0]
		if !isOrdinal && !given[plain(n)] {
			at = append(at, Extent{s[0], s[1]})
			if !slices.Contains(new, n) {
				new = append(new, n)
			}
		}
	}
	if at == nil {
		return Observation{State: Met, Note: message.Say("every number was given")}
	}
	return Observation{State: Missed, Note: message.Say("not given: %s", strings.Join(new[:min(len(new), 10)], ", ")), At: at}
}

// plain writes a number without what parts its thousands, and without noughts that say nothing.
func plain(n string) string {
	if thousands.MatchString(n) {
		n = strings.ReplaceAll(n, ",", "")
	}
	if f, err := strconv.ParseFloat(n, 64); err == nil {
		return strconv.FormatFloat(f, 'f', -1, 64)
	}
	return n
}

var thousands = regexp.MustCompile(`^\d{1,3}(,\d{3})+(\.\d+)?$`)

func (e Expectation) grade(reply, language string) Observation {
	grade, words, known := check.Grade(reply, language)
	switch {
	case words == 0:
		return Observation{State: Missed, Note: message.Say("there are no words")}
	case !known:
		return Observation{State: Unknown, Note: message.Say("there is no formula for this language")}
	}
	grade = math.Round(grade*10) / 10
	return e.within(grade, message.Say("grade %.1f", grade))
}

func (e Expectation) style(reply string, given Given) Observation {
	if given.Styles == nil {
		return Observation{State: Unknown}
	}
	fit, there := given.Styles(e.Text, reply)
	switch {
	case !there:
		return Observation{State: Unknown, Note: message.Say("there is no such style")}
	case fit.Near == voice.Unknown:
		return Observation{State: Unknown, Note: fit.Note}
	}
	o := Observation{State: Missed, Note: message.Say("%s: %.2f, where 95 %% of the style’s own are under %.2f", fit.Near, fit.Distance, fit.Own)}
	if fit.Near == voice.Near {
		o.State = Met
	} else {
		for _, s := range fit.Stands {
			o.At = append(o.At, Extent{s.Start, s.End})
		}
	}
	return o
}

func (j *Judge) avoided(reply string) Observation {
	var at []Extent
	var found []string
	for _, w := range slices.Sorted(maps.Keys(j.avoid)) {
		if here := spans(reply, j.avoid[w]); here != nil {
			at = append(at, here...)
			found = append(found, w)
		}
	}
	if at == nil {
		return Observation{State: Met, Note: message.Say("none of the words to avoid")}
	}
	return Observation{State: Missed, Note: message.Say("it has %s", strings.Join(found, ", ")), At: at}
}

// Package places finds the places to fill in of a text that was written
// elsewhere, in the many ways in which people mark them, and turns the chosen
// ones into blanks. It never changes a text unasked, and it leaves alone what
// only looks like such a place: links, code, JSON, tags.
package places

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"goldshelf/core/blocks"
	"goldshelf/core/fill"
)

// Place is a stretch of a text that seems to wait for something.
type Place struct {
	Start    int    `json:"start"` // bytes of the text
	End      int    `json:"end"`
	Text     string `json:"text"`
	Notation string `json:"notation"` // how it is written, in the words of Notations
	Name     string `json:"name"`     // of the blank it would become; the same for the same words
	Line     int    `json:"line"`     // from 1
}

// notation is one way to write a place. Its expression has one group: the words
// that name it.
type notation struct {
	name  string
	needs []string // a text without any of these has none, which is soon seen
	is    *regexp.Regexp
	not   func(f *finding, start, end int, inner string) bool // what only looks like it
}

// The words inside braces and brackets: short, on one line, no quotes or colons.
const inner = `([\p{L}_][\p{L}\p{N}_ .,/’'-]{0,58}[\p{L}\p{N}_.]|[\p{L}_])`

var notations = []notation{
	{"{{{name}}}", []string{"{{{"}, regexp.MustCompile(`\{\{\{ *` + inner + ` *\}\}\}`), nil},
	{"{{ name }}", []string{"{{"}, regexp.MustCompile(`\{\{ *` + inner + ` *\}\}`), nil},
	{"${name}", []string{"${"}, regexp.MustCompile(`\$\{ *` + inner + ` *\}`), nil},
	{"{name}", []string{"{"}, regexp.MustCompile(`\{ *` + inner + ` *\}`), isObject},
	{"[name]", []string{"["}, regexp.MustCompile(`\[ *` + inner + ` *\]`), isLink},
	{"<name>", []string{"<"}, regexp.MustCompile(`< *` + inner + ` *>`), isTag},
	{"%name%", []string{"%"}, regexp.MustCompile(`%([\p{L}_][\p{L}\p{N}_]{0,38})%`), nil},
	{"__name__", []string{"__"}, regexp.MustCompile(`__([a-z][a-z0-9]*(?:_[a-z0-9]+)*|[A-Z][A-Z0-9]*(?:_[A-Z0-9]+)*)__`), nil},
	{"NAME HERE", []string{" HERE"}, regexp.MustCompile(`\b(?:(?:INSERT|ENTER|PASTE|YOUR|ADD) )?([A-Z][A-Z0-9]+(?:[ _-][A-Z0-9]+){0,4}) HERE\b`), nil},
	{"INSERT NAME", []string{"INSERT", "ENTER", "YOUR"}, regexp.MustCompile(`\b(?:INSERT|ENTER|YOUR)[ _]([A-Z][A-Z0-9]+(?:[ _-][A-Z0-9]+){0,4})\b`), nil},
	{"____", []string{"____"}, regexp.MustCompile(`(?:\b([\p{L}][\p{L}\p{N} ]{0,38}):? *)?(_{4,})`), nil},
}

// Notations lists the ways to write a place that are known.
func Notations() []string {
	names := make([]string, len(notations))
	for i, n := range notations {
		names[i] = n.name
	}
	return names
}

// finding is one look through a text.
type finding struct {
	src    string
	spoken []bool // bytes that belong to code, to a mark that can be read or to a place
	closed map[string]bool
	linked map[string]bool
	found  []Place
	names  map[string]string // by what the place says
	taken  map[string]int    // how often a name was asked for
}

// Find gives the places of a text in order, none within another.
func Find(src string) []Place {
	f := &finding{
		src: src, spoken: make([]bool, len(src)), names: map[string]string{}, taken: map[string]int{},
		closed: firstOf(closing, src), linked: firstOf(references, src),
	}
	for _, c := range codeIn(src) {
		f.speakFor(c[0], c[1])
	}
	for _, n := range notations {
		if !slices.ContainsFunc(n.needs, func(s string) bool { return strings.Contains(src, s) }) {
			continue
		}
		for _, m := range n.is.FindAllStringSubmatchIndex(src, -1) {
			f.add(n, m)
		}
	}
	slices.SortFunc(f.found, func(a, b Place) int { return cmp.Compare(a.Start, b.Start) })
	line, at := 1, 0
	for i := range f.found {
		p := &f.found[i]
		line += strings.Count(src[at:p.Start], "\n")
		at = p.Start
		p.Line = line
		p.Name = f.nameFor(p.Name)
	}
	return f.found
}

func (f *finding) add(n notation, m []int) {
	start, end, words := m[0], m[1], ""
	if m[2] >= 0 {
		words = f.src[m[2]:m[3]]
	}
	if n.name == "____" {
		start, end = m[4], m[5] // the words before a line are its label, not part of it
	}
	switch {
	case slices.Contains(f.spoken[start:end], true),
		start > 0 && (f.src[start-1] == '\\' || f.src[start-1] == '{'),
		n.not != nil && n.not(f, start, end, words):
		return
	}
	f.speakFor(start, end)
	f.found = append(f.found, Place{Start: start, End: end, Text: f.src[start:end], Notation: n.name, Name: words})
}

func (f *finding) speakFor(start, end int) {
	for i := start; i < end; i++ {
		f.spoken[i] = true
	}
}

// isObject says whether braces are part of a formula or of nested braces: what
// is in them is a name already, so JSON is not among these.
func isObject(f *finding, start, end int, _ string) bool {
	if end < len(f.src) && f.src[end] == '}' {
		return true
	}
	before := f.src[:start]
	word := strings.TrimRight(before, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ")
	return strings.HasSuffix(before, "{") || len(word) < len(before) && strings.HasSuffix(word, `\`) || strings.HasSuffix(before, "}") && strings.Contains(lastLine(before), `\`)
}

// isLink says whether brackets belong to a link, a note, an image or a task.
func isLink(f *finding, start, end int, words string) bool {
	after := f.src[end:]
	switch {
	case strings.HasPrefix(after, "("), strings.HasPrefix(after, "["), strings.HasPrefix(after, ":") && strings.TrimSpace(lastLine(f.src[:start])) == "":
		return true
	case start > 0 && (f.src[start-1] == '!' || f.src[start-1] == ']'):
		return true
	case (words == "x" || words == "X") && strings.Trim(lastLine(f.src[:start]), " -*+\t") == "":
		return true
	}
	return f.linked[words]
}

// isTag says whether angle brackets are a tag: one that HTML has, or one that
// the text closes or opens elsewhere.
func isTag(f *finding, start, end int, words string) bool {
	name, _, _ := strings.Cut(words, " ")
	switch {
	case strings.Contains(words, "/"), f.closed[words], f.closed[name]:
		return true
	case strings.ContainsAny(words, ".,") && !strings.Contains(words, " "):
		return true
	}
	return htmlTags[strings.ToLower(name)] && name == words
}

// lastLine gives the end of s, to its last line end but not far.
func lastLine(s string) string {
	s = s[max(0, len(s)-200):]
	return s[strings.LastIndexByte(s, '\n')+1:]
}

// htmlTags are those of HTML's tags that nobody would call a place to fill in,
// as <time> or <summary> may well be where nothing closes them.
var htmlTags = func() map[string]bool {
	tags := map[string]bool{}
	for _, t := range strings.Fields(`a abbr b base bdi bdo blockquote br canvas col colgroup dd del dfn div dl dt em embed fieldset figcaption
		figure h1 h2 h3 h4 h5 h6 hgroup hr html i iframe img ins kbd li noscript ol optgroup p param pre q rp rt ruby s samp script small
		span strong sub sup svg tbody td textarea tfoot th thead tr u ul var wbr`) {
		tags[t] = true
	}
	return tags
}()

var (
	closing    = regexp.MustCompile(`</([^<>\n]{1,60})>`)
	references = regexp.MustCompile(`(?m)^\[([^\]\n]{1,60})\]:`)

	marks  = regexp.MustCompile(`\{\{[^\n]*?\}\}`)
	inline = regexp.MustCompile("`[^`\n]+`")
)

// firstOf gives what the group of an expression stands for, wherever it matches.
func firstOf(is *regexp.Regexp, src string) map[string]bool {
	all := map[string]bool{}
	for _, m := range is.FindAllStringSubmatch(src, -1) {
		all[m[1]] = true
	}
	return all
}

// codeIn gives the stretches of code, between fences and between backticks, and
// the marks that the fill-in language reads already.
func codeIn(src string) [][2]int {
	var all [][2]int
	for _, l := range blocks.Lines(src) {
		if l.Code {
			all = append(all, [2]int{l.Start, l.End})
		}
	}
	for _, m := range inline.FindAllStringIndex(src, -1) {
		all = append(all, [2]int{m[0], m[1]})
	}
	for _, m := range marks.FindAllStringIndex(src, -1) {
		if isMark(src[m[0]:m[1]]) {
			all = append(all, [2]int{m[0], m[1]})
		}
	}
	return all
}

// isMark says whether the fill-in language reads a mark: alone, as the beginning
// of a block or as a part of one.
func isMark(mark string) bool {
	for _, around := range [][2]string{{"", ""}, {"", "{{end}}"}, {"{{if a}}", ""}, {"{{if a}}", "{{end}}"}} {
		if _, err := fill.Parse(around[0] + mark + around[1]); err == nil {
			return true
		}
	}
	return false
}

// nameFor makes a blank's name of a place's words: the same for the same words,
// another for others.
func (f *finding) nameFor(words string) string {
	key := strings.ToLower(strings.Join(strings.FieldsFunc(words, func(r rune) bool { return strings.ContainsRune(" _.-,/", r) }), " "))
	if key != "" && f.names[key] != "" {
		return f.names[key]
	}
	base := nameOf(key)
	name := base
	for f.taken[name] > 0 {
		f.taken[base]++
		name = fmt.Sprintf("%s_%d", cut(base, fill.MaxName-7), f.taken[base])
	}
	f.taken[name]++
	if key == "" {
		key = "\x00" + name // a line without a label is a place of its own
	}
	f.names[key] = name
	return name
}

// nameOf makes words a name: a to z, digits and low lines, no reserved word.
func nameOf(words string) string {
	var b strings.Builder
	for _, r := range words {
		switch {
		case 'a' <= r && r <= 'z', '0' <= r && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "_"):
			b.WriteByte('_')
		}
	}
	name := strings.Trim(cut(strings.TrimLeft(b.String(), "0123456789_"), fill.MaxName), "_")
	if name == "" {
		return "blank"
	}
	if !fill.IsName(name) {
		return name + "_text"
	}
	return name
}

func cut(s string, most int) string {
	if len(s) <= most {
		return s
	}
	return s[:most]
}

// MakeBlanks makes blanks of places: each becomes a mark with its name. Names may have
// been changed since they were found, and places left out; they are in order and
// do not overlap, as Find gives them. The blanks are those that the text has not
// declared yet, each once, in the order in which they come.
func MakeBlanks(src string, chosen []Place) (body string, blanks []fill.Blank) {
	var b strings.Builder
	at := 0
	seen := map[string]bool{}
	for _, p := range chosen {
		b.WriteString(src[at:p.Start] + "{{" + p.Name + "}}")
		at = p.End
		if !seen[p.Name] {
			seen[p.Name] = true
			blanks = append(blanks, fill.Blank{Name: p.Name, Hint: hintOf(p)})
		}
	}
	b.WriteString(src[at:])
	return b.String(), blanks
}

// hintOf keeps what a place said, where its name does not.
func hintOf(p Place) string {
	words := strings.Trim(p.Text, "{}[]<>%$_ ")
	if words == "" || strings.ReplaceAll(strings.ToLower(words), " ", "_") == p.Name {
		return ""
	}
	return words
}

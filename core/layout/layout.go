// Package layout says how an application wants a stack delivered: as one text, in boxes or
// as messages. It fills no text: it takes the layers of one that is filled.
package layout

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/core/blocks"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Form is what a stack is delivered as.
type Form string

// The forms.
const (
	Text     Form = "text"     // one text
	Boxes    Form = "boxes"    // several texts, each for a box of the application
	Messages Form = "messages" // a list of messages with roles
)

// Headings is how headings are written.
type Headings string

// The ways to write headings.
const (
	Markdown Headings = "markdown" // as they are
	Tags     Headings = "tags"     // a part between <part> and </part>
	Plain    Headings = "plain"    // a line of its own, without the signs
)

// Limits of a layout.
const (
	MostBoxes = 20
	MostTakes = 40 // of a box
	mostTitle = 80 // characters
	MostLimit = 10_000_000
)

// Layout is how a stack is delivered to an application.
type Layout struct {
	As       Form              `json:"as"`
	Headings Headings          `json:"headings,omitempty"` // empty is Markdown
	Sheets   string            `json:"sheets,omitempty"`   // markdown or json; empty is Markdown
	Rename   map[string]string `json:"rename,omitempty"`   // headings, by what they are called in entries
	Boxes    []Box             `json:"boxes"`              // of a text there is one
}

// Box is one text of the delivery.
type Box struct {
	Title string `json:"title,omitempty"` // as the application calls it
	Role  string `json:"role,omitempty"`  // of a message: system, user or assistant
	Takes []Take `json:"takes"`           // in this order
	Limit int    `json:"limit,omitempty"` // characters; 0 is none
}

// Take is what a box takes of a layer: certain parts of its outline, or all of it that no
// other box names.
type Take struct {
	Layer entry.Kind `json:"layer"` // persona, style, sheet or prompt
	Parts []string   `json:"parts,omitempty"`
}

// Layers are what a box can take, in the order of a stack. What is filled by itself and is
// none of them counts as a prompt.
func Layers() []entry.Kind {
	return []entry.Kind{entry.Persona, entry.Style, entry.Sheet, entry.Prompt}
}

// Roles are those that a message can have.
func Roles() []string { return []string{"system", "user", "assistant"} }

// Problems says what keeps a layout from being used, all at once.
func (l Layout) Problems() problem.List {
	var found problem.List
	if !slices.Contains([]Form{Text, Boxes, Messages}, l.As) {
		found.Add("/as", "form", "a stack is delivered as text, boxes or messages, not as %.40q", string(l.As))
	}
	if !slices.Contains([]Headings{"", Markdown, Tags, Plain}, l.Headings) {
		found.Add("/headings", "headings", "headings are written as markdown, tags or plain, not as %.40q", string(l.Headings))
	}
	if !slices.Contains([]string{"", "markdown", "json"}, l.Sheets) {
		found.Add("/sheets", "sheets", "sheets are delivered as markdown or json, not as %.40q", l.Sheets)
	}
	for from, to := range l.Rename {
		at := problem.Pointer("rename", from)
		found = append(found, line(at, "the heading", from)...)
		found = append(found, line(at, "the new heading", to)...)
	}
	slices.SortFunc(found, func(a, b problem.Problem) int { return strings.Compare(a.Field, b.Field) })
	switch {
	case len(l.Boxes) == 0:
		found.Add("/boxes", "missing", "the layout has no box; add one that says what it takes")
	case len(l.Boxes) > MostBoxes:
		found.Add("/boxes", "size", "the layout has %d boxes; it has at most %d", len(l.Boxes), MostBoxes)
		return found
	case l.As == Text && len(l.Boxes) > 1:
		found.Add("/boxes", "form", "one text has one box, and there are %d; deliver it as boxes", len(l.Boxes))
	}
	l.boxProblems(&found)
	return found
}

func (l Layout) boxProblems(found *problem.List) {
	taken := map[string]int{} // by layer and part, in which box
	titles := map[string]bool{}
	for i, b := range l.Boxes {
		at := problem.Pointer("boxes", i)
		if b.Title != "" || l.As == Boxes {
			*found = append(*found, line(at+"/title", "the box's title", b.Title)...)
		}
		if b.Title != "" && titles[b.Title] {
			found.Add(at+"/title", "twice", "two boxes are called %q; give one another title", b.Title)
		}
		titles[b.Title] = true
		switch {
		case l.As == Messages && !slices.Contains(Roles(), b.Role):
			found.Add(at+"/role", "role", "the message is from %.40q; a message is from system, user or assistant", b.Role)
		case l.As != Messages && b.Role != "":
			found.Add(at+"/role", "role", "only a message has a role; leave it out")
		}
		if b.Limit < 0 || b.Limit > MostLimit {
			found.Add(at+"/limit", "range", "the limit is %d characters; it is 1 to %d, or 0 for none", b.Limit, MostLimit)
		}
		switch {
		case len(b.Takes) == 0:
			found.Add(at+"/takes", "missing", "the box takes nothing; say which layers it takes, or delete it")
		case len(b.Takes) > MostTakes:
			found.Add(at+"/takes", "size", "the box takes %d things; it takes at most %d", len(b.Takes), MostTakes)
			continue
		}
		for j, t := range b.Takes {
			t.problems(at+problem.Pointer("takes", j), i, taken, found)
		}
	}
}

func (t Take) problems(at string, box int, taken map[string]int, found *problem.List) {
	if !slices.Contains(Layers(), t.Layer) {
		found.Add(at+"/layer", "layer", "there is no layer %.40q; the layers are persona, style, sheet and prompt", string(t.Layer))
		return
	}
	claim := func(field, part string) {
		key := string(t.Layer) + "\x00" + strings.ToLower(part)
		if other, twice := taken[key]; twice {
			what := "the rest of the " + string(t.Layer)
			if part != "" {
				what = "the part " + part + " of the " + string(t.Layer)
			}
			found.Add(field, "twice", "box %d takes %s already; take it once", other+1, message.Plain(what))
		}
		taken[key] = box
	}
	for k, p := range t.Parts {
		field := at + problem.Pointer("parts", k)
		if bad := line(field, "the part", p); bad != nil {
			*found = append(*found, bad...)
			continue
		}
		claim(field, p)
	}
	if len(t.Parts) == 0 {
		claim(at+"/layer", "")
	}
}

// line says what is wrong with a text that stands on one line and is not empty.
func line(field, what, text string) problem.List {
	found := problem.Line(field, what, text)
	switch n := utf8.RuneCountInString(text); {
	case strings.TrimSpace(text) == "":
		found.Add(field, "missing", "%s is missing", message.Plain(what))
	case n > mostTitle:
		found.Add(field, "size", "%s has %d characters; it has at most %d", message.Plain(what), n, mostTitle)
	}
	return found
}

// Warnings says what a layout leaves out of every stack: layers of which no box takes the
// rest.
func (l Layout) Warnings() (warnings []string) {
	rest := map[entry.Kind]bool{}
	parts := map[entry.Kind]bool{}
	for _, b := range l.Boxes {
		for _, t := range b.Takes {
			if len(t.Parts) == 0 {
				rest[t.Layer] = true
			} else {
				parts[t.Layer] = true
			}
		}
	}
	for _, k := range Layers() {
		switch {
		case rest[k]:
		case parts[k]:
			warnings = append(warnings, fmt.Sprintf("of a %s, parts that no box names are left out", k))
		default:
			warnings = append(warnings, fmt.Sprintf("the %s is left out: no box takes it", k))
		}
	}
	return warnings
}

// Layer is a layer of a filled stack.
type Layer struct {
	Kind  entry.Kind
	Title string
	Text  string // as it was filled, Markdown
	// Of a sheet that answers a question set: with what its text begins, and the same as
	// JSON.
	Answers string
	JSON    string
}

// Delivered is a box as it is delivered.
type Delivered struct {
	Title   string   `json:"title,omitempty"`
	Role    string   `json:"role,omitempty"`
	Text    string   `json:"text"`
	Length  int      `json:"length"`            // characters
	Limit   int      `json:"limit,omitempty"`   // characters; 0 is none
	Longest []Length `json:"longest,omitempty"` // of a box over its limit: its longest parts, the longest first
}

// Over says whether the text is longer than its box.
func (d Delivered) Over() bool { return d.Limit > 0 && d.Length > d.Limit }

// Length is how long a part of a box is, in characters.
type Length struct {
	Layer  entry.Kind `json:"layer"`
	Title  string     `json:"title"` // the entry's
	Part   string     `json:"part,omitempty"`
	Length int        `json:"length"`
}

const mostLongest = 3

// Plan is a layout that is ready to deliver by. It is never changed; any number of
// goroutines may deliver by it at once.
type Plan struct {
	layout  Layout
	renames map[string]string       // by the headings in lower case
	named   map[entry.Kind][]string // parts that a box takes by their titles
}

// Plan makes a layout ready to deliver by.
func (l Layout) Plan() *Plan {
	p := &Plan{layout: l, renames: map[string]string{}, named: map[entry.Kind][]string{}}
	for _, from := range slices.Backward(slices.Sorted(maps.Keys(l.Rename))) { // the first wins
		p.renames[strings.ToLower(from)] = l.Rename[from]
	}
	for _, b := range l.Boxes {
		for _, t := range b.Takes {
			p.named[t.Layer] = append(p.named[t.Layer], t.Parts...)
		}
	}
	return p
}

// Layout is what the plan was made of.
func (p *Plan) Layout() Layout { return p.layout }

// Deliver puts layers in the boxes of a layout. It gives the boxes in their order (of
// messages only those that say something) and what is in none, in words.
func (p *Plan) Deliver(layers []Layer) (boxes []Delivered, left []string) {
	l := p.layout
	stack, size := make([]parted, len(layers)), 0
	for i, layer := range layers {
		stack[i] = p.part(layer)
		size += len(layer.Text)
	}
	boxes = make([]Delivered, 0, len(l.Boxes))
	room := make([]byte, 0, size+size/4) // of one box after the other
	for _, b := range l.Boxes {
		d := Delivered{Title: b.Title, Role: b.Role, Limit: b.Limit}
		o := opened{out: room[:0]}
		for _, t := range b.Takes {
			for i := range stack {
				if stack[i].kind == t.Layer {
					o.take(p, &stack[i], t)
				}
			}
		}
		d.Text, room = string(o.out), o.out
		if d.Length = utf8.RuneCountInString(d.Text); d.Over() {
			d.Longest = o.longest()
		}
		if d.Text != "" || l.As != Messages {
			boxes = append(boxes, d)
		}
	}
	for _, p := range stack {
		left = append(left, p.left()...)
	}
	return boxes, left
}

// parted is a layer taken apart, with what has been taken of it.
type parted struct {
	kind  entry.Kind
	of    Layer
	parts []blocks.Part
	rest  []bool // which parts no box names
	taken []bool
}

func (plan *Plan) part(layer Layer) parted {
	l := plan.layout
	p := parted{kind: layer.Kind, of: layer}
	if !slices.Contains(Layers(), p.kind) {
		p.kind = entry.Prompt
	}
	text := layer.Text
	asJSON := l.Sheets == "json" && layer.JSON != ""
	if asJSON {
		// The answers stand before all parts of what is said besides.
		besides := strings.TrimPrefix(text, strings.TrimRight(layer.Answers, "\r\n"))
		text = strings.TrimLeft(besides, "\r\n")
	}
	p.parts = blocks.Parts(text)
	if p.parts[0].Text == "" { // nothing stands before the first heading
		p.parts = p.parts[1:]
	}
	if asJSON {
		p.parts = append([]blocks.Part{{Text: layer.JSON}}, p.parts...)
	}
	flags := make([]bool, 2*len(p.parts))
	p.taken, p.rest = flags[:len(p.parts)], flags[len(p.parts):]
	for i, part := range p.parts {
		p.rest[i] = !plan.names(p.kind, part.Title)
	}
	return p
}

// names says whether a box takes a part by its title.
func (p *Plan) names(kind entry.Kind, title string) bool {
	return title != "" && slices.ContainsFunc(p.named[kind], func(n string) bool { return strings.EqualFold(n, title) })
}

// opened is a box that is being filled.
type opened struct {
	out   []byte
	parts []taken
}

// taken is a part of a box: bytes of its text.
type taken struct {
	of         *parted
	title      string
	start, end int
}

// take puts what is taken of a layer at the end of a box: an empty line after what is
// there, and its own last line ends left out.
func (o *opened) take(plan *Plan, p *parted, t Take) {
	first := true
	if len(t.Parts) == 0 {
		for i := range p.parts {
			if p.rest[i] {
				o.put(plan, p, i, &first)
			}
		}
		return
	}
	for _, name := range t.Parts {
		for i := range p.parts {
			if title := p.parts[i].Title; title != "" && strings.EqualFold(title, name) {
				o.put(plan, p, i, &first)
			}
		}
	}
}

func (o *opened) put(plan *Plan, p *parted, i int, first *bool) {
	if p.taken[i] {
		return
	}
	p.taken[i] = true
	if *first && len(o.out) > 0 {
		for n := len(o.out); n > 0 && (o.out[n-1] == '\n' || o.out[n-1] == '\r'); n-- {
			o.out = o.out[:n-1]
		}
		o.out = append(o.out, "\n\n"...)
	}
	*first = false
	start := len(o.out)
	o.out = plan.write(o.out, p.parts[i])
	o.parts = append(o.parts, taken{p, p.parts[i].Title, start, len(o.out)})
}

// longest gives the longest parts of a box.
func (o *opened) longest() []Length {
	lengths := make([]Length, len(o.parts))
	for i, t := range o.parts {
		lengths[i] = Length{t.of.of.Kind, t.of.of.Title, t.title, utf8.RuneCount(o.out[t.start:min(t.end, len(o.out))])}
	}
	slices.SortStableFunc(lengths, func(a, b Length) int { return b.Length - a.Length })
	return lengths[:min(len(lengths), mostLongest)]
}

// write appends a part with its heading as the layout wants it. All else stays byte for
// byte.
func (p *Plan) write(out []byte, part blocks.Part) []byte {
	if p.layout.Headings == Plain {
		part.Text = plain(part.Text)
	}
	if part.Heading == "" {
		return append(out, part.Text...)
	}
	title := p.renamed(part.Title)
	end := part.Heading[len(strings.TrimRight(part.Heading, "\r\n")):]
	switch p.layout.Headings {
	case Tags:
		return append(out, tagged(title, part.Text, end)...)
	case Plain:
		out = append(append(out, title...), end...)
	default:
		if title == part.Title {
			out = append(out, part.Heading...)
		} else {
			out = append(append(append(out, "## "...), title...), end...)
		}
	}
	return append(out, part.Text...)
}

func (p *Plan) renamed(title string) string {
	if len(p.renames) == 0 {
		return title
	}
	if to, is := p.layout.Rename[title]; is {
		return to
	}
	if to, is := p.renames[strings.ToLower(title)]; is {
		return to
	}
	return title
}

// plain gives the headings of a text without their signs.
func plain(text string) string {
	if !strings.Contains(text, "#") {
		return text
	}
	var out strings.Builder
	for _, line := range blocks.Lines(text) {
		if line.Level > 0 && !line.Fenced {
			out.WriteString(line.Title + text[line.Start+len(line.Text):line.End])
		} else {
			out.WriteString(text[line.Start:line.End])
		}
	}
	return out.String()
}

// tagged puts a part between tags that do not stand in it.
func tagged(title, text, end string) string {
	if end == "" {
		end = "\n"
	}
	name := tag(title)
	for strings.Contains(text, "</"+name+">") {
		name += "_"
	}
	bare := strings.TrimRight(text, "\r\n")
	after := text[len(bare):]
	if after == "" {
		after = end
	}
	if bare == "" {
		return "<" + name + ">" + end + "</" + name + ">" + after
	}
	return "<" + name + ">" + end + bare + end + "</" + name + ">" + after
}

// tag makes a tag's name of a title: lower-case letters, digits and low lines.
func tag(title string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case 'a' <= r && r <= 'z', '0' <= r && r <= '9', r > 0x7f && unicode.IsLetter(r):
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "_"):
			b.WriteByte('_')
		}
	}
	name := strings.Trim(b.String(), "_")
	if name == "" || name[0] >= '0' && name[0] <= '9' {
		return strings.TrimRight("part_"+name, "_")
	}
	return name
}

// left says what of a layer is in no box.
func (p parted) left() (left []string) {
	var parts []string
	all := true
	for i, part := range p.parts {
		if p.taken[i] {
			all = false
			continue
		}
		if strings.TrimSpace(part.Heading+part.Text) == "" {
			continue
		}
		name := part.Title
		if name == "" {
			name = "what stands before its first heading"
		}
		parts = append(parts, name)
	}
	switch {
	case len(parts) == 0:
		return nil
	case all:
		return []string{fmt.Sprintf("%s, the %s, is in no box", p.of.Title, p.kind)}
	}
	return []string{fmt.Sprintf("of %s, the %s, this is in no box: %s", p.of.Title, p.kind, strings.Join(parts, ", "))}
}

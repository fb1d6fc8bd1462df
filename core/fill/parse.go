package fill

import (
	"slices"
	"strconv"
	"strings"

	"goldshelf/core/problem"
)

// Parse reads a text with marks. Its error is a [problem.List] that holds
// the faults of the text, one for one cause, each with line and column; past
// [problem.Most] it says how many more there are.
func Parse(src string) (*Text, error) {
	p := &parser{src: src, faults: problem.In(fieldBody, src)}
	p.list = &p.top
	if n := strings.Count(src, "{{"); n > 0 {
		p.top = make([]Node, 0, min(2*n+1, 1<<17))
	}
	for next := scanText; next != nil; {
		next = next(p)
	}
	if err := p.faults.Err(); err != nil {
		return nil, err
	}
	return &Text{src: src, nodes: p.top}, nil
}

// parser walks the source once. Between marks it is in scanText, at a mark in
// scanMark; both give the state that follows, as the standard library's
// template lexer does.
type parser struct {
	src      string
	pos      int // start of the literal under way
	from     int // where that literal's text starts, past a line that a mark took
	open     int // offset of the mark under way
	at       int // reading position inside that mark
	top      []Node
	list     *[]Node // where nodes go: the top or a branch of the innermost block
	blocks   []block
	excused  int // faulty marks that may have opened a block
	faulty   bool
	faults   *problem.Faults
	literals []Literal // room for the commonest nodes, so that each is not
	holes    []Hole    // allocated on its own
	ifs      []If
}

// take gives the next of a slab, which grows with what has been taken.
func take[T any](slab *[]T) *T {
	if len(*slab) == cap(*slab) {
		*slab = make([]T, 0, min(max(2*cap(*slab), 4), 2048))
	}
	*slab = (*slab)[:len(*slab)+1]
	return &(*slab)[len(*slab)-1]
}

type state func(*parser) state

// block is an "if" or "each" that waits for its end.
type block struct {
	pos    int
	choice *If
	repeat *Each
	outer  *[]Node
	inElse bool
}

func scanText(p *parser) state {
	i := strings.Index(p.src[p.pos:], "{{")
	if i < 0 {
		p.literal(len(p.src), len(p.src))
		for _, b := range p.blocks {
			p.unended(b)
		}
		return nil
	}
	p.open = p.pos + i
	p.at = p.open + 2
	p.faulty = false
	return scanMark
}

// literal adds the text from p.from to end; raw text runs to rawEnd.
func (p *parser) literal(end, rawEnd int) {
	if rawEnd > p.pos {
		l := take(&p.literals)
		l.mark, l.Text = mark{p.pos, rawEnd}, p.src[min(p.from, end):end]
		*p.list = append(*p.list, l)
	}
}

// scanMark reads one mark, to its closing braces or, where it is faulty, past
// as much of its line as belongs to it.
func scanMark(p *parser) state {
	p.space()
	switch {
	case p.at >= len(p.src) || p.src[p.at] == '\n' || strings.HasPrefix(p.src[p.at:], "}}"):
		if strings.HasPrefix(p.src[p.at:], "}}") {
			return p.fail(p.open, "mark", `found an empty mark; write a blank's name in it, or {{"{{"}} for two braces`)
		}
		return p.unclosed()
	case p.src[p.at] == '"':
		text, ok := p.quoted()
		if !ok {
			return p.recover()
		}
		q := &Quoted{Text: text}
		return p.node(q, &q.mark, keepsLine)
	case p.src[p.at] == '#':
		return scanComment
	}
	start := p.at
	switch word := p.word(); word {
	case "include":
		return scanInclude
	case "if":
		return scanIf
	case "each":
		return scanEach
	case "else":
		return scanElse
	case "end":
		return scanEnd
	case "from":
		return scanFrom
	case "fact":
		return p.factOrHole(start)
	case "as", "or", "is", "has", "not":
		return p.fail(start, "mark", "found the word %q where a blank's name should be; it has a meaning of its own, so choose another name", word)
	case "":
		return p.fail(start, "mark", "found %s at the start of a mark; a mark begins with a blank's name, a word such as include or if, a quoted string or #", p.found())
	default:
		return p.hole(start, word)
	}
}

func scanComment(p *parser) state {
	start := p.at + 1
	for !p.closing() {
		if p.at >= len(p.src) || p.src[p.at] == '\n' {
			return p.unclosed()
		}
		p.at++
	}
	c := &Comment{Text: strings.TrimSpace(p.src[start:p.at])}
	return p.node(c, &c.mark, takesLine)
}

func (p *parser) hole(start int, name string) state {
	if !p.isName(start, name) {
		p.excused++
		return p.recover()
	}
	p.space()
	hole := take(&p.holes)
	hole.Name = name
	if p.keyword("or") {
		p.space()
		var ok bool
		if hole.Or, ok = p.needString(`after "or"`); !ok {
			return p.recover()
		}
		hole.HasOr = true
	}
	return p.node(hole, &hole.mark, keepsLine)
}

func scanInclude(p *parser) state {
	p.space()
	start := p.at
	in := &Include{Slug: p.word()}
	if in.Slug == "" {
		return p.fail(start, "include", "found %s after include; name the entry to include, as in {{include house-tone}}", p.found())
	}
	if !IsSlug(in.Slug) {
		return p.fail(start, "slug", "found %q after include; a slug has 2 to 64 lower-case letters, digits and hyphens, and begins with a letter or digit", short(in.Slug))
	}
	var ok bool
	if in.Version, ok = p.pin("include " + in.Slug); !ok {
		return p.recover()
	}
	for p.space(); !p.closing(); p.space() {
		if !p.given(in) {
			return p.recover()
		}
	}
	return p.node(in, &in.mark, indents)
}

// pin reads the version that follows a slug, if one does; 0 where none does. Mark is what
// stands in the mark before it.
func (p *parser) pin(mark string) (version int, ok bool) {
	if p.at >= len(p.src) || p.src[p.at] != '@' {
		return 0, true
	}
	p.at++
	start := p.at
	digits := p.word()
	n, err := strconv.Atoi(digits)
	if err != nil || n < 1 || n > 1<<30 {
		p.fault(start, "version", "found %s after @; a version is a whole number from 1, as in {{%s@3}}", quoteOr(digits, p.found()), mark)
		return 0, false
	}
	return n, true
}

// factOrHole reads what follows the word fact: an answer of a sheet, or nothing but what
// may follow a blank's name, and then fact is the name.
func (p *parser) factOrHole(start int) state {
	after := p.at
	p.space()
	if p.closing() || p.keyword("or") {
		p.at = after
		return p.hole(start, "fact")
	}
	return scanFact
}

func scanFact(p *parser) state {
	start := p.at
	f := &Fact{Slug: p.word()}
	switch {
	case f.Slug == "":
		return p.fail(start, "fact", "found %s after fact; name a sheet and a question, as in {{fact larkfen-facts households}}", p.found())
	case !IsSlug(f.Slug):
		return p.fail(start, "slug", "found %q after fact; a slug has 2 to 64 lower-case letters, digits and hyphens, and begins with a letter or digit", short(f.Slug))
	}
	var ok bool
	if f.Version, ok = p.pin("fact " + f.Slug); !ok {
		return p.recover()
	}
	p.space()
	start = p.at
	if f.Question = p.word(); f.Question == "" {
		return p.fail(start, "fact", "found %s after fact %s; name the question that it answers, as in {{fact %s households}}", p.found(), f.Slug, f.Slug)
	}
	if !p.isName(start, f.Question) {
		return p.recover()
	}
	return p.node(f, &f.mark, keepsLine)
}

// given reads one name=value of an include.
func (p *parser) given(in *Include) bool {
	start := p.at
	name := p.word()
	if name == "" {
		p.fault(start, "include", `found %s after include %s; what follows is name="text" or name=other_blank`, p.found(), in.Slug)
		return false
	}
	if !p.isName(start, name) {
		return false
	}
	if slices.ContainsFunc(in.With, func(g Given) bool { return g.Name == name }) {
		p.fault(start, "include", "%s is given twice to %s; keep one", name, in.Slug)
		return false
	}
	p.space()
	if p.at >= len(p.src) || p.src[p.at] != '=' {
		p.fault(p.at, "include", `found %s after %s; give it a value, as in %s="text"`, p.found(), name, name)
		return false
	}
	p.at++
	p.space()
	g := Given{Name: name, pos: start}
	valueAt := p.at
	if p.at < len(p.src) && p.src[p.at] == '"' {
		text, ok := p.quoted()
		if !ok {
			return false
		}
		g.Literal = text
	} else if g.Blank = p.word(); g.Blank == "" {
		p.fault(valueAt, "include", "found %s after %s=; a value is a quoted string or the name of a blank", p.found(), name)
		return false
	} else if !p.isName(valueAt, g.Blank) {
		return false
	}
	in.With = append(in.With, g)
	return true
}

func scanIf(p *parser) state {
	var c Condition
	p.space()
	c.Not = p.keyword("not")
	p.space()
	start := p.at
	c.Name = p.word()
	if c.Name == "" {
		return p.failOpen(start, "if", "found %s after if; name the blank to look at, as in {{if urgent}}", p.found())
	}
	if !p.isName(start, c.Name) {
		p.excused++
		return p.recover()
	}
	p.space()
	for _, op := range []string{"is", "has"} {
		if p.keyword(op) {
			p.space()
			want, ok := p.needString("after \"" + op + "\"")
			if !ok {
				p.excused++
				return p.recover()
			}
			c.Op, c.Want = op, want
			break
		}
	}
	p.space()
	if !p.closing() {
		return p.failOpen(p.at, "if", `found %s after the condition; {{if %s}} may go on with is "…" or has "…" and then ends with }}`, p.found(), c.Name)
	}
	choice := take(&p.ifs)
	choice.Condition = c
	return p.opens(block{choice: choice}, choice, &choice.mark, &choice.Then)
}

func scanEach(p *parser) state {
	e := &Each{}
	for _, part := range []struct {
		into *string
		what string
	}{{&e.List, "each"}, {&e.As, "as"}} {
		if part.what == "as" {
			p.space()
			if !p.keyword("as") {
				return p.failOpen(p.at, "each", "found %s after each %s; a repeat is written {{each %s as item}}", p.found(), e.List, e.List)
			}
		}
		p.space()
		start := p.at
		*part.into = p.word()
		if *part.into == "" {
			return p.failOpen(start, "each", "found %s after %s; a repeat is written {{each topics as topic}}", p.found(), part.what)
		}
		if !p.isName(start, *part.into) {
			p.excused++
			return p.recover()
		}
	}
	if e.As == e.List {
		return p.failOpen(p.open, "each", "each %s as %s uses one name for the list and for its item; choose another name for the item", e.List, e.As)
	}
	p.space()
	if !p.closing() {
		return p.failOpen(p.at, "each", "found %s after each %s as %s; the mark ends there with }}", p.found(), e.List, e.As)
	}
	return p.opens(block{repeat: e}, e, &e.mark, &e.Body)
}

func scanElse(p *parser) state {
	p.space()
	if !p.closing() {
		return p.fail(p.at, "else", "found %s after else; {{else}} stands alone in its mark", p.found())
	}
	if len(p.blocks) == 0 || p.blocks[len(p.blocks)-1].choice == nil {
		if p.excused > 0 {
			return p.skip()
		}
		return p.fail(p.open, "else", "found else without an if before it; write {{if name}} first, or take it out")
	}
	b := &p.blocks[len(p.blocks)-1]
	if b.inElse {
		return p.fail(p.open, "else", "found a second else for one if; an if has one else at most")
	}
	b.inElse = true
	return p.closes(func(m mark) { b.choice.els = m; p.list = &b.choice.Else })
}

func scanEnd(p *parser) state {
	p.space()
	if !p.closing() {
		return p.fail(p.at, "end", "found %s after end; {{end}} stands alone in its mark", p.found())
	}
	if len(p.blocks) == 0 {
		if p.excused > 0 {
			p.excused--
			return p.skip()
		}
		return p.fail(p.open, "end", "found end without an if or each before it; write {{if name}} or {{each list as item}} first, or take it out")
	}
	b := p.blocks[len(p.blocks)-1]
	p.blocks = p.blocks[:len(p.blocks)-1]
	return p.closes(func(m mark) {
		if b.choice != nil {
			b.choice.end = m
		} else {
			b.repeat.end = m
		}
		p.list = b.outer
	})
}

func scanFrom(p *parser) state {
	p.space()
	start := p.at
	name := p.word()
	if name == "" {
		return p.fail(start, "from", "found %s after from; name the step, as in {{from outline}}", p.found())
	}
	if !p.isName(start, name) {
		return p.recover()
	}
	e := &Earlier{Step: name}
	return p.node(e, &e.mark, keepsLine)
}

// How a mark treats the line on which it stands alone.
type lineRule int

const (
	keepsLine lineRule = iota
	takesLine
	indents
)

// node ends the mark under way and adds the node that it made, whose mark is m.
func (p *parser) node(n Node, m *mark, rule lineRule) state {
	if p.space(); !p.closing() {
		return p.fail(p.at, "mark", "found %s where the mark should end; a mark ends with }}", p.found())
	}
	indent, alone := p.endMark(rule)
	*m = mark{p.open, p.at}
	if in, ok := n.(*Include); ok {
		in.Indent, in.Alone = indent, alone
	}
	*p.list = append(*p.list, n)
	return scanText
}

// opens is node for a mark that begins a block.
func (p *parser) opens(b block, n Node, m *mark, body *[]Node) state {
	p.endMark(takesLine)
	b.pos, b.outer = p.open, p.list
	*m = mark{p.open, p.at}
	*p.list = append(*p.list, n)
	p.blocks = append(p.blocks, b)
	p.list = body
	return scanText
}

// closes is node for else and end, which belong to the block around them.
func (p *parser) closes(take func(mark)) state {
	p.endMark(takesLine)
	take(mark{p.open, p.at})
	return scanText
}

// endMark steps over the closing braces, adds the literal before the mark and
// sets where the next literal begins. It gives the mark's indentation and
// whether the mark is alone on its line.
func (p *parser) endMark(rule lineRule) (indent string, alone bool) {
	p.at += 2
	end, from := p.open, p.at
	if rule != keepsLine {
		lineStart, lineEnd, alone1 := p.aloneOnLine()
		if alone = alone1; alone {
			end, indent = lineStart, p.src[lineStart:p.open]
			if rule == takesLine {
				from = lineEnd
			}
		}
	}
	p.literal(end, p.open)
	p.pos, p.from = p.at, from
	return indent, alone
}

// aloneOnLine says whether nothing but blank space shares the mark's line, and
// gives where the line starts and where the next one does.
func (p *parser) aloneOnLine() (start, next int, alone bool) {
	start = p.open
	for start > 0 && (p.src[start-1] == ' ' || p.src[start-1] == '\t') {
		start--
	}
	if start > 0 && p.src[start-1] != '\n' {
		return 0, 0, false
	}
	next = p.at
	for next < len(p.src) && (p.src[next] == ' ' || p.src[next] == '\t') {
		next++
	}
	switch rest := p.src[next:]; {
	case rest == "":
		return start, next, true
	case rest[0] == '\n':
		return start, next + 1, true
	case strings.HasPrefix(rest, "\r\n"):
		return start, next + 2, true
	}
	return 0, 0, false
}

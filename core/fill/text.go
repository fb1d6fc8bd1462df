package fill

import "strings"

// Text is a parsed text. It is never changed after parsing.
type Text struct {
	src   string
	nodes []Node
}

// String gives back exactly what was parsed.
func (t *Text) String() string {
	var b strings.Builder
	b.Grow(len(t.src))
	for _, n := range t.nodes {
		n.print(&b, t.src)
	}
	return b.String()
}

// Plain is a text without marks, whatever it holds: the whole of it is literal.
func Plain(src string) *Text {
	t := &Text{src: src}
	if src != "" {
		t.nodes = []Node{&Literal{mark{0, len(src)}, src}}
	}
	return t
}

// Node is a part of a parsed text. Offsets are in bytes of the source.
type Node interface {
	print(b *strings.Builder, src string)
}

// Literal is text without marks. Text is what it puts in place: the source,
// less the lines that marks alone on them take away.
type Literal struct {
	mark
	Text string
}

// Quoted is a quoted string that stands for itself.
type Quoted struct {
	mark
	Text string
}

// Comment is for curators; it puts nothing in place.
type Comment struct {
	mark
	Text string
}

// Hole is a blank's place in the text.
type Hole struct {
	mark
	Name  string
	Or    string // what stands here where no value is given
	HasOr bool
}

// Include puts an entry in place.
type Include struct {
	mark
	Slug    string
	Version int // 0 follows the published version
	With    []Given
	Indent  string // what the include's line begins with, where it is alone on it
	Alone   bool
}

// Fact puts one answer of a sheet in place.
type Fact struct {
	mark
	Slug     string
	Version  int // 0 follows the published version
	Question string
}

// Given is a value that an include gives to a blank of what it includes:
// a literal, or the value of a blank of the including text.
type Given struct {
	Name    string
	Literal string
	Blank   string // empty for a literal
	pos     int
}

// Condition is what follows "if".
type Condition struct {
	Not  bool
	Name string
	Op   string // "", "is" or "has"
	Want string
}

// If is a choice.
type If struct {
	mark
	Condition
	Then, Else []Node
	els, end   mark // els is empty where there is no else
}

// Each is a repeat.
type Each struct {
	mark
	List, As string
	Body     []Node
	end      mark
}

// Earlier stands for what an earlier step of a relay produced.
type Earlier struct {
	mark
	Step string
}

// mark is a stretch of the source, in bytes. The largest texts have a great many
// nodes: none holds on to a string that its text has anyway.
type mark struct {
	pos, end int
}

// Pos is the byte offset of the node in its text.
func (m *mark) Pos() int { return m.pos }

// End is the byte offset after the node's mark; of a choice or a repeat, after the mark
// that begins it.
func (m *mark) End() int { return m.end }

func (m *mark) print(b *strings.Builder, src string) { b.WriteString(src[m.pos:m.end]) }

func (n *If) print(b *strings.Builder, src string) {
	n.mark.print(b, src)
	printAll(b, n.Then, src)
	n.els.print(b, src)
	printAll(b, n.Else, src)
	n.end.print(b, src)
}

func (n *Each) print(b *strings.Builder, src string) {
	n.mark.print(b, src)
	printAll(b, n.Body, src)
	n.end.print(b, src)
}

func printAll(b *strings.Builder, nodes []Node, src string) {
	for _, n := range nodes {
		n.print(b, src)
	}
}

// Walk calls visit for every node, outer before inner, in the order in which
// they are written.
func (t *Text) Walk(visit func(Node)) { walk(t.nodes, visit) }

func walk(nodes []Node, visit func(Node)) {
	for _, n := range nodes {
		visit(n)
		switch n := n.(type) {
		case *If:
			walk(n.Then, visit)
			walk(n.Else, visit)
		case *Each:
			walk(n.Body, visit)
		}
	}
}

// Marks calls visit with the byte offsets of every mark, in order: where it begins and
// where what follows it does.
func (t *Text) Marks(visit func(start, end int)) { marks(t.nodes, visit) }

func marks(nodes []Node, visit func(start, end int)) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *Literal:
		case *If:
			visit(n.pos, n.mark.end)
			marks(n.Then, visit)
			if n.els != (mark{}) {
				visit(n.els.pos, n.els.end)
			}
			marks(n.Else, visit)
			visit(n.end.pos, n.end.end)
		case *Each:
			visit(n.pos, n.mark.end)
			marks(n.Body, visit)
			visit(n.end.pos, n.end.end)
		case interface {
			Pos() int
			End() int
		}:
			visit(n.Pos(), n.End())
		}
	}
}

// After gives the text with others' words before it, which stand for themselves. It prints
// as it did: they are no part of what was parsed.
func (t *Text) After(words string) *Text {
	if words == "" {
		return t
	}
	return &Text{src: t.src, nodes: append([]Node{&Literal{Text: words}}, t.nodes...)}
}

// Facts gives the answers of sheets that the text puts in place, each once, as written.
func (t *Text) Facts() []Fact {
	var facts []Fact
	seen := map[Fact]bool{}
	t.Walk(func(n Node) {
		if f, ok := n.(*Fact); ok {
			one := Fact{Slug: f.Slug, Version: f.Version, Question: f.Question}
			if !seen[one] {
				seen[one] = true
				facts = append(facts, one)
			}
		}
	})
	return facts
}

// Includes gives what the text includes directly, each once, as written.
func (t *Text) Includes() []Ref {
	var refs []Ref
	seen := map[Ref]bool{}
	t.Walk(func(n Node) {
		if in, ok := n.(*Include); ok {
			ref := Ref{in.Slug, in.Version}
			if !seen[ref] {
				seen[ref] = true
				refs = append(refs, ref)
			}
		}
	})
	return refs
}

package fill

import (
	"fmt"
	"slices"
	"strings"

	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Compile joins the layers of a stack, or a single text, with everything that
// they include. Its error is a [problem.List]: what an include names and is
// not there, circles, names that an included entry lacks, values that do not
// fit, repeats over what is no pick-many. Where lookup itself fails it is lookup's.
func Compile(lookup Lookup, layers ...Source) (*Form, error) {
	c := &compiler{
		form:   &Form{byName: map[string]int{}, layers: len(layers)},
		lookup: lookup,
		cache:  map[Ref]*included{},
		given:  map[int]int{},
		told:   map[problem.Problem]bool{},
		fromOf: map[From]int{},
		refOf:  map[Ref]int{},
	}
	for _, layer := range layers {
		c.top, c.include = problem.In(fieldBody, layer.Text.src), -1
		c.emit(op{kind: opLayer, from: c.ref(layer.Ref)})
		c.source(&included{src: layer}, nil)
		if c.failed != nil {
			return nil, c.failed
		}
		if err, is := c.top.Err().(problem.List); is {
			c.found = append(c.found, err...)
		}
	}
	if err := c.found.Err(); err != nil {
		return nil, err
	}
	for i := range c.form.slots {
		b := &c.form.slots[i].blank
		c.form.slots[i].anyLine = b.Kind() == Line && b.Min == nil && b.Max == nil
	}
	return c.form, nil
}

// compiler turns trees into the flat steps of a form.
type compiler struct {
	form    *Form
	lookup  Lookup
	cache   map[Ref]*included
	fromOf  map[From]int
	refOf   map[Ref]int
	top     *problem.Faults // of the layer under way, where problems are shown
	include int             // offset in it of the include under way, -1 outside one
	path    []Ref           // the entries inside one another, the layer first
	given   map[int]int     // of slots, how many of the branches around here know them to be given
	told    map[problem.Problem]bool
	found   problem.List // of the layers before
	failed  error        // why lookup could not answer
}

// included is a source with what is asked about it again and again.
type included struct {
	src   Source
	ruler problem.Ruler
	names map[string]bool // the blanks that it declares or uses, nil until asked for
	why   error           // why it is not there
}

// scope is what names mean inside one entry.
type scope struct {
	*included
	bound map[string]int  // slots of names that the include gives, and of repeats' items
	items map[string]bool // names that repeats of this entry have used
}

func (c *compiler) source(in *included, bound map[string]int) {
	src := in.src
	c.path = append(c.path, src.Ref)
	sc := &scope{included: in, bound: bound, items: map[string]bool{}}
	if sc.bound == nil {
		sc.bound = map[string]int{}
	}
	for _, b := range src.Blanks {
		c.declare(sc, b)
	}
	c.nodes(sc, src.Text.nodes)
	c.path = c.path[:len(c.path)-1]
}

// declare makes a slot for a blank, or holds the declaration against the one
// that its slot already has.
func (c *compiler) declare(sc *scope, b Blank) {
	i, bound := sc.bound[b.Name]
	if !bound {
		var known bool
		if i, known = c.form.byName[b.Name]; !known {
			i = c.newSlot(slot{blank: b, owner: sc.src.Ref, declared: true})
			c.form.byName[b.Name] = i
			return
		}
	}
	s := &c.form.slots[i]
	switch {
	case s.fixed != nil:
		v, bad := b.Accept(fieldBody, *s.fixed)
		for _, p := range bad {
			c.reportAtInclude(p.Code, "%s is given a value that does not hold: %s", b.Name, p.Message)
		}
		s.fixed = &v
	case s.item:
	case !s.declared:
		name := s.blank.Name
		s.blank, s.owner, s.declared = b, sc.src.Ref, true
		s.blank.Name = name
	case s.blank.Kind() != b.Kind():
		c.form.conflicts = append(c.form.conflicts, Conflict{
			Name: s.blank.Name, Type: s.blank.Kind(), In: s.owner, Other: b.Kind(), OtherIn: sc.src.Ref,
		})
	}
}

func (c *compiler) newSlot(s slot) int {
	s.field = valueField(s.blank.Name)
	c.form.slots = append(c.form.slots, s)
	return len(c.form.slots) - 1
}

// resolve gives the slot that a name means in sc.
func (c *compiler) resolve(sc *scope, name string, pos int) int {
	if i, ok := sc.bound[name]; ok {
		return i
	}
	if i, ok := c.form.byName[name]; ok {
		return i
	}
	if sc.items[name] {
		c.report(sc, pos, "each", "%s is a repeat's own name and means nothing outside it; use it inside, or give the blank another name", name)
	}
	i := c.newSlot(slot{blank: Blank{Name: name}, owner: sc.src.Ref})
	c.form.byName[name] = i
	return i
}

func (c *compiler) nodes(sc *scope, nodes []Node) {
	own := c.from(From{Entry: sc.src.Entry, Version: sc.src.Version})
	for _, n := range nodes {
		switch n := n.(type) {
		case *Literal:
			c.literal(n.Text, own)
		case *Quoted:
			c.literal(n.Text, own)
		case *Hole:
			c.hole(sc, n)
		case *If:
			c.choice(sc, n)
		case *Each:
			c.repeat(sc, n)
		case *Include:
			c.included(sc, n)
		case *Fact:
			c.fact(sc, n)
		case *Earlier:
			if sc.src.Step {
				c.earlier(sc, n)
				continue
			}
			c.report(sc, n.pos, "from", "from %s stands for a step of a relay, and this text is in none; use a blank here and give it the step's result in the relay", n.Step)
		}
	}
}

func (c *compiler) literal(text string, from int) {
	if text != "" {
		c.emit(op{kind: opText, text: text, from: from})
	}
}

func (c *compiler) hole(sc *scope, n *Hole) {
	i := c.resolve(sc, n.Name, n.pos)
	if !n.HasOr {
		c.need(i)
	}
	own := From{Entry: sc.src.Entry, Version: sc.src.Version}
	s := c.form.slots[i]
	from, dflt := own, own
	switch {
	case s.fixed != nil:
		from = c.form.froms[s.fixedBy]
	case s.item:
	default:
		from.Blank = s.blank.Name
		dflt.Blank, dflt.Default = s.blank.Name, true
	}
	c.emit(op{kind: opHole, slot: i, text: n.Or, hasOr: n.HasOr, from: c.from(from), dflt: c.from(dflt), and: andIn(sc.src.Language)})
}

// earlier puts the reply of an earlier step in place: a value of any length.
func (c *compiler) earlier(sc *scope, n *Earlier) {
	i := c.resolve(sc, EarlierName(n.Step), n.pos)
	c.form.slots[i].blank.Type, c.form.slots[i].declared = LongText, true
	c.need(i)
	from := From{Entry: sc.src.Entry, Version: sc.src.Version, Blank: c.form.slots[i].blank.Name}
	c.emit(op{kind: opHole, slot: i, from: c.from(from), dflt: c.from(from)})
}

// need records that a mark cannot do without the slot's value, unless the
// branches around it hold only where there is one.
func (c *compiler) need(i int) {
	if c.given[i] == 0 {
		c.form.slots[i].needed = true
	}
}

func (c *compiler) choice(sc *scope, n *If) {
	i := c.resolve(sc, n.Name, n.pos)
	if n.Op == "has" {
		c.wantList(sc, i, n.pos, "has")
	}
	test := c.emit(op{kind: opIf, slot: i, not: n.Not, test: n.Op, text: n.Want})
	branch := func(nodes []Node, given bool) {
		if given {
			c.given[i]++
			defer func() { c.given[i]-- }()
		}
		c.nodes(sc, nodes)
	}
	branch(n.Then, !n.Not)
	if len(n.Else) == 0 {
		c.form.ops[test].jump = len(c.form.ops)
		return
	}
	skip := c.emit(op{kind: opJump})
	c.form.ops[test].jump = len(c.form.ops)
	branch(n.Else, n.Not)
	c.form.ops[skip].jump = len(c.form.ops)
}

func (c *compiler) repeat(sc *scope, n *Each) {
	list := c.resolve(sc, n.List, n.pos)
	c.wantList(sc, list, n.pos, "each")
	c.need(list)
	_, isBlank := c.form.byName[n.As]
	if _, bound := sc.bound[n.As]; bound || isBlank {
		c.report(sc, n.pos, "each", "each … as %s uses a name that already means something here; give the item a name of its own", n.As)
		return
	}
	item := c.newSlot(slot{blank: Blank{Name: n.As}, item: true})
	sc.bound[n.As], sc.items[n.As] = item, true
	start := c.emit(op{kind: opEach, slot: list, item: item})
	c.nodes(sc, n.Body)
	c.emit(op{kind: opNext, jump: start + 1})
	c.form.ops[start].jump = len(c.form.ops)
	delete(sc.bound, n.As)
}

func (c *compiler) wantList(sc *scope, i, pos int, word string) {
	s := c.form.slots[i]
	switch {
	case s.item:
		c.report(sc, pos, word, "%s needs a pick-many, and %s is a repeat's item", word, s.blank.Name)
	case !s.declared && s.fixed == nil:
		c.report(sc, pos, word, "%s needs a pick-many, and %s is not declared; declare it as one, with its options", word, s.blank.Name)
	case s.fixed != nil || s.blank.Kind() != PickMany:
		c.report(sc, pos, word, "%s needs a pick-many, and %s is a %s", word, s.blank.Name, s.blank.Kind())
	}
}

func (c *compiler) included(sc *scope, n *Include) {
	if c.include < 0 {
		c.include = n.pos
		defer func() { c.include = -1 }()
	}
	in, ok := c.find(sc, n)
	if !ok {
		return
	}
	src := in.src
	bound := map[string]int{}
	for _, g := range n.With {
		if !in.uses(g.Name) {
			c.report(sc, g.pos, "include", "%s has no blank named %s; it has %s", src.Entry, g.Name, blankNames(src))
			continue
		}
		if g.Blank != "" {
			bound[g.Name] = c.resolve(sc, g.Blank, g.pos)
			continue
		}
		v := Single(g.Literal)
		own := c.from(From{Entry: sc.src.Entry, Version: sc.src.Version})
		bound[g.Name] = c.newSlot(slot{blank: Blank{Name: g.Name}, fixed: &v, fixedBy: own})
	}
	enter := op{kind: opEnter, from: c.ref(src.Ref), alone: n.Alone}
	if n.Alone {
		enter.text = n.Indent
	}
	c.emit(enter)
	c.source(in, bound)
	c.emit(op{kind: opLeave})
}

// fact puts one answer of a sheet in place: a value, whose marks are text.
func (c *compiler) fact(sc *scope, n *Fact) {
	if c.include < 0 {
		c.include = n.pos
		defer func() { c.include = -1 }()
	}
	in, ok := c.lookUp(sc, Ref{n.Slug, n.Version}, n.pos, "fact")
	if !ok {
		return
	}
	v, answered := in.src.Answers[n.Question]
	switch {
	case in.src.Asks == nil:
		c.report(sc, n.pos, "fact", "%s is no sheet that answers a question set; name one that does, or include %s as a whole", n.Slug, n.Slug)
	case !slices.Contains(in.src.Asks, n.Question):
		c.report(sc, n.pos, "fact", "%s asks no question %s; it asks %s", name(in.src.Ref), n.Question, strings.Join(in.src.Asks, ", "))
	case !answered || v.empty():
		c.report(sc, n.pos, "fact", "%s has not answered %s; answer it there, or write it here", name(in.src.Ref), n.Question)
	default:
		from := c.from(From{Entry: in.src.Entry, Version: in.src.Version, Fact: n.Question})
		c.emit(op{kind: opFact, text: Listed(v, sc.src.Language), from: from, ref: c.ref(in.src.Ref)})
	}
}

// find gives what an include names, unless it is missing, closes a circle or
// nests too deep.
func (c *compiler) find(sc *scope, n *Include) (*included, bool) {
	for i, on := range c.path {
		if on.Entry == n.Slug {
			names := make([]string, 0, len(c.path)+1)
			for _, ref := range c.path[i:] {
				names = append(names, ref.Entry)
			}
			c.report(sc, n.pos, "circle", "includes go in a circle: %s; take one of them out", strings.Join(append(names, n.Slug), " → "))
			return nil, false
		}
	}
	if len(c.path) >= MaxDepth {
		c.report(sc, n.pos, "depth", "includes are %d deep here, and %d is the most; include %s from further out", len(c.path)+1, MaxDepth, n.Slug)
		return nil, false
	}
	if len(c.form.ops) > maxOps {
		c.report(sc, n.pos, "size", "the text and what it includes have more than %d parts; include less", maxOps)
		return nil, false
	}
	return c.lookUp(sc, Ref{n.Slug, n.Version}, n.pos, "include")
}

// lookUp gives what a mark names, unless it is not there.
func (c *compiler) lookUp(sc *scope, want Ref, pos int, mark string) (*included, bool) {
	in, known := c.cache[want]
	if !known && c.failed == nil {
		in = &included{}
		if in.src, in.why = c.lookup(want.Entry, want.Version); in.why == nil {
			in.ruler.Text = in.src.Text.src
		} else if _, absent := in.why.(Absent); !absent {
			c.failed = in.why
		}
		c.cache[want] = in
	}
	if c.failed != nil {
		return nil, false
	}
	if in.why != nil {
		c.report(sc, pos, mark, "%v", in.why)
		return nil, false
	}
	return in, true
}

func (c *compiler) emit(o op) int {
	c.form.ops = append(c.form.ops, o)
	return len(c.form.ops) - 1
}

func (c *compiler) from(f From) int {
	i, ok := c.fromOf[f]
	if !ok {
		i = len(c.form.froms)
		c.form.froms = append(c.form.froms, f)
		c.fromOf[f] = i
	}
	return i
}

func (c *compiler) ref(r Ref) int {
	i, ok := c.refOf[r]
	if !ok {
		i = len(c.form.refs)
		c.form.refs = append(c.form.refs, r)
		c.refOf[r] = i
	}
	return i
}

// report records a problem of the entry under way. Inside an include it is
// shown at the include, for that is what the writer of the text can change.
func (c *compiler) report(sc *scope, pos int, code, format string, args ...any) {
	if len(c.path) > 1 {
		line, column := sc.ruler.Place(pos)
		format = "in %s, line %d, column %d: " + format
		args = append([]any{name(sc.src.Ref), line, column}, args...)
		pos = c.include
	}
	c.add(pos, code, format, args...)
}

func (c *compiler) reportAtInclude(code, format string, args ...any) {
	c.add(max(c.include, 0), code, format, args...)
}

// add records a problem once: an entry included twice has its faults once.
func (c *compiler) add(pos int, code, format string, args ...any) {
	key := problem.Problem{Code: code, Message: message.Say(format, args...), Column: pos}
	if !c.told[key] {
		c.told[key] = true
		c.top.Add(pos, code, "%s", key.Message)
	}
}

// uses says whether an entry declares or uses a blank.
func (in *included) uses(name string) bool {
	if in.names != nil {
		return in.names[name]
	}
	in.names = map[string]bool{}
	for _, b := range in.src.Blanks {
		in.names[b.Name] = true
	}
	in.src.Text.Walk(func(n Node) {
		switch n := n.(type) {
		case *Hole:
			in.names[n.Name] = true
		case *If:
			in.names[n.Name] = true
		case *Each:
			in.names[n.List] = true
		case *Include:
			for _, g := range n.With {
				if g.Blank != "" {
					in.names[g.Blank] = true
				}
			}
		}
	})
	return in.names[name]
}

func blankNames(src Source) string {
	names := make([]string, len(src.Blanks))
	for i, b := range src.Blanks {
		names[i] = b.Name
	}
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

func name(r Ref) string {
	if r.Version == 0 {
		return r.Entry
	}
	return fmt.Sprintf("%s@%d", r.Entry, r.Version)
}

// andIn is the word before the last item of a list, in a language.
func andIn(language string) string {
	base, _, _ := strings.Cut(strings.ToLower(language), "-")
	switch base {
	case "de":
		return " und "
	case "fr":
		return " et "
	case "es":
		return " y "
	case "it":
		return " e "
	case "pt":
		return " e "
	case "nl":
		return " en "
	case "pl":
		return " i "
	case "cy":
		return " a "
	case "sv":
		return " och "
	case "da", "nb", "nn", "no":
		return " og "
	}
	return " and "
}

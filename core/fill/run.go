package fill

import (
	"maps"
	"slices"
	"strings"

	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Layer is the part of a filled stack that one of its entries gave.
type Layer struct {
	Ref
	Start, End int // bytes of the result's text
}

// Fill puts values in place. Its error is a [problem.List] with every value
// that is missing, unknown or does not fit, or the one problem of a result
// that is too long. It may be called from several goroutines at once.
func (f *Form) Fill(values Values) (Result, error) {
	r := f.runner()
	defer f.runners.Put(r)
	if err := r.fill(values); err != nil {
		return Result{}, err
	}
	return r.result(), nil
}

// Room is a filled text in memory that the next filling uses again, for whoever
// fills often and is done with each result before the next.
type Room struct {
	Text  []byte
	Spans []Span // as in [Result]
}

// FillInto is Fill that makes its result in room, over what was there. After
// an error room holds nothing of use.
func (f *Form) FillInto(room *Room, values Values) error {
	r := f.runner()
	defer f.runners.Put(r)
	own := r.Room
	r.Room = Room{room.Text[:0], room.Spans[:0]}
	err := r.fill(values)
	*room, r.Room = r.Room, own
	return err
}

// FillLayers is Fill that also says which part each layer of a stack gave.
// Layers stand apart by an empty line; a layer's own last line ends are not
// part of the text then.
func (f *Form) FillLayers(values Values) (Result, []Layer, error) {
	r := f.runner()
	defer f.runners.Put(r)
	if err := r.fill(values); err != nil {
		return Result{}, nil, err
	}
	return r.result(), slices.Clone(r.layers), nil
}

// Sketch is FillLayers for someone who is still at it: a value that is missing or
// does not hold is reported, and its blank's name stands in its place.
func (f *Form) Sketch(values Values) (Result, []Layer, problem.List, error) {
	r := f.runner()
	defer f.runners.Put(r)
	found := r.take(values)
	if err := r.run(); err != nil {
		return Result{}, nil, found, err
	}
	return r.result(), slices.Clone(r.layers), found, nil
}

// fill runs one filling, if nothing is wrong with the values.
func (r *runner) fill(values Values) error {
	if err := r.take(values).Err(); err != nil {
		return err
	}
	return r.run()
}

// result copies what the runner made.
func (r *runner) result() Result {
	return Result{Text: string(r.Text), Spans: slices.Clone(r.Spans), Used: r.usedRefs()}
}

// usedRefs gives the versions that went in. Mostly these are all that the form
// knows, and then its own list serves.
func (r *runner) usedRefs() []Ref {
	refs := r.form.refs
	if !slices.Contains(r.used, false) {
		return slices.Clip(refs)
	}
	used := make([]Ref, 0, len(refs))
	for i, ref := range refs {
		if r.used[i] {
			used = append(used, ref)
		}
	}
	return used
}

// runner gives a runner whose room has been used before, if there is one.
func (f *Form) runner() *runner {
	r, ok := f.runners.Get().(*runner)
	if !ok {
		r = &runner{form: f, vals: make([]val, len(f.slots)), used: make([]bool, len(f.refs))}
	}
	clear(r.vals)
	clear(r.used)
	r.Text, r.Spans, r.layers = r.Text[:0], r.Spans[:0], r.layers[:0]
	r.last, r.over, r.indent, r.fresh = -1, false, "", false
	r.loops, r.frames = r.loops[:0], r.frames[:0]
	return r
}

// runner is one filling, and the room that the next one uses again.
type runner struct {
	form *Form
	Room
	layers []Layer
	vals   []val
	last   int // index into froms of the last span
	used   []bool
	loops  []loop
	frames []frame
	indent string // what each line begins with, inside a lone include
	fresh  bool   // at the start of a line that has not been indented yet
	over   bool
}

// val is what a slot holds: the value, and whether it was given, is the blank's
// default, or is wanting so that a sketch shows the blank's name instead.
type val struct {
	Value
	has, isDefault, wanting bool
}

type loop struct {
	op    *op
	items []string
	next  int
}

// frame is an include under way.
type frame struct {
	start  int
	indent string
}

// take resolves every slot's value and finds all that is wrong with values.
func (r *runner) take(values Values) problem.List {
	f := r.form
	var found problem.List
	taken := 0
	for i := range f.slots {
		s := &f.slots[i]
		switch {
		case s.item:
			continue
		case s.fixed != nil:
			r.vals[i] = val{Value: *s.fixed, has: !s.fixed.empty()}
			continue
		}
		given, ok := values[s.blank.Name]
		if ok {
			taken++
		}
		switch {
		case s.anyLine && given.easy:
			r.vals[i].text, r.vals[i].has = given.text, true
		case ok && !given.empty():
			v, bad := s.blank.Accept(s.field, given)
			found = append(found, bad...)
			r.vals[i] = val{Value: v, has: true}
			if bad != nil {
				r.vals[i] = val{wanting: true}
			}
		case !s.blank.Default.empty():
			r.vals[i] = val{Value: s.blank.Default, has: true, isDefault: true}
		case s.required():
			found.Add(s.field, "missing", "%s is missing: %s", s.blank.Name, s.blank.Question())
			r.vals[i].wanting = true
		}
	}
	if taken < len(values) {
		for _, name := range slices.Sorted(maps.Keys(values)) {
			if i, ok := f.byName[name]; !ok || f.slots[i].fixed != nil {
				found.Add(valueField(name), "unknown", "there is no blank named %s; the blanks are %s", short(name), f.names())
			}
		}
	}
	return found
}

func (f *Form) names() string {
	var names []string
	for _, b := range f.Blanks() {
		names = append(names, b.Name)
	}
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

// run takes the steps of the form.
func (r *runner) run() error {
	ops := r.form.ops
	steps := 0 // of repeats; the others are bounded by the form's length
	for pc := 0; pc < len(ops) && !r.over; pc++ {
		o := &ops[pc]
		switch o.kind {
		case opText:
			r.put(o.text, o.from)
		case opHole:
			if v := &r.vals[o.slot]; v.has && !v.many && !v.isDefault {
				r.put(v.text, o.from)
			} else {
				r.hole(o, v)
			}
		case opIf:
			if r.holds(o) == o.not {
				pc = o.jump - 1
			}
		case opJump:
			pc = o.jump - 1
		case opEach:
			items, _ := r.vals[o.slot].Items()
			if len(items) == 0 {
				pc = o.jump - 1
				continue
			}
			r.loops = append(r.loops, loop{op: o, items: items, next: 1})
			r.vals[o.item] = val{Value: Single(items[0]), has: true}
		case opNext:
			if l := &r.loops[len(r.loops)-1]; l.next < len(l.items) {
				r.vals[l.op.item] = val{Value: Single(l.items[l.next]), has: true}
				l.next++
				steps += pc - o.jump + 1
				r.over = steps > maxSteps
				pc = o.jump - 1
			} else {
				r.loops = r.loops[:len(r.loops)-1]
			}
		case opEnter:
			r.enter(o)
		case opLeave:
			r.leave()
		case opLayer:
			r.layer(o)
		case opFact:
			r.used[o.ref] = true
			r.put(o.text, o.from)
		}
	}
	if r.over {
		return problem.List{{Field: fieldBody, Code: "size", Message: message.Say("the filled text would be longer than 1 MiB, or repeats too often; shorten the values, include less or repeat less")}}
	}
	if n := len(r.layers); n > 0 {
		r.layers[n-1].End = len(r.Text)
	}
	return nil
}

// put adds text and the span that says where it came from.
func (r *runner) put(text string, from int) {
	start := len(r.Text)
	if text == "" || r.indent != "" || r.last == from || start+len(text) > MaxResult {
		r.putSlowly(text, from)
		return
	}
	r.Text = append(r.Text, text...)
	r.Spans = append(r.Spans, Span{start, start + len(text), &r.form.froms[from]})
	r.last = from
}

// putSlowly is put for the rarer cases: an indented text, one from where the last
// came from, none at all, or too much.
func (r *runner) putSlowly(text string, from int) {
	if text == "" {
		return
	}
	start := len(r.Text)
	switch {
	case start+len(text) > MaxResult:
		r.over = true
		return
	case r.indent == "":
		r.Text = append(r.Text, text...)
	default:
		r.putIndented(text)
	}
	if r.last == from {
		r.Spans[len(r.Spans)-1].End = len(r.Text)
		return
	}
	r.Spans = append(r.Spans, Span{start, len(r.Text), &r.form.froms[from]})
	r.last = from
}

// putIndented adds text with the indentation before each line that is not empty.
func (r *runner) putIndented(text string) {
	for line := range strings.Lines(text) {
		if r.fresh && strings.TrimRight(line, "\r\n") != "" {
			r.Text = append(r.Text, r.indent...)
		}
		r.Text = append(r.Text, line...)
		r.fresh = strings.HasSuffix(line, "\n")
	}
	r.over = r.over || len(r.Text) > MaxResult
}

// hole puts what stands at a blank's place, where that is not simply the value
// that was given.
func (r *runner) hole(o *op, v *val) {
	from := o.from
	if v.isDefault {
		from = o.dflt
	}
	switch {
	case v.wanting && !o.hasOr:
		r.put("‹"+r.form.slots[o.slot].blank.Name+"›", o.from)
	case !v.has:
		r.put(o.text, o.dflt)
	case v.many:
		r.put(listed(v.list, o.and), from)
	default:
		r.put(v.text, from)
	}
}

// Listed writes a value as it stands in a text: a list as "a, b and c", with the word of
// the language (BCP 47; empty is English).
func Listed(v Value, language string) string {
	if items, many := v.Items(); many {
		return listed(items, andIn(language))
	}
	return v.String()
}

// listed writes items as "a, b and c".
func listed(items []string, and string) string {
	if len(items) < 2 {
		return strings.Join(items, "")
	}
	last := len(items) - 1
	return strings.Join(items[:last], ", ") + and + items[last]
}

func (r *runner) holds(o *op) bool {
	v := &r.vals[o.slot]
	switch o.test {
	case "is":
		return v.has && !v.many && v.text == o.text
	case "has":
		return slices.Contains(v.list, o.text)
	}
	return v.has && (v.many || v.text != "no")
}

func (r *runner) enter(o *op) {
	r.used[o.from] = true
	r.frames = append(r.frames, frame{start: len(r.Text), indent: r.indent})
	if o.alone && o.text != "" {
		r.indent += o.text
		r.fresh = true
	}
}

// leave ends an include and drops the last line end of the entry's own words.
func (r *runner) leave() {
	top := r.frames[len(r.frames)-1]
	r.frames = r.frames[:len(r.frames)-1]
	r.indent = top.indent
	if len(r.Text) > top.start && r.Spans[len(r.Spans)-1].From.own() {
		r.dropLineEnd(top.start)
	}
}

// dropLineEnd takes one line end off the end of the text, if it begins at or
// after start.
func (r *runner) dropLineEnd(start int) bool {
	n := len(r.Text)
	if n <= start || r.Text[n-1] != '\n' {
		return false
	}
	if n--; n > start && r.Text[n-1] == '\r' {
		n--
	}
	r.Text = r.Text[:n]
	r.fresh = false
	for len(r.Spans) > 0 && r.Spans[len(r.Spans)-1].Start >= n {
		r.Spans = r.Spans[:len(r.Spans)-1]
		r.last = -1
	}
	if len(r.Spans) > 0 {
		r.Spans[len(r.Spans)-1].End = n
	}
	return true
}

// layer ends the layer before and begins the next, an empty line apart.
func (r *runner) layer(o *op) {
	r.used[o.from] = true
	if n := len(r.layers); n > 0 {
		before := &r.layers[n-1]
		for r.dropLineEnd(before.Start) {
		}
		before.End = len(r.Text)
		if before.End > before.Start {
			r.Text = append(r.Text, "\n\n"...)
			r.Spans[len(r.Spans)-1].End = len(r.Text)
		}
	}
	r.layers = append(r.layers, Layer{Ref: r.form.refs[o.from], Start: len(r.Text)})
	r.last = -1
}

package fill

import (
	"maps"
	"slices"
	"strings"
	"unsafe"

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
	r, found, err := f.fill(values, false)
	if err == nil {
		err = found.Err()
	}
	if err != nil {
		return Result{}, err
	}
	defer f.runners.Put(r)
	return r.result(), nil
}

// FillLayers is Fill that also says which part each layer of a stack gave.
// Layers stand apart by an empty line; a layer's own last line ends are not
// part of the text then.
func (f *Form) FillLayers(values Values) (Result, []Layer, error) {
	r, found, err := f.fill(values, false)
	if err == nil {
		err = found.Err()
	}
	if err != nil {
		return Result{}, nil, err
	}
	defer f.runners.Put(r)
	return r.result(), slices.Clone(r.layers), nil
}

// Sketch is FillLayers for someone who is still at it: a value that is missing or
// does not hold is reported, and its blank's name stands in its place.
func (f *Form) Sketch(values Values) (Result, []Layer, problem.List, error) {
	r, found, err := f.fill(values, true)
	if err != nil {
		return Result{}, nil, found, err
	}
	defer f.runners.Put(r)
	return r.result(), slices.Clone(r.layers), found, nil
}

// fill runs one filling. Values that are wrong stop it unless it is a sketch.
func (f *Form) fill(values Values, sketch bool) (*runner, problem.List, error) {
	r := f.runner()
	found := r.take(values)
	if found != nil && !sketch {
		return r, found, nil
	}
	return r, found, r.run()
}

// result takes what the runner made.
func (r *runner) result() Result {
	// The bytes are not touched again, so they become the string as they are.
	text := unsafe.String(unsafe.SliceData(r.text), len(r.text))
	result := Result{Text: text, Spans: r.spans, Used: make([]Ref, 0, len(r.form.refs))}
	for i, ref := range r.form.refs {
		if r.used[i] {
			result.Used = append(result.Used, ref)
		}
	}
	r.text, r.spans = nil, nil
	return result
}

// runner gives a runner whose room has been used before, if there is one.
func (f *Form) runner() *runner {
	r, ok := f.runners.Get().(*runner)
	if !ok {
		r = &runner{form: f, vals: make([]val, len(f.slots)), used: make([]bool, len(f.refs))}
	}
	clear(r.vals)
	clear(r.used)
	r.text, r.spans, r.layers = nil, nil, r.layers[:0]
	r.last, r.over, r.indent, r.fresh = -1, false, "", false
	r.loops, r.frames = r.loops[:0], r.frames[:0]
	return r
}

// runner is one filling. Its room is used again; what it makes is not.
type runner struct {
	form   *Form
	text   []byte  // given away with the result
	spans  []Span  // so are these
	layers []Layer // these are copied for whoever wants them
	vals   []val
	last   int // index into froms of the last span
	used   []bool
	loops  []loop
	frames []frame
	indent string // what each line begins with, inside a lone include
	fresh  bool   // at the start of a line that has not been indented yet
	over   bool
}

// val is what a slot holds: the value, and whether it was given or is the
// blank's default. Where it is neither, standIn is what a sketch shows instead.
type val struct {
	Value
	has, isDefault bool
	standIn        string
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
		case ok && !given.empty():
			v, bad := s.blank.Accept(s.field, given)
			found = append(found, bad...)
			r.vals[i] = val{Value: v, has: true}
			if bad != nil {
				r.vals[i] = val{standIn: s.standIn()}
			}
		case !s.blank.Default.empty():
			r.vals[i] = val{Value: s.blank.Default, has: true, isDefault: true}
		case s.required():
			found.Add(s.field, "missing", "%s is missing: %s", s.blank.Name, s.blank.Question())
			r.vals[i].standIn = s.standIn()
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

// standIn is what a sketch shows for a value that is not there.
func (s *slot) standIn() string { return "‹" + s.blank.Name + "›" }

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
	f := r.form
	r.spans = make([]Span, 0, min(len(f.ops), 4096))
	r.text = make([]byte, 0, r.size())
	steps := 0
	for pc := 0; pc < len(f.ops); pc++ {
		if steps++; steps > maxSteps || r.over {
			break
		}
		o := &f.ops[pc]
		switch o.kind {
		case opText:
			r.put(o.text, o.from)
		case opHole:
			r.hole(o)
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
		}
	}
	if steps > maxSteps || r.over {
		return problem.List{{Field: fieldBody, Code: "size", Message: "the filled text would be longer than 1 MiB, or repeats too often; shorten the values, include less or repeat less"}}
	}
	if n := len(r.layers); n > 0 {
		r.layers[n-1].End = len(r.text)
	}
	return nil
}

// size guesses the result's length, so that it is allocated once.
func (r *runner) size() int {
	n := r.form.literal
	for i := range r.form.ops {
		if o := &r.form.ops[i]; o.kind == opHole {
			n += len(r.vals[o.slot].text) + len(o.text)
		}
	}
	return min(n, MaxResult)
}

// put adds text and the span that says where it came from.
func (r *runner) put(text string, from int) {
	if text == "" {
		return
	}
	start := len(r.text)
	if start+len(text) > MaxResult {
		r.over = true
		return
	}
	if r.indent == "" {
		r.text = append(r.text, text...)
	} else {
		r.putIndented(text)
	}
	if r.last == from {
		r.spans[len(r.spans)-1].End = len(r.text)
		return
	}
	r.spans = append(r.spans, Span{start, len(r.text), &r.form.froms[from]})
	r.last = from
}

// putIndented adds text with the indentation before each line that is not empty.
func (r *runner) putIndented(text string) {
	for line := range strings.Lines(text) {
		if r.fresh && strings.TrimRight(line, "\r\n") != "" {
			r.text = append(r.text, r.indent...)
		}
		r.text = append(r.text, line...)
		r.fresh = strings.HasSuffix(line, "\n")
	}
	r.over = r.over || len(r.text) > MaxResult
}

func (r *runner) hole(o *op) {
	v := &r.vals[o.slot]
	switch {
	case !v.has && !o.hasOr && v.standIn != "":
		r.put(v.standIn, o.from)
	case !v.has:
		r.put(o.text, o.dflt)
	case v.many:
		r.put(listed(v.list, o.and), pickFrom(v, o))
	default:
		r.put(v.text, pickFrom(v, o))
	}
}

func pickFrom(v *val, o *op) int {
	if v.isDefault {
		return o.dflt
	}
	return o.from
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
	r.frames = append(r.frames, frame{start: len(r.text), indent: r.indent})
	if o.alone {
		r.indent += o.text
		r.fresh = true
	}
}

// leave ends an include and drops the last line end of the entry's own words.
func (r *runner) leave() {
	top := r.frames[len(r.frames)-1]
	r.frames = r.frames[:len(r.frames)-1]
	r.indent = top.indent
	if len(r.text) > top.start && r.spans[len(r.spans)-1].From.Blank == "" {
		r.dropLineEnd(top.start)
	}
}

// dropLineEnd takes one line end off the end of the text, if it begins at or
// after start.
func (r *runner) dropLineEnd(start int) bool {
	n := len(r.text)
	if n <= start || r.text[n-1] != '\n' {
		return false
	}
	if n--; n > start && r.text[n-1] == '\r' {
		n--
	}
	r.text = r.text[:n]
	r.fresh = false
	for len(r.spans) > 0 && r.spans[len(r.spans)-1].Start >= n {
		r.spans = r.spans[:len(r.spans)-1]
		r.last = -1
	}
	if len(r.spans) > 0 {
		r.spans[len(r.spans)-1].End = n
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
		before.End = len(r.text)
		if before.End > before.Start {
			r.text = append(r.text, "\n\n"...)
			r.spans[len(r.spans)-1].End = len(r.text)
		}
	}
	r.layers = append(r.layers, Layer{Ref: r.form.refs[o.from], Start: len(r.text)})
	r.last = -1
}

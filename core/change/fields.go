package change

import (
	"maps"
	"reflect"
	"slices"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
)

// Field is something besides the text that differs, in words.
type Field struct {
	Field string       `json:"field"` // JSON pointer
	Says  message.Text `json:"says"`  // such as "blank hours: at most 72, was 48"
}

// Fields gives what differs between two contents besides their texts.
func Fields(old, now entry.Content) []Field {
	c := fields{}
	c.text("/title", message.Plain("title"), old.Title, now.Title)
	c.text("/summary", message.Plain("summary"), old.Summary, now.Summary)
	c.text("/code", message.Plain("short code"), old.Code, now.Code)
	c.text("/language", message.Plain("language"), old.Language, now.Language)
	if old.Plain != now.Plain {
		if now.Plain {
			c.add("/plain", "the text has no marks now, whatever it holds")
		} else {
			c.add("/plain", "the text has marks now")
		}
	}
	for _, facet := range sortedKeys(old.Labels, now.Labels) {
		c.list(problem.Pointer("labels", facet), message.Plain(facet), old.Labels[facet], now.Labels[facet])
	}
	c.text("/persona", message.Plain("recommended persona"), old.Persona, now.Persona)
	c.text("/style", message.Plain("recommended style"), old.Style, now.Style)
	c.list("/sheets", message.Plain("recommended sheets"), old.Sheets, now.Sheets)
	c.list("/sheet_of", message.Plain("question sets of which a sheet is wanted"), old.SheetOf, now.SheetOf)
	c.text("/set", message.Plain("question set"), old.Set, now.Set)
	c.answers(old.Answers, now.Answers)
	c.blanks(old.Blanks, now.Blanks)
	c.steps(old.Steps, now.Steps)
	c.list("/pictures", message.Plain("pictures"), shown(old.Pictures), shown(now.Pictures))
	c.source(old.Source, now.Source)
	return c.all
}

// steps says which steps are new, gone or others, and whether only their order is.
func (c *fields) steps(old, now []entry.Step) {
	named := func(all []entry.Step, name string) int {
		return slices.IndexFunc(all, func(s entry.Step) bool { return s.Name == name })
	}
	same := len(c.all)
	for i, s := range now {
		at := problem.Pointer("steps", i)
		switch was := named(old, s.Name); {
		case was < 0:
			c.add(at, "step %s, which uses %s, is new", s.Name, s.Use)
		case !reflect.DeepEqual(old[was], s):
			c.add(at, "step %s is another", s.Name)
		}
	}
	for _, s := range old {
		if named(now, s.Name) < 0 {
			c.add("/steps", "step %s is gone", s.Name)
		}
	}
	if len(c.all) == same && !reflect.DeepEqual(old, now) && len(old)+len(now) > 0 {
		c.add("/steps", "the steps stand in another order")
	}
}

type fields struct{ all []Field }

func (c *fields) add(field, format string, args ...any) {
	c.all = append(c.all, Field{field, message.Say(format, args...)})
}

func (c *fields) text(field string, what message.Text, old, now string) {
	switch {
	case old == now:
	case old == "":
		c.add(field, "%s: %s", what, now)
	case now == "":
		c.add(field, "no %s any more, was %s", what, old)
	default:
		c.add(field, "%s: %s, was %s", what, now, old)
	}
}

func (c *fields) list(field string, what message.Text, old, now []string) {
	var parts []message.Text
	for _, v := range now {
		if !slices.Contains(old, v) {
			parts = append(parts, message.Say("+ %s", v))
		}
	}
	for _, v := range old {
		if !slices.Contains(now, v) {
			parts = append(parts, message.Say("− %s", v))
		}
	}
	if parts == nil && !slices.Equal(old, now) {
		parts = []message.Text{message.Say("in another order: %s", strings.Join(now, ", "))}
	}
	if parts != nil {
		c.add(field, "%s: %s", what, message.Joined(", ", parts...))
	}
}

func (c *fields) answers(old, now sheet.Answers) {
	for _, name := range sortedKeys(old, now) {
		if !old[name].Equal(now[name]) {
			c.text(problem.Pointer("answers", name), message.Say("answer %s", name), shortened(old[name].String()), shortened(now[name].String()))
		}
	}
}

// shortened is a text of which the beginning says enough.
func shortened(text string) string {
	if r := []rune(text); len(r) > 120 {
		return string(r[:120]) + "…"
	}
	return text
}

func (c *fields) blanks(old, now []fill.Blank) {
	before := map[string]fill.Blank{}
	for _, b := range old {
		before[b.Name] = b
	}
	names := map[string]bool{}
	for i, b := range now {
		names[b.Name] = true
		at := problem.Pointer("blanks", i)
		was, there := before[b.Name]
		if !there {
			c.add(at, "new blank %s: %s", b.Name, kind(b))
			continue
		}
		if parts := blank(was, b); parts != nil {
			c.add(at, "blank %s: %s", b.Name, message.Joined("; ", parts...))
		}
	}
	for i, b := range old {
		if !names[b.Name] {
			c.add(problem.Pointer("blanks", i), "the blank %s is gone", b.Name)
		}
	}
}

// blank says how a declaration has changed.
func blank(was, b fill.Blank) (parts []message.Text) {
	say := func(format string, args ...any) { parts = append(parts, message.Say(format, args...)) }
	if was.Kind() != b.Kind() {
		say("%s, was %s", kind(b), kind(was))
	}
	if was.Question() != b.Question() {
		say("asks “%s”", b.Question())
	}
	if was.Hint != b.Hint {
		say("its hint is %s", orNone(b.Hint))
	}
	if !slices.Equal(was.Options, b.Options) {
		var o fields
		o.list("", message.Plain("options"), was.Options, b.Options)
		say("%s", o.all[0].Says)
	}
	limit := func(what message.Text, was, now *float64) {
		switch {
		case was == nil && now == nil, was != nil && now != nil && *was == *now:
		case now == nil:
			say("no longer %s %s", what, fill.Decimal(*was))
		case was == nil:
			say("now %s %s", what, fill.Decimal(*now))
		default:
			say("%s %s, was %s", what, fill.Decimal(*now), fill.Decimal(*was))
		}
	}
	limit(message.Plain("at least"), was.Min, b.Min)
	limit(message.Plain("at most"), was.Max, b.Max)
	if !was.Default.Equal(b.Default) {
		say("%s if nothing is given", orNone(b.Default.String()))
	}
	if was.Optional != b.Optional {
		if b.Optional {
			say("need not be given")
		} else {
			say("must be given")
		}
	}
	if !was.Sample.Equal(b.Sample) {
		say("another sample")
	}
	return parts
}

func kind(b fill.Blank) message.Text {
	return map[fill.Type]message.Text{
		fill.Line: message.Plain("a line"), fill.LongText: message.Plain("a text"), fill.Number: message.Plain("a number"),
		fill.YesNo: message.Plain("yes or no"), fill.Date: message.Plain("a date"),
		fill.Pick: message.Plain("one of its options"), fill.PickMany: message.Plain("any of its options"),
	}[b.Kind()]
}

func orNone(s string) message.Text {
	if s == "" {
		return message.Say("nothing")
	}
	return message.Say("“%s”", s)
}

func (c *fields) source(old, now *entry.Source) {
	if old == nil {
		old = &entry.Source{}
	}
	if now == nil {
		now = &entry.Source{}
	}
	c.text("/source/place", message.Plain("where it came from"), old.Place, now.Place)
	c.text("/source/link", message.Plain("its link"), old.Link, now.Link)
	c.text("/source/person", message.Plain("whom it came from"), old.Person, now.Person)
	c.text("/source/date", message.Plain("its date"), old.Date, now.Date)
}

func sortedKeys[M ~map[string]V, V any](maps_ ...M) []string {
	all := map[string]bool{}
	for _, m := range maps_ {
		for k := range m {
			all[k] = true
		}
	}
	return slices.Sorted(maps.Keys(all))
}

// shown gives what pictures show; one that shows another thing under the same words is told
// apart by the beginning of its id.
func shown(all []entry.Picture) (words []string) {
	for _, p := range all {
		words = append(words, p.Alt+" ("+p.ID[:min(len(p.ID), 6)]+")")
	}
	return words
}

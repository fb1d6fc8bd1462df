package bundle

import (
	"encoding/json"
	"maps"
	"slices"
	"strconv"
	"strings"

	"goldshelf/core/fill"
)

// Bytes gives the file. What was read and not changed comes back byte for
// byte; otherwise the header has its fixed order and form.
func (f File) Bytes() []byte {
	canonical := f.canonical()
	if f.header != "" && canonical == f.read {
		return []byte(f.header + f.Body)
	}
	return []byte(canonical + f.Body)
}

// canonical is the header with its markers, in the one form that we write.
func (f File) canonical() string {
	var w writer
	w.line(0, "---")
	w.field(0, "kind", string(f.Kind))
	w.field(0, "title", f.Title)
	w.field(0, "summary", f.Summary)
	w.field(0, "owner", f.Owner)
	w.field(0, "deputy", f.Deputy)
	w.field(0, "rendition_of", f.RenditionOf)
	if len(f.Labels) > 0 {
		w.line(0, "labels:")
		for _, facet := range slices.Sorted(maps.Keys(f.Labels)) {
			w.flow(1, facet, f.Labels[facet])
		}
	}
	w.field(0, "code", f.Code)
	w.field(0, "language", f.Language)
	w.flag(0, "plain", f.Plain)
	w.field(0, "persona", f.Persona)
	w.field(0, "style", f.Style)
	w.flow(0, "sheets", f.Sheets)
	w.flow(0, "sheet_of", f.SheetOf)
	w.field(0, "set", f.Set)
	if len(f.Answers) > 0 {
		w.line(0, "answers:")
	}
	for _, name := range slices.Sorted(maps.Keys(f.Answers)) {
		w.answer(name, f.Answers[name])
	}
	if s := f.Source; s != nil {
		w.line(0, "source:")
		w.field(1, "place", s.Place)
		w.field(1, "link", s.Link)
		w.field(1, "person", s.Person)
		w.field(1, "date", s.Date)
	}
	if len(f.Pictures) > 0 {
		w.line(0, "pictures:")
	}
	for _, p := range f.Pictures {
		w.line(1, "- id: "+scalar(p.ID, false))
		w.field(2, "alt", p.Alt)
	}
	if len(f.Blanks) > 0 {
		w.line(0, "blanks:")
	}
	for _, b := range f.Blanks {
		w.blank(b)
	}
	w.steps(f)
	w.line(0, "---")
	return w.String()
}

// writer writes YAML of the few shapes that a header has.
type writer struct{ strings.Builder }

func (w *writer) line(depth int, text string) {
	w.WriteString(strings.Repeat("  ", depth) + text + "\n")
}

// field writes a field that is not empty.
func (w *writer) field(depth int, name, value string) {
	if value != "" {
		w.line(depth, name+": "+scalar(value, false))
	}
}

func (w *writer) flag(depth int, name string, value bool) {
	if value {
		w.line(depth, name+": true")
	}
}

func (w *writer) flow(depth int, name string, items []string) {
	if len(items) > 0 {
		w.line(depth, name+": "+flow(items))
	}
}

func flow(items []string) string {
	quoted := make([]string, len(items))
	for i, item := range items {
		quoted[i] = scalar(item, true)
	}
	return "[" + strings.Join(quoted, ", ") + "]"
}

func (w *writer) value(depth int, name string, v fill.Value) {
	if items, many := v.Items(); many {
		w.line(depth, name+": "+flow(items))
		return
	}
	w.field(depth, name, v.String())
}

// answer writes an answer also where it is empty: what was written reads back.
func (w *writer) answer(name string, v fill.Value) {
	switch items, many := v.Items(); {
	case many:
		w.line(1, name+": "+flow(items))
	default:
		w.line(1, name+": "+scalar(v.String(), false))
	}
}

func (w *writer) blank(b fill.Blank) {
	w.line(1, "- name: "+scalar(b.Name, false))
	w.field(2, "ask", b.Ask)
	w.field(2, "hint", b.Hint)
	w.field(2, "type", string(b.Type))
	w.flow(2, "options", b.Options)
	w.value(2, "default", b.Default)
	w.flag(2, "optional", b.Optional)
	w.value(2, "sample", b.Sample)
	if b.Min != nil {
		w.line(2, "min: "+fill.Decimal(*b.Min))
	}
	if b.Max != nil {
		w.line(2, "max: "+fill.Decimal(*b.Max))
	}
}

func (w *writer) steps(f File) {
	if len(f.Steps) > 0 {
		w.line(0, "steps:")
	}
	for _, s := range f.Steps {
		w.line(1, "- name: "+scalar(s.Name, false))
		w.field(2, "use", s.Use)
		if len(s.With) > 0 {
			w.line(2, "with:")
			for _, name := range slices.Sorted(maps.Keys(s.With)) {
				w.line(3, name+": "+scalar(s.With[name], false))
			}
		}
		w.field(2, "model", s.Model)
		if s.Temperature != nil {
			w.line(2, "temperature: "+fill.Decimal(*s.Temperature))
		}
		if s.MaxTokens != 0 {
			w.line(2, "max_tokens: "+strconv.Itoa(s.MaxTokens))
		}
		if s.Within != 0 {
			w.line(2, "within: "+strconv.Itoa(s.Within))
		}
		if s.Over != nil {
			w.line(2, "over:")
			w.field(3, "step", s.Over.Step)
			w.field(3, "sections", s.Over.Sections)
		}
	}
}

// scalar writes a text plainly where YAML reads it back as the same text, and
// in double quotes, as JSON has them, elsewhere.
func scalar(text string, inFlow bool) string {
	if plain(text, inFlow) {
		return text
	}
	var b strings.Builder
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	_ = enc.Encode(text) // a string always encodes
	return strings.TrimSuffix(b.String(), "\n")
}

func plain(text string, inFlow bool) bool {
	if text == "" || text != strings.TrimSpace(text) || strings.HasSuffix(text, ":") ||
		strings.Contains(text, ": ") || strings.Contains(text, " #") {
		return false
	}
	switch strings.ToLower(text) {
	case "true", "false", "null", "~", ".inf", ".nan":
		return false
	}
	for i, r := range text {
		switch {
		case 'a' <= r && r <= 'z', 'A' <= r && r <= 'Z', '0' <= r && r <= '9', r >= 0xA1 && r < 0x2028, r >= 0x3001 && r < 0xD800:
		case i == 0:
			return false
		case strings.ContainsRune(" -_.:/?!@'\"()=+;%&*", r):
		case r == ',' && !inFlow:
		default:
			return false
		}
	}
	return true
}

// Package bundle reads and writes entries in the open formats that they travel
// in: one entry as a Markdown file with a YAML header.
package bundle

import (
	"errors"
	"math"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
	"goldshelf/core/strict"
)

// MaxHeader is the longest header of an entry file, in bytes.
const MaxHeader = 64 << 10

// File is one entry as a file. Its name, without ".md", is the entry's slug.
type File struct {
	entry.Content
	Owner  string // a person's sign-in name
	Deputy string

	RenditionOf string // a slug

	header string // as it was read, markers included
	read   string // the canonical header of what was read
}

// Read takes an entry file apart. Its error is a [problem.List] with every
// fault of the header, by line and column of the file. The text below the
// header is kept byte for byte.
func Read(data []byte) (File, error) {
	var f File
	src := strings.TrimPrefix(string(data), "\ufeff")
	if bad := problem.Text("", src); bad != nil {
		return f, bad
	}
	header, body, ok := split(src)
	if !ok {
		return f, problem.List{{Code: "header", Line: 1, Column: 1,
			Message: message.Say("an entry file begins with a line ---, its header in YAML and another line ---; the first or the second is missing")}}
	}
	if len(header) > MaxHeader {
		return f, problem.List{{Code: "size", Line: 1, Column: 1, Message: message.Say("the header is longer than 64 KiB; an entry's text goes below it")}}
	}
	f.Body = body
	f.Blanks, f.Labels = []fill.Blank{}, map[string][]string{}
	if err := f.readHeader(strings.ReplaceAll(header, "\r\n", "\n")); err != nil {
		return File{}, err
	}
	f.header = src[:len(src)-len(body)]
	f.read = f.canonical()
	return f, nil
}

// BodyLine is the line of the file, from 1, on which the text begins, or 1 where
// the file was not read but made.
func (f File) BodyLine() int { return strings.Count(f.header, "\n") + 1 }

// split gives the YAML between the two markers, with the first marker's line
// kept as an empty one so that places are those of the file.
func split(src string) (header, body string, ok bool) {
	rest, found := cutLine(src)
	if !found {
		return "", "", false
	}
	from := len(src) - len(rest)
	for at := rest; at != ""; {
		next, isMarker := cutLine(at)
		if isMarker {
			return "\n" + src[from:len(src)-len(at)], next, true
		}
		i := strings.IndexByte(at, '\n')
		if i < 0 {
			break
		}
		at = at[i+1:]
	}
	return "", "", false
}

// cutLine takes a marker's line off the start of s.
func cutLine(s string) (rest string, ok bool) {
	rest, ok = strings.CutPrefix(s, "---")
	if !ok {
		return s, false
	}
	line, rest, _ := strings.Cut(rest, "\n")
	return rest, strings.TrimRight(line, " \t\r") == ""
}

// readHeader reads the header's YAML.
func (f *File) readHeader(src string) error {
	if err := strict.YAML(src); err != nil {
		return problem.List{tooMuchYAML(err)}
	}
	tree, err := parser.ParseBytes([]byte(src), 0, parser.AllowDuplicateMapKey())
	if err != nil {
		return problem.List{yamlProblem(err)}
	}
	h := header{}
	for i, doc := range tree.Docs {
		if i > 0 || doc.Body == nil {
			continue
		}
		h.fields(doc.Body, "", map[string]func(ast.Node, string){
			"kind":    func(n ast.Node, at string) { f.Kind = entry.Kind(h.text(n, at)) },
			"title":   h.into(&f.Title),
			"summary": h.into(&f.Summary),
			"owner":   h.into(&f.Owner),
			"deputy":  h.into(&f.Deputy),

			"rendition_of": h.into(&f.RenditionOf),

			"code":     h.into(&f.Code),
			"language": h.into(&f.Language),
			"persona":  h.into(&f.Persona),
			"style":    h.into(&f.Style),
			"plain":    func(n ast.Node, at string) { f.Plain = h.yes(n, at) },
			"sheets":   func(n ast.Node, at string) { f.Sheets = h.list(n, at) },
			"sheet_of": func(n ast.Node, at string) { f.SheetOf = h.list(n, at) },
			"set":      h.into(&f.Set),
			"answers": func(n ast.Node, at string) {
				f.Answers = sheet.Answers{}
				h.each(n, at, func(name string, n ast.Node, at string) { f.Answers[name] = h.value(n, at) })
			},
			"labels": func(n ast.Node, at string) {
				h.each(n, at, func(facet string, n ast.Node, at string) { f.Labels[facet] = h.list(n, at) })
			},
			"source": func(n ast.Node, at string) {
				f.Source = &entry.Source{}
				h.fields(n, at, map[string]func(ast.Node, string){
					"place": h.into(&f.Source.Place), "link": h.into(&f.Source.Link),
					"person": h.into(&f.Source.Person), "date": h.into(&f.Source.Date),
				})
			},
			"blanks": func(n ast.Node, at string) {
				h.items(n, at, func(n ast.Node, at string) { f.Blanks = append(f.Blanks, h.blank(n, at)) })
			},
			"pictures": func(n ast.Node, at string) {
				h.items(n, at, func(n ast.Node, at string) {
					var p entry.Picture
					h.fields(n, at, map[string]func(ast.Node, string){"id": h.into(&p.ID), "alt": h.into(&p.Alt)})
					f.Pictures = append(f.Pictures, p)
				})
			},
			"steps": func(n ast.Node, at string) {
				h.items(n, at, func(n ast.Node, at string) { f.Steps = append(f.Steps, h.step(n, at)) })
			},
		})
	}
	return h.found.Err()
}

// tooMuchYAML turns what [strict.YAML] says into a problem of the header.
func tooMuchYAML(err error) problem.Problem {
	p := problem.Problem{Code: "yaml", Message: message.Say("the header cannot be read: %s", err), Line: 1, Column: 1}
	var bad *strict.Unreadable
	if errors.As(err, &bad) {
		p.Message, p.Line, p.Column = message.Say("the header cannot be read: %s", bad.Why), bad.Line, bad.Column
	}
	return p
}

// yamlProblem turns the parser's error into one of ours.
func yamlProblem(err error) problem.Problem {
	p := problem.Problem{Code: "yaml", Message: message.Say("the header is no YAML: %s", err), Line: 1, Column: 1}
	var placed interface {
		GetToken() *token.Token
		GetMessage() string
	}
	if errors.As(err, &placed) {
		p.Message = message.Say("the header is no YAML: %s", placed.GetMessage())
		if at := placed.GetToken(); at != nil && at.Position != nil {
			p.Line, p.Column = at.Position.Line, at.Position.Column
		}
	}
	return p
}

// header reads nodes of a header and gathers what is wrong with them.
type header struct{ found problem.List }

func (h *header) add(n ast.Node, field, code, format string, args ...any) {
	p := problem.Problem{Field: field, Code: code, Message: message.Say(format, args...)}
	if at := n.GetToken(); at != nil && at.Position != nil {
		p.Line, p.Column = at.Position.Line, at.Position.Column
	}
	h.found = append(h.found, p)
}

// each visits the values of a mapping by key.
func (h *header) each(n ast.Node, at string, visit func(key string, n ast.Node, at string)) {
	var values []*ast.MappingValueNode
	switch n := n.(type) {
	case *ast.MappingNode:
		values = n.Values
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{n}
	case *ast.NullNode:
		return
	default:
		h.add(n, at, "type", "found %s where fields with values are wanted, as in name: value", message.Plain(kindOf(n)))
		return
	}
	seen := map[string]bool{}
	for _, v := range values {
		key := v.Key.GetToken().Value
		field := at + problem.Pointer(key)
		if seen[key] {
			h.add(v.Key, field, "twice", "%s stands twice; keep one", key)
			continue
		}
		seen[key] = true
		visit(key, v.Value, field)
	}
}

// fields is each for a mapping whose keys are known.
func (h *header) fields(n ast.Node, at string, known map[string]func(ast.Node, string)) {
	h.each(n, at, func(key string, n ast.Node, field string) {
		read, ok := known[key]
		if !ok {
			h.add(n, field, "unknown", "there is no field %s here; take it out or correct its name", key)
			return
		}
		read(n, field)
	})
}

func (h *header) items(n ast.Node, at string, visit func(ast.Node, string)) {
	switch n := n.(type) {
	case *ast.SequenceNode:
		for i, v := range n.Values {
			visit(v, at+problem.Pointer(i))
		}
	case *ast.NullNode:
	default:
		h.add(n, at, "type", "found %s where a list is wanted, as in [one, two]", message.Plain(kindOf(n)))
	}
}

// list reads a list of texts; a single text is a list of one.
func (h *header) list(n ast.Node, at string) []string {
	if _, isList := n.(*ast.SequenceNode); !isList {
		if text := h.text(n, at); text != "" {
			return []string{text}
		}
		return nil
	}
	var items []string
	h.items(n, at, func(n ast.Node, at string) { items = append(items, h.text(n, at)) })
	return items
}

func (h *header) into(to *string) func(ast.Node, string) {
	return func(n ast.Node, at string) { *to = h.text(n, at) }
}

// text reads a scalar as it is written: 007 stays 007.
func (h *header) text(n ast.Node, at string) string {
	switch n := n.(type) {
	case *ast.StringNode:
		return n.Value
	case *ast.LiteralNode:
		return n.Value.Value
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		return n.GetToken().Value
	case *ast.NullNode:
		return ""
	}
	h.add(n, at, "type", "found %s where a text is wanted", message.Plain(kindOf(n)))
	return ""
}

func (h *header) yes(n ast.Node, at string) bool {
	switch h.text(n, at) {
	case "true", "yes":
		return true
	case "false", "no", "":
		return false
	}
	h.add(n, at, "type", "this is true or false")
	return false
}

func (h *header) number(n ast.Node, at string) *float64 {
	v, err := strconv.ParseFloat(h.text(n, at), 64)
	if err != nil {
		h.add(n, at, "type", "this is a number")
		return nil
	}
	return &v
}

// whole is a number without fractions.
func (h *header) whole(n ast.Node, at string) int {
	f := h.number(n, at)
	if f == nil {
		return 0
	}
	if *f != math.Trunc(*f) || math.Abs(*f) > 1e9 {
		h.add(n, at, "number", "this is a whole number")
		return 0
	}
	return int(*f)
}

func (h *header) value(n ast.Node, at string) fill.Value {
	if _, isList := n.(*ast.SequenceNode); isList {
		return fill.List(h.list(n, at)...)
	}
	return fill.Single(h.text(n, at))
}

func (h *header) blank(n ast.Node, at string) (b fill.Blank) {
	h.fields(n, at, map[string]func(ast.Node, string){
		"name": h.into(&b.Name), "ask": h.into(&b.Ask), "hint": h.into(&b.Hint),
		"type":     func(n ast.Node, at string) { b.Type = fill.Type(h.text(n, at)) },
		"options":  func(n ast.Node, at string) { b.Options = h.list(n, at) },
		"default":  func(n ast.Node, at string) { b.Default = h.value(n, at) },
		"optional": func(n ast.Node, at string) { b.Optional = h.yes(n, at) },
		"sample":   func(n ast.Node, at string) { b.Sample = h.value(n, at) },
		"min":      func(n ast.Node, at string) { b.Min = h.number(n, at) },
		"max":      func(n ast.Node, at string) { b.Max = h.number(n, at) },
	})
	return b
}

func (h *header) step(n ast.Node, at string) (s entry.Step) {
	h.fields(n, at, map[string]func(ast.Node, string){
		"name": h.into(&s.Name), "use": h.into(&s.Use), "model": h.into(&s.Model),
		"temperature": func(n ast.Node, at string) { s.Temperature = h.number(n, at) },
		"max_tokens":  func(n ast.Node, at string) { s.MaxTokens = h.whole(n, at) },
		"within":      func(n ast.Node, at string) { s.Within = h.whole(n, at) },
		"with": func(n ast.Node, at string) {
			s.With = map[string]string{}
			h.each(n, at, func(name string, n ast.Node, at string) { s.With[name] = h.text(n, at) })
		},
		"over": func(n ast.Node, at string) {
			s.Over = &entry.Over{}
			h.fields(n, at, map[string]func(ast.Node, string){"step": h.into(&s.Over.Step), "sections": h.into(&s.Over.Sections)})
		},
	})
	return s
}

func kindOf(n ast.Node) string {
	switch n.Type() {
	case ast.MappingType, ast.MappingValueType:
		return "fields with values"
	case ast.SequenceType:
		return "a list"
	case ast.AnchorType, ast.AliasType, ast.TagType, ast.MergeKeyType:
		return "an anchor, alias or tag (which entry files do without)"
	}
	return "a single value"
}

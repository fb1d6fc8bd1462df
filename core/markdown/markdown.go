// Package markdown turns a Markdown text into what it looks like: HTML, and plain text
// without its signs. It knows nothing of blanks; texts are filled in before.
package markdown

import (
	"bytes"
	"fmt"
	"html"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	extast "github.com/yuin/goldmark/extension/ast"
	"github.com/yuin/goldmark/text"
)

var reader = goldmark.New(goldmark.WithExtensions(extension.Table, extension.Strikethrough, extension.TaskList))

// HTML gives a text as a fragment of HTML. HTML that stands in the text itself is left out,
// and so are links to anything that runs.
func HTML(md string) string {
	var b bytes.Buffer
	if err := reader.Convert([]byte(md), &b); err != nil {
		panic(err) // a buffer takes everything
	}
	return b.String()
}

// Plain gives a text without the signs of Markdown: headings and paragraphs an empty line
// apart, lists with their numbers or a dash, tables with tabs, links with their address
// behind them, code as it is.
func Plain(md string) string {
	src := []byte(md)
	p := &plain{src: src}
	p.blocks(reader.Parser().Parse(text.NewReader(src)), "", "\n\n")
	if p.b.Len() == 0 {
		return ""
	}
	return p.b.String() + "\n"
}

type plain struct {
	src []byte
	b   strings.Builder
}

// blocks writes the children of a node, apart by what is given, each line but the first
// behind an indent.
func (p *plain) blocks(parent ast.Node, indent, apart string) {
	for n, first := parent.FirstChild(), true; n != nil; n = n.NextSibling() {
		if n.Kind() == ast.KindHTMLBlock {
			continue
		}
		if !first {
			p.b.WriteString(apart + indent)
		}
		first = false
		p.block(n, indent)
	}
}

func (p *plain) block(n ast.Node, indent string) {
	switch n := n.(type) {
	case *ast.List:
		p.list(n, indent)
	case *ast.Blockquote:
		p.blocks(n, indent, "\n\n")
	case *ast.CodeBlock, *ast.FencedCodeBlock:
		var code strings.Builder
		for _, line := range n.Lines().Sliced(0, n.Lines().Len()) {
			code.Write(line.Value(p.src))
		}
		p.write(strings.TrimRight(code.String(), "\n"), indent)
	case *ast.ThematicBreak:
		p.b.WriteString("* * *")
	case *extast.Table:
		p.table(n, indent)
	default:
		p.write(p.inline(n), indent)
	}
}

func (p *plain) write(s, indent string) {
	p.b.WriteString(strings.ReplaceAll(s, "\n", "\n"+indent))
}

func (p *plain) list(list *ast.List, indent string) {
	number := list.Start
	apart := "\n\n"
	if list.IsTight {
		apart = "\n"
	}
	for item := list.FirstChild(); item != nil; item = item.NextSibling() {
		mark := "- "
		if list.IsOrdered() {
			mark = fmt.Sprintf("%d. ", number)
			number++
		}
		if item.PreviousSibling() != nil {
			p.b.WriteString(apart + indent)
		}
		p.b.WriteString(mark)
		p.blocks(item, indent+strings.Repeat(" ", len(mark)), apart)
	}
}

func (p *plain) table(t *extast.Table, indent string) {
	for row := t.FirstChild(); row != nil; row = row.NextSibling() {
		if row.PreviousSibling() != nil {
			p.b.WriteString("\n" + indent)
		}
		for cell := row.FirstChild(); cell != nil; cell = cell.NextSibling() {
			if cell.PreviousSibling() != nil {
				p.b.WriteString("\t")
			}
			p.b.WriteString(p.inline(cell))
		}
	}
}

// inline gives what stands in a line.
func (p *plain) inline(parent ast.Node) string {
	var b strings.Builder
	for n := parent.FirstChild(); n != nil; n = n.NextSibling() {
		switch n := n.(type) {
		case *ast.Text:
			if words := string(n.Segment.Value(p.src)); parent.Kind() == ast.KindCodeSpan {
				b.WriteString(words)
			} else {
				b.WriteString(html.UnescapeString(unescaped(words)))
			}
			if n.SoftLineBreak() || n.HardLineBreak() {
				b.WriteString("\n")
			}
		case *ast.String:
			b.Write(n.Value)
		case *ast.RawHTML:
		case *ast.AutoLink:
			b.Write(n.Label(p.src))
		case *ast.Link:
			b.WriteString(p.inline(n))
			fmt.Fprintf(&b, " (%s)", n.Destination)
		case *extast.TaskCheckBox:
			b.WriteString(map[bool]string{true: "[x] ", false: "[ ] "}[n.IsChecked])
		default:
			b.WriteString(p.inline(n))
		}
	}
	return b.String()
}

// unescaped takes away the backslashes that keep a sign from being one.
func unescaped(s string) string {
	if !strings.Contains(s, `\`) {
		return s
	}
	const signs = "!\"#$%&'()*+,-./:;<=>?@[\\]^_`{|}~"
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] == '\\' && i+1 < len(s) && strings.IndexByte(signs, s[i+1]) >= 0 {
			i++
		}
		b.WriteByte(s[i])
	}
	return b.String()
}

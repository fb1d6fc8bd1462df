package cli

import (
	"os"
	"strconv"

	"goldshelf/core/message"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

// grid is a table for people: it fits the terminal, and is plain elsewhere.
type grid struct {
	app   *app
	heads []string
	rows  [][]string
}

// table begins a table; its heads are said in the language of whoever reads it.
func (a *app) table(heads ...string) *grid {
	for i, head := range heads {
		heads[i] = message.Plain(head).In(a.language)
	}
	return &grid{app: a, heads: heads}
}

// row adds a row; cells beyond the heads are left out.
func (g *grid) row(cells ...string) { g.rows = append(g.rows, cells[:min(len(cells), len(g.heads))]) }

// state says how far a trial, a run or a reply is, or whether an expectation is met.
func (a *app) state(name string) string {
	for _, known := range []message.Text{
		message.Plain("waiting"), message.Plain("running"), message.Plain("done"), message.Plain("ended"), message.Plain("stopped"), message.Plain("failed"),
		message.Plain("met"), message.Plain("missed"), message.Plain("unknown"),
	} {
		if known.String() == name {
			return known.In(a.language)
		}
	}
	return name
}

func (g *grid) print() {
	if len(g.rows) == 0 {
		return
	}
	t := table.NewWriter()
	t.SetOutputMirror(g.app.out)
	style := table.StyleDefault
	style.Options = table.OptionsNoBordersAndSeparators
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	if !g.app.colourless() {
		style.Color.Header = text.Colors{text.Bold}
	}
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	t.AppendHeader(cellsOf(g.heads))
	for _, r := range g.rows {
		t.AppendRow(cellsOf(r))
	}
	var configs []table.ColumnConfig
	for i, width := range g.widths() {
		configs = append(configs, table.ColumnConfig{Number: i + 1, WidthMax: width, WidthMaxEnforcer: text.WrapSoft})
	}
	t.SetColumnConfigs(configs)
	t.SuppressTrailingSpaces()
	t.Render()
}

func cellsOf(texts []string) table.Row {
	row := make(table.Row, len(texts))
	for i, s := range texts {
		row[i] = s
	}
	return row
}

// widths gives each column what it needs, and takes what the terminal lacks
// from the widest, which wraps; but not from what people copy.
func (g *grid) widths() []int {
	width := make([]int, len(g.heads))
	total := 0
	for i, h := range g.heads {
		width[i] = text.StringWidthWithoutEscSequences(h)
		for _, r := range g.rows {
			width[i] = max(width[i], text.LongestLineLen(r[i]))
		}
		total += width[i] + 2
	}
	for room := g.app.width(); total > room; total-- {
		widest := 0
		for i := range width {
			if !copied(g.heads[i]) && (copied(g.heads[widest]) || width[i] > width[widest]) {
				widest = i
			}
		}
		if width[widest] <= 12 {
			break
		}
		width[widest]--
	}
	return width
}

func copied(head string) bool {
	return head == "SLUG" || head == "ID" || head == "SEEN" || head == "TRIAL" || head == "TALK"
}

// width is that of the terminal; of no terminal, it is wide.
func (a *app) width() int {
	if w, _, err := term.GetSize(int(a.out.Fd())); err == nil && w > 0 {
		return w
	}
	if w, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && w > 20 {
		return w
	}
	return 120
}

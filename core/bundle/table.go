package bundle

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
)

// Limits of a table.
const (
	maxColumns = 200
	maxCell    = 512 << 10 // bytes
)

// columns are what a column of a table can hold, besides "label:" and a facet.
var columns = []string{
	"slug", "kind", "title", "summary", "owner", "deputy", "code", "language", "plain", "persona", "style", "sheets", "sheet_of", "set", "answers",
	"source.place", "source.link", "source.person", "source.date", "blanks", "steps", "note", "text",
}

// headings are the words by which people head these columns.
var headings = map[string]string{
	"name": "title", "description": "summary", "body": "text", "prompt": "text", "content": "text", "prompt text": "text",
	"template": "text", "type": "kind", "author": "owner", "shortcut": "code", "short code": "code", "comment": "note", "notes": "note",
	"change note": "note", "where from": "source.place", "source": "source.place", "link": "source.link", "url": "source.link", "date": "source.date",
	"person": "source.person", "department": "label:department", "departments": "label:department", "team": "label:department",
	"application": "label:application", "applications": "label:application", "app": "label:application",
	"model": "label:model", "models": "label:model", "audience": "label:audience",
}

// Columns gives the headings of a table, in order, each with what its column
// seems to hold, or nothing. Its error is a [problem.List].
func Columns(data []byte) (heads []string, holds map[string]string, err error) {
	r, err := tableReader(data)
	if err != nil {
		return nil, nil, err
	}
	heads, err = r.Read()
	if err != nil {
		return nil, nil, tableProblem(err)
	}
	holds = map[string]string{}
	for i := range heads {
		heads[i] = strings.TrimSpace(heads[i])
		holds[heads[i]] = guessColumn(heads[i])
	}
	return heads, holds, nil
}

func guessColumn(head string) string {
	lower := strings.ToLower(strings.TrimSpace(head))
	if slices.Contains(columns, lower) || strings.HasPrefix(lower, "label:") {
		return lower
	}
	return headings[strings.ReplaceAll(lower, "_", " ")]
}

// tableReader reads a table with commas, semicolons or tabs between its cells,
// whichever its first line has most of.
func tableReader(data []byte) (*csv.Reader, error) {
	text, err := decodeText(data)
	if err != nil {
		return nil, err
	}
	if bad := problem.Text("", string(text)); bad != nil {
		return nil, bad
	}
	head, _, _ := bytes.Cut(text, []byte("\n"))
	r := csv.NewReader(strings.NewReader(keepReturns(string(text))))
	most := 0
	for _, c := range ",;\t" {
		if n := bytes.Count(head, []byte(string(c))); n > most {
			most, r.Comma = n, c
		}
	}
	r.FieldsPerRecord = -1
	return r, nil
}

// returns stands for a carriage return before a line end inside a cell, which the
// reader would drop. No text that we keep has this noncharacter.
const returns = "\uFDD0"

func keepReturns(text string) string {
	if !strings.Contains(text, "\r\n") {
		return text
	}
	var b strings.Builder
	for i, part := range strings.Split(text, `"`) {
		if i > 0 {
			b.WriteByte('"')
		}
		if i%2 == 1 { // inside quotation marks
			part = strings.ReplaceAll(part, "\r\n", returns+"\n")
		}
		b.WriteString(part)
	}
	return b.String()
}

func tableProblem(err error) error {
	var bad *csv.ParseError
	if errors.As(err, &bad) {
		list := one("csv", "the table cannot be read here: %v; a cell with quotation marks stands in quotation marks, its own doubled", bad.Err)
		list[0].Line, list[0].Column = bad.Line, bad.Column
		return list
	}
	return one("csv", "the table cannot be read: %v", err)
}

// readTable reads a table, one entry a row.
func readTable(name string, data []byte, how Reading) ([]Incoming, error) {
	heads, holds, err := Columns(data)
	if err != nil {
		return nil, err
	}
	if err := mapColumns(heads, holds, how.Columns).Err(); err != nil {
		return nil, err
	}
	r, err := tableReader(data)
	if err != nil {
		return nil, err
	}
	if _, err := r.Read(); err != nil {
		return nil, tableProblem(err)
	}
	split := how.Split
	if split == "" {
		split = ";"
	}
	var all []Incoming
	for {
		row, err := r.Read()
		if row == nil {
			if err.Error() == "EOF" {
				return all, nil
			}
			return nil, tableProblem(err)
		}
		if err != nil {
			return nil, tableProblem(err)
		}
		line, _ := r.FieldPos(0)
		if len(row) == 1 && strings.TrimSpace(row[0]) == "" || len(all) > MaxEntries {
			continue
		}
		in := Incoming{Where: fmt.Sprintf("%s, line %d", name, line)}
		in.Blanks, in.Labels = nil, map[string][]string{}
		if len(row) > len(heads) {
			in.Wrong.Add("", "ragged", "the row has %d cells, and the table has %d columns; put cells with commas in quotation marks", len(row), len(heads))
		}
		for i, cell := range row[:min(len(row), len(heads))] {
			if len(cell) > maxCell {
				in.Wrong.Add("", "size", "the cell under %s has %d bytes, and an entry's text has 256 KiB at most", heads[i], len(cell))
				continue
			}
			in.cell(holds[heads[i]], unguarded(strings.ReplaceAll(cell, returns+"\n", "\r\n")), split)
		}
		for i := range in.Wrong {
			in.Wrong[i].Line = line
		}
		if in.Title == "" && in.Body != "" {
			title, summary := entry.Suggest(in.Body)
			in.Title = title
			if in.Summary == "" {
				in.Summary = summary
			}
		}
		all = append(all, in)
	}
}

// mapColumns settles what each column holds: as was asked, or as it seems.
func mapColumns(heads []string, holds, asked map[string]string) problem.List {
	var found problem.List
	if len(heads) > maxColumns {
		found.Add("", "size", "the table has %d columns, and %d are the most", len(heads), maxColumns)
		return found
	}
	for _, head := range slices.Sorted(maps.Keys(asked)) {
		what := asked[head]
		switch {
		case !slices.Contains(heads, head):
			found.Add(problem.Pointer("columns", head), "column", "the table has no column headed %q; it has %s", head, strings.Join(heads, ", "))
		case what != "" && !slices.Contains(columns, what) && !strings.HasPrefix(what, "label:"):
			found.Add(problem.Pointer("columns", head), "column", "a column cannot hold %q; it holds %s, or label: and a facet", message.Plain(what), strings.Join(columns, ", "))
		}
		holds[head] = what
	}
	by := map[string]string{}
	for _, head := range heads {
		what := holds[head]
		if what == "" {
			continue
		}
		if other, twice := by[what]; twice {
			found.Add(problem.Pointer("columns", head), "twice", "the columns %q and %q both hold the %s; say of one that it holds nothing", other, head, message.Plain(what))
		}
		by[what] = head
	}
	if by["text"] == "" {
		found.Add("/columns", "text", "no column holds the text; say which one does, as in %s=text", heads[0])
	}
	return found
}

// cell puts what a cell holds in its place.
func (in *Incoming) cell(what, cell, split string) {
	many := func() (all []string) {
		for part := range strings.SplitSeq(cell, split) {
			for line := range strings.Lines(part) {
				if line = strings.TrimSpace(line); line != "" && !slices.Contains(all, line) {
					all = append(all, line)
				}
			}
		}
		return all
	}
	source := func() *entry.Source {
		if in.Source == nil {
			in.Source = &entry.Source{}
		}
		return in.Source
	}
	if cell == "" {
		return
	}
	text := strings.TrimSpace(cell)
	switch what {
	case "slug":
		in.Slug = text
	case "kind":
		in.Kind = entry.Kind(strings.ToLower(text))
	case "title":
		in.Title = strings.Join(strings.Fields(text), " ")
	case "summary":
		in.Summary = strings.Join(strings.Fields(text), " ")
	case "owner":
		in.Owner = text
	case "deputy":
		in.Deputy = text
	case "code":
		in.Code = text
	case "language":
		in.Language = text
	case "plain":
		in.Plain = slices.Contains([]string{"true", "yes", "1", "x"}, strings.ToLower(text))
	case "persona":
		in.Persona = text
	case "style":
		in.Style = text
	case "sheets":
		in.Sheets = many()
	case "sheet_of":
		in.SheetOf = many()
	case "set":
		in.Set = text
	case "answers":
		in.json("answers", text, &in.Answers)
	case "note":
		in.Note = text
	case "source.place":
		source().Place = text
	case "source.link":
		source().Link = text
	case "source.person":
		source().Person = text
	case "source.date":
		source().Date = text
	case "text":
		in.Body = cell
	case "blanks":
		in.json("blanks", text, &in.Blanks)
	case "steps":
		in.json("steps", text, &in.Steps)
	default:
		if facet, ok := strings.CutPrefix(what, "label:"); ok {
			in.Labels[facet] = append(in.Labels[facet], many()...)
		}
	}
}

func (in *Incoming) json(what, text string, into any) {
	if err := json.Unmarshal([]byte(text), into); err != nil {
		shape := "list"
		if _, is := into.(*sheet.Answers); is {
			shape = "object"
		}
		in.Wrong.Add("/"+what, "json", "the cell with its %s is no %s in JSON: %v", message.Plain(what), shape, err)
	}
}

// WriteTable gives entries as a table that spreadsheets open without running
// anything of it: RFC 4180, with a heading for each field, and each cell that
// would begin a formula made a text with an apostrophe. Taken in again, every
// cell is what it was.
func WriteTable(entries []Incoming, facets []string) ([]byte, error) {
	heads := slices.Clone(columns[:12])
	for _, f := range facets {
		heads = append(heads, "label:"+f)
	}
	heads = append(heads, columns[12:]...)
	var out bytes.Buffer
	writeRow(&out, heads)
	sorted := slices.SortedFunc(slices.Values(entries), func(a, b Incoming) int { return compare(a.Slug, b.Slug) })
	for _, in := range sorted {
		row := make([]string, len(heads))
		for i, what := range heads {
			cell, err := in.cellOf(what)
			if err != nil {
				return nil, err
			}
			row[i] = guarded(cell)
		}
		writeRow(&out, row)
	}
	return out.Bytes(), nil
}

// Rows writes a CSV of RFC 4180 under some heads, which a spreadsheet opens without
// running anything: what would begin a formula is made a text with an apostrophe.
func Rows(heads []string, rows [][]string) []byte {
	var out bytes.Buffer
	writeRow(&out, heads)
	for _, row := range rows {
		cells := make([]string, len(row))
		for i, cell := range row {
			cells[i] = guarded(cell)
		}
		writeRow(&out, cells)
	}
	return out.Bytes()
}

// writeRow writes a row as RFC 4180 has it, each cell byte for byte: the standard
// library's writer would change line ends.
func writeRow(out *bytes.Buffer, cells []string) {
	for i, cell := range cells {
		if i > 0 {
			out.WriteByte(',')
		}
		if strings.ContainsAny(cell, "\",\r\n;\t") || strings.TrimSpace(cell) != cell {
			cell = `"` + strings.ReplaceAll(cell, `"`, `""`) + `"`
		}
		out.WriteString(cell)
	}
	out.WriteString("\r\n")
}

func (in *Incoming) cellOf(what string) (string, error) {
	source := in.Source
	if source == nil {
		source = &entry.Source{}
	}
	list := func(v any, n int) (string, error) {
		if n == 0 {
			return "", nil
		}
		data, err := json.Marshal(v)
		return string(data), err
	}
	switch what {
	case "slug":
		return in.Slug, nil
	case "kind":
		return string(in.Kind), nil
	case "title":
		return in.Title, nil
	case "summary":
		return in.Summary, nil
	case "owner":
		return in.Owner, nil
	case "deputy":
		return in.Deputy, nil
	case "code":
		return in.Code, nil
	case "language":
		return in.Language, nil
	case "plain":
		if in.Plain {
			return "true", nil
		}
	case "persona":
		return in.Persona, nil
	case "style":
		return in.Style, nil
	case "sheets":
		return strings.Join(in.Sheets, ";"), nil
	case "sheet_of":
		return strings.Join(in.SheetOf, ";"), nil
	case "set":
		return in.Set, nil
	case "answers":
		return list(in.Answers, len(in.Answers))
	case "note":
		return in.Note, nil
	case "source.place":
		return source.Place, nil
	case "source.link":
		return source.Link, nil
	case "source.person":
		return source.Person, nil
	case "source.date":
		return source.Date, nil
	case "text":
		return in.Body, nil
	case "blanks":
		return list(in.Blanks, len(in.Blanks))
	case "steps":
		return list(in.Steps, len(in.Steps))
	default:
		return strings.Join(in.Labels[strings.TrimPrefix(what, "label:")], ";"), nil
	}
	return "", nil
}

// formula is what a cell begins with that a spreadsheet would work out, in either width,
// and what we put before it.
const formula = "=+-@＝＋－＠'"

// works says whether a spreadsheet may work a cell out: some look past blanks of any kind.
func works(cell string) bool {
	inner := strings.TrimLeftFunc(cell, func(r rune) bool {
		return unicode.IsSpace(r) || unicode.IsControl(r) || unicode.Is(unicode.Cf, r)
	})
	first, _ := utf8.DecodeRuneInString(inner)
	return inner != "" && strings.ContainsRune(formula, first) || strings.HasPrefix(cell, "\t") || strings.HasPrefix(cell, "\r")
}

func guarded(cell string) string {
	if works(cell) {
		return "'" + cell
	}
	return cell
}

func unguarded(cell string) string {
	if rest, is := strings.CutPrefix(cell, "'"); is && works(rest) {
		return rest
	}
	return cell
}

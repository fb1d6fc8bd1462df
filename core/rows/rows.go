// Package rows fills a text in for each row of a table: it reads the table, says of every
// row what is wrong with it before anything is made, and puts the texts into one file.
package rows

import (
	"archive/zip"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Most is how many rows a table has at most, and MostText how many bytes all the texts.
const (
	Most     = 10_000
	MostText = 64 << 20

	mostTold = 100 // problems that are told one by one
)

// Format is what the texts come in.
type Format string

// The formats: a file for each row, a column beside the table's own, or one text.
const (
	Zip      Format = "zip"
	CSV      Format = "csv"
	Document Format = "document"
)

// Formats lists them.
func Formats() []Format { return []Format{Zip, CSV, Document} }

// Table is what was read: each row has a cell for every heading.
type Table struct {
	Headings []string
	Rows     [][]string
	lines    []int // of the file, on which each row begins
}

// Read reads CSV (RFC 4180) with a line of headings; where that has semicolons or tabs and
// no commas, those part the cells. Its error is a [problem.List].
func Read(data []byte) (Table, error) {
	text := strings.TrimPrefix(string(data), "\uFEFF")
	if wrong := problem.Text("/rows", text); wrong != nil {
		return Table{}, wrong
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma = between(text)
	headings, err := r.Read()
	if errors.Is(err, io.EOF) {
		return Table{}, refuse("empty", "there is no table; its first line names the blanks, as in area,hours")
	}
	if err != nil {
		return Table{}, unreadable(err)
	}
	t := Table{Headings: headings}
	for i, h := range headings {
		t.Headings[i] = strings.TrimSpace(h)
		if first := slices.IndexFunc(t.Headings[:i], func(o string) bool { return same(o, h) }); first >= 0 {
			return Table{}, refuse("twice", "there are two columns called %s; name each once", t.Headings[i])
		}
	}
	for {
		row, err := r.Read()
		switch {
		case errors.Is(err, io.EOF) && len(t.Rows) == 0:
			return Table{}, refuse("empty", "the table has headings and no rows")
		case errors.Is(err, io.EOF):
			return t, nil
		case err != nil:
			return Table{}, unreadable(err)
		case len(t.Rows) == Most:
			return Table{}, refuse("size", "the table has more than %d rows; bring it in parts", Most)
		}
		line, _ := r.FieldPos(0)
		t.Rows, t.lines = append(t.Rows, row), append(t.lines, line)
	}
}

// between is what parts the cells of a table.
func between(text string) rune {
	head, _, _ := strings.Cut(text, "\n")
	for _, sign := range []string{",", ";", "\t"} {
		if strings.Contains(head, sign) {
			return rune(sign[0])
		}
	}
	return ','
}

func unreadable(err error) error {
	var at *csv.ParseError
	one := problem.Problem{Field: "/rows", Code: "table", Message: message.Say("the table cannot be read: %v", err)}
	if errors.As(err, &at) {
		one.Line, one.Column = at.Line, at.Column
		one.Message = message.Say("the table cannot be read on line %d: %v", at.Line, at.Err)
	}
	return problem.List{one}
}

func refuse(code, format string, args ...any) error {
	var one problem.List
	one.Add("/rows", code, format, args...)
	return one
}

// same says whether a heading is a blank's name, as people write those.
func same(heading, name string) bool { return plain(heading) == plain(name) }

func plain(s string) string {
	return strings.NewReplacer(" ", "", "_", "", "-", "").Replace(strings.ToLower(strings.TrimSpace(s)))
}

// column is where a table has a blank's values, or -1.
func (t Table) column(name string) int {
	return slices.IndexFunc(t.Headings, func(h string) bool { return same(h, name) })
}

// Values gives what each row fills in. A cell that is empty gives no value. Its error is a
// [problem.List]: each required blank that has no column.
func (t Table) Values(blanks []fill.Blank) ([]fill.Values, error) {
	var wrong problem.List
	at := make([]int, len(blanks))
	for i, b := range blanks {
		at[i] = t.column(b.Name)
		if at[i] < 0 && !b.Optional && b.Default.IsZero() {
			wrong.Add("/rows", "column", "there is no column %s (%s); the columns are %s", b.Name, b.Question(), strings.Join(t.Headings, ", "))
		}
	}
	if err := wrong.Err(); err != nil {
		return nil, err
	}
	all := make([]fill.Values, len(t.Rows))
	for n, row := range t.Rows {
		all[n] = fill.Values{}
		for i, b := range blanks {
			if at[i] >= 0 && strings.TrimSpace(row[at[i]]) != "" {
				all[n][b.Name] = value(b, row[at[i]])
			}
		}
	}
	return all, nil
}

func value(b fill.Blank, cell string) fill.Value {
	if b.Kind() != fill.PickMany {
		return fill.Single(cell)
	}
	var items []string
	for item := range strings.SplitSeq(cell, ",") {
		items = append(items, strings.TrimSpace(item))
	}
	return fill.List(items...)
}

// Fill fills a form in for each row. Its error is a [problem.List] with every value of
// every row that does not hold, by row and line; more than a hundred are counted.
func (t Table) Fill(form *fill.Form) ([]string, error) {
	all, err := t.Values(form.Blanks())
	if err != nil {
		return nil, err
	}
	texts, size := make([]string, len(all)), 0
	var wrong problem.List
	more := 0
	for n, values := range all {
		got, err := form.Fill(values)
		var list problem.List
		switch {
		case errors.As(err, &list):
			for _, p := range list {
				if len(wrong) == mostTold {
					more++
					continue
				}
				p.Field, p.Line, p.Column = problem.Pointer("rows", n)+strings.TrimPrefix(p.Field, "/values"), t.lines[n], 0
				p.Message = message.Say("row %d: %s", n+1, p.Message)
				wrong = append(wrong, p)
			}
		case err != nil:
			return nil, err
		}
		texts[n] = got.Text
		if size += len(got.Text); size > MostText {
			return nil, refuse("size", "the texts of %d rows are larger than %d MiB together; bring the table in parts", n+1, MostText>>20)
		}
	}
	if more > 0 {
		wrong.Add("/rows", "more", "and %d more like these", more)
	}
	return texts, wrong.Err()
}

// Write puts the texts of a table's rows into a file. The files of a zip are called by the
// row's number and by what stands in a column, if one is named.
func (t Table) Write(w io.Writer, format Format, texts []string, name string) error {
	switch format {
	case CSV:
		return t.writeCSV(w, texts)
	case Document:
		return writeDocument(w, texts)
	}
	return t.writeZip(w, texts, t.column(name))
}

// NameProblems says whether the files of a zip are to be called by a column that is not there.
func (t Table) NameProblems(name string) problem.List {
	if name == "" || t.column(name) >= 0 {
		return nil
	}
	var wrong problem.List
	wrong.Add("/name", "column", "there is no column %q to call the files by; the columns are %s", name, strings.Join(t.Headings, ", "))
	return wrong
}

func (t Table) writeCSV(w io.Writer, texts []string) error {
	rows := make([][]string, len(t.Rows))
	for n, row := range t.Rows {
		rows[n] = append(slices.Clip(row), texts[n])
	}
	heading := "text"
	for t.column(heading) >= 0 {
		heading = "filled_" + heading
	}
	_, err := w.Write(bundle.Rows(append(slices.Clip(t.Headings), heading), rows))
	return err
}

func writeDocument(w io.Writer, texts []string) error {
	for n, text := range texts {
		apart := ""
		if n > 0 {
			apart = "\n---\n\n"
		}
		if _, err := io.WriteString(w, apart+strings.TrimRight(text, "\n")+"\n"); err != nil {
			return err
		}
	}
	return nil
}

func (t Table) writeZip(w io.Writer, texts []string, column int) error {
	z := zip.NewWriter(w)
	digits := len(fmt.Sprint(len(texts)))
	for n, text := range texts {
		name := fmt.Sprintf("%0*d", digits, n+1)
		if column >= 0 {
			if slug := entry.SlugFor(t.Rows[n][column]); slug != "" {
				name += "-" + string(slug)
			}
		}
		f, err := z.Create(name + ".md")
		if err != nil {
			return err
		}
		if _, err := io.WriteString(f, text); err != nil {
			return err
		}
	}
	return z.Close()
}

// Package table reads small tables with known columns: labels, people. What entries come
// in by, with columns of any kind, is bundle's.
package table

import (
	"encoding/csv"
	"errors"
	"io"
	"strings"

	"goldshelf/core/problem"
)

// Columns are what a table has: all of Must, and any of May.
type Columns struct {
	Must, May []string
	Most      int // rows that are read at the most
}

// Row is one row of a table.
type Row struct {
	Number int // from 0, without the headings
	Line   int // of the file, on which it begins

	cells map[string]string
}

// Cell gives what stands in a column, without blank space around it.
func (r Row) Cell(column string) string { return r.cells[column] }

// Problems gives what is wrong with a row its place in the table.
func (r Row) Problems(found problem.List) problem.List {
	for i := range found {
		found[i].Field, found[i].Line = problem.Pointer("rows", r.Number)+found[i].Field, r.Line
	}
	return found
}

// Read reads a table from CSV (RFC 4180) whose first line names the columns, in any
// order. Its error is a [problem.List].
func (c Columns) Read(data []byte) ([]Row, error) {
	if wrong := problem.Text("", string(data)); wrong != nil {
		return nil, wrong
	}
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(string(data), "\uFEFF")))
	r.TrimLeadingSpace = true
	headings, err := r.Read()
	if err != nil {
		return nil, refuse("table", "there is no table with headings; the first line is %s", strings.Join(append(c.Must, c.May...), ","))
	}
	at := map[string]int{}
	for i, h := range headings {
		at[strings.ReplaceAll(strings.ToLower(strings.TrimSpace(h)), " ", "_")] = i
	}
	for _, must := range c.Must {
		if _, is := at[must]; !is {
			return nil, refuse("column", "there is no column %s; the columns are %s", must, c.words())
		}
	}
	var rows []Row
	for {
		cells, err := r.Read()
		switch {
		case errors.Is(err, io.EOF) && rows == nil:
			return nil, refuse("empty", "the table has headings and no rows")
		case errors.Is(err, io.EOF):
			return rows, nil
		case err != nil:
			return nil, refuse("table", "%v", err)
		case len(rows) == c.Most:
			return nil, refuse("size", "the table has more than %d rows; bring it in parts", c.Most)
		}
		line, _ := r.FieldPos(0)
		row := Row{Number: len(rows), Line: line, cells: map[string]string{}}
		for column, i := range at {
			row.cells[column] = strings.TrimSpace(cells[i])
		}
		rows = append(rows, row)
	}
}

func (c Columns) words() string {
	words := strings.Join(c.Must, ", ")
	if len(c.May) > 0 {
		words += " and, if one likes, " + strings.Join(c.May, ", ")
	}
	return words
}

func refuse(code, format string, args ...any) error {
	var one problem.List
	one.Add("", code, format, args...)
	return one
}

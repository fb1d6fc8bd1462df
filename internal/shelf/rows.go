package shelf

import (
	"context"
	"io"
	"slices"
	"strconv"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/rows"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// FillRows fills a published entry in for each row of a table, and gives what writes the
// texts out. Nothing is made where any row does not hold; its error is then a
// [problem.List] that tells of each. It counts as one use.
func (s *Service) FillRows(ctx context.Context, by work.Caller, slug string, number int, table []byte, how api.RowsRequest) (func(io.Writer) error, error) {
	format := rows.Format(how.Format)
	if !slices.Contains(rows.Formats(), format) {
		return nil, problem.List{{Field: "/format", Code: "format", Message: message.Say("texts come as zip, csv or document, not as %s", strconv.Quote(how.Format))}}
	}
	t, err := rows.Read(table)
	if err != nil {
		return nil, err
	}
	if wrong := t.NameProblems(how.Name); wrong != nil {
		return nil, wrong
	}
	c, err := s.stack(ctx, by, slug, number, texts.Stack{Persona: how.Persona, Style: how.Style, Sheets: how.Sheets, For: how.For, Languages: how.Languages, Base: how.Base})
	if err != nil {
		return nil, err
	}
	filled, err := t.Fill(c.Form)
	if err != nil {
		return nil, err
	}
	s.used(by, c, "rows", how.Persona)
	return func(w io.Writer) error { return t.Write(w, format, filled, how.Name) }, nil
}

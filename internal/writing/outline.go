package writing

import (
	"strings"

	"goldshelf/api"
	"goldshelf/core/blocks"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/work"
)

// Outline takes a text apart at the headings of its outline. A part that is to be added
// stands where its kind's outline has it. It returns a [problem.List] if the text could
// be no entry's, or the part no heading.
func Outline(req api.OutlineRequest) (api.Outline, error) {
	wrong := append(entry.BodyProblems(req.Body), problem.Text("/add", req.Add)...)
	if strings.ContainsAny(req.Add, "\r\n") {
		wrong = append(wrong, work.Wrong("/add", "line", "the title has a line end; put it on one line")...)
	}
	if err := wrong.Err(); err != nil {
		return api.Outline{}, err
	}
	parts := blocks.Parts(req.Body)
	if add := strings.TrimSpace(req.Add); add != "" {
		parts = blocks.Add(parts, add, req.Kind.Titles())
	}
	out := api.Outline{Parts: make([]api.OutlinePart, len(parts))}
	for i, p := range parts {
		out.Parts[i] = api.OutlinePart{Title: p.Title, Heading: p.Heading, Text: p.Text}
	}
	return out, nil
}

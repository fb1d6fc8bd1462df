package shelf

import (
	"context"
	"maps"

	"goldshelf/api"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// TryLayout delivers a published entry by a layout that is not saved. What is wrong with
// either is part of the answer.
func (s *Service) TryLayout(ctx context.Context, by work.Caller, in api.LayoutTrial) (api.LayoutTried, error) {
	out := api.LayoutTried{Boxes: []api.FilledBox{}, Left: []string{}, Warnings: []string{}, Problems: []problem.Problem{}}
	if wrong := in.Layout.Problems(); wrong != nil {
		out.Problems = wrong
		return out, nil
	}
	out.Warnings = append(out.Warnings, in.Layout.Warnings()...)
	c, err := s.texts.OnShelf(ctx, in.Slug, 0, texts.Stack{Persona: in.Persona, Style: in.Style, Sheets: in.Sheets, Base: true, Sketch: true})
	if err != nil {
		return out, err
	}
	values := fill.Values{}
	maps.Copy(values, in.Values)
	for _, b := range c.Form.Blanks() {
		if _, given := values[b.Name]; !given && !b.Sample.IsZero() {
			values[b.Name] = b.Sample
		}
	}
	got, parts, _, err := c.Form.Sketch(values)
	if err != nil {
		return out, err
	}
	f := texts.Filled(c, got, parts)
	f = f.DeliveredBy(in.Layout.Plan(), texts.LayersOf(c, f, in.Layout.Sheets))
	out.Boxes, out.Left = append(out.Boxes, f.Boxes...), append(out.Left, f.Left...)
	return out, nil
}

package shelf

import (
	"context"

	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/fill"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// known leaves out values that a stack has no blank for.
func known(c texts.Composed, values fill.Values) fill.Values {
	own := fill.Values{}
	for _, b := range c.Form.Blanks() {
		if v, given := values[b.Name]; given {
			own[b.Name] = v
		}
	}
	return own
}

// Compare composes a published entry in two stacks with the same values, as with a persona
// and without, and says what differs. Values that are missing stand as their blanks' names.
func (s *Service) Compare(ctx context.Context, by work.Caller, slug string, number int, req api.StacksToCompare) (api.StacksCompared, error) {
	out := api.StacksCompared{Lines: []change.Line{}}
	for i, side := range []struct {
		stack api.StackChoice
		into  *api.ComposedStack
	}{{req.First, &out.First}, {req.Second, &out.Second}} {
		c, err := s.stack(ctx, by, slug, number, texts.Stack{Persona: side.stack.Persona, Style: side.stack.Style, Sheets: side.stack.Sheets, Base: req.Base, Languages: req.Languages, Sketch: true})
		if err != nil {
			return out, err
		}
		// One side may ask for blanks that the other does not.
		got, parts, wrong, err := c.Form.Sketch(known(c, req.Values))
		if err != nil {
			return out, err
		}
		f := texts.Filled(c, got, parts)
		side.into.Text, side.into.Layers, side.into.Problems = f.Text, f.Layers, append(side.into.Problems, c.Wanting...)
		side.into.Problems = append(side.into.Problems, wrong...)
		if i == 1 {
			out.Lines = append(out.Lines, change.Texts(out.First.Text, out.Second.Text)...)
		}
	}
	return out, nil
}

package texts

import (
	"strings"

	"goldshelf/api"
	"goldshelf/core/fill"
	"goldshelf/core/layout"
)

// Messages gives a filled stack as a talk with a model begins: what is before the entry
// itself is what the system says, and the entry what its user does.
func Messages(f api.Filled) (all []api.Message) {
	if len(f.Layers) == 0 {
		return nil
	}
	own := f.Layers[len(f.Layers)-1]
	if before := strings.TrimRight(f.Text[:own.Start], "\n"); before != "" {
		all = append(all, api.Message{Role: "system", Content: before + "\n"})
	}
	return append(all, api.Message{Role: "user", Content: f.Text[own.Start:]})
}

// Filled puts names to what went into a text.
func Filled(c Composed, got fill.Result, layers []fill.Layer) api.Filled {
	out := api.Filled{Text: got.Text, Spans: got.Spans, Layers: make([]api.Layer, len(layers)), Used: make([]api.Used, len(got.Used))}
	if out.Spans == nil {
		out.Spans = []fill.Span{}
	}
	for i, l := range layers {
		out.Layers[i] = api.Layer{Ref: l.Ref, Kind: c.By[l.Ref].Kind, Title: c.By[l.Ref].Title, Start: l.Start, End: l.End}
	}
	for i, ref := range got.Used {
		out.Used[i] = api.Used{Ref: ref, Kind: c.By[ref].Kind, Title: c.By[ref].Title}
	}
	return out
}

// Delivered adds the boxes of the application that a text is for, if that has a layout.
func Delivered(c Composed, f api.Filled) api.Filled {
	if c.Layout == nil {
		return f
	}
	return f.DeliveredBy(c.Layout, LayersOf(c, f, c.Layout.Layout().Sheets))
}

// LayersOf gives the layers of a filled stack as a layout takes them that has sheets so.
func LayersOf(c Composed, f api.Filled, sheets string) []layout.Layer {
	layers := make([]layout.Layer, len(f.Layers))
	for i, part := range f.Layers {
		layers[i] = layout.Layer{Kind: part.Kind, Title: part.Title, Text: f.Text[part.Start:part.End]}
		if src := c.By[part.Ref]; src.Set != nil && sheets == "json" {
			layers[i].Answers = src.Set.Markdown(src.Answers, src.Language)
			layers[i].JSON = string(src.Set.JSON(src.Answers))
		}
	}
	return layers
}

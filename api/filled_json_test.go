package api

import (
	"encoding/json"
	"testing"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/layout"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// What is appended is what the standard library writes, byte for byte.
func FuzzFilledJSON(f *testing.F) {
	f.Add("Write to Mill Lane.\n", "burst-main-notice", "area", 3, 2)
	f.Add("\"<b>\" \\ \x00 \u2028 é \xff", "", "", 0, 0)
	f.Add("\n\n", "a", "b", -1, 1)
	f.Fuzz(func(t *testing.T, text, slug, blank string, n, many int) {
		from := &fill.From{Entry: slug, Version: n, Blank: blank, Default: n%2 == 0, Fact: blank}
		all := []Filled{
			{Text: text},
			{Text: text, Layers: []Layer{}, Spans: []fill.Span{}, Used: []Used{}},
		}
		one := Filled{Text: text, Plain: text, HTML: text, Messages: []Message{{Role: text, Content: text}}, Problems: []problem.Problem{{Message: message.Plain(text)}}, Blanks: []fill.Blank{{Name: blank, Ask: text}}, As: slug, Left: []string{text}}
		d := layout.Delivered{Title: blank, Role: slug, Text: text, Length: n, Limit: many}
		one.Boxes = append(one.Boxes, FilledBox{Delivered: d, Over: n > 2})
		if d.Over() {
			d.Longest = []layout.Length{{Layer: entry.Prompt, Title: text, Length: n}}
		}
		one.Boxes = append(one.Boxes, FilledBox{Delivered: d})
		for i := range min(max(many, 0), 4) {
			one.Layers = append(one.Layers, Layer{Ref: fill.Ref{Entry: slug, Version: n}, Kind: entry.Prompt, Title: text, Start: i, End: n})
			one.Spans = append(one.Spans, fill.Span{Start: i, End: n, From: from}, fill.Span{Start: n})
			one.Used = append(one.Used, Used{Ref: fill.Ref{Entry: slug, Version: n}, Kind: entry.Snippet, Title: text})
		}
		for _, in := range append(all, one) {
			want, err := json.Marshal(in)
			if err != nil {
				t.Fatal(err)
			}
			if got := in.AppendJSON(nil); string(got) != string(want) {
				t.Fatalf("got  %s\nwant %s", got, want)
			}
		}
	})
}

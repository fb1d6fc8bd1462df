package bundle

import (
	"encoding/json"
	"strings"
	"time"
	"unicode/utf8"

	"goldshelf/core/problem"
)

// Sample is a text that a style is measured from. It is somebody's writing: a bundle has
// samples only where they were asked for.
type Sample struct {
	Name   string  `json:"name"`
	Dated  string  `json:"dated,omitempty"` // a day
	Weight float64 `json:"weight"`
	Text   string  `json:"text"`
}

// Problems says what keeps a sample from being taken in.
func (s Sample) Problems() problem.List {
	found := append(problem.Text("/name", s.Name), problem.Text("/text", s.Text)...)
	if n := utf8.RuneCountInString(s.Name); strings.TrimSpace(s.Name) == "" || n > 120 {
		found.Add("/name", "size", "a sample's name has 1 to 120 characters, and this one has %d", n)
	}
	if !(s.Weight > 0 && s.Weight <= 10) {
		found.Add("/weight", "range", "the weight of the sample %q is %g; it is above 0 and 10 at most", s.Name, s.Weight)
	}
	if _, err := time.Parse(time.DateOnly, s.Dated); s.Dated != "" && err != nil {
		found.Add("/dated", "format", "%.40q is no day", s.Dated)
	}
	if len(s.Text) > 10<<20 {
		found.Add("/text", "size", "the sample %q has more than 10 MiB", s.Name)
	}
	return found
}

// Samples gives the samples of styles that a JSON bundle brings along, by slug.
func Samples(format Format, data []byte) map[string][]Sample {
	if format != JSON {
		return nil
	}
	var lib struct {
		Samples map[string][]Sample `json:"samples"`
	}
	text, err := decodeText(data)
	if err != nil || json.Unmarshal(text, &lib) != nil {
		return nil
	}
	return lib.Samples
}

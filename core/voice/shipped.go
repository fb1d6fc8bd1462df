package voice

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"sync"
)

//go:embed shipped.json
var shippedJSON []byte

// Shipped is the background that comes with the program, for a house with few styles of its
// own: six writers who have little in common.
var Shipped = sync.OnceValue(func() *Background {
	var all []shippedStyle
	if err := json.Unmarshal(shippedJSON, &all); err != nil {
		panic(fmt.Sprintf("the shipped background cannot be read: %v", err)) // a test reads it
	}
	profiles := make([]*Profile, len(all))
	for i, s := range all {
		p := &Profile{english: true, all: s.Counts, total: s.Total, words: s.Words, openings: s.Openings, function: make([]int32, len(functionWords))}
		for w, n := range s.Words {
			if f := newLexeme(w).function; f >= 0 {
				p.function[f] += int32(n)
			}
		}
		profiles[i] = p
	}
	return NewBackground(profiles)
})

// shippedStyle is what is kept of a writer: what stands there more than once.
type shippedStyle struct {
	Counts   tally          `json:"counts"`
	Total    int            `json:"total"`
	Words    map[string]int `json:"words"`
	Openings map[string]int `json:"openings"`
}

func shippedOf(p *Profile) shippedStyle {
	return shippedStyle{p.all, p.total, often(p.words), often(p.openings)}
}

func often(of map[string]int) map[string]int {
	all := map[string]int{}
	for w, n := range of {
		if n > 1 {
			all[w] = n
		}
	}
	return all
}

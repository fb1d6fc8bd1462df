package texts

import (
	"slices"
	"strings"

	lru "github.com/hashicorp/golang-lru/v2"

	"goldshelf/core/voice"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Styles keeps what is measured of styles. What is kept goes by what it is measured from,
// so that nothing has to be forgotten.
type Styles struct {
	styles      *lru.Cache[string, *voice.Profile]
	backgrounds *lru.Cache[string, *voice.Background]
}

const (
	keptProfiles    = 250
	keptBackgrounds = 20
	leastOthers     = 5 // styles, for the house's own to be the background
)

// NewStyles knows none yet.
func NewStyles() *Styles {
	styles, _ := lru.New[string, *voice.Profile](keptProfiles) // sizes above 0 are no error
	backgrounds, _ := lru.New[string, *voice.Background](keptBackgrounds)
	return &Styles{styles, backgrounds}
}

// Of gives what a style is like, and the background that it stands before: the house's
// other styles, or the one that comes with the program where these are fewer than five.
func (p *Styles) Of(v work.View, entryID int64) (style *voice.Profile, background *voice.Background, whose string, err error) {
	all, err := v.SampledStyles()
	if err != nil {
		return nil, nil, "", err
	}
	others := slices.DeleteFunc(slices.Clone(all), func(s store.SampledStyle) bool { return s.EntryID == entryID })
	shipped := len(others) < leastOthers
	wanted := slices.DeleteFunc(all, func(s store.SampledStyle) bool { return shipped && s.EntryID != entryID })
	measured, err := p.measure(v, wanted)
	if err != nil {
		return nil, nil, "", err
	}
	if style = measured[entryID]; style == nil {
		style = voice.NewProfile(nil, true)
	}
	if shipped {
		return style, voice.Shipped(), "shipped", nil
	}
	keys := make([]string, len(others))
	for i, o := range others {
		keys[i] = keyOf(o)
	}
	key := strings.Join(keys, ";")
	background, is := p.backgrounds.Get(key)
	if !is {
		beside := make([]*voice.Profile, len(others))
		for i, o := range others {
			beside[i] = measured[o.EntryID]
		}
		background = voice.NewBackground(beside)
		p.backgrounds.Add(key, background)
	}
	return style, background, "house", nil
}

func keyOf(s store.SampledStyle) string { return s.Language + " " + s.Samples }

// measure gives the profiles of styles by entry, and reads those that are not known.
func (p *Styles) measure(v work.View, styles []store.SampledStyle) (map[int64]*voice.Profile, error) {
	known := map[int64]*voice.Profile{}
	var missing []int64
	for _, s := range styles {
		if profile, is := p.styles.Get(keyOf(s)); is {
			known[s.EntryID] = profile
		} else {
			missing = append(missing, s.EntryID)
		}
	}
	if len(missing) == 0 {
		return known, nil
	}
	bodies, err := v.SampleBodies(missing)
	if err != nil {
		return nil, err
	}
	for _, s := range styles {
		if known[s.EntryID] != nil {
			continue
		}
		var samples []voice.Sample
		for _, b := range bodies {
			if b.EntryID == s.EntryID {
				samples = append(samples, voice.Sample{Text: voice.Read(b.Body, s.Language), Weight: b.Weight})
			}
		}
		known[s.EntryID] = voice.NewProfile(samples, true)
		p.styles.Add(keyOf(s), known[s.EntryID])
	}
	return known, nil
}

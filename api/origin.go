package api

import "goldshelf/core/merge"

// Origin is where an entry came from.
type Origin struct {
	Slug    string `json:"slug"`
	How     string `json:"how"`               // adaptation or rendition
	Version int    `json:"version"`           // the other's version that was last taken into account
	Now     int    `json:"now,omitempty"`     // the one that is on the shelf; 0 where none is
	Purpose string `json:"purpose,omitempty"` // of an adaptation: what for
}

// Rendition is an entry beside those that say the same in another language, or for another
// application or model.
type Rendition struct {
	Slug         string   `json:"slug"`
	Title        string   `json:"title"`
	Base         bool     `json:"base,omitempty"` // what the others are renditions of
	Language     string   `json:"language,omitempty"`
	Applications []string `json:"applications,omitempty"`
	Models       []string `json:"models,omitempty"`
}

// NewAdaptation is a request to make an entry one's own. What is left out is made from the
// entry's.
type NewAdaptation struct {
	Slug       string `json:"slug,omitempty"`
	Title      string `json:"title,omitempty"`
	Purpose    string `json:"purpose,omitempty"`    // the project or use that it is for
	Department string `json:"department,omitempty"` // a term
}

// NewRendition is a request to make an entry that says the same for others. One of language,
// application and model at least is another than the entry's.
type NewRendition struct {
	Slug        string `json:"slug,omitempty"`
	Title       string `json:"title,omitempty"`
	Language    string `json:"language,omitempty"`    // a tag of BCP 47
	Application string `json:"application,omitempty"` // a term
	Model       string `json:"model,omitempty"`       // a term
}

// Adaptations are those of an entry that are shared.
type Adaptations struct {
	Items []Adaptation  `json:"items"`
	Alike []ChangeAlike `json:"alike"` // what several of them changed in the same way
}

// Adaptation is an entry that was made of another for another use.
type Adaptation struct {
	Slug      string `json:"slug"`
	Title     string `json:"title"`
	OwnerName string `json:"owner_name"`
	Purpose   string `json:"purpose,omitempty"`
	State     string `json:"state"`
	Version   int    `json:"version"` // the other's version that it takes into account
}

// ChangeAlike is a change that several adaptations have.
type ChangeAlike struct {
	merge.Change
	In []string `json:"in"` // slugs
}

// OriginMerge is what has become of an entry and of where it came from, since that was last
// taken into account.
type OriginMerge struct {
	Origin
	merge.Merge
	Draft bool `json:"draft"` // ours is the open version, and not the one on the shelf
}

// TakeOver says which version of the origin is taken into account, and whose parts.
type TakeOver struct {
	Version int `json:"version"`
	merge.Choices
}

// OriginVersion is a version of where an entry came from, which was looked at.
type OriginVersion struct {
	Version int `json:"version"`
}

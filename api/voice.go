package api

import (
	"time"

	"goldshelf/core/change"
	"goldshelf/core/message"
)

// TextToMeasure is a text whose figures are asked for and, where a style is named by its
// slug, how near it is to that.
type TextToMeasure struct {
	Text     string `json:"text"`
	Language string `json:"language,omitempty"` // a tag of BCP 47; empty stands for English
	Style    string `json:"style,omitempty"`
}

// Voice is how a text reads.
type Voice struct {
	Language string    `json:"language,omitempty"`
	Measured Measured  `json:"measured"`
	Fit      *VoiceFit `json:"fit,omitempty"`
}

// Measured is what is measured of a text, or of a style's samples.
type Measured struct {
	Words      int          `json:"words"`
	Sentences  int          `json:"sentences"`
	Paragraphs int          `json:"paragraphs"`
	Figures    []Figure     `json:"figures"`
	Note       message.Text `json:"note,omitzero"` // what cannot be measured, and why
}

// Figure is one thing that is measured, with a 95 % interval where it has one.
type Figure struct {
	Name  string       `json:"name"`
	Title message.Text `json:"title"`
	Unit  message.Text `json:"unit"`
	Value *float64     `json:"value,omitempty"` // absent where there is too little to say
	Low   *float64     `json:"low,omitempty"`
	High  *float64     `json:"high,omitempty"`
	Note  message.Text `json:"note,omitzero"`
}

// VoiceFit is how near a text is to a style.
type VoiceFit struct {
	Style      string       `json:"style"`
	Near       string       `json:"near"`               // near, some way off, far off, too little to say
	Distance   *float64     `json:"distance,omitempty"` // about 1 for what the samples themselves have
	Own        *float64     `json:"own,omitempty"`      // below it are 95 % of the samples' own stretches of that length
	Delta      *float64     `json:"delta,omitempty"`    // Burrows's, from 500 words on
	Background string       `json:"background"`         // house: its other styles; shipped: fewer than five
	Figures    []FitFigure  `json:"figures"`
	Stands     []StandsOut  `json:"stands"` // the sentences that stand out most, the most so first
	Note       message.Text `json:"note,omitzero"`
}

// FitFigure is a text's figure beside the range of 95 % of the samples' own stretches of
// that length.
type FitFigure struct {
	Name  string       `json:"name"`
	Title message.Text `json:"title"`
	Unit  message.Text `json:"unit"`
	Value *float64     `json:"value,omitempty"`
	Low   *float64     `json:"low,omitempty"`
	High  *float64     `json:"high,omitempty"`
	Where string       `json:"where,omitempty"` // inside, above, below
	Note  message.Text `json:"note,omitzero"`
}

// StandsOut is a sentence that the style would hardly have: bytes of the text.
type StandsOut struct {
	Start   int               `json:"start"`
	End     int               `json:"end"`
	Text    string            `json:"text"`
	Reasons []StandsOutReason `json:"reasons"`
}

// StandsOutReason is why a sentence stands out, and what would bring it nearer.
type StandsOutReason struct {
	Why     message.Text `json:"why"`
	Instead message.Text `json:"instead"`
}

// StyleFigures is what is measured of a style's samples.
type StyleFigures struct {
	Slug           string               `json:"slug"`
	Samples        int                  `json:"samples"`
	Measured       Measured             `json:"measured"`
	Guide          []GuideLine          `json:"guide"` // drawn from the figures
	Background     string               `json:"background"`
	Characteristic []CharacteristicWord `json:"characteristic"`
	Openings       []CharacteristicWord `json:"openings"`
	Avoided        []CharacteristicWord `json:"avoided"` // what others say, and these hardly do
}

// GuideLine is a line of a guide, and the figure that it comes from.
type GuideLine struct {
	Figure string `json:"figure"`
	Text   string `json:"text"`
}

// CharacteristicWord is a word or an opening that is used more than elsewhere.
type CharacteristicWord struct {
	Text   string  `json:"text"`
	Times  int     `json:"times"`
	G2     float64 `json:"g2"`     // the log-likelihood ratio
	Rate   float64 `json:"rate"`   // of 10,000 words, or of 1,000 sentences
	Others float64 `json:"others"` // the same elsewhere
}

// Sample is a text that a style is measured from.
type Sample struct {
	ID      int64     `json:"id"`
	Name    string    `json:"name"`
	Dated   string    `json:"dated,omitempty"` // a day
	Weight  float64   `json:"weight"`
	Words   int       `json:"words"`
	Digest  string    `json:"digest"` // SHA-256 of the text
	AddedBy string    `json:"added_by"`
	AddedAt time.Time `json:"added_at"`
}

// Samples lists the samples of a style in the order in which they came.
type Samples struct {
	Items []Sample `json:"items"`
}

// SampleText is a sample with its text.
type SampleText struct {
	Sample
	Text string `json:"text"`
}

// GuideToDraw is the guide of a style as it is now, to be brought up to its samples.
type GuideToDraw struct {
	Guide string `json:"guide"`
}

// GuideDrawn is a guide as it would be, and what differs line by line.
type GuideDrawn struct {
	Guide string        `json:"guide"`
	Lines []change.Line `json:"lines"`
}

// MeasuredFrom is what a version of a style was measured from when it was submitted.
type MeasuredFrom struct {
	Samples []MeasuredSample   `json:"samples"`
	Figures map[string]float64 `json:"figures"` // by name
}

// MeasuredSample is what stays of a sample with a version.
type MeasuredSample struct {
	Name   string  `json:"name"`
	Words  int     `json:"words"`
	Digest string  `json:"digest"`
	Weight float64 `json:"weight"`
}

package api

import (
	"time"

	"goldshelf/core/message"
	"goldshelf/core/stocktake"
)

// Period is what figures are of: whole weeks, from a Monday until before another; and as many
// weeks before. As of says until when uses are counted in it.
type Period struct {
	Since string    `json:"since"` // days
	Until string    `json:"until"`
	Weeks int       `json:"weeks"`
	AsOf  time.Time `json:"as_of"`
}

// Coverage is what there is for two facets' terms together.
type Coverage struct {
	Period  Period           `json:"period"`
	Rows    Facet            `json:"rows"`
	Columns Facet            `json:"columns"`
	Cells   []stocktake.Cell `json:"cells"` // those in which there is anything
}

// UseFigures is how much is used, and by how many people.
type UseFigures struct {
	Period Period      `json:"period"`
	By     string      `json:"by"`    // entry, application, department or kind
	Weeks  []string    `json:"weeks"` // their Mondays
	All    UseSeries   `json:"all"`
	Items  []UseSeries `json:"items"` // the most used first
	More   int         `json:"more,omitempty"`

	// Of entries alone, and for all of them.
	Never     []Item          `json:"never,omitempty"` // that nobody has used, the longest on the shelf first
	NeverMore int             `json:"never_more,omitempty"`
	FellShort []UseSeries     `json:"fell_short,omitempty"` // used, and more often said to fall short than to have worked
	Swapped   []SwappedFigure `json:"swapped,omitempty"`
}

// UseSeries is how much something is used over a period. People are counted anew each week,
// and added up; nobody counts for what they answer for or wrote.
type UseSeries struct {
	Name   string           `json:"name"`
	Title  string           `json:"title"`
	Uses   int              `json:"uses"`
	Before int              `json:"before"` // uses in the weeks before
	People int              `json:"people"`
	Change stocktake.Change `json:"change,omitempty"` // in people, where it is more than chance
	Weekly []int            `json:"weekly"`           // uses, by week

	Worked    int `json:"worked,omitempty"` // people who said so
	FellShort int `json:"fell_short,omitempty"`
}

// SwappedFigure is how often an entry is used with another persona than it recommends.
type SwappedFigure struct {
	Slug    string `json:"slug"`
	Title   string `json:"title"`
	Persona string `json:"persona"` // none for without
	Uses    int    `json:"uses"`
	Of      int    `json:"of"` // uses in all
}

// Gaps are searches that found nothing, like ones together.
type Gaps struct {
	Since string          `json:"since"`
	Items []stocktake.Gap `json:"items"`
}

// Freshness is how old what is on the shelf is, and what waits.
type Freshness struct {
	Period     Period           `json:"period"`
	Ages       []stocktake.Age  `json:"ages"`
	Stale      []FreshnessEntry `json:"stale"` // the longest past their day first
	StaleAll   int              `json:"stale_all"`
	OwnerLeft  []FreshnessEntry `json:"owner_left"`
	NoDeputy   int              `json:"no_deputy"`
	Owners     []OwnerFigure    `json:"owners"`  // who own the most
	Waiting    []WaitingFigure  `json:"waiting"` // for a review, the longest first
	ToShelf    []ToShelfFigure  `json:"to_shelf"`
	ByReviewer []ToShelfFigure  `json:"by_reviewer"`
	Returned   []CountFigure    `json:"returned"` // by department
}

// FreshnessEntry is an entry that wants looking after.
type FreshnessEntry struct {
	Slug      string `json:"slug"`
	Title     string `json:"title"`
	OwnerName string `json:"owner_name"`
	Day       string `json:"day"` // until which it was to be looked at, or published
}

// OwnerFigure is how much somebody owns.
type OwnerFigure struct {
	Name     string `json:"name"`
	FullName string `json:"full_name"`
	Entries  int    `json:"entries"`
	Stale    int    `json:"stale"`
}

// WaitingFigure is a version that waits for a review.
type WaitingFigure struct {
	Slug  string    `json:"slug"`
	Title string    `json:"title"`
	Since time.Time `json:"since"`
	Days  int       `json:"days"`
}

// ToShelfFigure is how long versions took from the first draft to the shelf, in days.
type ToShelfFigure struct {
	Name     string  `json:"name"` // empty for all
	Title    string  `json:"title"`
	Versions int     `json:"versions"`
	Median   float64 `json:"median"`
}

// CountFigure is how often something happened.
type CountFigure struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	Count int    `json:"count"`
}

// Contributors are those whose entries others use.
type Contributors struct {
	Period Period                        `json:"period"`
	Items  []stocktake.ContributorFigure `json:"items"`
}

// Costs is what the library's applications and models cost, and what is had of it.
type Costs struct {
	Period   Period           `json:"period"`
	Currency string           `json:"currency"`
	Cap      *float64         `json:"cap,omitempty"` // a month
	Items    []CostFigure     `json:"items"`         // of the register, a month
	Teams    []SpentFigure    `json:"teams"`         // on models in the months of the period
	Spent    float64          `json:"spent"`
	Ways     []SpentFigure    `json:"ways"`    // the same by what it was for: talk, trial, run
	Entries  []EntryCost      `json:"entries"` // and by entry, the dearest first
	Idle     []FreshnessEntry `json:"idle"`    // that nobody has used in the period
}

// CostFigure is what an application or a model costs a month, and what it is used for.
type CostFigure struct {
	Facet  string   `json:"facet"`
	Name   string   `json:"name"`
	Title  string   `json:"title"`
	Month  *float64 `json:"month,omitempty"`
	Uses   int      `json:"uses"`              // of entries for it in the period; of models, of those labelled for it
	PerUse *float64 `json:"per_use,omitempty"` // what it cost in the period by its uses
}

// EntryCost is what asking models with an entry has cost in the months of the period, and a
// reply of those on the average.
type EntryCost struct {
	Slug    string  `json:"slug"`
	Title   string  `json:"title"`
	Uses    int     `json:"uses"` // of the entry in the period, most of them without a model
	Cost    float64 `json:"cost"`
	Trials  float64 `json:"trials"` // of the cost
	Replies int     `json:"replies"`
	Each    float64 `json:"each"`
}

// SpentFigure is what was spent on models: by a department, or for something.
type SpentFigure struct {
	Name    string  `json:"name"`
	Title   string  `json:"title"`
	Words   int64   `json:"words"`
	Cost    float64 `json:"cost"`
	Replies int     `json:"replies"`
}

// Quality is how often replies of models hold to all that is expected of them, from trials
// alone: of each entry the newest with a model, the worst first.
type Quality struct {
	Items  []QualityFigure `json:"items"`
	Models []ModelQuality  `json:"models"` // the best first
}

// QualityFigure is how an entry does with a model. Met counts the replies that hold to every
// expectation, of those of which that is known.
type QualityFigure struct {
	Slug   string         `json:"slug"`
	Title  string         `json:"title"`
	Model  string         `json:"model"`
	Trial  string         `json:"trial"`
	On     string         `json:"on"` // a day
	Met    int            `json:"met"`
	Of     int            `json:"of"`
	Before *QualityBefore `json:"before,omitempty"` // the trial before with that model
}

// QualityBefore is how it did in an earlier trial.
type QualityBefore struct {
	Trial string `json:"trial"`
	On    string `json:"on"`
	Met   int    `json:"met"`
	Of    int    `json:"of"`
}

// ModelQuality is how a model does in the newest trials of all entries together.
type ModelQuality struct {
	Model   string `json:"model"`
	Entries int    `json:"entries"`
	Met     int    `json:"met"`
	Of      int    `json:"of"`
}

// StocktakeReport is a report of the stocktake.
type StocktakeReport struct {
	Period   Period           `json:"period"`
	Language message.Language `json:"language"`
	Markdown string           `json:"markdown"`
	HTML     string           `json:"html"` // the same, a fragment
}

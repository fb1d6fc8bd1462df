package api

import (
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/places"
	"goldshelf/core/problem"
)

// TextOf is a text, and the slug of the entry that it belongs to, if it does.
type TextOf struct {
	Slug string `json:"slug,omitempty"`
	Body string `json:"body"`
}

// TextRead is what can be said of a text that was pasted.
type TextRead struct {
	Title   string         `json:"title"` // suggested; empty where nothing can be
	Summary string         `json:"summary"`
	Places  []places.Place `json:"places"` // where it seems to wait for something
	Similar []Similar      `json:"similar"`
}

// BlanksRequest asks for places of a text to be made blanks.
type BlanksRequest struct {
	Body   string         `json:"body"`
	Places []places.Place `json:"places"`
}

// BlanksMade is a text in which places have become blanks.
type BlanksMade struct {
	Body   string       `json:"body"`
	Blanks []fill.Blank `json:"blanks"`
}

// SimilarList lists the entries that are like a text, the likest first.
type SimilarList struct {
	Items []Similar `json:"items"`
}

// Similar is an entry that says nearly what a text says. Its three shares are
// in percent: of all that either says, of what the entry says that is in the
// text, and of what the text says that is in the entry.
type Similar struct {
	Slug      string      `json:"slug"`
	Kind      entry.Kind  `json:"kind"`
	Title     string      `json:"title"`
	Version   int         `json:"version"`
	State     entry.State `json:"state"`
	OwnerName string      `json:"owner_name"`
	Likeness  int         `json:"likeness"`
	Contains  int         `json:"contains"`
	Contained int         `json:"contained"`
	Body      string      `json:"body"`
	Passages  []Passage   `json:"passages"` // in common
}

// Passage is a stretch in common: bytes of the text, and of the entry's body.
type Passage struct {
	Start      int `json:"start"`
	End        int `json:"end"`
	OtherStart int `json:"other_start"`
	OtherEnd   int `json:"other_end"`
}

// Groups lists entries that say nearly the same. The shares of each are those
// with the first of its group.
type Groups struct {
	Groups []Group `json:"groups"`
}

// Group is some entries that say nearly the same.
type Group struct {
	Items []Similar `json:"items"`
}

// Recurring lists passages that several entries have.
type Recurring struct {
	Passages []RecurringPassage `json:"passages"`
}

// RecurringPassage is a passage that could be a snippet.
type RecurringPassage struct {
	Text  string `json:"text"`
	Words int    `json:"words"`
	Saves int    `json:"saves"` // words, if it were one
	In    []Used `json:"in"`
}

// Repetition is what the library says more than once, with the words that are looked after
// for nothing. Those come first that would save the most.
type Repetition struct {
	Groups   []RepeatedGroup    `json:"groups"`
	Passages []RecurringPassage `json:"passages"`
	Drifted  []Drifted          `json:"drifted"`
}

// RepeatedGroup is some entries that say nearly the same; Likeness is with the first.
type RepeatedGroup struct {
	Saves int             `json:"saves"` // words
	Items []RepeatedEntry `json:"items"`
}

// RepeatedEntry is a version in such a group.
type RepeatedEntry struct {
	Slug     string      `json:"slug"`
	Title    string      `json:"title"`
	Kind     entry.Kind  `json:"kind"`
	Version  int         `json:"version"`
	State    entry.State `json:"state"`
	Likeness int         `json:"likeness"` // percent
}

// Drifted is an adaptation or rendition whose origin has moved on since it was compared with
// that last.
type Drifted struct {
	Slug     string `json:"slug"`
	Title    string `json:"title"`
	How      string `json:"how"` // adaptation or rendition
	Of       string `json:"of"`  // a slug
	OfTitle  string `json:"of_title"`
	From     int    `json:"from"` // the origin's version that it takes into account
	Now      int    `json:"now"`
	Likeness int    `json:"likeness"` // percent, with the origin as it is now
	Saves    int    `json:"saves"`    // words of the origin that are new since
}

// Starters are what a new entry can begin with.
type Starters struct {
	Starters []Starter `json:"starters"`
	Helpers  []Item    `json:"helpers"` // published prompts that write prompts

	Refinements []Item `json:"refinements"` // those that change a reply of a model
	Editing     []Item `json:"editing"`     // those that change a text that somebody writes
}

// Starter is what a new entry begins with in a department.
type Starter struct {
	Department string        `json:"department,omitempty"`
	Section    string        `json:"section,omitempty"` // where it is a section's
	Title      string        `json:"title,omitempty"`   // the section's
	Content    entry.Content `json:"content"`
}

// Helper says what a prompt helps with.
type Helper struct {
	Helps string `json:"helps"` // draft: it writes prompts; refinement: it changes replies; editing: it changes a text that one writes; empty: nothing
}

// PlanState is what would become of an entry that comes in.
type PlanState string

// The states of a planned entry.
const (
	PlanNew     PlanState = "new"
	PlanChanged PlanState = "changed"
	PlanSame    PlanState = "same"
	PlanSimilar PlanState = "similar" // new, and like one that is here
	PlanClash   PlanState = "clash"   // its history and ours have gone apart
	PlanWrong   PlanState = "wrong"
)

// Plan says of every entry of an import what would become of it. Digest stands
// for the plan when it is carried out.
type Plan struct {
	ID       string            `json:"id"`
	Name     string            `json:"name"`
	Digest   string            `json:"digest"`
	Reading  bundle.Reading    `json:"reading"`
	Columns  []Column          `json:"columns,omitempty"`   // of a table
	NewTerms []string          `json:"new_terms,omitempty"` // labels that the library would learn
	Counts   map[PlanState]int `json:"counts"`
	Items    []PlanItem        `json:"items"`
}

// Column is a column of a table with what it holds, or nothing.
type Column struct {
	Heading string `json:"heading"`
	Holds   string `json:"holds"`
}

// PlanItem is one entry of a plan.
type PlanItem struct {
	Number   int          `json:"number"`
	Where    string       `json:"where"` // the file or row
	Slug     string       `json:"slug"`
	Kind     entry.Kind   `json:"kind"`
	Title    string       `json:"title"`
	Note     string       `json:"note,omitempty"`
	State    PlanState    `json:"state"`
	Selected bool         `json:"selected"` // it comes in, unless it is chosen otherwise
	On       int          `json:"on,omitempty"`
	Similar  []PlanMatch  `json:"similar"`
	Places   int          `json:"places,omitempty"` // to fill in, marked in other ways than ours
	Problems problem.List `json:"problems,omitempty"`
}

// PlanMatch is an entry that a new one is like: one that is here, or one that
// comes in with it.
type PlanMatch struct {
	Slug     string `json:"slug"`
	Title    string `json:"title"`
	Likeness int    `json:"likeness"` // percent
	Incoming bool   `json:"incoming,omitempty"`
}

// PlanDifference is an entry as a file, as it comes in and as it is here.
type PlanDifference struct {
	Incoming   string         `json:"incoming"`
	Slug       string         `json:"slug,omitempty"` // of the one that is here: its own, or of the one that it is like
	Here       string         `json:"here"`
	Places     []places.Place `json:"places"`                // of the text that comes in
	WithBlanks string         `json:"with_blanks,omitempty"` // that text with blanks in their place
}

// PlanReading reads an import in another way, and keeps that way under a name.
type PlanReading struct {
	Reading bundle.Reading `json:"reading"`
	KeepAs  string         `json:"keep_as,omitempty"`
}

// Doing is what is done with a planned entry.
type Doing string

// What can be done with a planned entry.
const (
	Import Doing = "import"
	Skip   Doing = "skip"
	Both   Doing = "both" // keep ours, and theirs under another slug
)

// Choice says what is to become of one planned entry.
type Choice struct {
	Number     int    `json:"number"`
	Do         Doing  `json:"do"`
	Slug       string `json:"slug,omitempty"`        // for both
	MakeBlanks bool   `json:"make_blanks,omitempty"` // of its places
}

// ApplyRequest carries a plan out.
type ApplyRequest struct {
	Digest     string   `json:"digest"`
	Choices    []Choice `json:"choices,omitempty"`
	MakeBlanks bool     `json:"make_blanks,omitempty"` // of the places of all that comes in
}

// Applied is what an import did.
type Applied struct {
	Created []string `json:"created"`
	Changed []string `json:"changed"`
	Skipped int      `json:"skipped"`
}

// Progress is how far an import is.
type Progress struct {
	Done int `json:"done"`
	All  int `json:"all"` // 0 where none is under way
}

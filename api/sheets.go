package api

import (
	"time"

	"goldshelf/core/change"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
)

// QuestionSet is one version of a question set.
type QuestionSet struct {
	sheet.Set
	Note   string    `json:"note"`
	By     string    `json:"by"` // a full name
	At     time.Time `json:"at"`
	Newest int       `json:"newest"` // the number of the newest version
	Sheets int       `json:"sheets"` // how many sheets on the shelf answer it, in any version
}

// QuestionSets lists question sets, or the versions of one.
type QuestionSets struct {
	Items []QuestionSet `json:"items"`
}

// NewQuestionSet is a question set to be added, or the next version of one.
type NewQuestionSet struct {
	Name   string        `json:"name,omitempty"` // of one to be added
	Title  string        `json:"title"`
	Groups []sheet.Group `json:"groups"`
	Note   string        `json:"note,omitempty"` // why it differs from the version before
}

// SheetOfSet is a sheet that answers a question set.
type SheetOfSet struct {
	Slug      string      `json:"slug"`
	Title     string      `json:"title"`
	Summary   string      `json:"summary"`
	Set       string      `json:"set"` // the version that it answers, as audience@2
	State     entry.State `json:"state"`
	OwnerName string      `json:"owner_name"`
}

// SheetsOfSet lists the sheets that answer a question set.
type SheetsOfSet struct {
	Items []SheetOfSet `json:"items"`
}

// AnswersRead is what was read as answers to a set, and what could not be.
type AnswersRead struct {
	Answers  sheet.Answers     `json:"answers"`
	Missing  []string          `json:"missing"` // questions that want an answer and have none
	Problems []problem.Problem `json:"problems"`
}

// StackChoice is what is put in the place of an entry's recommended stack.
type StackChoice struct {
	Persona string   `json:"persona,omitempty"`
	Style   string   `json:"style,omitempty"`
	Sheets  []string `json:"sheets,omitempty"`
}

// StacksToCompare are two stacks of an entry that are filled in with the same values.
type StacksToCompare struct {
	Values fill.Values `json:"values,omitempty"`
	First  StackChoice `json:"first"`
	Second StackChoice `json:"second"`
	Base   bool        `json:"base,omitempty"`

	Languages string `json:"-"`
}

// StacksCompared is what an entry says in two stacks, and what differs line by line.
type StacksCompared struct {
	First  ComposedStack `json:"first"`
	Second ComposedStack `json:"second"`
	Lines  []change.Line `json:"lines"`
}

// ComposedStack is an entry's text in one stack.
type ComposedStack struct {
	Text     string            `json:"text"`
	Layers   []Layer           `json:"layers"`
	Problems []problem.Problem `json:"problems,omitempty"`
}

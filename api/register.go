package api

import (
	"time"

	"goldshelf/core/layout"
	"goldshelf/core/problem"
	"goldshelf/core/register"
)

// Registered is an application or a model: a label of that facet, with what is kept of it.
type Registered struct {
	Facet string `json:"facet"` // application or model
	Name  string `json:"name"`
	Title string `json:"title"`
	register.Details
	KeeperName string `json:"keeper_name,omitempty"`
	Entries    int    `json:"entries"` // on the shelf, with its label
	Layout     bool   `json:"layout"`  // stacks are delivered to it by a layout of its own
}

// Register lists the applications and the models, with what they cost in a month.
type Register struct {
	Items  []Registered    `json:"items"`
	Budget register.Budget `json:"budget"`
	Month  register.Month  `json:"month"`
	Number int             `json:"number"` // grows with every change; its ETag names it
}

// NewRegistered is an application or a model to be registered.
type NewRegistered struct {
	Facet string `json:"facet"`
	Name  string `json:"name"`
	Title string `json:"title"`
	register.Details
	OverCap bool `json:"over_cap,omitempty"` // also where the month would pass the cap
}

// RegisteredChange is what is kept of an application or a model from now on.
type RegisteredChange struct {
	Title string `json:"title,omitempty"` // as it was, if empty
	register.Details
	OverCap bool `json:"over_cap,omitempty"`
}

// BudgetChange is the cap for all applications from now on.
type BudgetChange struct {
	register.Budget
	OverCap bool `json:"over_cap,omitempty"`
}

// MoveLabel says which term entries have from now on.
type MoveLabel struct {
	To string `json:"to"`
}

// SavedLayout is how an application wants a stack delivered.
type SavedLayout struct {
	Application string `json:"application"`
	Title       string `json:"title"` // the application's
	layout.Layout
	Number   int       `json:"number"` // grows with every change; its ETag names it
	By       string    `json:"by"`
	At       time.Time `json:"at"`
	Warnings []string  `json:"warnings"` // what it leaves out of every stack
}

// SavedLayouts lists them in the order of the labels.
type SavedLayouts struct {
	Items []SavedLayout `json:"items"`
}

// LayoutTrial is a layout that is not saved, beside what it is tried on.
type LayoutTrial struct {
	Layout layout.Layout `json:"layout"`
	Slug   string        `json:"slug"` // an entry on the shelf
	FillRequest
}

// LayoutTried is what a layout makes of a stack.
type LayoutTried struct {
	Boxes    []FilledBox       `json:"boxes"`
	Left     []string          `json:"left"`
	Warnings []string          `json:"warnings"`
	Problems []problem.Problem `json:"problems"`
}

// FilledBox is one text of a stack that is delivered to an application.
type FilledBox struct {
	layout.Delivered
	Over bool `json:"over,omitempty"` // it is longer than the application takes
}

// DeliveredBy is the text with its layers put in the boxes of a layout; of one that is
// delivered as messages, these are its messages.
func (f Filled) DeliveredBy(plan *layout.Plan, layers []layout.Layer) Filled {
	l := plan.Layout()
	boxes, left := plan.Deliver(layers)
	f.As, f.Left = string(l.As), left
	f.Boxes = make([]FilledBox, len(boxes))
	for i, b := range boxes {
		f.Boxes[i] = FilledBox{Delivered: b, Over: b.Over()}
	}
	if l.As == layout.Messages {
		f.Messages = make([]Message, len(boxes))
		for i, b := range boxes {
			f.Messages[i] = Message{Role: b.Role, Content: b.Text}
		}
	}
	return f
}

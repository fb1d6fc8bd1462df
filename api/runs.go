package api

import (
	"time"

	"goldshelf/core/change"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
)

// NewRun is what a run of a relay is given.
type NewRun struct {
	Ref    string      `json:"ref"`            // a slug, or a version as slug@3
	Open   bool        `json:"open,omitempty"` // the version that is written or reviewed now
	Values fill.Values `json:"values,omitempty"`
	Model  string      `json:"model,omitempty"` // of steps that name none
	Seed   *int64      `json:"seed,omitempty"`
}

// RunForm is what a relay asks for, and how it runs.
type RunForm struct {
	Ref    fill.Ref     `json:"ref"`
	Title  string       `json:"title"`
	Blanks []fill.Blank `json:"blanks"`
	Steps  []RunLayout  `json:"steps"`
}

// RunLayout is a step as it stands among the others.
type RunLayout struct {
	entry.Step
	Title string   `json:"title"` // of the entry that it uses
	Wave  int      `json:"wave"`  // from 0: steps of one wave run together
	Takes []string `json:"takes"` // the steps whose replies it takes
}

// Run is a relay that was run: as far as it has come.
type Run struct {
	ID     string       `json:"id"`
	Ref    fill.Ref     `json:"ref"`
	Title  string       `json:"title"`
	State  string       `json:"state"` // running, done, failed or stopped
	Blanks []fill.Blank `json:"blanks"`
	Values fill.Values  `json:"values"`
	Model  string       `json:"model,omitempty"`
	Seed   *int64       `json:"seed,omitempty"`
	Kept   bool         `json:"kept"`
	At     time.Time    `json:"at"`
	Steps  []RunStep    `json:"steps"`
	Cost   *float64     `json:"cost,omitempty"`  // of all replies so far; nothing where a price is not known
	Trial  string       `json:"trial,omitempty"` // that it brings a reply of, and that alone it changes with
}

// RunStep is a step of a run.
type RunStep struct {
	RunLayout
	State   string        `json:"state"` // waiting, asked, done, failed or stopped
	Round   int           `json:"round"` // how often it has been asked
	Text    string        `json:"text"`  // once it is done: the reply; of a pass, all of what it went over
	Problem message.Text  `json:"problem,omitzero"`
	EndedAt *time.Time    `json:"ended_at,omitempty"`
	Stale   bool          `json:"stale,omitempty"` // a step whose reply it took has run again since
	Replies []StepReply   `json:"replies"`         // of this round
	Before  []StepReply   `json:"before"`          // of earlier rounds
	Changes []change.Line `json:"changes,omitempty"`
}

// StepReply is a reply of a run's step.
type StepReply struct {
	TalkReply
	Round   int    `json:"round"`
	Section string `json:"section,omitempty"` // the heading of what a pass went over
}

// Ended says whether a run does nothing more by itself.
func (r Run) Ended() bool { return r.State != "running" }

// Again is which steps of a run are run again.
type Again struct {
	On bool `json:"on,omitempty"` // and all that take its reply, and so on
}

// RunKept says whether a run is kept beyond the time after which they are forgotten.
type RunKept struct {
	Kept bool `json:"kept"`
}

// Runs are those of whoever asks, the last begun first.
type Runs struct {
	Items []RunItem `json:"items"`
}

// RunItem is a run in a list.
type RunItem struct {
	ID    string    `json:"id"`
	Ref   fill.Ref  `json:"ref"`
	Title string    `json:"title"`
	State string    `json:"state"`
	Kept  bool      `json:"kept"`
	At    time.Time `json:"at"`
}

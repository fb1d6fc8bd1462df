// Package api holds the contract of the service: openapi.yaml, and the values
// that travel as JSON, which the service writes and the client reads.
package api

import (
	_ "embed"
	"time"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
)

// Document is the contract, in OpenAPI 3.1.
//
//go:embed openapi.yaml
var Document []byte

// Person is someone who may sign in, or is named in the library.
type Person struct {
	Name       string     `json:"name"` // the sign-in name
	FullName   string     `json:"full_name"`
	Department string     `json:"department,omitempty"`
	Role       entry.Role `json:"role"`
}

// Credentials are what one signs in with.
type Credentials struct {
	Name     string `json:"name"`
	Password string `json:"password"`
}

// Session is the answer to signing in.
type Session struct {
	Person
	Token   string    `json:"token,omitempty"` // only where it has just been made
	Expires time.Time `json:"expires"`
}

// Welcome is what a page may know before anyone has signed in.
type Welcome struct {
	Demo     bool     `json:"demo"`
	Password string   `json:"password,omitempty"` // the demo's
	Accounts []Person `json:"accounts,omitempty"` // the demo's, one a role
}

// Entry is one version of an entry, with what is known about it.
type Entry struct {
	Slug string `json:"slug"`
	entry.Content
	Owner      string `json:"owner"`
	OwnerName  string `json:"owner_name"`
	Deputy     string `json:"deputy,omitempty"`
	DeputyName string `json:"deputy_name,omitempty"`

	Version     int            `json:"version"`
	State       entry.State    `json:"state"`
	Note        string         `json:"note,omitempty"`
	Returned    string         `json:"returned,omitempty"` // why it was last returned
	Actions     []entry.Action `json:"actions"`            // what the caller may do with it now
	Approvals   []Approval     `json:"approvals,omitempty"`
	Author      string         `json:"author"`
	CreatedAt   time.Time      `json:"created_at"`
	SavedBy     string         `json:"saved_by"` // a sign-in name
	SavedByName string         `json:"saved_by_name"`
	SavedAt     time.Time      `json:"saved_at"`
	SubmittedBy string         `json:"submitted_by,omitempty"`
	SubmittedAt *time.Time     `json:"submitted_at,omitempty"`
	PublishedBy string         `json:"published_by,omitempty"`
	PublishedAt *time.Time     `json:"published_at,omitempty"`

	Published int          `json:"published,omitempty"` // the number of the published version
	Open      int          `json:"open,omitempty"`      // the number of the open version, for those who may see it
	Asks      []fill.Blank `json:"asks,omitempty"`      // on the shelf: every blank to fill in, those of includes too
}

// Approval is one reviewer's word for a version.
type Approval struct {
	By      string    `json:"by"`
	Comment string    `json:"comment,omitempty"`
	At      time.Time `json:"at"`
}

// NewEntry is a request to make an entry. An empty slug is made from the title.
type NewEntry struct {
	Slug string `json:"slug,omitempty"`
	entry.Content
	Owner  string `json:"owner,omitempty"`
	Deputy string `json:"deputy,omitempty"`
}

// Item is an entry in a list.
type Item struct {
	Slug        string              `json:"slug"`
	Kind        entry.Kind          `json:"kind"`
	Title       string              `json:"title"`
	Summary     string              `json:"summary"`
	Labels      map[string][]string `json:"labels"`
	Code        string              `json:"code,omitempty"`
	Owner       string              `json:"owner"`
	OwnerName   string              `json:"owner_name"`
	Version     int                 `json:"version"`
	State       entry.State         `json:"state"`
	SavedAt     time.Time           `json:"saved_at"`
	PublishedAt *time.Time          `json:"published_at,omitempty"`
	Passage     string              `json:"passage,omitempty"` // where the text says what was searched for
}

// List is one page of entries.
type List struct {
	Items  []Item  `json:"items"`
	Total  int     `json:"total"`
	Facets []Facet `json:"facets"`
	Next   string  `json:"next,omitempty"` // the cursor of the next page
}

// Facet is a dimension of labelling with its terms.
type Facet struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	Terms []Term `json:"terms"`
}

// Term is a value in a facet. Count is how many entries have it, given the
// rest of a query.
type Term struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	Count int    `json:"count"`
}

// FillRequest is what a published entry is filled with.
type FillRequest struct {
	Values fill.Values `json:"values,omitempty"`
	// Sketch asks for the text even where values are missing or do not hold:
	// the blank's name stands in their place, and the problems are in the answer.
	Sketch bool `json:"sketch,omitempty"`
}

// Filled is a filled text.
type Filled struct {
	Text     string            `json:"text"`
	Spans    []fill.Span       `json:"spans"`
	Used     []fill.Ref        `json:"used"`
	Problems []problem.Problem `json:"problems,omitempty"` // of a sketch
}

// PreviewRequest is a text that is not saved, and values for its blanks.
type PreviewRequest struct {
	Slug     string       `json:"slug,omitempty"` // of the entry it belongs to, if it does
	Body     string       `json:"body"`
	Plain    bool         `json:"plain,omitempty"`
	Language string       `json:"language,omitempty"`
	Blanks   []fill.Blank `json:"blanks,omitempty"`
	Values   fill.Values  `json:"values,omitempty"`
}

// Preview is how a text that is not saved reads: a sketch, where values are
// missing. Text is empty where the text itself has problems. Blanks lists all that it asks for.
type Preview struct {
	Text     string            `json:"text"`
	Spans    []fill.Span       `json:"spans"`
	Blanks   []fill.Blank      `json:"blanks"`
	Problems []problem.Problem `json:"problems"`
	Newer    []fill.Ref        `json:"newer,omitempty"` // includes taken from versions not yet published
}

// Note, Comment and Reason are the texts that come with actions.
type (
	Note struct {
		Note string `json:"note"`
	}
	Comment struct {
		Comment string `json:"comment,omitempty"`
	}
	Reason struct {
		Because string `json:"because"`
	}
)

// Versions is an entry's history, newest first.
type Versions struct {
	Items []Entry `json:"items"`
}

// Desk is what waits for the caller, oldest first.
type Desk struct {
	Items []DeskItem `json:"items"`
}

// DeskItem is one thing that waits, with the action that it needs.
type DeskItem struct {
	Item
	Action entry.Action `json:"action"`
	Why    string       `json:"why"` // in words
	Since  time.Time    `json:"since"`
	By     string       `json:"by"` // whose doing it waits for
}

// Problem is an answer that something went wrong, as RFC 9457 has it.
type Problem struct {
	Type     string            `json:"type"`
	Title    string            `json:"title"`
	Status   int               `json:"status"`
	Detail   string            `json:"detail"`
	Problems []problem.Problem `json:"problems,omitempty"`
	Actions  []entry.Action    `json:"actions,omitempty"` // what is possible instead
	ETag     string            `json:"etag,omitempty"`    // of the newer version, with 412
}

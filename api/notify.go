package api

import (
	"time"

	"goldshelf/core/entry"
	"goldshelf/core/message"
)

// Follow is what someone follows: an entry by slug, a person's entries by sign-in
// name, or a department's by term.
type Follow struct {
	What string `json:"what"` // entry, person or department
	Name string `json:"name"`
}

// Follows is all that the caller follows.
type Follows struct {
	Items []Follow `json:"items"`
}

// News is a page of what the caller was told of, the newest first.
type News struct {
	Items  []NewsItem `json:"items"`
	Unread int        `json:"unread"` // in all
	Next   string     `json:"next,omitempty"`
}

// NewsItem is something that happened to an entry that the caller follows.
type NewsItem struct {
	Number  int64        `json:"number"`
	At      time.Time    `json:"at"`
	ByName  string       `json:"by_name,omitempty"`
	Action  string       `json:"action"`
	Slug    string       `json:"slug,omitempty"` // nothing, as kind and title, where it is of no entry
	Kind    entry.Kind   `json:"kind,omitempty"`
	Title   string       `json:"title,omitempty"`
	Version int          `json:"version,omitempty"`
	Why     message.Text `json:"why,omitzero"` // the note or the reason that came with it
	Unread  bool         `json:"unread"`
}

// ReadUpTo says that everything up to a number has been read.
type ReadUpTo struct {
	Number int64 `json:"number"`
}

// Feed is the private address of the caller's Atom feed. It is shown once.
type Feed struct {
	Address string `json:"address"`
}

// Channels lists the channels that are told of what happens.
type Channels struct {
	Items []Channel `json:"items"`
}

// Channel is where the library tells another program what happens. Secret is shown once, when it is made.
type Channel struct {
	ID          int64            `json:"id"`
	Title       string           `json:"title"`
	URL         string           `json:"url"`
	Secret      string           `json:"secret,omitempty"`
	Actions     []string         `json:"actions"`            // empty is all that is told
	Departments []string         `json:"departments"`        // empty is all
	Report      string           `json:"report,omitempty"`   // of the stocktake: week, month or nothing
	Language    message.Language `json:"language,omitempty"` // of the report; nothing is English
	Active      bool             `json:"active"`
	SetBy       string           `json:"set_by"`
	SetAt       time.Time        `json:"set_at"`
	Waiting     int              `json:"waiting"`
	GivenUp     int              `json:"given_up"`
}

// NewChannel is a channel to make or to change.
type NewChannel struct {
	Title       string           `json:"title"`
	URL         string           `json:"url"`
	Actions     []string         `json:"actions,omitempty"`
	Departments []string         `json:"departments,omitempty"`
	Report      string           `json:"report,omitempty"`
	Language    message.Language `json:"language,omitempty"`
	Paused      bool             `json:"paused,omitempty"`
}

// Deliveries is a page of what a channel was and is to be told, the newest first.
type Deliveries struct {
	Items []Delivery `json:"items"`
	Next  string     `json:"next,omitempty"`
}

// Delivery is one event on its way to one channel. State is waiting, sending,
// done, given-up, or unclear for one that was being sent when the service stopped.
type Delivery struct {
	ID       int64      `json:"id"`
	Event    int64      `json:"event"` // the number of the record
	Action   string     `json:"action"`
	Slug     string     `json:"slug"`
	State    string     `json:"state"`
	Attempts int        `json:"attempts"`
	NextAt   *time.Time `json:"next_at,omitempty"`
	SentAt   *time.Time `json:"sent_at,omitempty"`
	Status   int        `json:"status,omitempty"`
	Failed   string     `json:"failed,omitempty"`
}

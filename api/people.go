package api

import (
	"encoding/json"
	"time"
)

// Setup makes the first curator of a library, by the code that stands in the terminal
// in which the service was started.
type Setup struct {
	Code string `json:"code"`
	Person
	Password string `json:"password"`
}

// PasswordLink is a link by which someone sets a password: below the service's address,
// /set-password# and the code. It can be used once, and is shown once.
type PasswordLink struct {
	Person Person    `json:"person"`
	Code   string    `json:"code"`
	Until  time.Time `json:"until"`
}

// PeopleImported is who was added, each with a link to set a password with.
type PeopleImported struct {
	Items []PasswordLink `json:"items"`
}

// NewPassword sets a password by the code of a link.
type NewPassword struct {
	Code     string `json:"code"`
	Password string `json:"password"`
}

// Library is what is set up once for a whole library. Days are reckoned in its zone,
// an IANA time zone such as Europe/London.
type Library struct {
	Name string `json:"name"`
	Zone string `json:"zone"`

	IdleHours   int `json:"idle_hours,omitempty"`   // until a browser's session ends unused; 0 leaves it as it is
	SessionDays int `json:"session_days,omitempty"` // until any session ends; 0 leaves it as it is

	Keep *Keep `json:"keep,omitempty"` // nothing leaves all of it as it is
}

// Keep is for how many days what people leave behind is kept: 1 to 3,650; 0 leaves one as it is.
type Keep struct {
	Talks  int `json:"talks,omitempty"`           // that nobody keeps, and runs of relays
	Missed int `json:"missed_searches,omitempty"` // what was searched for and not found
	Uses   int `json:"uses,omitempty"`            // that something was used, and by whom
	News   int `json:"news,omitempty"`            // and what channels were told
}

// LibraryState is what is set up, and whether the library does by itself what is due.
type LibraryState struct {
	Library
	HeldSince *time.Time `json:"held_since,omitempty"` // it was restored from a backup, and does nothing by itself since
}

// Synonyms are lists of words, or of up to four words together, that mean the same:
// whoever looks for one finds the others, too.
type Synonyms struct {
	Lists [][]string `json:"lists"`
}

// OwnPassword changes the caller's own password.
type OwnPassword struct {
	Old string `json:"old"`
	New string `json:"new"`
}

// NewLabel is a facet or, with a term, a term to add to a facet.
type NewLabel struct {
	Facet string `json:"facet"`
	Term  string `json:"term,omitempty"`
	Title string `json:"title"`
}

// Facets lists the facets with their terms.
type Facets struct {
	Items []Facet `json:"items"`
}

// EntryLabels are the labels of an entry, by facet.
type EntryLabels struct {
	Labels map[string][]string `json:"labels"`
}

// TermChange is what to change of a term. What is left out stays.
type TermChange struct {
	Title   *string `json:"title,omitempty"`
	Under   *string `json:"under,omitempty"`   // the term that it is a part of; empty for none
	Retired *bool   `json:"retired,omitempty"` // nobody chooses it any more
}

// MergeInto says which term another becomes part of.
type MergeInto struct {
	Into string `json:"into"`
}

// LabelsChanged are all facets after a change, how many entries it changed, and what
// undoes it within an hour.
type LabelsChanged struct {
	Items   []Facet `json:"items"`
	Entries int     `json:"entries"`
	Undo    string  `json:"undo,omitempty"`
}

// LabelMany says which labels to add to many entries, and which to remove; and, to have
// it done, by its digest what was shown of it.
type LabelMany struct {
	Slugs  []string            `json:"slugs"`
	Add    map[string][]string `json:"add,omitempty"`
	Remove map[string][]string `json:"remove,omitempty"`
	Digest string              `json:"digest,omitempty"`
}

// LabelPlan is what would change, entry by entry.
type LabelPlan struct {
	Items  []LabelledEntry `json:"items"`
	Same   int             `json:"same"` // how many entries stay as they are
	Digest string          `json:"digest"`
}

// LabelledEntry is an entry with its labels, and what they become.
type LabelledEntry struct {
	Slug    string              `json:"slug"`
	Title   string              `json:"title"`
	Labels  map[string][]string `json:"labels"`
	Becomes map[string][]string `json:"becomes"`
}

// PersonData is all that the library has of a person.
type PersonData struct {
	Library string     `json:"library"`
	At      time.Time  `json:"at"`
	Person  Colleague  `json:"person"`
	Kinds   []DataKind `json:"kinds"` // those of which there is anything
}

// DataKind is what the library has of a person of one kind. Count is how much there is: where
// that is more than the items, only so many are told; goldshelfd user data tells all.
type DataKind struct {
	Kind    string            `json:"kind"`
	Deleted bool              `json:"deleted"` // with the person; or else it stays, without their name
	Count   int               `json:"count"`
	Items   []json.RawMessage `json:"items"`
}

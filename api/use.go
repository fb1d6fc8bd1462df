package api

import "time"

// NewReport is what somebody says of how it went.
type NewReport struct {
	Worked *bool  `json:"worked"`
	Model  string `json:"model,omitempty"`
	Words  string `json:"words,omitempty"`
	Reply  string `json:"reply,omitempty"` // what the model answered
}

// Report is what somebody who used a version says of it.
type Report struct {
	ID        int64      `json:"id"`
	Version   int        `json:"version"`
	By        string     `json:"by"`
	ByName    string     `json:"by_name"`
	At        time.Time  `json:"at"`
	Worked    bool       `json:"worked"`
	Model     string     `json:"model,omitempty"`
	Words     string     `json:"words,omitempty"`
	Reply     string     `json:"reply,omitempty"`      // for those who see drafts, and its writer
	SettledIn int        `json:"settled_in,omitempty"` // the version that settles it, published or not
	SettledAt *time.Time `json:"settled_at,omitempty"`
	Answer    string     `json:"answer,omitempty"` // where no version does
}

// Reports is a page of what was said of an entry, and in numbers all of it.
type Reports struct {
	Items     []Report `json:"items"`
	Worked    int      `json:"worked"`
	FellShort int      `json:"fell_short"`
	Open      int      `json:"open"` // fell short, and are not settled
	Next      string   `json:"next,omitempty"`
}

// Best is the best of the shelf over a period.
type Best struct {
	Days         int           `json:"days"`
	Used         []Ranked      `json:"used"`     // by people and days
	Favoured     []Ranked      `json:"favoured"` // by people who keep it at hand, of all time
	Newest       []Item        `json:"newest"`
	Contributors []Contributor `json:"contributors"` // whose entries others use
}

// Ranked is an entry with how often.
type Ranked struct {
	Item
	Times int `json:"times"`
}

// Contributor is somebody whose entries others use.
type Contributor struct {
	Name     string `json:"name"`
	FullName string `json:"full_name"`
	Entries  int    `json:"entries"` // of theirs that were used
	Times    int    `json:"times"`
}

// RowsRequest is how an entry is filled in for each row of a table, which is sent with it
// as CSV. The stack is as in a FillRequest.
type RowsRequest struct {
	Format  string `json:"format"`         // zip, csv or document
	Name    string `json:"name,omitempty"` // the column that the files of a zip are called by
	Persona string
	Style   string
	Sheets  []string
	For     string

	Languages string // that the caller prefers
	Base      bool   // the entry itself, and none of its renditions
}

// UploadedPicture is a picture that was brought, by the id by which a draft names it.
type UploadedPicture struct {
	ID     string `json:"id"`
	Type   string `json:"type"`
	Width  int    `json:"width"` // of the largest size, in pixels
	Height int    `json:"height"`
}

// LabelProposals are labels that an entry may want, the likeliest first.
type LabelProposals struct {
	Items []LabelProposal `json:"items"`
}

// LabelProposal is a label, and the entries that read alike and have it.
type LabelProposal struct {
	Facet string   `json:"facet"`
	Term  string   `json:"term"`
	Title string   `json:"title"`
	From  []string `json:"from"` // slugs
}

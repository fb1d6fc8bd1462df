package api

import (
	"goldshelf/core/entry"
	"goldshelf/core/message"
)

// Sections are the sections of the shelf, in their order.
type Sections struct {
	Items []Section `json:"items"`
}

// Section is a saved view of the shelf: a search, or entries picked by hand.
type Section struct {
	Name         string         `json:"name"`
	Title        string         `json:"title"`
	Introduction string         `json:"introduction,omitempty"`
	Query        string         `json:"query,omitempty"`
	Entries      []string       `json:"entries,omitempty"` // slugs, on the shelf or not
	Starter      *entry.Content `json:"starter,omitempty"` // what a new entry of it begins with
	Number       int            `json:"number"`            // of its last change
	Total        int            `json:"total"`             // of its entries that are on the shelf
	Items        []Item         `json:"items"`             // a page of them
	Next         string         `json:"next,omitempty"`
	Note         message.Text   `json:"note,omitzero"` // what is to be said of its search
}

// SectionChange is what a section is to be. Number is the one that was read, or 0 of a new
// one.
type SectionChange struct {
	Title        string         `json:"title"`
	Introduction string         `json:"introduction,omitempty"`
	Query        string         `json:"query,omitempty"`
	Entries      []string       `json:"entries,omitempty"`
	Starter      *entry.Content `json:"starter,omitempty"`
	Number       int            `json:"number,omitempty"`
}

// SectionOrder names every section, in the order that they get.
type SectionOrder struct {
	Names []string `json:"names"`
}

// Package api holds the contract of the service: openapi.yaml, and the values
// that travel as JSON, which the service writes and the client reads.
package api

import (
	_ "embed"
	"time"

	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
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
	Code     string `json:"code,omitempty"` // of those who sign in with one-time codes too
}

// Session is the answer to signing in.
type Session struct {
	Person
	Token    string           `json:"token,omitempty"` // only where it has just been made
	Expires  time.Time        `json:"expires"`
	Language message.Language `json:"language,omitempty"` // that they chose to be spoken to in
	Browser  string           `json:"-"`                  // what the browser is known by from now on; its own cookie
	SignOn   bool             `json:"sign_on,omitempty"`  // by the company's provider
	SignOut  string           `json:"sign_out,omitempty"` // where to go to sign out there too
}

// Welcome is what a page may know before anyone has signed in.
type Welcome struct {
	Name     string   `json:"name,omitempty"` // the library's
	Zone     string   `json:"zone,omitempty"` // an IANA time zone: times are shown in it
	Setup    bool     `json:"setup"`          // there is no curator yet
	SignedIn bool     `json:"signed_in"`      // the caller is somebody already
	Demo     bool     `json:"demo"`
	Password string   `json:"password,omitempty"` // the demo's
	Accounts []Person `json:"accounts,omitempty"` // the demo's, one a role
	SignOn   string   `json:"sign_on,omitempty"`  // what the company's sign-on is called, if there is one
}

// Entry is one version of an entry, with what is known about it.
type Entry struct {
	Slug string `json:"slug"`
	entry.Content
	Owner      string        `json:"owner"`
	OwnerName  string        `json:"owner_name"`
	Measured   *MeasuredFrom `json:"measured,omitempty"`   // of a style that was submitted: what it was measured from
	Gone       []string      `json:"gone,omitempty"`       // applications and models that it is labelled with and that are gone, by their titles
	SetNewest  int           `json:"set_newest,omitempty"` // of a sheet: the newest version of its question set, where that is not the one it answers
	Deputy     string        `json:"deputy,omitempty"`
	DeputyName string        `json:"deputy_name,omitempty"`

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

	Seen entry.Digest `json:"seen,omitempty"` // in review or approved: names the text to whoever decides about it

	Department  string     `json:"department,omitempty"`  // a term
	Wanted      int        `json:"wanted,omitempty"`      // in review: how many approvals are missing
	PublishAt   *time.Time `json:"publish_at,omitempty"`  // when it is going to be published
	Unpublished string     `json:"unpublished,omitempty"` // why its publication was undone
	ReviewBy    string     `json:"review_by,omitempty"`   // on the shelf: the day by which it is looked at again
	Stale       bool       `json:"stale,omitempty"`       // that day is past
	Offer       *Offer     `json:"offer,omitempty"`

	Formerly    []string     `json:"formerly,omitempty"`     // slugs that it had
	Private     bool         `json:"private,omitempty"`      // its owner's alone
	Origin      *Origin      `json:"origin,omitempty"`       // of an entry that came of another
	Renditions  []Rendition  `json:"renditions,omitempty"`   // on the shelf: those that say the same, itself among them
	RenditionOf string       `json:"rendition_of,omitempty"` // a slug
	Published   int          `json:"published,omitempty"`    // the number of the published version
	Retired     *Retired     `json:"retired,omitempty"`      // of an entry that was taken off the shelf
	Open        int          `json:"open,omitempty"`         // the number of the open version, for those who may see it
	Asks        []fill.Blank `json:"asks,omitempty"`         // on the shelf: every blank to fill in, those of includes too
}

// Retired says why an entry is no longer on the shelf, and what to use instead.
type Retired struct {
	At      time.Time `json:"at"`
	By      string    `json:"by"`
	Because string    `json:"because"`
	Instead string    `json:"instead,omitempty"` // a slug
}

// Approval is one reviewer's word for a version.
type Approval struct {
	By      string    `json:"by"`
	Comment string    `json:"comment,omitempty"`
	At      time.Time `json:"at"`
	MadeBy  string    `json:"made_by,omitempty"` // who of the text's writers had lately made its giver's account, role or link
}

// Renaming is the slug that an entry gets.
type Renaming struct {
	Slug string `json:"slug"`
}

// NewEntry is a request to make an entry. An empty slug is made from the title.
type NewEntry struct {
	Slug string `json:"slug,omitempty"`
	entry.Content
	Owner  string `json:"owner,omitempty"`
	Deputy string `json:"deputy,omitempty"`

	RenditionOf string `json:"rendition_of,omitempty"` // a slug
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
	Picture     *entry.Picture      `json:"picture,omitempty"` // the first of it
	Passage     string              `json:"passage,omitempty"` // where the text says what was searched for
	Marks       []string            `json:"marks,omitempty"`   // words in title, summary and passage that were searched for
	Missing     []string            `json:"missing,omitempty"` // words that were searched for and that it has not
	Asks        []fill.Blank        `json:"asks,omitempty"`    // if they were asked for: every blank to fill in, those of includes too
}

// List is one page of entries.
type List struct {
	Items  []Item  `json:"items"`
	Total  int     `json:"total"`
	Facets []Facet `json:"facets"`
	Next   string  `json:"next,omitempty"` // the cursor of the next page

	Partial bool         `json:"partial,omitempty"` // nothing has all of the words: these have most of them
	Instead []Instead    `json:"instead,omitempty"` // what was taken for words that nothing has
	Note    message.Text `json:"note,omitzero"`     // what else is to be said of the search
}

// Instead is the word that was taken for one that nothing has.
type Instead struct {
	Typed string `json:"typed"`
	Taken string `json:"taken"`
}

// Searched is what somebody has searched for and not found.
type Searched struct {
	Words    string `json:"words"`
	Unopened bool   `json:"unopened,omitempty"` // something was found, and nothing of it opened
}

// MissedSearch is what was searched for and not found, how often, and on which day last.
type MissedSearch struct {
	Words string `json:"words"`
	Times int    `json:"times"`
	Last  string `json:"last"`
}

// MissedSearches are such, the most often first.
type MissedSearches struct {
	Items []MissedSearch `json:"items"`
}

// Items are entries, in an order that means something.
type Items struct {
	Items []Item `json:"items"`
}

// Facet is a dimension of labelling with its terms.
type Facet struct {
	Name        string   `json:"name"`
	Title       string   `json:"title"`
	Terms       []Term   `json:"terms"`
	Single      bool     `json:"single,omitempty"`       // an entry has one term of it at most
	Open        bool     `json:"open,omitempty"`         // contributors add terms too
	RequiredFor []string `json:"required_for,omitempty"` // kinds that are labelled in it
}

// FacetChange is what is to be changed of a facet; what is left out stays.
type FacetChange struct {
	Title       *string   `json:"title,omitempty"`
	Single      *bool     `json:"single,omitempty"`
	Open        *bool     `json:"open,omitempty"`
	RequiredFor *[]string `json:"required_for,omitempty"`
}

// Term is a value in a facet. Count is how many entries have it, or a term under it, given
// the rest of a query.
type Term struct {
	Name    string `json:"name"`
	Title   string `json:"title"`
	Count   int    `json:"count"`
	Under   string `json:"under,omitempty"`   // the term that it is a part of
	Retired bool   `json:"retired,omitempty"` // nobody chooses it any more
}

// FillRequest is what a published entry is filled with, and the stack it is
// used in. What is left out of the stack is as the entry recommends; "none"
// drops it, and another slug, with @ and a number if one version is meant,
// swaps it.
type FillRequest struct {
	Values  fill.Values `json:"values,omitempty"`
	Persona string      `json:"persona,omitempty"`
	Style   string      `json:"style,omitempty"`
	Sheets  []string    `json:"sheets,omitempty"` // ["none"] drops the recommended ones
	For     string      `json:"for,omitempty"`    // the application that it is for
	// Sketch asks for the text even where values are missing or do not hold:
	// the blank's name stands in their place, and the problems are in the answer.
	Sketch bool `json:"sketch,omitempty"`
	// Base asks for the entry itself, where a rendition would suit better.
	Base bool `json:"base,omitempty"`

	Languages string `json:"-"` // that the caller prefers: their browser or program says so
	// As asks for the text in other forms too: plain, html, messages.
	As []string `json:"as,omitempty"`
}

// Filled is a filled text: the layers of its stack, an empty line apart.
type Filled struct {
	Text     string            `json:"text"`
	Layers   []Layer           `json:"layers"`
	Spans    []fill.Span       `json:"spans"`
	Used     []Used            `json:"used"`
	Blanks   []fill.Blank      `json:"blanks,omitempty"`   // of a sketch: all that the stack asks for
	Problems []problem.Problem `json:"problems,omitempty"` // of a sketch
	Plain    string            `json:"plain,omitempty"`    // without the signs of Markdown, if it was asked for
	HTML     string            `json:"html,omitempty"`     // a fragment, if it was asked for
	Messages []Message         `json:"messages,omitempty"` // if they were asked for
	// Of an application with a layout: the form that it wants, the boxes, and what is in none.
	As    string      `json:"as,omitempty"`
	Boxes []FilledBox `json:"boxes,omitempty"`
	Left  []string    `json:"left,omitempty"`
}

// Message is a part of a talk with a model.
type Message struct {
	Role    string `json:"role"` // system, or user
	Content string `json:"content"`
}

// Layer is what one entry of a stack gave: bytes of the text.
type Layer struct {
	fill.Ref
	Kind  entry.Kind `json:"kind"`
	Title string     `json:"title"`
	Start int        `json:"start"`
	End   int        `json:"end"`
}

// Used is a version that went into a text.
type Used struct {
	fill.Ref
	Kind  entry.Kind `json:"kind"`
	Title string     `json:"title"`
}

// Uses lists what uses an entry, direct users first.
type Uses struct {
	Items []User `json:"items"`
}

// User is a version that uses an entry. How is include, persona, style, sheet
// or step, and empty where it uses the entry only through others. Follows says
// that a newly published version changes it.
type User struct {
	Slug      string      `json:"slug"`
	Kind      entry.Kind  `json:"kind"`
	Title     string      `json:"title"`
	Version   int         `json:"version"`
	State     entry.State `json:"state"`
	OwnerName string      `json:"owner_name"`
	How       string      `json:"how,omitempty"`
	Pinned    int         `json:"pinned,omitempty"`
	Through   []string    `json:"through"`
	Follows   bool        `json:"follows"`
}

// Effect is what publishing an open version does to one of its users: its text
// with sample values, before and after.
type Effect struct {
	Slug     string            `json:"slug"`
	Title    string            `json:"title"`
	Before   string            `json:"before"`
	After    string            `json:"after"`
	Problems []problem.Problem `json:"problems,omitempty"` // what keeps it from being filled afterwards
}

// PreviewRequest is a text that is not saved, and values for its blanks.
type PreviewRequest struct {
	Slug     string `json:"slug,omitempty"` // of the entry it belongs to, if it does
	Body     string `json:"body"`
	Plain    bool   `json:"plain,omitempty"`
	Language string `json:"language,omitempty"`
	// Of a sheet: the question set that it answers, as audience@2, and its answers.
	Set     string        `json:"set,omitempty"`
	Answers sheet.Answers `json:"answers,omitempty"`
	Blanks  []fill.Blank  `json:"blanks,omitempty"`
	Values  fill.Values   `json:"values,omitempty"`
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

// KindOutline is a kind with the headings that it expects.
type KindOutline struct {
	Kind    entry.Kind      `json:"kind"`
	Outline []entry.Heading `json:"outline"`
}

// Rule is one rule of the checks, as it comes.
type Rule struct {
	ID       string         `json:"id"`
	Severity check.Severity `json:"severity"`
	About    message.Text   `json:"about"`
	Library  bool           `json:"library,omitempty"`
}

// Policy is the policy in force about checks, and who set it.
type Policy struct {
	check.Policy
	Number int        `json:"number"`
	SetBy  string     `json:"set_by,omitempty"`
	SetAt  *time.Time `json:"set_at,omitempty"`
}

// Checked is what the checks find in an entry, stops first.
type Checked struct {
	Findings []check.Finding `json:"findings"`
	Passed   int             `json:"passed"` // how many rules found nothing
	Parts    []check.Anatomy `json:"parts"`  // of a prompt: what shows each of its parts
	Words    int             `json:"words"`
	Tokens   int             `json:"tokens"` // estimated, give or take 25 %
}

// Note, Approving, Reason and Retirement are the texts that come with actions.
type (
	Note struct {
		Note    string  `json:"note"`
		Settles []int64 `json:"settles,omitempty"` // reports that the version settles once it is published
	}
	Approving struct {
		Comment string `json:"comment,omitempty"`
	}
	Reason struct {
		Because string `json:"because"`
	}
	Retirement struct {
		Because string `json:"because"`
		Instead string `json:"instead,omitempty"`
	}
)

// Problem is an answer that something went wrong, as RFC 9457 has it.
type Problem struct {
	Type     string            `json:"type"`
	Title    message.Text      `json:"title"`
	Status   int               `json:"status"`
	Detail   message.Text      `json:"detail"`
	Instance string            `json:"instance,omitempty"` // with the id that the service's log has of the request
	Problems []problem.Problem `json:"problems,omitempty"`
	Actions  []entry.Action    `json:"actions,omitempty"` // what is possible instead
	ETag     string            `json:"etag,omitempty"`    // of the newer version, with 412
	Instead  string            `json:"instead,omitempty"` // with 410: the slug to use instead
}

// OutlineRequest is a text to take apart, of an entry of a kind. Add is the title of a
// part that is to be added where the kind's outline has it.
type OutlineRequest struct {
	Body string     `json:"body"`
	Kind entry.Kind `json:"kind,omitempty"`
	Add  string     `json:"add,omitempty"`
}

// Outline is a text taken apart at the headings of its outline. Joined again, headings
// and texts are the text, byte for byte.
type Outline struct {
	Parts []OutlinePart `json:"parts"`
}

// OutlinePart is a heading as it is written, and all below it. The first may have none.
type OutlinePart struct {
	Title   string `json:"title"`
	Heading string `json:"heading"`
	Text    string `json:"text"`
}

package api

import (
	"time"

	"goldshelf/core/change"
	"goldshelf/core/entry"
	"goldshelf/core/message"
)

// Versions is a page of an entry's history, newest first.
type Versions struct {
	Items     []Entry            `json:"items"`
	Next      string             `json:"next,omitempty"`
	Helped    []Helped           `json:"helped,omitempty"`    // models, with the versions of this page
	Elsewhere []ElsewhereVersion `json:"elsewhere,omitempty"` // with the first page, for those who may see drafts
}

// Helped is a model that helped with a version.
type Helped struct {
	Version int       `json:"version"`
	Model   string    `json:"model"`
	Helper  string    `json:"helper"` // the prompt and its version, as improve-a-prompt@2
	By      string    `json:"by,omitempty"`
	At      time.Time `json:"at"`
}

// ElsewhereVersion is what a version was in the library that an entry came from. Its
// people are of that one, and nothing of it counts here.
type ElsewhereVersion struct {
	Version     int         `json:"version"`
	State       entry.State `json:"state"`
	Note        string      `json:"note,omitempty"`
	Author      string      `json:"author,omitempty"`
	Approvals   []Approval  `json:"approvals,omitempty"`
	PublishedBy string      `json:"published_by,omitempty"`
	PublishedAt *time.Time  `json:"published_at,omitempty"`
	SavedAt     time.Time   `json:"saved_at"`
}

// Diff is what differs between two versions. Filled compares what a colleague
// gets of either with the same values.
type Diff struct {
	Slug   string         `json:"slug"`
	From   int            `json:"from"`
	To     int            `json:"to"`
	Fields []change.Field `json:"fields"`
	Lines  []change.Line  `json:"lines"`
	Filled []change.Line  `json:"filled"`
}

// Desk is a page of what waits for the caller, in the order of need.
type Desk struct {
	Items  []DeskItem     `json:"items"`
	Total  int            `json:"total"`
	Counts map[string]int `json:"counts"` // by what waits
	Unread int            `json:"unread"` // news
	Next   string         `json:"next,omitempty"`
}

// DeskItem is one thing that waits, with the action that it needs: one of the life
// cycle, accept for an entry that is offered, or transfer for one whose owner has left.
type DeskItem struct {
	Item
	Action entry.Action `json:"action"`
	Waits  string       `json:"waits"` // what it is: failed, offered, overdue, review, …
	Why    message.Text `json:"why"`   // in words
	Since  time.Time    `json:"since"`
	Seen   entry.Digest `json:"seen,omitempty"` // to review or to publish: names the text
	By     string       `json:"by"`             // whose doing it waits for
}

// PublishRequest is when a version is to be published; without a time it is now.
type PublishRequest struct {
	At *time.Time `json:"at,omitempty"`
}

// PublishTogether is what is to be published as one, and when.
type PublishTogether struct {
	Entries []SeenEntry `json:"entries"`
	At      *time.Time  `json:"at,omitempty"`
}

// SeenEntry is an entry with the text of it that its reader decides about.
type SeenEntry struct {
	Slug string       `json:"slug"`
	Seen entry.Digest `json:"seen"`
}

// Published is what was published as one or, with a time, is going to be.
type Published struct {
	ID    string     `json:"id,omitempty"` // of what waits for its time
	At    *time.Time `json:"at,omitempty"`
	Items []Entry    `json:"items"`
}

// Publications is what waits for its time, and what failed at it.
type Publications struct {
	Items []Publication `json:"items"`
}

// Publication is what is published at a time, together. Failed says why it was not.
type Publication struct {
	ID     string       `json:"id"`
	At     time.Time    `json:"at"`
	Slugs  []string     `json:"slugs"`
	SetBy  string       `json:"set_by"`
	SetAt  time.Time    `json:"set_at"`
	Failed message.Text `json:"failed,omitzero"`
}

// People lists everyone in the library.
type People struct {
	Items []Colleague `json:"items"`
}

// Colleague is a person, with what the library needs to know to ask them. Away
// are the first and the last day of an absence, as 2006-01-02.
type Colleague struct {
	Person
	Active    bool             `json:"active"`
	Language  message.Language `json:"language,omitempty"` // that they chose to be spoken to in
	AwayFrom  string           `json:"away_from,omitempty"`
	AwayUntil string           `json:"away_until,omitempty"`
	Owns      int              `json:"owns"` // entries
}

// PersonChange is what changes of a person; what is left out stays. An empty
// away_from and away_until end an absence, and an empty language is no choice of one.
type PersonChange struct {
	FullName   *string           `json:"full_name,omitempty"`
	Department *string           `json:"department,omitempty"`
	Role       *entry.Role       `json:"role,omitempty"`
	Active     *bool             `json:"active,omitempty"`
	AwayFrom   *string           `json:"away_from,omitempty"`
	AwayUntil  *string           `json:"away_until,omitempty"`
	Language   *message.Language `json:"language,omitempty"`
}

// Transfer says who is to answer for an entry, or for all of a person's.
type Transfer struct {
	To string `json:"to"`
}

// Transferred is what became of a transfer: done by a curator's word, or offered
// to the new owner.
type Transferred struct {
	Done    []string `json:"done"`    // slugs
	Offered []string `json:"offered"` // slugs
}

// TransferMany says which entries somebody else is to answer for and, to have it done, by its
// digest what was shown of it.
type TransferMany struct {
	Slugs  []string `json:"slugs"`
	To     string   `json:"to"` // a sign-in name
	Digest string   `json:"digest,omitempty"`
}

// TransferPlan is what would be transferred, entry by entry.
type TransferPlan struct {
	Items  []TransferItem `json:"items"`
	Same   int            `json:"same"` // how many they answer for already
	Digest string         `json:"digest"`
}

// TransferItem is an entry that would be transferred, or offered to who has to accept it.
type TransferItem struct {
	Slug    string `json:"slug"`
	Title   string `json:"title"`
	Owner   string `json:"owner"` // as yet
	Offered bool   `json:"offered"`
}

// Owners is who stands in for an entry's owner, and the department it belongs to;
// what is left out stays, and an empty deputy is none.
type Owners struct {
	Deputy     *string `json:"deputy,omitempty"`
	Department *string `json:"department,omitempty"`
}

// Offer is an entry's way to a new owner, who has not answered yet.
type Offer struct {
	To string    `json:"to"`
	By string    `json:"by"`
	At time.Time `json:"at"`
}

// Ownership is what belongs to each department, in figures.
type Ownership struct {
	Items []DepartmentFigures `json:"items"`
}

// DepartmentFigures counts a department's entries.
type DepartmentFigures struct {
	Department string `json:"department"` // empty for entries of none
	Title      string `json:"title"`
	Entries    int    `json:"entries"`
	Published  int    `json:"published"`
	Open       int    `json:"open"`  // with an open version
	Stale      int    `json:"stale"` // to be looked at again
	Orphans    int    `json:"orphans"`
	NoDeputy   int    `json:"no_deputy"`
	Owners     int    `json:"owners"`
}

// Comments is what was said about an entry up to a version, by threads.
type Comments struct {
	Version int       `json:"version"`
	Items   []Comment `json:"items"`
}

// Comment is what someone said about a version, with what was answered.
type Comment struct {
	ID        int64           `json:"id"`
	Version   int             `json:"version"` // on which it was said
	By        string          `json:"by"`
	ByName    string          `json:"by_name"`
	At        time.Time       `json:"at"`
	Text      string          `json:"text"`
	Passage   *CommentPassage `json:"passage,omitempty"`
	SettledAt *time.Time      `json:"settled_at,omitempty"`
	SettledBy string          `json:"settled_by,omitempty"`
	Answers   []Comment       `json:"answers"`
}

// CommentPassage is what a comment is about, and what has become of it in the
// version that is read: bytes of its body, and whether they are the same, changed
// or removed.
type CommentPassage struct {
	Exact string    `json:"exact"`
	Start int       `json:"start"`
	End   int       `json:"end"`
	Now   change.Op `json:"now"`
}

// NewComment is something to say about a version (0 is the newest), about bytes of
// its body, or in answer to a comment that begins a thread.
type NewComment struct {
	Text     string `json:"text"`
	Version  int    `json:"version,omitempty"`
	Start    int    `json:"start,omitempty"`
	End      int    `json:"end,omitempty"`
	AnswerTo int64  `json:"answer_to,omitempty"`
}

// Annotated is a version's text line by line.
type Annotated struct {
	Version int             `json:"version"`
	Items   []AnnotatedLine `json:"items"`
}

// AnnotatedLine is a line with the version in which it first stood as it is.
type AnnotatedLine struct {
	Text    string    `json:"text"`
	Version int       `json:"version"`
	Author  string    `json:"author"`
	Note    string    `json:"note,omitempty"`
	At      time.Time `json:"at"`
}

// Audit is a page of the record of changes, the newest first.
type Audit struct {
	Items []Record `json:"items"`
	Next  string   `json:"next,omitempty"`
}

// Record is one change: who did what, to which version, when and through what.
// Hash is of the record and of Previous, the hash of the one before it.
type Record struct {
	Number   int64          `json:"number"`
	At       time.Time      `json:"at"`
	By       string         `json:"by,omitempty"` // a sign-in name; without one it was the service itself
	ByName   string         `json:"by_name,omitempty"`
	Via      string         `json:"via"`
	Action   string         `json:"action"`
	Slug     string         `json:"slug,omitempty"`
	Version  int            `json:"version,omitempty"`
	Detail   map[string]any `json:"detail"`
	Previous string         `json:"previous"`
	Hash     string         `json:"hash"`
}

// Verified says how the record of changes stands. Head is its last number and
// hash, to be kept elsewhere: a later verification can be held against it.
type Verified struct {
	Records int64  `json:"records"`
	Head    string `json:"head"`
	// Nameless is how many records said the name of someone who was deleted since: what is left
	// of them a later record vouches for.
	Nameless int64 `json:"nameless,omitempty"`

	Broken int64        `json:"broken,omitempty"` // the number of the first record that does not hold
	Why    message.Text `json:"why,omitzero"`
	HeadIn *bool        `json:"head_in,omitempty"` // of a head that was asked about: whether it is in the chain
}

// Bulk is an action that is to be taken on many entries and, to have it done, by its digest
// what was shown of it. Because is for retire and unpublish, Instead for retire, Note for
// submit and renew.
type Bulk struct {
	Action  entry.Action `json:"action"`
	Slugs   []string     `json:"slugs"`
	Note    string       `json:"note,omitempty"`
	Because string       `json:"because,omitempty"`
	Instead string       `json:"instead,omitempty"` // a slug
	Digest  string       `json:"digest,omitempty"`
}

// BulkAction is an action that can be taken on many entries, and the one that undoes it.
type BulkAction struct {
	Action, Undo entry.Action
}

// BulkPlan is what an action on many entries would do.
type BulkPlan struct {
	Items  []BulkItem `json:"items"`
	Left   []BulkLeft `json:"left"` // as they are
	Digest string     `json:"digest"`
}

// BulkItem is an entry that the action would be taken on, as it stands.
type BulkItem struct {
	Slug    string       `json:"slug"`
	Title   string       `json:"title"`
	Version int          `json:"version"`
	State   entry.State  `json:"state"`
	Seen    entry.Digest `json:"seen"` // names the text
}

// BulkLeft is an entry that the action cannot be taken on, and why not.
type BulkLeft struct {
	Slug  string       `json:"slug"`
	Title string       `json:"title"`
	Why   message.Text `json:"why"`
}

// BulkDone is what was done to many entries, and the action that undoes it, if one does.
type BulkDone struct {
	Done []string     `json:"done"` // slugs
	Left []BulkLeft   `json:"left"`
	Undo entry.Action `json:"undo,omitempty"`
}

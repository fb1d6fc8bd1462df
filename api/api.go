// Package api holds the contract of the service: openapi.yaml, and the values
// that travel as JSON, which the service writes and the client reads.
package api

import (
	_ "embed"
	"time"

	"goldshelf/core/bundle"
	"goldshelf/core/change"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/places"
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

	Department string     `json:"department,omitempty"` // a term
	Wanted     int        `json:"wanted,omitempty"`     // in review: how many approvals are missing
	PublishAt  *time.Time `json:"publish_at,omitempty"` // when it is going to be published
	TakenBack  string     `json:"taken_back,omitempty"` // why its publication was taken back
	ReviewBy   string     `json:"review_by,omitempty"`  // on the shelf: the day by which it is looked at again
	Stale      bool       `json:"stale,omitempty"`      // that day is past
	Offer      *Offer     `json:"offer,omitempty"`

	Published int          `json:"published,omitempty"` // the number of the published version
	Retired   *Retired     `json:"retired,omitempty"`   // of an entry that was taken off the shelf
	Open      int          `json:"open,omitempty"`      // the number of the open version, for those who may see it
	Asks      []fill.Blank `json:"asks,omitempty"`      // on the shelf: every blank to fill in, those of includes too
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

// FillRequest is what a published entry is filled with, and the stack it is
// used in. What is left out of the stack is as the entry recommends; "none"
// drops it, and another slug, with @ and a number if one version is meant,
// swaps it.
type FillRequest struct {
	Values  fill.Values `json:"values,omitempty"`
	Persona string      `json:"persona,omitempty"`
	Style   string      `json:"style,omitempty"`
	Sheets  []string    `json:"sheets,omitempty"` // ["none"] drops the recommended ones
	// Sketch asks for the text even where values are missing or do not hold:
	// the blank's name stands in their place, and the problems are in the answer.
	Sketch bool `json:"sketch,omitempty"`
}

// Filled is a filled text: the layers of its stack, an empty line apart.
type Filled struct {
	Text     string            `json:"text"`
	Layers   []Layer           `json:"layers"`
	Spans    []fill.Span       `json:"spans"`
	Used     []Used            `json:"used"`
	Blanks   []fill.Blank      `json:"blanks,omitempty"`   // of a sketch: all that the stack asks for
	Problems []problem.Problem `json:"problems,omitempty"` // of a sketch
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

// KindOutline is a kind with the headings that it expects.
type KindOutline struct {
	Kind    entry.Kind      `json:"kind"`
	Outline []entry.Heading `json:"outline"`
}

// Rule is one rule of the checks, as it comes.
type Rule struct {
	ID       string         `json:"id"`
	Severity check.Severity `json:"severity"`
	About    string         `json:"about"`
	Library  bool           `json:"library,omitempty"`
}

// TextOf is a text, and the slug of the entry that it belongs to, if it does.
type TextOf struct {
	Slug string `json:"slug,omitempty"`
	Body string `json:"body"`
}

// TextRead is what can be said of a text that was pasted.
type TextRead struct {
	Title   string         `json:"title"` // suggested; empty where nothing can be
	Summary string         `json:"summary"`
	Places  []places.Place `json:"places"` // where it seems to wait for something
	Alike   []LookAlike    `json:"alike"`
}

// TurnRequest asks for places of a text to be made blanks.
type TurnRequest struct {
	Body   string         `json:"body"`
	Places []places.Place `json:"places"`
}

// Turned is a text in which places have become blanks.
type Turned struct {
	Body   string       `json:"body"`
	Blanks []fill.Blank `json:"blanks"`
}

// Alike lists the entries that are like a text, the likest first.
type Alike struct {
	Items []LookAlike `json:"items"`
}

// LookAlike is an entry that says nearly what a text says. Its three shares are
// in percent: of all that either says, of what the entry says that is in the
// text, and of what the text says that is in the entry.
type LookAlike struct {
	Slug      string      `json:"slug"`
	Kind      entry.Kind  `json:"kind"`
	Title     string      `json:"title"`
	Version   int         `json:"version"`
	State     entry.State `json:"state"`
	OwnerName string      `json:"owner_name"`
	Likeness  int         `json:"likeness"`
	Contains  int         `json:"contains"`
	Contained int         `json:"contained"`
	Body      string      `json:"body"`
	Passages  []Passage   `json:"passages"` // in common
}

// Passage is a stretch in common: bytes of the text, and of the entry's body.
type Passage struct {
	Start      int `json:"start"`
	End        int `json:"end"`
	OtherStart int `json:"other_start"`
	OtherEnd   int `json:"other_end"`
}

// Groups lists entries that say nearly the same. The shares of each are those
// with the first of its group.
type Groups struct {
	Groups []Group `json:"groups"`
}

// Group is some entries that say nearly the same.
type Group struct {
	Items []LookAlike `json:"items"`
}

// Recurring lists passages that several entries have.
type Recurring struct {
	Passages []RecurringPassage `json:"passages"`
}

// RecurringPassage is a passage that could be a snippet.
type RecurringPassage struct {
	Text  string `json:"text"`
	Words int    `json:"words"`
	In    []Used `json:"in"`
}

// Beginnings are what a new entry can begin with.
type Beginnings struct {
	Starters []Starter `json:"starters"`
	Helpers  []Item    `json:"helpers"` // published prompts that write prompts
}

// Starter is what a new entry begins with in a department.
type Starter struct {
	Department string        `json:"department"`
	Content    entry.Content `json:"content"`
}

// Helper says whether a prompt is one that writes prompts.
type Helper struct {
	Helper bool `json:"helper"`
}

// PlanState is what would become of an entry that comes in.
type PlanState string

// The states of a planned entry.
const (
	PlanNew        PlanState = "new"
	PlanChanged    PlanState = "changed"
	PlanSame       PlanState = "same"
	PlanAlikeState PlanState = "alike" // new, and like one that is here
	PlanClash      PlanState = "clash" // its history and ours have gone apart
	PlanWrong      PlanState = "wrong"
)

// Plan says of every entry of an import what would become of it. Digest stands
// for the plan when it is carried out.
type Plan struct {
	ID       string            `json:"id"`
	Name     string            `json:"name"`
	Digest   string            `json:"digest"`
	Reading  bundle.Reading    `json:"reading"`
	Columns  []Column          `json:"columns,omitempty"`   // of a table
	NewTerms []string          `json:"new_terms,omitempty"` // labels that the library would learn
	Counts   map[PlanState]int `json:"counts"`
	Items    []PlanItem        `json:"items"`
}

// Column is a column of a table with what it holds, or nothing.
type Column struct {
	Heading string `json:"heading"`
	Holds   string `json:"holds"`
}

// PlanItem is one entry of a plan.
type PlanItem struct {
	Number   int          `json:"number"`
	Where    string       `json:"where"` // the file or row
	Slug     string       `json:"slug"`
	Kind     entry.Kind   `json:"kind"`
	Title    string       `json:"title"`
	Note     string       `json:"note,omitempty"`
	State    PlanState    `json:"state"`
	Take     bool         `json:"take"` // unless it is chosen otherwise
	On       int          `json:"on,omitempty"`
	Alike    []PlanAlike  `json:"alike"`
	Places   int          `json:"places,omitempty"` // to fill in, marked in other ways than ours
	Problems problem.List `json:"problems,omitempty"`
}

// PlanAlike is an entry that a new one is like: one that is here, or one that
// comes in with it.
type PlanAlike struct {
	Slug     string `json:"slug"`
	Title    string `json:"title"`
	Likeness int    `json:"likeness"` // percent
	Incoming bool   `json:"incoming,omitempty"`
}

// PlanDifference is an entry as a file, as it comes in and as it is here.
type PlanDifference struct {
	Incoming string         `json:"incoming"`
	Slug     string         `json:"slug,omitempty"` // of the one that is here: its own, or of the one that it is like
	Here     string         `json:"here"`
	Places   []places.Place `json:"places"`           // of the text that comes in
	Turned   string         `json:"turned,omitempty"` // that text with blanks in their place
}

// PlanReading reads an import in another way, and keeps that way under a name.
type PlanReading struct {
	Reading bundle.Reading `json:"reading"`
	KeepAs  string         `json:"keep_as,omitempty"`
}

// Doing is what is done with a planned entry.
type Doing string

// What can be done with a planned entry.
const (
	TakeIt Doing = "take"
	Skip   Doing = "skip"
	Both   Doing = "both" // keep ours, and theirs under another slug
)

// Choice says what is to become of one planned entry.
type Choice struct {
	Number int    `json:"number"`
	Do     Doing  `json:"do"`
	Slug   string `json:"slug,omitempty"` // for both
	Turn   bool   `json:"turn,omitempty"` // make blanks of its places
}

// TakeRequest carries a plan out.
type TakeRequest struct {
	Digest  string   `json:"digest"`
	Choices []Choice `json:"choices,omitempty"`
	Turn    bool     `json:"turn,omitempty"` // make blanks of the places of all that is taken
}

// Taken is what an import did.
type Taken struct {
	Made    []string `json:"made"`
	Changed []string `json:"changed"`
	Skipped int      `json:"skipped"`
}

// Progress is how far an import is.
type Progress struct {
	Done int `json:"done"`
	All  int `json:"all"` // 0 where none is under way
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
		Note string `json:"note"`
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

// Versions is a page of an entry's history, newest first.
type Versions struct {
	Items []Entry `json:"items"`
	Next  string  `json:"next,omitempty"`
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
// cycle, accept for an entry that is offered, or hand-over for one whose owner has left.
type DeskItem struct {
	Item
	Action entry.Action `json:"action"`
	Waits  string       `json:"waits"` // what it is: failed, offered, overdue, review, …
	Why    string       `json:"why"`   // in words
	Since  time.Time    `json:"since"`
	By     string       `json:"by"` // whose doing it waits for
}

// PublishRequest is when a version is to be published; without a time it is now.
type PublishRequest struct {
	At *time.Time `json:"at,omitempty"`
}

// PublishTogether is what is to be published as one, and when.
type PublishTogether struct {
	Slugs []string   `json:"slugs"`
	At    *time.Time `json:"at,omitempty"`
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
	ID     string    `json:"id"`
	At     time.Time `json:"at"`
	Slugs  []string  `json:"slugs"`
	SetBy  string    `json:"set_by"`
	SetAt  time.Time `json:"set_at"`
	Failed string    `json:"failed,omitempty"`
}

// People lists everyone in the library.
type People struct {
	Items []Colleague `json:"items"`
}

// Colleague is a person, with what the library needs to know to ask them. Away
// are the first and the last day of an absence, as 2006-01-02.
type Colleague struct {
	Person
	Active    bool   `json:"active"`
	AwayFrom  string `json:"away_from,omitempty"`
	AwayUntil string `json:"away_until,omitempty"`
	Owns      int    `json:"owns"` // entries
}

// NewColleague is a person to add. Without a password they cannot sign in.
type NewColleague struct {
	Person
	Password string `json:"password,omitempty"`
}

// PersonChange is what changes of a person; what is left out stays. An empty
// away_from and away_until end an absence.
type PersonChange struct {
	FullName   *string     `json:"full_name,omitempty"`
	Department *string     `json:"department,omitempty"`
	Role       *entry.Role `json:"role,omitempty"`
	Active     *bool       `json:"active,omitempty"`
	AwayFrom   *string     `json:"away_from,omitempty"`
	AwayUntil  *string     `json:"away_until,omitempty"`
	Password   *string     `json:"password,omitempty"`
}

// HandOver says who is to answer for an entry, or for all of a person's.
type HandOver struct {
	To string `json:"to"`
}

// HandedOver is what became of a hand-over: done by a curator's word, or offered
// to the new owner.
type HandedOver struct {
	Done    []string `json:"done"`    // slugs
	Offered []string `json:"offered"` // slugs
}

// Keepers is who stands in for an entry's owner, and the department it belongs to;
// what is left out stays, and an empty deputy is none.
type Keepers struct {
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

// Lines is a version's text line by line.
type Lines struct {
	Version int          `json:"version"`
	Items   []LineOrigin `json:"items"`
}

// LineOrigin is a line with the version in which it first stood as it is.
type LineOrigin struct {
	Text    string    `json:"text"`
	Version int       `json:"version"`
	Author  string    `json:"author"`
	Note    string    `json:"note,omitempty"`
	At      time.Time `json:"at"`
}

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
	Number  int64      `json:"number"`
	At      time.Time  `json:"at"`
	ByName  string     `json:"by_name,omitempty"`
	Action  string     `json:"action"`
	Slug    string     `json:"slug"`
	Kind    entry.Kind `json:"kind"`
	Title   string     `json:"title"`
	Version int        `json:"version,omitempty"`
	Why     string     `json:"why,omitempty"` // the note or the reason that came with it
	Unread  bool       `json:"unread"`
}

// ReadUpTo says that everything up to a number has been read.
type ReadUpTo struct {
	Number int64 `json:"number"`
}

// Feed is the private address of the caller's Atom feed. It is shown once.
type Feed struct {
	Address string `json:"address"`
}

// Hooks lists the channels that are told of what happens.
type Hooks struct {
	Items []Hook `json:"items"`
}

// Hook is a channel. Secret is shown once, when it is made.
type Hook struct {
	ID          int64     `json:"id"`
	Title       string    `json:"title"`
	URL         string    `json:"url"`
	Secret      string    `json:"secret,omitempty"`
	Actions     []string  `json:"actions"`     // empty is all that is told
	Departments []string  `json:"departments"` // empty is all
	Active      bool      `json:"active"`
	SetBy       string    `json:"set_by"`
	SetAt       time.Time `json:"set_at"`
	Waiting     int       `json:"waiting"`
	GivenUp     int       `json:"given_up"`
}

// NewHook is a channel to make or to change.
type NewHook struct {
	Title       string   `json:"title"`
	URL         string   `json:"url"`
	Actions     []string `json:"actions,omitempty"`
	Departments []string `json:"departments,omitempty"`
	Paused      bool     `json:"paused,omitempty"`
}

// Deliveries is a page of what a channel was and is to be told, the newest first.
type Deliveries struct {
	Items []Delivery `json:"items"`
	Next  string     `json:"next,omitempty"`
}

// Delivery is the telling of one event to one channel. State is waiting, sending,
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
	Broken  int64  `json:"broken,omitempty"` // the number of the first record that does not hold
	Why     string `json:"why,omitempty"`
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
	Instead  string            `json:"instead,omitempty"` // with 410: the slug to use instead
}

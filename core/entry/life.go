package entry

import (
	"errors"
	"slices"
	"strings"
	"time"

	"goldshelf/core/message"
)

// State is where a version stands.
type State string

// The states of a version. None stands for an entry without an open version.
const (
	None       State = ""
	Draft      State = "draft"
	InReview   State = "in-review"
	Approved   State = "approved"
	Published  State = "published"
	Superseded State = "superseded"
	Retired    State = "retired"
)

// Open says whether a version in this state is still to be published.
func (s State) Open() bool { return s == Draft || s == InReview || s == Approved }

// shelved says whether a version in this state is the one that its entry is
// known by on the shelf, or was when it was retired.
func (s State) shelved() bool { return s == Published || s == Retired }

// Words is the state as people read it.
func (s State) Words() string {
	if s == None {
		return "without an open version"
	}
	return strings.ReplaceAll(string(s), "-", " ")
}

// Said gives the words of a state.
func (s State) Said() message.Text { return message.Plain(s.Words()) }

// Role is what a person may do at most.
type Role string

// Said gives the word for a role.
func (r Role) Said() message.Text { return message.Plain(string(r)) }

// The roles, from the one that may least.
const (
	Reader      Role = "reader"
	Contributor Role = "contributor"
	Reviewer    Role = "reviewer"
	Curator     Role = "curator"
)

// Roles lists the roles from the one that may least.
func Roles() []Role { return []Role{Reader, Contributor, Reviewer, Curator} }

// Includes says whether r may do all that other may.
func (r Role) Includes(other Role) bool {
	return slices.Index(Roles(), r) >= slices.Index(Roles(), other)
}

// Action is a step in a version's life.
type Action string

// The actions on a version.
const (
	Begin    Action = "begin"    // start the next version as a draft
	Save     Action = "save"     // change the draft
	Submit   Action = "submit"   // ask for a review
	Withdraw Action = "withdraw" // take the question back
	Approve  Action = "approve"
	Return   Action = "return" // give it back with a reason
	Publish  Action = "publish"
	Retire   Action = "retire"  // take the entry off the shelf
	Restore  Action = "restore" // put it back

	Renew     Action = "renew"     // it was looked at again, and stays
	Unpublish Action = "unpublish" // undo a publication that was a mistake
)

// What happens to an entry itself, and not to one of its versions.
const (
	Transfer Action = "transfer" // to another owner
	Accept   Action = "accept"   // what another would transfer
	Answer   Action = "answer"   // a comment

	AnswerReport    Action = "answer-report"    // what somebody said of how it went
	StocktakeReport Action = "stocktake-report" // was made; it is of no entry
	Thank           Action = "thanks"           // somebody whose entries others use; of no entry either
	Compare         Action = "compare"          // with where it came from, which has moved on
)

// Recorded is the action's word in the record of changes and in the events that
// channels hear of. Those are out in the world, so they keep the words that they had
// first.
func (a Action) Recorded() string {
	switch a {
	case Renew:
		return "still-good"
	case Unpublish:
		return "take-back"
	case Transfer:
		return "hand-over"
	}
	return string(a)
}

// Told says of an action as it is recorded whether people and channels are told of it,
// and if so whether everyone is or only those who may see drafts.
func Told(recorded string) (forAll, told bool) {
	switch {
	case slices.Contains(ToldToAll(), recorded):
		return true, true
	case recorded == string(StocktakeReport), recorded == string(Thank):
		return true, true
	case recorded == Return.Recorded():
		return false, true
	}
	return false, false
}

// ToldToChannels gives the recorded actions on entries that a channel is told of, all or some.
func ToldToChannels() (actions []string) {
	for _, a := range []Action{Publish, Retire, Restore, Return, Unpublish} {
		actions = append(actions, a.Recorded())
	}
	return actions
}

// ToldToAll gives the recorded actions that everyone who follows an entry is told of.
func ToldToAll() (actions []string) {
	for _, a := range []Action{Publish, Retire, Restore, Unpublish, AnswerReport} {
		actions = append(actions, a.Recorded())
	}
	return actions
}

// UnpublishWithin is for how long a publication can be undone.
const UnpublishWithin = 15 * time.Minute

// OnShelf says whether the action is on what is on the shelf, and not on the
// open version.
func (a Action) OnShelf() bool {
	return a == Retire || a == Restore || a == Renew || a == Unpublish
}

// tie is what an actor must have to do with an entry.
type tie int

const (
	anyone  tie = iota
	answers     // its owner or deputy, or a curator
	another     // has written none of the version's text
)

// Transition is one row of the life cycle: who may take a version from which
// state to which.
type Transition struct {
	Action Action
	From   State
	To     State
	Role   Role // the least role that may
	tie    tie
	Needs  string // the text that must come with it: "note" or "because"
}

// Who says in words who may take the transition.
func (t Transition) Who() message.Text {
	switch t.tie {
	case answers:
		return message.Say("its owner, its deputy or a curator")
	case another:
		return message.Say("a reviewer or curator who wrote none of it")
	}
	return message.Say("a %s", t.Role)
}

// Life is the life cycle of a version. The service, the API's actions, the
// console's buttons and the guides all follow this table.
func Life() []Transition {
	return []Transition{
		{Begin, None, Draft, Contributor, answers, ""},
		{Save, Draft, Draft, Contributor, answers, ""},
		{Submit, Draft, InReview, Contributor, answers, "note"},
		{Withdraw, InReview, Draft, Contributor, answers, ""},
		{Approve, InReview, Approved, Reviewer, another, ""},
		{Return, InReview, Draft, Reviewer, anyone, "because"},
		{Return, Approved, Draft, Reviewer, anyone, "because"},
		{Publish, Approved, Published, Curator, anyone, ""},
		{Retire, Published, Retired, Curator, anyone, "because"},
		{Restore, Retired, Published, Curator, anyone, ""},
		{Renew, Published, Published, Contributor, answers, ""},
		{Unpublish, Published, Superseded, Curator, anyone, "because"},
	}
}

// Actor is a person who wants to act.
type Actor struct {
	ID   int64
	Role Role
}

// Status is what the life cycle needs to know of an entry: its open
// version's state (None without one) and the people tied to it.
type Status struct {
	Slug    string
	Version int // the open version's number; 0 without one
	State   State
	Shelf   State // Published, Retired, or None where nothing was ever published
	Owner   int64
	Deputy  int64   // 0 without one
	Writers []int64 // who wrote any of the open version's text

	Private bool // it is its owner's alone

	Approvers []int64 // who has approved the open version
	Lately    bool    // what is on the shelf was published within UnpublishWithin
}

// Kinds of refusal.
var (
	ErrNotAllowed = errors.New("not allowed")
	ErrOwnWork    = errors.New("own work")
	ErrWrongState = errors.New("wrong state")
)

// Refusal says why an action cannot be taken and what is possible instead.
type Refusal struct {
	Kind     error // ErrNotAllowed, ErrOwnWork or ErrWrongState
	Message  message.Text
	Possible []Action // what this actor can do with the entry as it stands
}

func (r *Refusal) Error() string { return r.Message.String() }

// Said gives the message.
func (r *Refusal) Said() message.Text { return r.Message }

func (r *Refusal) Unwrap() error { return r.Kind }

// Take gives the transition by which actor takes action, or a [Refusal]. One
// who may never take the action is told so before the state is looked at.
func Take(action Action, actor Actor, s Status) (Transition, error) {
	refuse := func(kind error, format string, args ...any) (Transition, error) {
		return Transition{}, &Refusal{kind, message.Say(format, args...), Actions(actor, s)}
	}
	var rows []Transition
	for _, t := range Life() {
		if t.Action == action {
			rows = append(rows, t)
		}
	}
	if len(rows) == 0 {
		return refuse(ErrWrongState, "there is no action %q", action)
	}
	if !actor.Role.Includes(rows[0].Role) || rows[0].tie == answers && !LooksAfter(actor, s) {
		return refuse(ErrNotAllowed, "only %s may %s %s; you are signed in as a %s", rows[0].Who(), action.verb(), s.Slug, actor.Role)
	}
	for _, t := range rows {
		if t.From != s.at(t.From) {
			continue
		}
		switch {
		case t.tie == another && slices.Contains(s.Writers, actor.ID):
			return refuse(ErrOwnWork, "you wrote some of version %d of %s, so someone else must %s it", s.Version, s.Slug, action.verb())
		case t.tie == another && slices.Contains(s.Approvers, actor.ID):
			return refuse(ErrWrongState, "you have approved version %d of %s already; it waits for someone else", s.Version, s.Slug)
		case action == Unpublish && !s.Lately:
			return refuse(ErrWrongState, "%s was published over %.0f minutes ago, and may be in use; publish a new version, or retire it", s.Slug, UnpublishWithin.Minutes())
		}
		return t, nil
	}
	return refuse(ErrWrongState, "%s; %s", asItStands(action, s), whatNow(action, Actions(actor, s)))
}

// Actions gives what actor can do with an entry as it stands, in the order of
// the life cycle.
func Actions(actor Actor, s Status) []Action {
	actions := []Action{}
	for _, t := range Life() {
		switch {
		case t.From != s.at(t.From), !actor.Role.Includes(t.Role),
			t.tie == answers && !LooksAfter(actor, s),
			t.tie == another && (slices.Contains(s.Writers, actor.ID) || slices.Contains(s.Approvers, actor.ID)),
			t.Action == Unpublish && !s.Lately:
		default:
			actions = append(actions, t.Action)
		}
	}
	return actions
}

// LooksAfter says whether actor answers for an entry: its owner, its deputy, a curator; of
// one that is its owner's alone, only they.
// A reader answers for none, whatever stood there before they became one.
func LooksAfter(actor Actor, s Status) bool {
	if s.Private {
		return actor.ID == s.Owner && actor.Role.Includes(Contributor)
	}
	return actor.Role == Curator || actor.Role.Includes(Contributor) && (actor.ID == s.Owner || actor.ID == s.Deputy && s.Deputy != 0)
}

// at is the state to hold against one that a transition starts from: what is on
// the shelf and what is open stand side by side.
func (s Status) at(from State) State {
	if from.shelved() {
		return s.Shelf
	}
	return s.State
}

func asItStands(action Action, s Status) message.Text {
	if action.OnShelf() {
		if s.Shelf == None {
			return message.Say("%s was never published", s.Slug)
		}
		return message.Say("%s is %s", s.Slug, s.Shelf.Said())
	}
	if s.State == None {
		return message.Say("%s has no open version", s.Slug)
	}
	return message.Say("version %d of %s is %s", s.Version, s.Slug, map[State]message.Text{
		Draft: message.Say("a draft"), InReview: message.Say("in review"), Approved: message.Say("approved"),
	}[s.State])
}

func whatNow(wanted Action, possible []Action) message.Text {
	if len(possible) == 0 {
		return message.Say("it cannot be %s now, and nothing else is yours to do with it", past(wanted))
	}
	words := make([]string, len(possible))
	for i, a := range possible {
		words[i] = string(a)
	}
	return message.Say("it cannot be %s now. What you can do: %s", past(wanted), strings.Join(words, ", "))
}

// verb is the action as something that one does with an entry.
func (a Action) verb() message.Text {
	return message.Plain(strings.ReplaceAll(string(a), "-", " "))
}

// past is the action as something done.
func past(a Action) message.Text {
	return message.Plain(map[Action]string{
		Begin: "begun", Save: "saved", Submit: "submitted", Withdraw: "withdrawn",
		Approve: "approved", Return: "returned", Publish: "published", Retire: "retired", Restore: "restored",
		Renew: "renewed", Unpublish: "unpublished",
	}[a])
}

// MaySeeDrafts says whether actor may see an entry's versions that were never
// published.
func MaySeeDrafts(actor Actor, s Status) bool {
	return actor.Role.Includes(Reviewer) && !s.Private || LooksAfter(actor, s)
}

// IsState says whether versions can be in a state of that name.
func IsState(s State) bool {
	return slices.Contains(States(), s)
}

// States are all of them, in the order in which a version goes through them.
func States() []State { return []State{Draft, InReview, Approved, Published, Superseded, Retired} }

package work

import (
	"slices"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/store"
)

// Caller is the person who acts, and through what. The service itself has no ID.
type Caller struct {
	ID       int64
	Name     string
	FullName string
	Role     entry.Role
	Via      Via

	Department string // a term, or none
	Key        *Key   // of an application; nil for people
}

// Key is by what an application calls. It is nobody: it has no role and no id of a person.
type Key struct {
	ID          int64
	Name        string
	May         []string // read, fill, watch, provision
	Departments []string // terms: only what is labelled with one of them; none for everything
}

// Allows says whether a key lets its application do something: read, fill, watch, provision.
func (k *Key) Allows(what string) bool { return slices.Contains(k.May, what) }

// Via is what somebody acts through.
type Via string

// What somebody acts through. The tables of events and of uses know them all.
const (
	ViaConsole   Via = "console"
	ViaClient    Via = "client"
	ViaAPI       Via = "api"
	ViaAssistant Via = "assistant"
	ViaImport    Via = "import"
	ViaService   Via = "service" // nobody: the service by itself
)

// Vias lists what somebody acts through.
func Vias() []Via {
	return []Via{ViaConsole, ViaClient, ViaAPI, ViaAssistant, ViaImport, ViaService}
}

// Service is the caller of what the service does by itself.
func Service() Caller { return Caller{FullName: "Gold Shelf", Via: ViaService} }

// CallerOf is a person acting through something.
func CallerOf(p store.Person, via Via) Caller {
	return Caller{ID: p.ID, Name: p.Name, FullName: p.FullName, Role: entry.Role(p.Role), Department: p.Department, Via: via}
}

// Actor is the caller as the life cycle knows them.
func (c Caller) Actor() entry.Actor { return entry.Actor{ID: c.ID, Role: c.Role} }

// Sight is which versions that were never published the caller may see.
func (c Caller) Sight() store.Sight {
	s := store.Sight{All: c.Role.Includes(entry.Reviewer)}
	if c.Role.Includes(entry.Contributor) {
		s.Own = c.ID
	}
	return s
}

// MustCurate gives an [entry.Refusal] to all but curators, and to whoever runs the
// service. What is done, in words: "add people".
func (c Caller) MustCurate(what string) error {
	if c.Role == entry.Curator || c == Service() {
		return nil
	}
	return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only a curator may %s; you are signed in as a %s", message.Plain(what), c.Role)}
}

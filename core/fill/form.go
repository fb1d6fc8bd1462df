package fill

import "sync"

// Form is a text, or a stack of texts, joined with all that it includes and
// ready to be filled. It is never changed after [Compile]; any number of
// goroutines may fill it at once.
type Form struct {
	ops       []op
	slots     []slot
	byName    map[string]int
	refs      []Ref // every version that may go in, in the order in which it is met
	froms     []From
	layers    int
	conflicts []Conflict
	runners   sync.Pool // room for fillings
}

// Conflict is one name declared with two types by the entries that a form joins.
type Conflict struct {
	Name        string
	Type, Other Type
	In, OtherIn Ref
}

// slot holds one value during a filling: of a blank, of a repeat's item, or
// one that an include gives as a literal.
type slot struct {
	blank    Blank
	field    string // where problems with its value are shown
	owner    Ref    // who declares the blank
	declared bool
	needed   bool // some mark needs a value
	anyLine  bool // takes any one line
	item     bool // a repeat's item
	fixed    *Value
	fixedBy  int // index into froms of the entry that gives the fixed value
}

type opKind uint8

const (
	opText  opKind = iota // put text in place
	opHole                // put slot's value in place, else text
	opIf                  // go on if the condition holds, else jump
	opJump                // jump
	opEach                // begin to repeat over slot, or jump where it is empty
	opNext                // next item and jump back, or go on
	opEnter               // begin an included entry; text is the indentation of a lone include
	opLeave               // end it
	opLayer               // begin a layer
	opFact                // put an answer of a sheet in place
)

// op is one step. Jumps are indices of ops.
type op struct {
	kind  opKind
	hasOr bool
	not   bool
	alone bool
	slot  int
	item  int // opEach: the item's slot
	from  int // index into froms; opEnter and opLayer: index into refs
	dflt  int // opHole: index into froms for a default
	ref   int // opFact: index into refs of the sheet
	jump  int
	text  string
	test  string // "", "is" or "has"
	and   string // the word before a list's last item
}

// Blanks gives the declarations of all that the form asks for: the text's own
// first, then those of what it includes. An undeclared blank is a required line.
func (f *Form) Blanks() []Blank {
	var blanks []Blank
	for i := range f.slots {
		s := &f.slots[i]
		if s.item || s.fixed != nil {
			continue
		}
		b := s.blank
		b.Optional = !s.required()
		blanks = append(blanks, b)
	}
	return blanks
}

// Conflicts gives the names that are declared with two types.
func (f *Form) Conflicts() []Conflict { return f.conflicts }

func (s *slot) required() bool {
	return s.needed && !s.blank.Optional && s.blank.Default.empty()
}

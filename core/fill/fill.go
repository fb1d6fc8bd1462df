// Package fill is the fill-in language: it parses an entry's text, resolves
// what the text includes, and fills in its blanks.
//
// A text is parsed once with [Parse], joined with what it includes by
// [Compile], and the resulting [Form] is filled any number of times, from any
// number of goroutines. The package reads no files and knows no library:
// whoever compiles a text hands it the entries that it includes.
package fill

import (
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Limits of the language.
const (
	MaxName   = 40      // letters of a name
	MaxDepth  = 16      // entries inside one another
	MaxResult = 1 << 20 // bytes of a filled text
	maxOps    = 1 << 18 // steps of a compiled form
	maxSteps  = 1 << 22 // steps of one filling
)

// Span says where a stretch of a filled text came from.
type Span struct {
	Start int   `json:"start"` // first byte
	End   int   `json:"end"`   // byte after the last
	From  *From `json:"from"`  // shared, not to be changed
}

// From is the origin of a stretch of text: an entry's own words, the value of one of its
// blanks, or one answer of a sheet.
type From struct {
	Entry   string `json:"entry"`             // slug; empty for a text that is not saved
	Version int    `json:"version"`           // 0 for a text that is not saved
	Blank   string `json:"blank,omitempty"`   // the blank whose value stands here
	Default bool   `json:"default,omitempty"` // the value is a default, not one that was given
	Fact    string `json:"fact,omitempty"`    // the question of the sheet whose answer stands here
}

// own says whether the stretch is an entry's own words.
func (f *From) own() bool { return f.Blank == "" && f.Fact == "" }

// Ref names one version of one entry.
type Ref struct {
	Entry   string `json:"entry"`
	Version int    `json:"version"`
}

// Result is a filled text.
type Result struct {
	Text  string
	Spans []Span // in order, without gap or overlap, covering Text
	Used  []Ref  // every version that went in, the text's own first; not to be changed
}

// Values are what is given for the blanks, by name.
type Values map[string]Value

// Lookup gives the version of an entry that an include puts in place; a
// version of 0 asks for the one that unpinned includes follow. An [Absent] is shown
// to the writer of the text; any other error ends the compiling.
type Lookup func(slug string, version int) (Source, error)

// Absent is why there is nothing to put in place: a fault of the text that asks for it.
type Absent struct{ Why message.Text }

func (a Absent) Error() string { return a.Why.String() }

// Said gives the reason.
func (a Absent) Said() message.Text { return a.Why }

// Source is one version of an entry, as far as filling needs it.
type Source struct {
	Ref
	Text     *Text
	Blanks   []Blank
	Language string // BCP 47; empty is English
	// Answers are what a sheet says, by its questions' names; Asks are these names, in order.
	// Of what is no sheet, or has no question set, both are nil.
	Answers map[string]Value
	Asks    []string
	// Step says that the text is what a step of a relay is given: replies of earlier steps
	// may stand in it, as values called as [EarlierName] says.
	Step bool
}

// EarlierName is what the value is called that the reply of a relay's step is given as. No
// blank can be called so.
func EarlierName(step string) string { return "from " + step }

// Field names used in problems.
const (
	fieldBody   = "/body"
	fieldValues = "values"
)

func valueField(name string) string { return problem.Pointer(fieldValues, name) }

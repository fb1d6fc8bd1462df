package bundle

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
	"goldshelf/core/strict"
)

// The name of the JSON bundle's format, and its newest edition that we read.
const (
	libraryFormat = "gold-shelf-library"
	edition       = 1
)

// Library is a library, or a part of one, as a bundle that another takes in.
// docs/schema/bundle.json describes its JSON.
type Library struct {
	Format  string  `json:"format"`
	Edition int     `json:"edition"`
	Facets  []Facet `json:"facets"` // those that its entries are labelled in
	Entries []Whole `json:"entries"`

	Sets     []sheet.Set       `json:"sets,omitempty"`     // the question sets that its sheets answer
	Pictures map[string]string `json:"pictures,omitempty"` // by id: PNG or JPEG, in base64

	Samples map[string][]Sample `json:"samples,omitempty"` // of styles by slug, where they were asked for
}

// Beside is what goes with the entries of a library.
type Beside struct {
	Sets     []sheet.Set
	Pictures map[string][]byte   // by id
	Samples  map[string][]Sample // by slug
}

// Facet is a dimension of labelling with the terms that are used.
type Facet struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	Terms []Term `json:"terms"`
}

// Term is a value in a facet.
type Term struct {
	Name  string `json:"name"`
	Title string `json:"title"`
}

// Whole is an entry with all its versions, oldest first.
type Whole struct {
	Slug   string `json:"slug"`
	Owner  string `json:"owner"` // a sign-in name
	Deputy string `json:"deputy,omitempty"`

	RenditionOf string    `json:"rendition_of,omitempty"` // a slug
	Retired     *Retired  `json:"retired,omitempty"`
	Versions    []Version `json:"versions"`
}

// Newest is the last of the versions, of which there is one at least.
func (w *Whole) Newest() Version { return w.Versions[len(w.Versions)-1] }

// Retired says why an entry was taken off the shelf.
type Retired struct {
	At      time.Time `json:"at"`
	Because string    `json:"because"`
	Instead string    `json:"instead,omitempty"`
}

// Version is a version with its history: who wrote it, why, and what became of it.
type Version struct {
	Number int `json:"version"`
	Life
	entry.Content
}

// Life is what became of a version in its library.
type Life struct {
	State       entry.State `json:"state"`
	Note        string      `json:"note,omitempty"`
	Author      string      `json:"author,omitempty"` // people by their full names: another library has others
	CreatedAt   time.Time   `json:"created_at"`
	SavedAt     time.Time   `json:"saved_at"`
	SubmittedBy string      `json:"submitted_by,omitempty"`
	SubmittedAt *time.Time  `json:"submitted_at,omitempty"`
	Approvals   []Approval  `json:"approvals,omitempty"`
	PublishedBy string      `json:"published_by,omitempty"`
	PublishedAt *time.Time  `json:"published_at,omitempty"`
}

// Approval is one reviewer's word for a version.
type Approval struct {
	By      string    `json:"by"`
	Comment string    `json:"comment,omitempty"`
	At      time.Time `json:"at"`
}

// WriteLibrary gives entries as a JSON bundle, by slug. The same entries give the
// same bytes.
func WriteLibrary(facets []Facet, entries []Whole, with Beside) ([]byte, error) {
	sorted := slices.SortedFunc(slices.Values(entries), func(a, b Whole) int { return compare(a.Slug, b.Slug) })
	lib := Library{libraryFormat, edition, append([]Facet{}, facets...), append([]Whole{}, sorted...), with.Sets, nil, with.Samples}
	if len(with.Pictures) > 0 {
		lib.Pictures = map[string]string{}
	}
	for id, data := range with.Pictures {
		lib.Pictures[id] = base64.StdEncoding.EncodeToString(data)
	}
	return canonicalJSON(lib)
}

func compare(a, b string) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// readLibrary reads a JSON bundle. Each entry comes with its newest version as
// its content.
func readLibrary(data []byte) ([]Incoming, error) {
	text, err := decodeText(data)
	if err != nil {
		return nil, err
	}
	// A newer edition may have fields that we do not know: say that first.
	var head struct {
		Format  string
		Edition int
	}
	if err := json.Unmarshal(text, &head); err == nil {
		switch {
		case head.Format != libraryFormat:
			return nil, one("format", "it is JSON, but no bundle of a Gold Shelf: its format is %q, and %q is wanted", head.Format, libraryFormat)
		case head.Edition > edition:
			return nil, one("edition", "it is a bundle of edition %d, and this Gold Shelf reads up to %d; bring it up to date first", head.Edition, edition)
		case head.Edition < 1:
			return nil, one("edition", "it does not say which edition of the format it is")
		}
	}
	var lib Library
	if err := strict.JSON(text, &lib); err != nil {
		return nil, fromJSON(err)
	}
	all := make([]Incoming, len(lib.Entries))
	for i := range lib.Entries {
		w := &lib.Entries[i]
		in := Incoming{Where: "entry " + w.Slug, Slug: w.Slug, Whole: w}
		if w.Slug == "" {
			in.Where = fmt.Sprintf("entry %d", i+1)
		}
		in.Wrong = w.problems()
		if n := len(w.Versions); n > 0 {
			newest := w.Versions[n-1]
			in.File = File{Content: newest.Content, Owner: w.Owner, Deputy: w.Deputy, RenditionOf: w.RenditionOf}
			in.Note = newest.Note
		}
		all[i] = in
	}
	return all, nil
}

// Facets gives the facets that a JSON bundle brings along; none if it is no bundle.
func Facets(data []byte) []Facet {
	text, err := decodeText(data)
	if err != nil {
		return nil
	}
	var lib Library
	if err := json.Unmarshal(text, &lib); err != nil {
		return nil
	}
	return lib.Facets
}

// problems says what no history of an entry can be.
func (w *Whole) problems() problem.List {
	var found problem.List
	if w.Slug == "" {
		found.Add("/slug", "missing", "it has no slug")
	}
	if len(w.Versions) == 0 {
		found.Add("/versions", "missing", "it has no version")
	}
	open, shelf := 0, 0
	for i, v := range w.Versions {
		at := problem.Pointer("versions", i)
		switch {
		case i > 0 && v.Number <= w.Versions[i-1].Number, v.Number < 1:
			found.Add(at+"/version", "order", "version %d stands after version %d; the oldest comes first", v.Number, w.Versions[max(0, i-1)].Number)
		case v.Kind != w.Versions[0].Kind:
			found.Add(at+"/kind", "kind", "version %d is a %s, and the entry is a %s", v.Number, v.Kind, w.Versions[0].Kind)
		}
		switch v.State {
		case entry.Draft, entry.InReview, entry.Approved:
			open++
		case entry.Published, entry.Retired:
			shelf++
		case entry.Superseded:
		default:
			found.Add(at+"/state", "state", "there is no state %q", v.State)
		}
		if !v.State.Open() && (v.PublishedAt == nil || v.Note == "") {
			found.Add(at, "published", "version %d is %s, and does not say when it was published or why it was made", v.Number, v.State)
		}
		for _, p := range v.Problems() {
			p.Field = at + p.Field
			found = append(found, p)
		}
	}
	if open > 1 || shelf > 1 {
		found.Add("/versions", "state", "it has %d open versions and %d on the shelf; one of each is the most", open, shelf)
	}
	return found
}

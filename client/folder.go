package client

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/layout"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
)

// PinFile is the usual name of a folder's pin file.
const PinFile = "pins.json"

// Pin says which version of an entry a folder has. Asked are the entries that
// were pulled by name; others came along because those use them.
type Pin struct {
	Slug    string `json:"slug"`
	Version int    `json:"version"`
	SHA256  string `json:"sha256"`          // of the file
	Stays   bool   `json:"stays,omitempty"` // an include stays at this version, whatever is published
	Asked   bool   `json:"asked,omitempty"`
	Set     bool   `json:"set,omitempty"`    // it is no entry but a question set, which a sheet answers
	Layout  bool   `json:"layout,omitempty"` // it is no entry but how the application of that name wants stacks delivered
}

// file is the name of the file that a pin is about.
func (p Pin) file() string {
	if p.Layout {
		return p.Slug + ".layout.json"
	}
	if p.Set {
		return fmt.Sprintf("%s@%d.set.json", p.Slug, p.Version)
	}
	if p.Stays {
		return fmt.Sprintf("%s@%d.md", p.Slug, p.Version)
	}
	return p.Slug + ".md"
}

// Pulled is an entry on its way into a folder.
type Pulled struct {
	Pin
	Text []byte
}

// PullLayout gives how an application wants stacks delivered, as a file beside those that
// Pull gives: what is filled from the folder for that application is delivered so.
func (c *Client) PullLayout(ctx context.Context, application string) (Pulled, error) {
	l, err := c.Layout(ctx, application)
	if err != nil {
		return Pulled{}, err
	}
	data, err := json.MarshalIndent(l.Layout, "", "  ")
	if err != nil {
		return Pulled{}, err
	}
	data = append(data, '\n')
	sum := sha256.Sum256(data)
	return Pulled{Pin{Slug: l.Application, Version: l.Number, SHA256: hex.EncodeToString(sum[:]), Layout: true}, data}, nil
}

// Pull gives published entries as files, with everything that they include and
// recommend, so that they can be filled with no service at hand. A slug may have
// @ and a number, to stay at that version.
func (c *Client) Pull(ctx context.Context, slugs ...string) ([]Pulled, error) {
	var all []Pulled
	seen := map[string]bool{}
	var add func(ref string, asked bool) error
	add = func(ref string, asked bool) error {
		if seen[ref] {
			return nil
		}
		seen[ref] = true
		e, err := c.ShelfEntry(ctx, ref)
		if err != nil {
			return err
		}
		if e.Retired != nil {
			return fmt.Errorf("%s was retired: %s", e.Slug, e.Retired.Because)
		}
		if e.Set != "" && !seen["set "+e.Set] {
			seen["set "+e.Set] = true
			set, err := c.QuestionSet(ctx, e.Set)
			if err != nil {
				return fmt.Errorf("%s answers %s: %w", e.Slug, e.Set, err)
			}
			_, data := bundle.SetFile(set.Set)
			sum := sha256.Sum256(data)
			all = append(all, Pulled{Pin{Slug: set.Name, Version: set.Version, SHA256: hex.EncodeToString(sum[:]), Stays: true, Set: true}, data})
		}
		text := bundle.File{Content: e.Content, Owner: e.Owner, Deputy: e.Deputy, RenditionOf: e.RenditionOf}.Bytes()
		sum := sha256.Sum256(text)
		all = append(all, Pulled{Pin{Slug: e.Slug, Version: e.Version, SHA256: hex.EncodeToString(sum[:]), Stays: strings.Contains(ref, "@"), Asked: asked}, text})
		if old, _, _ := strings.Cut(ref, "@"); slices.Contains(e.Formerly, old) {
			// What names it so finds it still.
			text = called(text, e.Slug)
			sum = sha256.Sum256(text)
			all = append(all, Pulled{Pin{Slug: old, Version: e.Version, SHA256: hex.EncodeToString(sum[:]), Stays: strings.Contains(ref, "@")}, text})
		}
		for _, other := range uses(e) {
			if err := add(other, false); err != nil {
				return fmt.Errorf("%s uses %s: %w", e.Slug, other, err)
			}
		}
		return nil
	}
	for _, slug := range slugs {
		if err := add(slug, true); err != nil {
			return nil, err
		}
	}
	slices.SortFunc(all, func(a, b Pulled) int { return strings.Compare(a.file(), b.file()) })
	return all, nil
}

// called notes in the header of a file what its entry is called now.
func called(text []byte, now string) []byte {
	head, rest, _ := bytes.Cut(text, []byte("\n"))
	return slices.Concat(head, []byte("\n# This is called "+now+" now; the file answers to its old name.\n"), rest)
}

// uses gives what an entry includes, has facts of and recommends.
func uses(e api.Entry) []string {
	var refs []string
	includes, facts := e.Named()
	for _, ref := range append(includes, facts...) {
		name := ref.Entry
		if ref.Version > 0 {
			name = fmt.Sprintf("%s@%d", ref.Entry, ref.Version)
		}
		refs = append(refs, name)
	}
	for _, p := range e.Stack("", "", nil) {
		refs = append(refs, p.Slug)
	}
	return refs
}

// WriteFolder writes what was pulled into a folder, with its pin file. A pin file
// elsewhere is named by its path. Nothing is written outside the folder, whatever slugs a
// service sends and whatever links the folder holds.
func WriteFolder(dir, pinFile string, all []Pulled) error {
	for _, p := range all {
		if _, err := entry.ParseSlug(p.Slug); err != nil {
			return fmt.Errorf("the service sent %q as a slug, which is none; nothing was written", p.Slug)
		}
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	folder, err := os.OpenRoot(dir)
	if err != nil {
		return err
	}
	defer folder.Close()
	pins := make([]Pin, len(all))
	for i, p := range all {
		pins[i] = p.Pin
		if err := folder.WriteFile(p.file(), p.Text, 0o644); err != nil {
			return err
		}
	}
	data, err := json.MarshalIndent(pins, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(pinPath(dir, pinFile), append(data, '\n'), 0o644)
}

func pinPath(dir, pinFile string) string {
	if pinFile == "" {
		return filepath.Join(dir, PinFile)
	}
	return pinFile
}

// ReadPins reads a folder's pin file.
func ReadPins(dir, pinFile string) ([]Pin, error) {
	path := pinPath(dir, pinFile)
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("%w; goldshelf pull --to %s SLUG writes one", err, dir)
	}
	var pins []Pin
	if err := json.Unmarshal(data, &pins); err != nil {
		return nil, fmt.Errorf("%s is no pin file: %w", path, err)
	}
	return pins, nil
}

// Folder is a folder of pulled entries, from which they are filled with no
// service at hand. It may be used from several goroutines.
type Folder struct {
	byRef   map[fill.Ref]entryIn // version 0 is the one that follows
	layouts map[string]*layout.Plan
}

type entryIn struct {
	bundle.File
	pin Pin
	src fill.Source
}

// OpenFolder reads a folder of pulled entries. It fails if a file is missing, or
// is not the one that was pulled.
func OpenFolder(dir, pinFile string) (*Folder, error) {
	pins, err := ReadPins(dir, pinFile)
	if err != nil {
		return nil, err
	}
	f := &Folder{byRef: map[fill.Ref]entryIn{}, layouts: map[string]*layout.Plan{}}
	var faults []error
	sets := map[string]*sheet.Set{}
	for _, pin := range pins {
		if pin.Set {
			set, err := readPinnedAs[sheet.Set](dir, pin)
			faults = append(faults, err)
			sets[set.Ref()] = &set
		}
		if pin.Layout {
			l, err := readPinnedAs[layout.Layout](dir, pin)
			faults = append(faults, err)
			f.layouts[pin.Slug] = l.Plan()
		}
	}
	for _, pin := range pins {
		if pin.Set || pin.Layout {
			continue
		}
		e, err := readPinned(dir, pin, sets)
		if err != nil {
			faults = append(faults, err)
			continue
		}
		ref := fill.Ref{Entry: pin.Slug}
		if pin.Stays {
			ref.Version = pin.Version
		}
		f.byRef[ref] = e
	}
	return f, errors.Join(faults...)
}

// asPulled reads a file of the folder, if it is the one that was pulled.
func asPulled(dir string, pin Pin) ([]byte, error) {
	data, err := os.ReadFile(filepath.Join(dir, pin.file()))
	if err != nil {
		return nil, err
	}
	if sum := sha256.Sum256(data); hex.EncodeToString(sum[:]) != pin.SHA256 {
		return nil, fmt.Errorf("%s is not the file that was pulled: its sha256 differs from the pin; pull it again", pin.file())
	}
	return data, nil
}

func readPinnedAs[T any](dir string, pin Pin) (v T, err error) {
	data, err := asPulled(dir, pin)
	if err != nil {
		return v, err
	}
	if err := json.Unmarshal(data, &v); err != nil {
		return v, fmt.Errorf("%s: %w", pin.file(), err)
	}
	return v, nil
}

func readPinned(dir string, pin Pin, sets map[string]*sheet.Set) (entryIn, error) {
	data, err := asPulled(dir, pin)
	if err != nil {
		return entryIn{}, err
	}
	file, err := bundle.Read(data)
	if err != nil {
		return entryIn{}, fmt.Errorf("%s: %w", pin.file(), err)
	}
	file.Questions = sets[file.Set]
	src, err := file.Parsed(pin.Slug, pin.Version)
	if err != nil {
		return entryIn{}, fmt.Errorf("%s: %w", pin.file(), err)
	}
	return entryIn{file, pin, src}, nil
}

// Fill fills an entry of the folder in, as the service would: with its
// recommended stack, unless the request names others or none. A slug may have @
// and a number. Its error is a [problem.List] where values are missing or do not
// hold.
func (f *Folder) Fill(slug string, in api.FillRequest) (api.Filled, error) {
	own, err := f.find(slug)
	if err != nil {
		return api.Filled{}, err
	}
	var layers []fill.Source
	var chosen []entryIn
	kinds := map[fill.Ref]api.Used{}
	var wrong problem.List
	for _, p := range own.Stack(in.Persona, in.Style, in.Sheets) {
		part, err := f.find(p.Slug)
		switch {
		case err != nil:
			wrong.Add(p.Field, "missing", "%v", err)
		case part.Kind != p.Kind:
			wrong.Add(p.Field, "kind", "%s is a %s, and a %s is wanted here", p.Slug, part.Kind, p.Kind)
		default:
			layers, chosen = append(layers, part.src), append(chosen, part)
		}
	}
	for _, set := range own.SheetOf {
		if !slices.ContainsFunc(chosen, func(e entryIn) bool { return e.Questions != nil && e.Questions.Name == set }) {
			wrong.Add("/sheets", "sheet-of", "%s wants a sheet of %s; name one that was pulled", own.pin.Slug, set)
		}
	}
	if wrong != nil {
		return api.Filled{}, wrong
	}
	form, err := fill.Compile(func(slug string, number int) (fill.Source, error) {
		e, ok := f.byRef[fill.Ref{Entry: slug, Version: number}]
		if !ok {
			return fill.Source{}, fill.Absent{Why: message.Of(notPulled(slug))}
		}
		return e.src, nil
	}, append(layers, own.src)...)
	if err != nil {
		return api.Filled{}, err
	}
	for _, e := range f.byRef {
		kinds[e.src.Ref] = api.Used{Ref: e.src.Ref, Kind: e.Kind, Title: e.Title}
	}
	got, parts, err := form.FillLayers(in.Values)
	if err != nil {
		return api.Filled{}, err
	}
	out := api.Filled{Text: got.Text, Spans: got.Spans, Layers: make([]api.Layer, len(parts)), Used: make([]api.Used, len(got.Used))}
	for i, l := range parts {
		out.Layers[i] = api.Layer{Ref: l.Ref, Kind: kinds[l.Ref].Kind, Title: kinds[l.Ref].Title, Start: l.Start, End: l.End}
	}
	for i, ref := range got.Used {
		out.Used[i] = kinds[ref]
	}
	return f.delivered(out, append(chosen, own), in.For)
}

// delivered adds the boxes of the application that a text is for, if its layout was pulled.
func (f *Folder) delivered(out api.Filled, stack []entryIn, application string) (api.Filled, error) {
	if application == "" {
		return out, nil
	}
	l, is := f.layouts[application]
	if !is {
		return out, problem.List{{Field: "/for", Code: "missing", Message: message.Say("the layout of %[1]s is not in this folder; pull with --for %[1]s", application)}}
	}
	layers := make([]layout.Layer, len(out.Layers))
	for i, part := range out.Layers {
		layers[i] = layout.Layer{Kind: part.Kind, Title: part.Title, Text: out.Text[part.Start:part.End]}
		if e := stack[i]; e.Questions != nil && l.Layout().Sheets == "json" {
			layers[i].Answers = e.Questions.Markdown(e.src.Answers, e.Language)
			layers[i].JSON = string(e.Questions.JSON(e.src.Answers))
		}
	}
	return out.DeliveredBy(l, layers), nil
}

func (f *Folder) find(name string) (entryIn, error) {
	slug, digits, pinned := strings.Cut(name, "@")
	ref := fill.Ref{Entry: slug}
	if pinned {
		n, err := strconv.Atoi(digits)
		if err != nil || n < 1 {
			return entryIn{}, fmt.Errorf("%q names no version; write %s@3", name, slug)
		}
		ref.Version = n
	}
	if e, ok := f.byRef[ref]; ok {
		return e, nil
	}
	if e, ok := f.byRef[fill.Ref{Entry: slug}]; ok && (ref.Version == e.pin.Version) {
		return e, nil
	}
	return entryIn{}, notPulled(name)
}

func notPulled(name string) error {
	return fmt.Errorf("%s is not in this folder; pull it with goldshelf pull", name)
}

// Newer is an entry of which another version is on the shelf by now.
type Newer struct {
	Slug string `json:"slug"`
	Have int    `json:"have"`
	Now  int    `json:"now"`           // 0 where it is no longer on the shelf
	Why  string `json:"why,omitempty"` // it is not
}

// CheckPins says what is newer on the shelf than in a folder.
func (c *Client) CheckPins(ctx context.Context, pins []Pin) ([]Newer, error) {
	var all []Newer
	for _, p := range pins {
		if p.Stays || p.Layout { // a question set stays, too
			continue
		}
		e, err := c.ShelfEntry(ctx, p.Slug)
		switch {
		case Status(err) == 404:
			all = append(all, Newer{Slug: p.Slug, Have: p.Version, Why: err.Error()})
		case err != nil:
			return nil, err
		case e.Retired != nil:
			all = append(all, Newer{Slug: p.Slug, Have: p.Version, Why: "retired: " + e.Retired.Because})
		case e.Version != p.Version:
			all = append(all, Newer{Slug: p.Slug, Have: p.Version, Now: e.Version})
		}
	}
	return all, nil
}

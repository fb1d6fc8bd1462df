package mcp

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	sdk "github.com/modelcontextprotocol/go-sdk/mcp"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
)

func (s *Server) addTools() {
	no := false
	reads := &sdk.ToolAnnotations{ReadOnlyHint: true, OpenWorldHint: &no}
	writes := &sdk.ToolAnnotations{DestructiveHint: &no, OpenWorldHint: &no}

	sdk.AddTool(s.sdk, &sdk.Tool{
		Name: "find_entries", Title: "Find entries", Annotations: reads,
		Description: "Search the shelf. Words narrow the search; so does facet:term within them, as in department:customer-care or kind:persona.",
	}, s.findEntries)
	sdk.AddTool(s.sdk, &sdk.Tool{
		Name: "fill_entry", Title: "Fill an entry in", Annotations: reads,
		Description: "Fill in a published entry, and get the text to use. What is missing or does not hold is said, all at once: read_entry tells which values it asks for.",
	}, s.fillEntry)
	sdk.AddTool(s.sdk, &sdk.Tool{
		Name: "read_entry", Title: "Read an entry", Annotations: reads,
		Description: "Read a published entry: its text, what it asks for, and what it is best used with.",
	}, s.readEntry)
	sdk.AddTool(s.sdk, &sdk.Tool{
		Name: "list_uses", Title: "See what uses an entry", Annotations: reads,
		Description: "List the entries that use an entry, directly or through others: what a change of it changes too.",
	}, s.listUses)

	sdk.AddTool(s.sdk, &sdk.Tool{
		Name: "create_draft", Title: "Make a draft", Annotations: writes,
		Description: "Make an entry with a first draft. People review and publish it.",
	}, s.createDraft)
	sdk.AddTool(s.sdk, &sdk.Tool{
		Name: "read_draft", Title: "Read a draft", Annotations: reads,
		Description: "Read the draft of an entry, with the revision that change_draft needs.",
	}, s.readDraft)
	sdk.AddTool(s.sdk, &sdk.Tool{
		Name: "change_draft", Title: "Change a draft", Annotations: writes,
		Description: "Change the draft of an entry, or begin the next version of a published one. What is left out stays as it is.",
	}, s.changeDraft)
}

// draftTools are for those who may write.
var draftTools = []string{"create_draft", "read_draft", "change_draft"}

// listTools leaves out what the caller may not do. The API holds to that anyway.
func (s *Server) listTools(ctx context.Context, method string, req *sdk.ListToolsRequest, next sdk.MethodHandler) (sdk.Result, error) {
	who, err := s.of(req.Extra).Session(ctx)
	if err != nil {
		return nil, said(err)
	}
	all, err := next(ctx, method, req)
	list, is := all.(*sdk.ListToolsResult)
	if err != nil || !is || who.Role.Includes(entry.Contributor) {
		return all, err
	}
	list.Tools = slices.DeleteFunc(slices.Clone(list.Tools), func(t *sdk.Tool) bool { return slices.Contains(draftTools, t.Name) })
	return list, nil
}

type findIn struct {
	Words  string `json:"words,omitempty" jsonschema:"what to look for"`
	Kind   string `json:"kind,omitempty" jsonschema:"prompt, persona, style, snippet, sheet or relay"`
	Limit  int    `json:"limit,omitempty" jsonschema:"how many to list, 10 if left out"`
	Cursor string `json:"cursor,omitempty" jsonschema:"where to go on: the next of the list before"`
}

type foundEntry struct {
	Slug    string `json:"slug"`
	Kind    string `json:"kind"`
	Title   string `json:"title"`
	Summary string `json:"summary"`
	Version int    `json:"version"`
}

type findOut struct {
	Entries []foundEntry `json:"entries"`
	Total   int          `json:"total"`
	Next    string       `json:"next,omitempty"`
	Note    string       `json:"note,omitempty"`
}

func (s *Server) findEntries(ctx context.Context, req *sdk.CallToolRequest, in findIn) (*sdk.CallToolResult, findOut, error) {
	q := client.Query{Words: in.Words, Limit: cmp.Or(in.Limit, 10), Cursor: in.Cursor}
	if in.Kind != "" {
		q.Labels = map[string][]string{"kind": {in.Kind}}
	}
	page, err := s.of(req.Extra).Shelf(ctx, q)
	if err != nil {
		return nil, findOut{}, err
	}
	out := findOut{Entries: []foundEntry{}, Total: page.Total, Next: page.Next, Note: page.Note.String()}
	var lines strings.Builder
	fmt.Fprintf(&lines, "%d found.\n", page.Total)
	content := []sdk.Content{nil}
	for _, it := range page.Items {
		out.Entries = append(out.Entries, foundEntry{it.Slug, string(it.Kind), it.Title, it.Summary, it.Version})
		fmt.Fprintf(&lines, "- %s (%s): %s. %s\n", it.Slug, it.Kind, it.Title, it.Summary)
		content = append(content, &sdk.ResourceLink{URI: uriPrefix + it.Slug, Name: it.Slug, Title: it.Title, Description: it.Summary, MIMEType: markdown})
	}
	content[0] = &sdk.TextContent{Text: lines.String()}
	return &sdk.CallToolResult{Content: content}, out, nil
}

type fillIn struct {
	Slug    string         `json:"slug" jsonschema:"the entry, or SLUG@NUMBER for one of its published versions"`
	Values  map[string]any `json:"values,omitempty" jsonschema:"a value for each blank, by its name: a text, a number, true or false, or a list of options"`
	Persona string         `json:"persona,omitempty" jsonschema:"another persona than the one recommended, or none"`
	Style   string         `json:"style,omitempty" jsonschema:"another style than the one recommended, or none"`
	Sheets  []string       `json:"sheets,omitempty" jsonschema:"other fact sheets than those recommended, or just none"`
	For     string         `json:"for,omitempty" jsonschema:"the application that the text is for"`
}

type usedVersion struct {
	Slug    string `json:"slug"`
	Version int    `json:"version"`
}

type fillOut struct {
	Text string        `json:"text"`
	Used []usedVersion `json:"used"`
}

func (s *Server) fillEntry(ctx context.Context, req *sdk.CallToolRequest, in fillIn) (*sdk.CallToolResult, fillOut, error) {
	values := fill.Values{}
	data, err := json.Marshal(in.Values)
	if err == nil {
		err = json.Unmarshal(data, &values)
	}
	if err != nil {
		return nil, fillOut{}, fmt.Errorf("values: %w", err)
	}
	filled, err := s.of(req.Extra).FillStack(ctx, in.Slug, api.FillRequest{Values: values, Persona: in.Persona, Style: in.Style, Sheets: in.Sheets, For: in.For})
	if err != nil {
		return nil, fillOut{}, err
	}
	out := fillOut{Text: filled.Text, Used: []usedVersion{}}
	for _, u := range filled.Used {
		out.Used = append(out.Used, usedVersion{u.Entry, u.Version})
	}
	return textResult(filled.Text), out, nil
}

func textResult(text string) *sdk.CallToolResult {
	return &sdk.CallToolResult{Content: []sdk.Content{&sdk.TextContent{Text: text}}}
}

type entryIn struct {
	Slug string `json:"slug" jsonschema:"the entry"`
}

// entryOut is an entry as an assistant reads it.
type entryOut struct {
	Slug     string              `json:"slug"`
	Kind     string              `json:"kind"`
	Title    string              `json:"title"`
	Summary  string              `json:"summary"`
	Version  int                 `json:"version"`
	State    string              `json:"state"`
	Owner    string              `json:"owner"`
	Labels   map[string][]string `json:"labels"`
	Persona  string              `json:"persona,omitempty"`
	Style    string              `json:"style,omitempty"`
	Sheets   []string            `json:"sheets,omitempty"`
	Asks     []blank             `json:"asks" jsonschema:"the values that it takes"`
	Body     string              `json:"body"`
	Revision string              `json:"revision,omitempty" jsonschema:"of a draft: what change_draft needs"`
}

// blank is a place to fill in, as an assistant reads and writes it.
type blank struct {
	Name     string   `json:"name" jsonschema:"lower-case letters, digits and underscores; the text names it in double braces"`
	Ask      string   `json:"ask,omitempty" jsonschema:"the question that its user reads"`
	Hint     string   `json:"hint,omitempty"`
	Type     string   `json:"type,omitempty" jsonschema:"line, text, number, yes-no, date, pick or pick-many; line if left out"`
	Options  []string `json:"options,omitempty" jsonschema:"of a pick or pick-many"`
	Optional bool     `json:"optional,omitempty"`
	Default  string   `json:"default,omitempty"`
}

func entryOf(e api.Entry, asks []fill.Blank) entryOut {
	out := entryOut{
		Slug: e.Slug, Kind: string(e.Kind), Title: e.Title, Summary: e.Summary, Version: e.Version, State: string(e.State), Owner: e.OwnerName,
		Labels: e.Labels, Persona: e.Persona, Style: e.Style, Sheets: e.Sheets, Asks: []blank{}, Body: e.Body,
	}
	if out.Labels == nil {
		out.Labels = map[string][]string{}
	}
	for _, b := range asks {
		out.Asks = append(out.Asks, blank{b.Name, b.Question(), b.Hint, string(b.Kind()), b.Options, b.Optional, b.Default.String()})
	}
	return out
}

func (s *Server) readEntry(ctx context.Context, req *sdk.CallToolRequest, in entryIn) (*sdk.CallToolResult, entryOut, error) {
	e, err := s.of(req.Extra).ShelfEntry(ctx, in.Slug)
	if err != nil {
		return nil, entryOut{}, err
	}
	out := entryOf(e, e.Asks)
	return textResult(out.text()), out, nil
}

// text is the entry for an assistant that reads no structured answers.
func (e entryOut) text() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s (%s, version %d, %s). %s\n", e.Title, e.Kind, e.Version, e.State, e.Summary)
	for _, use := range append([]string{e.Persona, e.Style}, e.Sheets...) {
		if use != "" {
			fmt.Fprintf(&b, "Best used with %s.\n", use)
		}
	}
	for _, a := range e.Asks {
		fmt.Fprintf(&b, "It asks for %s (%s): %s", a.Name, a.Type, a.Ask)
		if len(a.Options) > 0 {
			fmt.Fprintf(&b, " Options: %s.", strings.Join(a.Options, ", "))
		}
		switch {
		case a.Default != "":
			fmt.Fprintf(&b, " If left out: %s.", a.Default)
		case a.Optional:
			b.WriteString(" It may be left out.")
		}
		b.WriteString("\n")
	}
	if e.Revision != "" {
		fmt.Fprintf(&b, "Its revision is %s.\n", e.Revision)
	}
	return b.String() + "\n" + e.Body
}

type useOut struct {
	Slug    string `json:"slug"`
	Kind    string `json:"kind"`
	Title   string `json:"title"`
	Version int    `json:"version"`
	State   string `json:"state"`
	How     string `json:"how,omitempty" jsonschema:"include, persona, style, sheet or step; nothing where it is through others"`
	Follows bool   `json:"follows" jsonschema:"whether a newly published version changes it"`
}

type usesOut struct {
	Uses []useOut `json:"uses"`
}

func (s *Server) listUses(ctx context.Context, req *sdk.CallToolRequest, in entryIn) (*sdk.CallToolResult, usesOut, error) {
	all, err := s.of(req.Extra).Uses(ctx, in.Slug)
	if err != nil {
		return nil, usesOut{}, err
	}
	out := usesOut{Uses: []useOut{}}
	for _, u := range all.Items {
		out.Uses = append(out.Uses, useOut{u.Slug, string(u.Kind), u.Title, u.Version, string(u.State), u.How, u.Follows})
	}
	return nil, out, nil
}

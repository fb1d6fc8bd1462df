package mcp

import (
	"context"
	"net/http"

	sdk "github.com/modelcontextprotocol/go-sdk/mcp"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
)

type newDraft struct {
	Kind    string              `json:"kind" jsonschema:"prompt, persona, style or snippet"`
	Title   string              `json:"title"`
	Summary string              `json:"summary,omitempty" jsonschema:"what it is for, in a sentence"`
	Body    string              `json:"body" jsonschema:"the text, in Markdown; a blank is {{name}}, and {{include slug}} puts a snippet's text in place"`
	Slug    string              `json:"slug,omitempty" jsonschema:"made from the title if left out"`
	Labels  map[string][]string `json:"labels,omitempty" jsonschema:"terms by facet, as department: [customer-care]"`
	Blanks  []blank             `json:"blanks,omitempty"`
	Persona string              `json:"persona,omitempty"`
	Style   string              `json:"style,omitempty"`
	Sheets  []string            `json:"sheets,omitempty"`
}

func blanksOf(all []blank) []fill.Blank {
	out := []fill.Blank{}
	for _, b := range all {
		one := fill.Blank{Name: b.Name, Ask: b.Ask, Hint: b.Hint, Type: fill.Type(b.Type), Options: b.Options, Optional: b.Optional}
		if b.Default != "" {
			one.Default = fill.Single(b.Default)
		}
		if b.Default != "" && one.Kind() == fill.PickMany {
			one.Default = several(one, b.Default)
		}
		out = append(out, one)
	}
	return out
}

func (s *Server) createDraft(ctx context.Context, req *sdk.CallToolRequest, in newDraft) (*sdk.CallToolResult, entryOut, error) {
	c := s.of(req.Extra)
	made, err := c.Create(ctx, api.NewEntry{Slug: in.Slug, Content: entry.Content{
		Kind: entry.Kind(in.Kind), Title: in.Title, Summary: in.Summary, Labels: in.Labels, Blanks: blanksOf(in.Blanks),
		Persona: in.Persona, Style: in.Style, Sheets: in.Sheets, Body: in.Body,
	}})
	if err != nil {
		return nil, entryOut{}, err
	}
	return draft(ctx, c, made.Slug)
}

func (s *Server) readDraft(ctx context.Context, req *sdk.CallToolRequest, in entryIn) (*sdk.CallToolResult, entryOut, error) {
	return draft(ctx, s.of(req.Extra), in.Slug)
}

func draft(ctx context.Context, c *client.Client, slug string) (*sdk.CallToolResult, entryOut, error) {
	e, etag, err := c.Draft(ctx, slug)
	if err != nil {
		return nil, entryOut{}, err
	}
	out := entryOf(e, e.Blanks)
	out.Revision = etag
	return textResult(out.text()), out, nil
}

type draftChange struct {
	Slug     string    `json:"slug"`
	Revision string    `json:"revision,omitempty" jsonschema:"the revision that read_draft gave; left out, the next version of a published entry is begun"`
	Title    *string   `json:"title,omitempty"`
	Summary  *string   `json:"summary,omitempty"`
	Body     *string   `json:"body,omitempty"`
	Blanks   *[]blank  `json:"blanks,omitempty" jsonschema:"all of them"`
	Persona  *string   `json:"persona,omitempty"`
	Style    *string   `json:"style,omitempty"`
	Sheets   *[]string `json:"sheets,omitempty" jsonschema:"all of them"`
}

// changeDraft changes what is said of the revision that was read. Someone else's save in
// between has it refused.
func (s *Server) changeDraft(ctx context.Context, req *sdk.CallToolRequest, in draftChange) (*sdk.CallToolResult, entryOut, error) {
	c := s.of(req.Extra)
	now, err := c.Entry(ctx, in.Slug)
	if err != nil {
		return nil, entryOut{}, err
	}
	if in.Revision != "" {
		if now, _, err = c.Draft(ctx, in.Slug); err != nil {
			return nil, entryOut{}, err
		}
	}
	content := now.Content
	content.Labels = nil // they are the entry's, and stay
	set(&content.Title, in.Title)
	set(&content.Summary, in.Summary)
	set(&content.Body, in.Body)
	set(&content.Persona, in.Persona)
	set(&content.Style, in.Style)
	set(&content.Sheets, in.Sheets)
	if in.Blanks != nil {
		content.Blanks = mergeBlanks(content.Blanks, *in.Blanks)
	}
	saved, etag, err := c.SaveDraft(ctx, in.Slug, in.Revision, api.NewEntry{Content: content})
	if client.Status(err) == http.StatusPreconditionFailed {
		return nil, entryOut{}, message.Errorf("the draft of %s is not the one that you read: someone has saved it since, or there is one already; read it with read_draft and change that", in.Slug)
	}
	if err != nil {
		return nil, entryOut{}, err
	}
	out := entryOf(saved, saved.Blanks)
	out.Revision = etag
	return textResult(out.text()), out, nil
}

// mergeBlanks gives blanks as they are to be. What an assistant does not see of one that
// was there, as its bounds and its sample, stays.
func mergeBlanks(were []fill.Blank, want []blank) []fill.Blank {
	all := blanksOf(want)
	for i := range all {
		for _, w := range were {
			if w.Name == all[i].Name {
				all[i].Min, all[i].Max, all[i].Sample = w.Min, w.Max, w.Sample
			}
		}
	}
	return all
}

func set[T any](into *T, v *T) {
	if v != nil {
		*into = *v
	}
}

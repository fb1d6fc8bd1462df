package mcp

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/modelcontextprotocol/go-sdk/jsonrpc"
	sdk "github.com/modelcontextprotocol/go-sdk/mcp"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
)

const (
	uriPrefix = "goldshelf://shelf/"
	markdown  = "text/markdown"
	pageSize  = 50 // entries in a list
	mostTerms = 50 // completions of an argument
)

// said is an error in the protocol's words: one that the API gave is what was wrong with
// the request, and any other is ours.
func said(err error) error {
	var refused *client.Error
	if errors.As(err, &refused) && refused.Problem.Status < http.StatusInternalServerError {
		return &jsonrpc.Error{Code: jsonrpc.CodeInvalidParams, Message: refused.Error()}
	}
	return err
}

func (s *Server) listPrompts(ctx context.Context, req *sdk.ListPromptsRequest) (*sdk.ListPromptsResult, error) {
	page, err := s.of(req.Extra).Shelf(ctx, client.Query{
		Labels: map[string][]string{"kind": {string(entry.Prompt)}}, Limit: pageSize, Cursor: cursorOf(req.Params), Asks: true,
	})
	if err != nil {
		return nil, said(err)
	}
	out := &sdk.ListPromptsResult{Prompts: []*sdk.Prompt{}, NextCursor: page.Next}
	for _, it := range page.Items {
		p := &sdk.Prompt{Name: it.Slug, Title: it.Title, Description: it.Summary}
		for _, b := range it.Asks {
			p.Arguments = append(p.Arguments, argument(b))
		}
		out.Prompts = append(out.Prompts, p)
	}
	return out, nil
}

// cursorOf gives where a list goes on. Params are nil where a request has none.
func cursorOf(params any) string {
	switch p := params.(type) {
	case *sdk.ListPromptsParams:
		if p != nil {
			return p.Cursor
		}
	case *sdk.ListResourcesParams:
		if p != nil {
			return p.Cursor
		}
	}
	return ""
}

// argument says of a blank all that the protocol has room for: what is asked, and what it
// takes.
func argument(b fill.Blank) *sdk.PromptArgument {
	about := []string{b.Question()}
	if b.Hint != "" {
		about = append(about, b.Hint)
	}
	switch b.Kind() {
	case fill.Pick, fill.PickMany:
		how := "One of: "
		if b.Kind() == fill.PickMany {
			how = "Any of, with commas between them: "
		}
		about = append(about, how+strings.Join(b.Options, ", "))
	case fill.YesNo:
		about = append(about, "yes or no")
	case fill.Date:
		about = append(about, "A day, as 2006-01-02")
	case fill.Number:
		about = append(about, "A number")
	}
	if !b.Default.IsEmpty() {
		about = append(about, "If left out: "+b.Default.String())
	}
	return &sdk.PromptArgument{
		Name: b.Name, Title: b.Question(), Description: strings.Join(about, ". "), Required: !b.Optional && b.Default.IsEmpty(),
	}
}

// getPrompt fills an entry in, with the stack that it recommends.
func (s *Server) getPrompt(ctx context.Context, req *sdk.GetPromptRequest) (*sdk.GetPromptResult, error) {
	c := s.of(req.Extra)
	e, err := c.ShelfEntry(ctx, req.Params.Name)
	if err != nil {
		return nil, said(err)
	}
	values := fill.Values{}
	for name, text := range req.Params.Arguments {
		values[name] = fill.Single(text)
	}
	for _, b := range e.Asks {
		if text, given := req.Params.Arguments[b.Name]; given && b.Kind() == fill.PickMany {
			values[b.Name] = several(b, text)
		}
	}
	filled, err := c.Fill(ctx, req.Params.Name, values)
	if err != nil {
		return nil, said(err)
	}
	return &sdk.GetPromptResult{
		Description: e.Summary,
		Messages:    []*sdk.PromptMessage{{Role: "user", Content: &sdk.TextContent{Text: filled.Text}}},
	}, nil
}

// several reads options with commas between them. An option may have commas itself: the
// longest that fits is taken.
func several(b fill.Blank, text string) fill.Value {
	parts := strings.Split(text, ",")
	var chosen []string
	for at := 0; at < len(parts); {
		end := at + 1
		for n := len(parts); n > at+1; n-- {
			if isOption(b, strings.Join(parts[at:n], ",")) {
				end = n
				break
			}
		}
		if one := strings.TrimSpace(strings.Join(parts[at:end], ",")); one != "" {
			chosen = append(chosen, one)
		}
		at = end
	}
	return fill.List(chosen...)
}

func isOption(b fill.Blank, text string) bool {
	for _, o := range b.Options {
		if o == strings.TrimSpace(text) {
			return true
		}
	}
	return false
}

func (s *Server) listResources(ctx context.Context, req *sdk.ListResourcesRequest) (*sdk.ListResourcesResult, error) {
	page, err := s.of(req.Extra).Shelf(ctx, client.Query{Limit: pageSize, Cursor: cursorOf(req.Params)})
	if err != nil {
		return nil, said(err)
	}
	out := &sdk.ListResourcesResult{Resources: []*sdk.Resource{}, NextCursor: page.Next}
	for _, it := range page.Items {
		out.Resources = append(out.Resources, &sdk.Resource{
			URI: uriPrefix + it.Slug, Name: it.Slug, Title: it.Title, Description: fmt.Sprintf("%s: %s", it.Kind, it.Summary), MIMEType: markdown,
		})
	}
	return out, nil
}

// readResource gives the text of an entry as it is written, marks and all.
func (s *Server) readResource(ctx context.Context, req *sdk.ReadResourceRequest) (*sdk.ReadResourceResult, error) {
	uri := req.Params.URI
	ref, ours := strings.CutPrefix(uri, uriPrefix)
	if !ours || ref == "" || strings.Contains(ref, "/") {
		return nil, sdk.ResourceNotFoundError(uri)
	}
	e, err := s.of(req.Extra).ShelfEntry(ctx, ref)
	switch client.Status(err) {
	case http.StatusNotFound, http.StatusGone:
		return nil, sdk.ResourceNotFoundError(uri)
	}
	if err != nil {
		return nil, said(err)
	}
	return &sdk.ReadResourceResult{Contents: []*sdk.ResourceContents{{URI: uri, MIMEType: markdown, Text: e.Body}}}, nil
}

// complete gives the options of a blank, or the slugs of entries, that begin as what was
// typed.
func (s *Server) complete(ctx context.Context, req *sdk.CompleteRequest) (*sdk.CompleteResult, error) {
	c, typed := s.of(req.Extra), req.Params.Argument
	var all []string
	switch ref := req.Params.Ref; {
	case ref == nil:
	case ref.Type == "ref/prompt":
		e, err := c.ShelfEntry(ctx, ref.Name)
		if err != nil {
			return nil, said(err)
		}
		all = options(e, typed.Name)
	case ref.Type == "ref/resource" && typed.Name == "slug":
		page, err := c.Shelf(ctx, client.Query{Words: strings.ReplaceAll(typed.Value, "-", " "), Limit: mostTerms})
		if err != nil {
			return nil, said(err)
		}
		for _, it := range page.Items {
			all = append(all, it.Slug)
		}
	}
	begin := []string{}
	for _, o := range all {
		if strings.HasPrefix(strings.ToLower(o), strings.ToLower(typed.Value)) {
			begin = append(begin, o)
		}
	}
	total := len(begin)
	return &sdk.CompleteResult{Completion: sdk.CompletionResultDetails{
		Values: begin[:min(total, mostTerms)], Total: total, HasMore: total > mostTerms,
	}}, nil
}

func options(e api.Entry, blank string) []string {
	for _, b := range e.Asks {
		switch {
		case b.Name != blank:
		case b.Kind() == fill.YesNo:
			return []string{"yes", "no"}
		default:
			return b.Options
		}
	}
	return nil
}

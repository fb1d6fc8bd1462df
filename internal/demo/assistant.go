package demo

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"regexp"
	"strings"

	sdk "github.com/modelcontextprotocol/go-sdk/mcp"
)

// Assistant is a stand-in for an assistant that knows the library by the Model Context
// Protocol alone: it is asked for something, finds the entry for it, sees what that asks
// for, takes that from what it was told, and fills it in. A GET gives the talk as a page.
// It acts by the token that the request has.
type Assistant struct {
	Endpoint string // such as http://127.0.0.1:7420/mcp
}

// usualRequest is what it is asked where the request says nothing else.
const usualRequest = `Write the burst main notice for "Mill Lane and Ferry Row": water is back within 6 hours, and it must be boiled.`

// Step is a part of a talk: what was said, or a tool that was called with what came of it.
type Step struct {
	Who  string
	Said string
	Call string // the tool with its arguments
	Came string
}

func (a *Assistant) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	steps, err := a.Talk(r.Context(), r.Header.Get("Authorization"), cmp.Or(r.URL.Query().Get("ask"), usualRequest))
	if err != nil {
		steps = append(steps, Step{Who: "Assistant", Said: "I could not: " + err.Error()})
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = talkPage.Execute(w, steps) // whoever asked has gone
}

// Talk is a talk about a request, as whoever the authorization is of.
func (a *Assistant) Talk(ctx context.Context, authorization, request string) (steps []Step, err error) {
	steps = []Step{{Who: "You", Said: request}}
	session, err := sdk.NewClient(&sdk.Implementation{Name: "demo-assistant", Version: "1"}, nil).Connect(ctx, &sdk.StreamableClientTransport{
		Endpoint: a.Endpoint, MaxRetries: -1, HTTPClient: &http.Client{Transport: authorized(authorization)},
	}, nil)
	if err != nil {
		return steps, err
	}
	defer session.Close()

	call := func(tool string, arguments map[string]any, out any) error {
		in, err := json.Marshal(arguments)
		if err != nil {
			return err
		}
		res, err := session.CallTool(ctx, &sdk.CallToolParams{Name: tool, Arguments: arguments})
		if err != nil {
			return err
		}
		came := ""
		for _, c := range res.Content {
			if text, is := c.(*sdk.TextContent); is {
				came += text.Text
			}
		}
		steps = append(steps, Step{Who: "Assistant", Call: tool + " " + string(in), Came: came})
		if res.IsError {
			return fmt.Errorf("%s: %s", tool, came)
		}
		data, err := json.Marshal(res.StructuredContent)
		if err != nil {
			return err
		}
		return json.Unmarshal(data, out)
	}

	words, _, _ := strings.Cut(strings.TrimPrefix(request, "Write the "), " for ")
	var found struct {
		Entries []struct{ Slug, Title string }
	}
	if err := call("find_entries", map[string]any{"words": words, "kind": "prompt", "limit": 3}, &found); err != nil {
		return steps, err
	}
	if len(found.Entries) == 0 {
		return append(steps, Step{Who: "Assistant", Said: "The library has nothing for that."}), nil
	}
	slug := found.Entries[0].Slug
	var entry struct {
		Version int
		Asks    []wanted
	}
	if err := call("read_entry", map[string]any{"slug": slug}, &entry); err != nil {
		return steps, err
	}
	values := map[string]any{}
	for _, b := range entry.Asks {
		if v := b.from(request); v != "" {
			values[b.Name] = v
		}
	}
	var filled struct{ Text string }
	if err := call("fill_entry", map[string]any{"slug": slug, "values": values}, &filled); err != nil {
		return steps, err
	}
	return append(steps, Step{Who: "Assistant", Said: fmt.Sprintf("I filled in %s, version %d, and work by that text.", found.Entries[0].Title, entry.Version)}), nil
}

// wanted is what an entry asks for, as the assistant reads it.
type wanted struct {
	Name    string
	Type    string
	Options []string
}

var (
	quoted = regexp.MustCompile(`"([^"]+)"`)
	number = regexp.MustCompile(`\d+`)
)

// from takes from a request what is asked for: a number, an option or a word that is named,
// or else what stands in quotation marks.
func (b wanted) from(request string) string {
	lower := strings.ToLower(request)
	switch b.Type {
	case "number":
		return number.FindString(request)
	case "yes-no":
		if strings.Contains(lower, strings.ToLower(b.Name)) {
			return "yes"
		}
		return ""
	case "pick":
		for _, o := range b.Options {
			if strings.Contains(lower, strings.ToLower(o)) {
				return o
			}
		}
		return ""
	}
	if m := quoted.FindStringSubmatch(request); m != nil {
		return m[1]
	}
	return ""
}

// authorized sends an Authorization header along.
type authorized string

func (a authorized) RoundTrip(r *http.Request) (*http.Response, error) {
	r = r.Clone(r.Context())
	r.Header.Set("Authorization", string(a))
	return http.DefaultTransport.RoundTrip(r)
}

var talkPage = template.Must(template.New("talk").Parse(`<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>An assistant at work</title>
<style>body{font:16px/1.5 serif;max-width:50rem;margin:2rem auto;padding:0 1rem;background:#FBF8F1;color:#23201B}h2{font-size:1rem;margin:1.5rem 0 .25rem}p{margin:.25rem 0}code{font-size:14px;overflow-wrap:anywhere}pre{background:#fff;padding:1rem;white-space:pre-wrap;overflow-wrap:anywhere;max-height:18rem;overflow:auto;border:1px solid #E4DCCB;border-radius:6px;font-size:14px}</style>
<main><h1>An assistant at work</h1>
<p>A small stand-in for an assistant. It knows the library by the Model Context Protocol alone, and acts as you.</p>
{{range .}}<section><h2>{{.Who}}</h2>{{if .Call}}<p><code>{{.Call}}</code></p><pre tabindex="0">{{.Came}}</pre>{{else}}<p>{{.Said}}</p>{{end}}</section>
{{end}}</main></html>
`))

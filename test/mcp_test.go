package test

import (
	"context"
	"encoding/json"
	"net/http"
	"os/exec"
	"slices"
	"strings"
	"testing"
	"time"

	sdk "github.com/modelcontextprotocol/go-sdk/mcp"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/test/run"
)

// withToken sends a token along.
type withToken struct{ token string }

func (w withToken) RoundTrip(r *http.Request) (*http.Response, error) {
	r = r.Clone(r.Context())
	r.Header.Set("Authorization", "Bearer "+w.token)
	return http.DefaultTransport.RoundTrip(r)
}

// assistant is one that works for somebody, over HTTP or by a program that it starts.
func assistant(t *testing.T, transport, url, name string, o *sdk.ClientOptions) *sdk.ClientSession {
	t.Helper()
	c := &client.Client{Server: url}
	if _, err := c.SignIn(t.Context(), name, demo.Password); err != nil {
		t.Fatal(err)
	}
	var by sdk.Transport = &sdk.StreamableClientTransport{Endpoint: url + "/mcp", HTTPClient: &http.Client{Transport: withToken{c.Token}}, MaxRetries: -1}
	if transport == "stdio" {
		program, err := run.Program("goldshelf")
		if err != nil {
			t.Fatal(err)
		}
		cmd := exec.Command(program, "mcp")
		cmd.Env = []string{"HOME=" + t.TempDir(), "GOLDSHELF_SERVER=" + url, "GOLDSHELF_TOKEN=" + c.Token}
		by = &sdk.CommandTransport{Command: cmd}
	}
	session, err := sdk.NewClient(&sdk.Implementation{Name: "assistant", Version: "1"}, o).Connect(t.Context(), by, nil)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := session.Close(); err != nil {
			t.Errorf("%s: close: %v", transport, err)
		}
	})
	return session
}

// overBoth runs a test over both transports.
func overBoth(t *testing.T, test func(t *testing.T, as func(name string) *sdk.ClientSession)) {
	t.Helper()
	overBothAt(t, service.URL, test)
}

func overBothAt(t *testing.T, url string, test func(t *testing.T, as func(name string) *sdk.ClientSession)) {
	t.Helper()
	for _, transport := range []string{"http", "stdio"} {
		t.Run(transport, func(t *testing.T) {
			t.Parallel()
			test(t, func(name string) *sdk.ClientSession { return assistant(t, transport, url, name, nil) })
		})
	}
}

// calls gives what a tool answers, read into out, and its text; wrong is whether it is an error.
func calls(t *testing.T, s *sdk.ClientSession, name string, in map[string]any, out any) (text string, wrong bool) {
	t.Helper()
	res, err := s.CallTool(t.Context(), &sdk.CallToolParams{Name: name, Arguments: in})
	if err != nil {
		t.Fatalf("%s %v: %v", name, in, err)
	}
	if len(res.Content) > 0 {
		if c, is := res.Content[0].(*sdk.TextContent); is {
			text = c.Text
		}
	}
	if out != nil && !res.IsError {
		data, err := json.Marshal(res.StructuredContent)
		if err == nil {
			err = json.Unmarshal(data, out)
		}
		if err != nil {
			t.Fatalf("%s answers %v: %v", name, res.StructuredContent, err)
		}
	}
	return text, res.IsError
}

// An assistant finds an entry and fills it in, by tools and as a prompt, and gets the text
// that the API gives.
func TestAnAssistantFindsAndFills(t *testing.T) {
	t.Parallel()
	overBoth(t, func(t *testing.T, as func(string) *sdk.ClientSession) {
		s := as("reader")
		var found struct {
			Entries []struct{ Slug, Kind string }
			Total   int
		}
		if text, wrong := calls(t, s, "find_entries", map[string]any{"words": "burst main notice", "kind": "prompt"}, &found); wrong || found.Total == 0 || found.Entries[0].Slug != "burst-main-notice" {
			t.Fatalf("find gives %+v, %s", found, text)
		}
		c := &client.Client{Server: service.URL}
		if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
			t.Fatal(err)
		}
		e, err := c.ShelfEntry(t.Context(), "burst-main-notice")
		if err != nil {
			t.Fatal(err)
		}
		values, arguments := map[string]any{}, map[string]string{}
		for _, b := range e.Asks {
			v := b.Sample
			if v.IsEmpty() {
				v = b.Default
			}
			if !v.IsEmpty() {
				values[b.Name], arguments[b.Name] = v, v.String()
			}
		}
		var filled struct{ Text string }
		if text, wrong := calls(t, s, "fill_entry", map[string]any{"slug": "burst-main-notice", "values": values}, &filled); wrong || text != filled.Text || len(text) < 200 {
			t.Fatalf("fill gives %q, %+v", text, filled)
		}
		res, err := s.GetPrompt(t.Context(), &sdk.GetPromptParams{Name: "burst-main-notice", Arguments: arguments})
		if err != nil {
			t.Fatal(err)
		}
		if got := res.Messages[0].Content.(*sdk.TextContent).Text; got != filled.Text {
			t.Errorf("the prompt is %q, and the filled entry %q", got, filled.Text)
		}

		text, wrong := calls(t, s, "fill_entry", map[string]any{"slug": "burst-main-notice"}, nil)
		if !wrong || strings.Count(text, "\n") < 1 {
			t.Errorf("without values it says %q; want each that is missing", text)
		}
		if text, wrong := calls(t, s, "read_entry", map[string]any{"slug": "no-such-entry"}, nil); !wrong || !strings.Contains(text, "no-such-entry") {
			t.Errorf("of an entry that is not there it says %q", text)
		}
		if _, err := s.GetPrompt(t.Context(), &sdk.GetPromptParams{Name: "no-such-entry"}); err == nil || !strings.Contains(err.Error(), "no-such-entry") {
			t.Errorf("of a prompt that is not there it says %v", err)
		}
	})
}

// What is on the shelf is listed whole: prompts with what they ask for, and all entries as
// resources that can be read.
func TestTheShelfIsPromptsAndResources(t *testing.T) {
	t.Parallel()
	overBoth(t, func(t *testing.T, as func(string) *sdk.ClientSession) {
		s := as("reader")
		c := &client.Client{Server: service.URL}
		if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
			t.Fatal(err)
		}
		onShelf := func(q client.Query) map[string]bool {
			t.Helper()
			q.Limit = 200
			list, err := c.Shelf(t.Context(), q)
			if err != nil || list.Next != "" {
				t.Fatalf("%v, %s", err, list.Next)
			}
			slugs := map[string]bool{}
			for _, it := range list.Items {
				slugs[it.Slug] = true
			}
			return slugs
		}
		kind := client.Query{Labels: map[string][]string{"kind": {"prompt"}}}
		before, everything := onShelf(kind), onShelf(client.Query{})
		prompts := map[string]*sdk.Prompt{}
		for p, err := range s.Prompts(t.Context(), nil) {
			if err != nil {
				t.Fatal(err)
			}
			prompts[p.Name] = p
		}
		// Others put entries on this shelf and take some off meanwhile.
		after := onShelf(kind)
		for slug := range before {
			if after[slug] && prompts[slug] == nil {
				t.Errorf("%s is not listed", slug)
			}
		}
		for slug := range prompts {
			if !before[slug] && !after[slug] {
				t.Errorf("%s is listed, and not on the shelf", slug)
			}
		}
		options := []string{}
		for _, p := range prompts {
			if !after[p.Name] {
				continue
			}
			e, err := c.ShelfEntry(t.Context(), p.Name)
			if err != nil || len(e.Asks) != len(p.Arguments) {
				t.Fatalf("%s has %d arguments, and asks for %d, %v", p.Name, len(p.Arguments), len(e.Asks), err)
			}
			for i, b := range e.Asks {
				if a := p.Arguments[i]; a.Name != b.Name || a.Required != (!b.Optional && b.Default.IsEmpty()) {
					t.Errorf("%s has the argument %+v for %+v", p.Name, a, b)
				}
				if len(b.Options) > 1 && len(options) == 0 {
					options = b.Options
					res, err := s.Complete(t.Context(), &sdk.CompleteParams{
						Ref:      &sdk.CompleteReference{Type: "ref/prompt", Name: p.Name},
						Argument: sdk.CompleteParamsArgument{Name: b.Name, Value: strings.ToUpper(options[1][:2])},
					})
					if err != nil || !slices.Contains(res.Completion.Values, options[1]) {
						t.Errorf("completion of %q gives %+v, %v", options[1][:2], res, err)
					}
				}
			}
		}
		if len(options) == 0 {
			t.Error("no prompt has options to complete")
		}
		read := map[string]bool{}
		for r, err := range s.Resources(t.Context(), nil) {
			if err != nil {
				t.Fatal(err)
			}
			res, err := s.ReadResource(t.Context(), &sdk.ReadResourceParams{URI: r.URI})
			if err != nil && !onShelf(client.Query{})[r.Name] {
				continue
			}
			if err != nil || res.Contents[0].Text == "" && !strings.HasPrefix(r.Description, "relay") && !strings.HasPrefix(r.Description, "sheet") {
				t.Errorf("%s: %v, %+v", r.URI, err, res)
			}
			read[r.Name] = true
		}
		now := onShelf(client.Query{})
		for slug := range everything {
			if now[slug] && !read[slug] {
				t.Errorf("%s is no resource", slug)
			}
		}
		for _, uri := range []string{"goldshelf://shelf/no-such-entry", "goldshelf://shelf/", "file:///etc/passwd", "goldshelf://shelf/a/b"} {
			if res, err := s.ReadResource(t.Context(), &sdk.ReadResourceParams{URI: uri}); err == nil {
				t.Errorf("%s gives %+v", uri, res)
			}
		}
	})
}

// A contributor's assistant makes and changes drafts, on the revision that it read; nothing
// lets it submit, approve or publish. A reader's is not even offered it.
func TestAnAssistantWritesDraftsAndNoMore(t *testing.T) {
	t.Parallel()
	overBothAt(t, alone(t).URL, func(t *testing.T, as func(string) *sdk.ClientSession) {
		s, title := as("contributor"), "Meter reading by "+t.Name()[strings.LastIndex(t.Name(), "/")+1:]
		type draft struct{ Slug, State, Body, Revision, Title string }
		var d draft
		text, wrong := calls(t, s, "create_draft", map[string]any{
			"kind": "prompt", "title": title, "body": "Remind {{customer}} to read the meter.",
			"blanks": []map[string]any{{"name": "customer", "ask": "Who is it?"}},
		}, &d)
		if wrong || d.State != "draft" || d.Revision == "" {
			t.Fatalf("create_draft gives %s, %+v", text, d)
		}
		first := d
		if text, wrong := calls(t, s, "change_draft", map[string]any{"slug": d.Slug, "revision": d.Revision, "body": "Ask {{customer}} to read the meter."}, &d); wrong || d.Title != title || !strings.HasPrefix(d.Body, "Ask") {
			t.Fatalf("change_draft gives %s, %+v", text, d)
		}
		if text, wrong := calls(t, s, "change_draft", map[string]any{"slug": d.Slug, "revision": first.Revision, "body": "Gone."}, nil); !wrong || !strings.Contains(text, "read_draft") {
			t.Errorf("a change of an old revision is answered %q", text)
		}
		var now draft
		if calls(t, s, "read_draft", map[string]any{"slug": d.Slug}, &now); now.Body != d.Body || now.Revision != d.Revision {
			t.Errorf("read_draft gives %+v", now)
		}
		for _, tool := range toolsOf(t, s) {
			for _, word := range []string{"submit", "approve", "publish", "return", "retire"} {
				if strings.Contains(tool, word) {
					t.Errorf("there is a tool %s", tool)
				}
			}
		}
		reader := as("reader")
		if tools := toolsOf(t, reader); slices.Contains(tools, "create_draft") || !slices.Contains(tools, "find_entries") {
			t.Errorf("a reader is offered %v", tools)
		}
		if text, wrong := calls(t, reader, "create_draft", map[string]any{"kind": "prompt", "title": "Mine", "body": "x"}, nil); !wrong {
			t.Errorf("a reader makes a draft: %s", text)
		}
	})
}

func toolsOf(t *testing.T, s *sdk.ClientSession) (names []string) {
	t.Helper()
	for tool, err := range s.Tools(t.Context(), nil) {
		if err != nil {
			t.Fatal(err)
		}
		names = append(names, tool.Name)
	}
	return names
}

// Whoever listens hears that other entries are on the shelf, over HTTP.
func TestAnAssistantHearsOfChanges(t *testing.T) {
	t.Parallel()
	url := alone(t).URL
	heard := make(chan string, 10)
	assistant(t, "http", url, "reader", &sdk.ClientOptions{
		PromptListChangedHandler:   func(context.Context, *sdk.PromptListChangedRequest) { heard <- "prompts" },
		ResourceListChangedHandler: func(context.Context, *sdk.ResourceListChangedRequest) { heard <- "resources" },
	})
	c := &client.Client{Server: url}
	if _, err := c.SignIn(t.Context(), "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	time.Sleep(1500 * time.Millisecond) // the state before is known
	if _, err := c.Retire(t.Context(), "open-day-column", api.Retirement{Because: "The open day is over."}); err != nil {
		t.Fatal(err)
	}
	want := map[string]bool{"prompts": true, "resources": true}
	for end := time.After(10 * time.Second); len(want) > 0; {
		select {
		case what := <-heard:
			delete(want, what)
		case <-end:
			t.Fatalf("nothing was heard of %v", want)
		}
	}
}

// Without a token, with one that is none, from another site, with too much or nonsense:
// each is refused in words, and the service goes on.
func TestWhatAssistantsAreRefused(t *testing.T) {
	t.Parallel()
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	list := `{"jsonrpc":"2.0","id":1,"method":"tools/list"}`
	for name, ask := range map[string]struct {
		token, origin, body string
		want                int
	}{
		"no token":          {"", "", list, 401},
		"no such token":     {"nonsense", "", list, 401},
		"another site":      {c.Token, "http://elsewhere.example", list, 403},
		"no JSON":           {c.Token, "", "{", 400},
		"a batch":           {c.Token, "", "[" + list + "," + list + "]", 200}, // the oldest protocol has them
		"1.5 MiB":           {c.Token, "", `{"jsonrpc":"2.0","id":1,"method":"` + strings.Repeat("x", 3<<19) + `"}`, 413},
		"no such method":    {c.Token, "", `{"jsonrpc":"2.0","id":1,"method":"nonsense"}`, 400},
		"answer to nothing": {c.Token, "", `{"jsonrpc":"2.0","id":7,"result":{}}`, 202},
		"a list":            {c.Token, "", list, 200},
	} {
		req, err := http.NewRequestWithContext(t.Context(), "POST", service.URL+"/mcp", strings.NewReader(ask.body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Accept", "application/json, text/event-stream")
		if ask.token != "" {
			req.Header.Set("Authorization", "Bearer "+ask.token)
		}
		if ask.origin != "" {
			req.Header.Set("Origin", ask.origin)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		res.Body.Close()
		if res.StatusCode != ask.want {
			t.Errorf("%s: %s, want %d", name, res.Status, ask.want)
		}
	}
}

// The demo's assistant finds the notice, sees what it asks for, and fills it in.
func TestTheDemosAssistant(t *testing.T) {
	t.Parallel()
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	a := &demo.Assistant{Endpoint: service.URL + "/mcp"}
	steps, err := a.Talk(t.Context(), "Bearer "+c.Token, `Write the burst main notice for "Mill Lane": water is back within 6 hours, and it must be boiled.`)
	if err != nil || len(steps) != 5 {
		t.Fatalf("%v, %+v", err, steps)
	}
	if filled := steps[3].Came; !strings.Contains(filled, "households in Mill Lane") || !strings.Contains(filled, "within 6 hours") {
		t.Errorf("it has filled in %q", filled)
	}
	if _, err := a.Talk(t.Context(), "Bearer nonsense", "Write anything"); err == nil {
		t.Error("without a token it finds something")
	}
}

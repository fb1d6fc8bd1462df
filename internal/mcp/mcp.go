// Package mcp speaks the Model Context Protocol with assistants: what is on the shelf are
// prompts and resources to them, and what they may do are tools. It does everything
// through the API, as whoever the assistant works for, so that no rule of it can be walked
// round. It knows no rule of the job, and approves and publishes nothing.
package mcp

import (
	"context"
	"net/http"
	"sync/atomic"
	"time"

	sdk "github.com/modelcontextprotocol/go-sdk/mcp"

	"goldshelf/client"
	"goldshelf/internal/version"
)

// Agent is the User-Agent of what is called for an assistant.
const Agent = "goldshelf-mcp/1"

// Caller gives the API as whoever sent a request may use it. The header is that of the
// request, and nil where it did not come over HTTP.
type Caller func(header http.Header) *client.Client

// Server answers assistants.
type Server struct {
	sdk       *sdk.Server
	caller    Caller
	listening atomic.Int64 // who wants to hear of changes
}

const instructions = `The company's shared library of prompts. Look for an entry with find_entries, fill it in with fill_entry, and use the text that you get as it is. Entries are named by slug; those on the shelf were reviewed. A draft that you make or change is for people to review and publish.`

// New gives a server.
func New(caller Caller) *Server {
	s := &Server{caller: caller}
	s.sdk = sdk.NewServer(&sdk.Implementation{Name: "goldshelf", Title: "Gold Shelf", Version: version.String()}, &sdk.ServerOptions{
		Instructions: instructions, CompletionHandler: s.complete,
		Capabilities: &sdk.ServerCapabilities{
			Prompts: &sdk.PromptCapabilities{ListChanged: true}, Resources: &sdk.ResourceCapabilities{ListChanged: true},
			Tools: &sdk.ToolCapabilities{}, Completions: &sdk.CompletionCapabilities{},
		},
		SetCacheable: func(_ context.Context, _ sdk.Request, c *sdk.Cacheable) { c.CacheScope = "private" },
	})
	s.sdk.AddResourceTemplate(&sdk.ResourceTemplate{
		Name: "entry", Title: "An entry on the shelf", URITemplate: uriPrefix + "{slug}", MIMEType: markdown,
		Description: "The text of a published entry, as Markdown. A version of it that was published before is goldshelf://shelf/SLUG@NUMBER.",
	}, s.readResource)
	s.addTools()
	s.sdk.AddReceivingMiddleware(s.ownLists)
	return s
}

// ownLists answers what depends on who asks and on what is on the shelf now.
func (s *Server) ownLists(next sdk.MethodHandler) sdk.MethodHandler {
	return func(ctx context.Context, method string, req sdk.Request) (sdk.Result, error) {
		switch r := req.(type) {
		case *sdk.ListPromptsRequest:
			return s.listPrompts(ctx, r)
		case *sdk.GetPromptRequest:
			return s.getPrompt(ctx, r)
		case *sdk.ListResourcesRequest:
			return s.listResources(ctx, r)
		case *sdk.ListToolsRequest:
			return s.listTools(ctx, method, r, next)
		case *sdk.SubscriptionsListenRequest:
			s.listening.Add(1)
			defer s.listening.Add(-1)
		}
		return next(ctx, method, req)
	}
}

// of gives the API as whoever sent a request may use it.
func (s *Server) of(extra *sdk.RequestExtra) *client.Client {
	if extra == nil {
		return s.caller(nil)
	}
	return s.caller(extra.Header)
}

// Listening says whether anyone wants to hear of changes.
func (s *Server) Listening() bool { return s.listening.Load() > 0 }

// ShelfChanged tells those who want to hear of it that other entries are on the shelf now.
func (s *Server) ShelfChanged() {
	// The lists are our own: what is added here is in none, and has the change be told.
	s.sdk.AddPrompt(&sdk.Prompt{Name: "any"}, func(ctx context.Context, r *sdk.GetPromptRequest) (*sdk.GetPromptResult, error) {
		return s.getPrompt(ctx, r)
	})
	s.sdk.AddResource(&sdk.Resource{Name: "any", URI: uriPrefix}, s.readResource)
}

// ServeStdio answers an assistant that has started the program, until it leaves.
func (s *Server) ServeStdio(ctx context.Context) error { return s.sdk.Run(ctx, &sdk.StdioTransport{}) }

// Handler answers over HTTP. It keeps nothing of whoever asks, so that any service can
// answer the next request. Before it is found out who calls.
func (s *Server) Handler() http.Handler {
	h := sdk.NewStreamableHTTPHandler(func(*http.Request) *sdk.Server { return s.sdk }, &sdk.StreamableHTTPOptions{
		Stateless: true, JSONResponse: true, PropagateRequestCancellation: true,
		DisableLocalhostProtection: true, // where a request comes from is looked at before
	})
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx, cancel := context.WithCancel(r.Context())
		defer cancel()
		kept := &keptAlive{ResponseWriter: w, gone: cancel}
		defer kept.end()
		h.ServeHTTP(kept, r.WithContext(ctx))
	})
}

// noticeEvery is how often a stream on which nothing happens is written to, so that it is
// noticed where whoever listened has gone.
const noticeEvery = 15 * time.Second

package server

import (
	"bytes"
	"io"
	"net"
	"net/http"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/adaptor"
	"github.com/valyala/fasthttp"

	"goldshelf/client"
	"goldshelf/core/message"
	"goldshelf/internal/mcp"
	"goldshelf/internal/work"
)

const mcpPath = "/mcp"

// assistants are answered in the Model Context Protocol. Who calls is found out as for any
// other call, but by a token alone: a browser's cookie is for the console.
func (s *server) assistants(app *fiber.App) {
	s.mcp = mcp.New(func(header http.Header) *client.Client {
		return &client.Client{
			Server: "http://goldshelf", Agent: mcp.Agent, Token: bearer(header.Get(fiber.HeaderAuthorization)), Languages: header.Get(fiber.HeaderAcceptLanguage),
			HTTP: &http.Client{Transport: inside{app.Handler(), header.Get(requestHeader)}},
		}
	})
	app.Get("/.well-known/oauth-protected-resource", s.protectedResource)
	app.Get("/.well-known/oauth-protected-resource"+mcpPath, s.protectedResource)
	// A stream outlives the fiber handler, so its share is taken by the one that serves it.
	handler := s.mcp.Handler()
	answer := adaptor.HTTPHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		by, _ := r.Context().Value(callerKey).(work.Caller)
		leave, ok := s.shares.take(by)
		if !ok {
			w.Header().Set("Retry-After", "5")
			http.Error(w, streamRefused().Error(), http.StatusTooManyRequests)
			return
		}
		defer leave()
		handler.ServeHTTP(w, r)
	}))
	app.All(mcpPath, s.fresh, s.readable, s.bearerOnly, s.signedIn, s.sameOrigin, s.received(MaxBody), answer)
}

// bearerOnly asks for a token, and says how to get one.
func (s *server) bearerOnly(c fiber.Ctx) error {
	if err := s.fromHere(c); err != nil {
		return err
	}
	if bearer(c.Get(fiber.HeaderAuthorization)) == "" {
		return &status{signInFirst, message.Say("an assistant calls with a token: send it as Authorization: Bearer")}
	}
	c.Request().Header.Set(requestHeader, requestID(c)) // what is called for it is part of it
	return c.Next()
}

// protectedResource says where an assistant gets a token (RFC 9728).
func (s *server) protectedResource(c fiber.Ctx) error {
	out := struct {
		Resource string   `json:"resource"`
		Servers  []string `json:"authorization_servers,omitempty"`
		Bearer   []string `json:"bearer_methods_supported"`
		Name     string   `json:"resource_name"`
	}{Resource: s.address() + mcpPath, Bearer: []string{"header"}, Name: "Gold Shelf"}
	if s.opt.SignOn != nil {
		out.Servers = []string{s.opt.SignOn.Issuer}
	}
	return c.JSON(out)
}

// TellAssistants tells those who listen that other entries are on the shelf now.
func (s *Service) TellAssistants() { s.mcp.ShelfChanged() }

// AssistantsListen says whether any do.
func (s *Service) AssistantsListen() bool { return s.mcp.Listening() }

// inside carries the client's requests to the handler in the same process: as whoever they
// name, and past nothing that a request over the network passes.
type inside struct {
	handler fasthttp.RequestHandler
	request string // the id of the request that they are part of
}

func (i inside) RoundTrip(r *http.Request) (*http.Response, error) {
	var req fasthttp.Request
	req.Header.SetMethod(r.Method)
	req.SetRequestURI(r.URL.RequestURI())
	req.SetHost(r.URL.Host)
	for name, values := range r.Header {
		for _, v := range values {
			req.Header.Add(name, v)
		}
	}
	if r.Body != nil {
		data, err := io.ReadAll(r.Body)
		if err != nil {
			return nil, err
		}
		req.SetBody(data)
	}
	var c fasthttp.RequestCtx
	c.Init(&req, &net.TCPAddr{IP: net.IPv4(127, 0, 0, 1)}, nil)
	c.SetUserValue(insideKey, true)
	if i.request != "" {
		c.SetUserValue(requestKey, i.request)
	}
	i.handler(&c)
	data := c.Response.Body()
	header := http.Header{}
	for name, value := range c.Response.Header.All() {
		header.Add(string(name), string(value))
	}
	code := c.Response.StatusCode()
	return &http.Response{
		StatusCode: code, Status: http.StatusText(code), Header: header, Body: io.NopCloser(bytes.NewReader(data)), ContentLength: int64(len(data)), Request: r,
	}, nil
}

// withBearer has whoever is signed in by a cookie call by their token.
func withBearer(c fiber.Ctx) error {
	token, _ := c.Locals(tokenKey).(string)
	c.Request().Header.Set(fiber.HeaderAuthorization, "Bearer "+token)
	return c.Next()
}

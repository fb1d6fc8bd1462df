package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"goldshelf/api"
)

// contract holds every request and response against the OpenAPI document.
type contract struct {
	t    *testing.T
	next http.RoundTripper
}

// document is the OpenAPI document. What a body must be is compiled once, and not for each.
type document struct {
	routes  routers.Router
	mu      sync.Mutex
	schemas *jsonschema.Compiler // keeps what it has compiled
}

const documentAt = "https://goldshelf.test/openapi.json"

var readDocument = sync.OnceValues(func() (*document, error) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		return nil, err
	}
	doc.Servers = nil
	if err := doc.Validate(context.Background()); err != nil {
		return nil, err
	}
	text, err := json.Marshal(doc)
	if err != nil {
		return nil, err
	}
	whole, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	if err != nil {
		return nil, err
	}
	schemas := jsonschema.NewCompiler()
	schemas.DefaultDraft(jsonschema.Draft2020)
	schemas.AssertFormat()
	if err := schemas.AddResource(documentAt, whole); err != nil {
		return nil, err
	}
	routes, err := gorillamux.NewRouter(doc)
	return &document{routes: routes, schemas: schemas}, err
})

// holds says how JSON breaks what the document has of it: at gives the steps to what has the
// body, in is its content.
func (d *document) holds(data []byte, media string, in openapi3.Content, at ...string) error {
	if in[media] == nil {
		return fmt.Errorf("there is no %s", media)
	}
	if in[media].Schema == nil {
		return nil
	}
	pointer := "#"
	for _, step := range append(at, "content", media, "schema") {
		pointer += "/" + url.PathEscape(strings.NewReplacer("~", "~0", "/", "~1").Replace(step))
	}
	value, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
	if err != nil {
		return err
	}
	d.mu.Lock()
	schema, err := d.schemas.Compile(documentAt + pointer)
	d.mu.Unlock()
	if err != nil {
		return err
	}
	return schema.Validate(value)
}

// holdsRequest and holdsResponse are holds for an operation's.
func (d *document) holdsRequest(r *routers.Route, data []byte, media string) error {
	body := r.Operation.RequestBody
	if body == nil {
		return nil
	}
	at := []string{"paths", r.Path, strings.ToLower(r.Method), "requestBody"}
	if name, ok := strings.CutPrefix(body.Ref, "#/"); ok {
		at = strings.Split(name, "/")
	}
	return d.holds(data, media, body.Value.Content, at...)
}

func (d *document) holdsResponse(r *routers.Route, status int, data []byte, media string) error {
	code := strconv.Itoa(status)
	answer := r.Operation.Responses.Value(code)
	if answer == nil {
		code = "default"
		if answer = r.Operation.Responses.Value(code); answer == nil {
			return fmt.Errorf("there is no answer %d", status)
		}
	}
	at := []string{"paths", r.Path, strings.ToLower(r.Method), "responses", code}
	if name, ok := strings.CutPrefix(answer.Ref, "#/"); ok {
		at = strings.Split(name, "/")
	}
	return d.holds(data, media, answer.Value.Content, at...)
}

// isJSON gives the media type of a header, and whether that is JSON.
func isJSON(h http.Header) (media string, _ bool) {
	media, _, _ = mime.ParseMediaType(h.Get("Content-Type")) // what is none is not JSON
	return media, media == "application/json" || strings.HasSuffix(media, "+json")
}

func (c *contract) RoundTrip(req *http.Request) (*http.Response, error) {
	doc, err := readDocument()
	if err != nil {
		c.t.Errorf("the contract: %v", err)
		return c.next.RoundTrip(req)
	}
	var sent []byte
	if req.Body != nil {
		if sent, err = io.ReadAll(req.Body); err != nil {
			return nil, err
		}
	}
	described := req.Clone(req.Context())
	described.URL = &url.URL{Scheme: "http", Host: req.URL.Host, Path: strings.TrimPrefix(req.URL.Path, "/api/v1"), RawQuery: req.URL.RawQuery}
	described.Body = io.NopCloser(bytes.NewReader(sent))
	route, params, err := doc.routes.FindRoute(described)
	if err != nil {
		c.t.Errorf("the contract has no %s %s: %v", req.Method, described.URL.Path, err)
		return c.next.RoundTrip(req)
	}
	sentMedia, sentJSON := isJSON(req.Header)
	sentJSON = sentJSON && len(sent) > 0
	in := &openapi3filter.RequestValidationInput{
		Request: described, PathParams: params, Route: route,
		Options: &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc, IncludeResponseStatus: true, ExcludeRequestBody: sentJSON},
	}
	requestErr := openapi3filter.ValidateRequest(req.Context(), in)
	if sentJSON {
		requestErr = errors.Join(requestErr, doc.holdsRequest(route, sent, sentMedia))
	}
	req.Body = io.NopCloser(bytes.NewReader(sent))
	res, err := c.next.RoundTrip(req)
	if err != nil {
		return res, err
	}
	data, err := io.ReadAll(res.Body)
	if err != nil {
		return nil, err
	}
	res.Body.Close()
	res.Body = io.NopCloser(bytes.NewReader(data))
	if requestErr != nil && res.StatusCode < 400 {
		c.t.Errorf("%s %s: the service takes what the contract does not: %v", req.Method, req.URL.Path, requestErr)
	}
	media, answersJSON := isJSON(res.Header)
	out := &openapi3filter.ResponseValidationInput{
		RequestValidationInput: in, Status: res.StatusCode, Header: res.Header,
		Options: &openapi3filter.Options{IncludeResponseStatus: true, ExcludeResponseBody: answersJSON},
	}
	out.SetBodyBytes(data)
	answerErr := openapi3filter.ValidateResponse(req.Context(), out)
	if answersJSON {
		answerErr = errors.Join(answerErr, doc.holdsResponse(route, res.StatusCode, data, media))
	}
	if answerErr != nil {
		c.t.Errorf("%s %s: the answer breaks the contract: %v", req.Method, req.URL.Path, answerErr)
	}
	return res, nil
}

// What holds a body against the document sees when it is another.
func TestAnotherBodyIsSeen(t *testing.T) {
	t.Parallel()
	doc, err := readDocument()
	if err != nil {
		t.Fatal(err)
	}
	route := func(method, path string) *routers.Route {
		r, _, err := doc.routes.FindRoute(httptest.NewRequest(method, path, nil))
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	const problem = `{"type": "about:blank", "title": "Not Found", "status": 404, "detail": "There is no entry."}`
	for _, c := range []struct {
		what, path, body, media string
		status                  int
		holds                   bool
	}{
		{"a channel's deliveries", "/channels/1/deliveries", `{"items": []}`, "application/json", 200, true},
		{"a number for a list", "/channels/1/deliveries", `{"items": 1}`, "application/json", 200, false},
		{"nothing of it", "/channels/1/deliveries", `[]`, "application/json", 200, false},
		{"no JSON", "/channels/1/deliveries", `{"items": [}`, "application/json", 200, false},
		{"another form", "/channels/1/deliveries", `{"items": []}`, "application/ld+json", 200, false},
		{"a problem", "/entries/x", problem, "application/problem+json", 404, true},
		{"a problem's status in words", "/entries/x", strings.Replace(problem, "404", `"four"`, 1), "application/problem+json", 404, false},
	} {
		if err := doc.holdsResponse(route("GET", c.path), c.status, []byte(c.body), c.media); (err == nil) != c.holds {
			t.Errorf("%s: %v", c.what, err)
		}
	}
	for body, holds := range map[string]bool{
		`{"kind": "prompt", "body": "Say it."}`:             true,
		`{"kind": "prompt", "body": 1}`:                     false,
		`{"kind": "prompt"}`:                                false,
		`{"kind": "prompt", "body": "Say it.", "bodi": ""}`: false,
	} {
		if err := doc.holdsRequest(route("POST", "/entries"), []byte(body), "application/json"); (err == nil) != holds {
			t.Errorf("%s: %v", body, err)
		}
	}
}

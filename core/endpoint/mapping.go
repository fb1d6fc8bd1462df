package endpoint

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"goldshelf/core/problem"
)

// Mapping says where in an endpoint's requests and answers our own stand. Places in JSON are
// JSON pointers (RFC 6901).
type Mapping struct {
	Request RequestMapping `json:"request"`
	Reply   ReplyMapping   `json:"reply"`
	Stream  StreamMapping  `json:"stream"`
	Error   ErrorMapping   `json:"error"`
	Sample  any            `json:"sample,omitempty"` // a whole answer of the endpoint, in which the text must be found
}

// RequestMapping says how a request is sent. In the body each object {"from": POINTER} stands
// for what our request has there, and {"from": POINTER, "each": …} for a list, each of its
// items written so; what our request has not is left out. Beside what a [Request] has there
// is /system, where the system's text goes apart from the messages.
type RequestMapping struct {
	Method  string            `json:"method,omitempty"` // POST if nothing is said
	Path    string            `json:"path"`             // after the connection's address
	Headers map[string]string `json:"headers,omitempty"`
	Secret  SecretMapping     `json:"secret,omitzero"`
	Roles   map[Role]string   `json:"roles,omitempty"`  // what it calls them; others keep their names
	System  string            `json:"system,omitempty"` // among (the messages), if nothing is said, or apart
	Body    any               `json:"body"`
}

// SecretMapping says where the connection's secret goes: Authorization: Bearer, if nothing
// is said.
type SecretMapping struct {
	Header string `json:"header,omitempty"`
	Before string `json:"before,omitempty"` // what stands before it, with its space
}

// ReplyMapping says where a whole reply has what.
type ReplyMapping struct {
	Text      string            `json:"text"`
	Reason    string            `json:"reason,omitempty"`
	Reasons   map[string]Reason `json:"reasons,omitempty"` // by what the endpoint calls them
	TokensIn  string            `json:"tokens_in,omitempty"`
	TokensOut string            `json:"tokens_out,omitempty"`
}

// The ways in which a stream comes.
const (
	Events = "events" // Server-Sent Events, JSON in the data of each
	Lines  = "lines"  // a line of JSON each
)

// StreamMapping says where the data of a stream have what. An empty one is an endpoint that
// does not stream.
type StreamMapping struct {
	As        string `json:"as,omitempty"` // events or lines
	Piece     string `json:"piece,omitempty"`
	Reason    string `json:"reason,omitempty"`
	TokensIn  string `json:"tokens_in,omitempty"`
	TokensOut string `json:"tokens_out,omitempty"`
	Ends      Ends   `json:"ends,omitzero"`
}

// Ends is what ends a stream: a datum that is no JSON but this, or one that has something at
// a place, or this there.
type Ends struct {
	Data string `json:"data,omitempty"`
	At   string `json:"at,omitempty"`
	Is   any    `json:"is,omitempty"`
}

// ErrorMapping says where an answer, or a datum of a stream, says what is wrong, and which
// statuses are worth another try beside those of 500 and above.
type ErrorMapping struct {
	Text  string `json:"text,omitempty"`
	Again []int  `json:"again,omitempty"`
}

// Limits of a mapping.
const (
	mostHeaders = 20
	mostBody    = 16 << 10
	mostNested  = 20
)

// Problems says what is wrong with a mapping, all at once.
func (m Mapping) Problems() (wrong problem.List) {
	r := m.Request
	if r.Method != "" && r.Method != "POST" && r.Method != "PUT" {
		wrong.Add("/request/method", "method", "a model is asked by POST or PUT, not by %.20q", r.Method)
	}
	if !strings.HasPrefix(r.Path, "/") && r.Path != "" {
		wrong.Add("/request/path", "path", "%.80q does not begin with a slash; it comes after the connection's address", r.Path)
	}
	if len(r.Headers) > mostHeaders {
		wrong.Add("/request/headers", "many", "there are %d headers; 20 are enough", len(r.Headers))
	}
	for _, name := range slices.Sorted(maps.Keys(r.Headers)) {
		at := problem.Pointer("request", "headers", name)
		switch {
		case !isToken(name):
			wrong.Add(at, "header", "%.40q is no name of a header", name)
		case isSecret(name):
			wrong.Add(at, "header", "%s carries a secret; keep that with the connection and say where it goes in request.secret", name)
		case strings.ContainsFunc(r.Headers[name], func(c rune) bool { return c < ' ' && c != '\t' || c == 127 }):
			wrong.Add(at, "header", "the value of %s has a control character", name)
		}
	}
	if h := r.Secret.Header; h != "" && !isToken(h) {
		wrong.Add("/request/secret/header", "header", "%.40q is no name of a header", h)
	}
	for _, role := range slices.Sorted(maps.Keys(r.Roles)) {
		if !slices.Contains(Roles(), role) {
			wrong.Add(problem.Pointer("request", "roles", string(role)), "role", "%.40q is no role; they are system, user and assistant", string(role))
		}
	}
	if r.System != "" && r.System != "among" && r.System != "apart" {
		wrong.Add("/request/system", "system", "the system's text goes among the messages or apart, not %.40q", r.System)
	}
	wrong = append(wrong, m.bodyProblems()...)
	if m.Reply.Text == "" {
		wrong.Add("/reply/text", "required", "say where a reply has its text, as a JSON pointer such as /text")
	}
	for name, reason := range m.Reply.Reasons {
		if reason != End && reason != Length && reason != Refused {
			wrong.Add(problem.Pointer("reply", "reasons", name), "reason", "%.40q is no reason; they are end, length and refused", string(reason))
		}
	}
	wrong = append(wrong, m.sampleProblems()...)
	wrong = append(wrong, m.streamProblems()...)
	for at, p := range map[string]string{
		"/reply/text": m.Reply.Text, "/reply/reason": m.Reply.Reason, "/reply/tokens_in": m.Reply.TokensIn, "/reply/tokens_out": m.Reply.TokensOut,
		"/stream/piece": m.Stream.Piece, "/stream/reason": m.Stream.Reason, "/stream/tokens_in": m.Stream.TokensIn,
		"/stream/tokens_out": m.Stream.TokensOut, "/stream/ends/at": m.Stream.Ends.At, "/error/text": m.Error.Text,
	} {
		if p != "" && !isPointer(p) {
			wrong.Add(at, "pointer", "%.80q is no JSON pointer: it begins with a slash, and ~ stands only in ~0 and ~1", p)
		}
	}
	for i, status := range m.Error.Again {
		if status < 400 || status > 599 {
			wrong.Add(problem.Pointer("error", "again", i), "status", "%d is no status of an error; they go from 400 to 599", status)
		}
	}
	slices.SortStableFunc(wrong, func(a, b problem.Problem) int { return strings.Compare(a.Field, b.Field) })
	return wrong
}

// sampleProblems says whether a sample answer gives no text.
func (m Mapping) sampleProblems() (wrong problem.List) {
	if m.Sample == nil {
		wrong.Add("/sample", "required", "paste an answer of the endpoint beside the mapping, so that it is known to find the text")
		return wrong
	}
	data, err := json.Marshal(m.Sample)
	switch {
	case err != nil || len(data) > mostBody:
		wrong.Add("/sample", "size", "the sample answer has at most 16 KiB")
	case isPointer(m.Reply.Text) && m.Reply.Text != "":
		reply, err := m.Read(data)
		if err != nil {
			wrong.Add("/sample", "text", "of the sample answer: %s", err.Error())
		} else if strings.TrimSpace(reply.Text) == "" {
			wrong.Add("/sample", "text", "the sample answer has an empty text at %s", m.Reply.Text)
		}
	}
	return wrong
}

func (m Mapping) streamProblems() (wrong problem.List) {
	s := m.Stream
	if s.As == "" {
		return nil
	}
	if s.As != Events && s.As != Lines {
		wrong.Add("/stream/as", "stream", "a stream comes as events or as lines, not as %.40q", s.As)
	}
	if s.Piece == "" {
		wrong.Add("/stream/piece", "required", "say where each piece of a stream stands, as a JSON pointer")
	}
	if s.Ends.Data == "" && s.Ends.At == "" {
		wrong.Add("/stream/ends", "required", "say what ends a stream, so that one that is cut is known: its data, or a place in it")
	}
	return wrong
}

// bodyProblems looks for places of the request that there are none of.
func (m Mapping) bodyProblems() (wrong problem.List) {
	if m.Request.Body == nil {
		wrong.Add("/request/body", "required", "say what is sent, with {\"from\": \"/messages\"} and the like in it")
		return wrong
	}
	if data, err := json.Marshal(m.Request.Body); err != nil || len(data) > mostBody {
		wrong.Add("/request/body", "size", "the body has at most 16 KiB")
		return wrong
	}
	tops := []string{"model", "messages", "settings", "stream", "system"}
	sees := map[string]bool{}
	var look func(v any, at []any, inner bool)
	look = func(v any, at []any, inner bool) {
		if len(at) > mostNested {
			wrong.Add(problem.Pointer(at...), "deep", "the body goes more than 20 levels deep")
			return
		}
		switch v := v.(type) {
		case map[string]any:
			if pointer, each, is := place(v); is {
				switch top := strings.Split(strings.TrimPrefix(pointer, "/"), "/")[0]; {
				case !isPointer(pointer):
					wrong.Add(problem.Pointer(at...), "pointer", "%.80q is no JSON pointer, such as /messages", pointer)
				case !inner && !slices.Contains(tops, top):
					wrong.Add(problem.Pointer(at...), "pointer", "a request has no %.80q; it has /model, /messages, /settings, /stream and /system", pointer)
				case !inner:
					sees[top] = true
				}
				if each != nil {
					look(each, append(slices.Clip(at), "each"), true)
				}
				return
			}
			for _, name := range slices.Sorted(maps.Keys(v)) {
				look(v[name], append(slices.Clip(at), name), inner)
			}
		case []any:
			for i, item := range v {
				look(item, append(slices.Clip(at), i), inner)
			}
		}
	}
	look(m.Request.Body, []any{"request", "body"}, false)
	if !sees["messages"] {
		wrong.Add("/request/body", "messages", "the messages are not in it: put {\"from\": \"/messages\"} where they go")
	}
	if m.Request.System == "apart" && !sees["system"] {
		wrong.Add("/request/body", "system", "the system's text goes apart and is not in it: put {\"from\": \"/system\"} where it goes")
	}
	return wrong
}

// Write gives the body of a request.
func (m Mapping) Write(r Request) ([]byte, error) {
	messages := r.Messages
	own := map[string]any{"model": r.Model, "stream": r.Stream}
	if m.Request.System == "apart" {
		var system string
		if system, messages = Split(messages); system != "" {
			own["system"] = system
		}
	}
	list := make([]any, len(messages))
	for i, said := range messages {
		role := string(said.Role)
		if named, ok := m.Request.Roles[said.Role]; ok {
			role = named
		}
		list[i] = map[string]any{"role": role, "text": said.Text}
	}
	own["messages"] = list
	settings := map[string]any{}
	if s := r.Settings; s != (Settings{}) {
		if s.Temperature != nil {
			settings["temperature"] = *s.Temperature
		}
		if s.MaxTokens > 0 {
			settings["max_tokens"] = s.MaxTokens
		}
		if s.Seed != nil {
			settings["seed"] = *s.Seed
		}
	}
	own["settings"] = settings
	body, _ := written(m.Request.Body, own)
	return json.Marshal(body)
}

// written puts what a request has in the places of a template; it says whether anything is
// there.
func written(template, own any) (any, bool) {
	switch t := template.(type) {
	case map[string]any:
		pointer, each, is := place(t)
		if !is {
			out := map[string]any{}
			for name, v := range t {
				if w, ok := written(v, own); ok {
					out[name] = w
				}
			}
			return out, true
		}
		v, ok := at(own, pointer)
		if list, isList := v.([]any); ok && each != nil && isList {
			out := make([]any, 0, len(list))
			for _, item := range list {
				if w, ok := written(each, item); ok {
					out = append(out, w)
				}
			}
			return out, true
		}
		return v, ok
	case []any:
		out := make([]any, 0, len(t))
		for _, v := range t {
			if w, ok := written(v, own); ok {
				out = append(out, w)
			}
		}
		return out, true
	}
	return template, true
}

// place gives the pointer of an object that stands for a place.
func place(v map[string]any) (pointer string, each any, is bool) {
	pointer, is = v["from"].(string)
	each, has := v["each"]
	return pointer, each, is && (len(v) == 1 || len(v) == 2 && has)
}

// Read reads a whole reply. Its error is a [Failure] where it is none.
func (m Mapping) Read(body []byte) (Reply, error) {
	var v any
	if err := decode(body, &v); err != nil {
		return Reply{}, failure("it answered what is no JSON: %s", shortened(string(body[:min(len(body), 4*most)])))
	}
	text, ok := at(v, m.Reply.Text)
	if !ok {
		if said, ok := textAt(v, m.Error.Text); ok {
			return Reply{}, failure("it answered: %s", said)
		}
		return Reply{}, failure("its answer has nothing at %s, where a reply's text stands", m.Reply.Text)
	}
	out := Reply{Reason: End}
	if out.Text, ok = text.(string); !ok {
		return Reply{}, failure("its answer has no text at %s but %s", m.Reply.Text, kindOf(text))
	}
	if reason, ok := textAt(v, m.Reply.Reason); ok {
		out.Reason = m.reason(reason)
	}
	out.Tokens = Tokens{countAt(v, m.Reply.TokensIn), countAt(v, m.Reply.TokensOut)}
	return out, nil
}

// Datum reads what one event or line of a stream brings. Its error is a [Failure].
func (m Mapping) Datum(data []byte) (Piece, error) {
	s := m.Stream
	if s.Ends.Data != "" && string(bytes.TrimSpace(data)) == s.Ends.Data {
		return Piece{Ends: true}, nil
	}
	var v any
	if err := decode(data, &v); err != nil {
		return Piece{}, failure("its stream has what is no JSON: %s", shortened(string(data[:min(len(data), 4*most)])))
	}
	var p Piece
	if text, ok := at(v, s.Piece); ok {
		if p.Text, ok = text.(string); !ok && text != nil {
			return Piece{}, failure("its stream has no text at %s but %s", s.Piece, kindOf(text))
		}
	} else if said, ok := textAt(v, m.Error.Text); ok {
		return Piece{}, failure("it answered: %s", said)
	}
	if reason, ok := textAt(v, s.Reason); ok && reason != "" {
		p.Reason = m.reason(reason)
	}
	p.Tokens = Tokens{countAt(v, s.TokensIn), countAt(v, s.TokensOut)}
	if s.Ends.At != "" {
		what, there := at(v, s.Ends.At)
		p.Ends = there && what != nil && (s.Ends.Is == nil || fmt.Sprint(what) == fmt.Sprint(s.Ends.Is))
	}
	return p, nil
}

// Failed says what an answer with a status of an error says, as 502 and "502 Bad Gateway", and
// whether it is worth another try.
func (m Mapping) Failed(status int, line string, body []byte) (err error, again bool) {
	again = status >= 500 || slices.Contains(m.Error.Again, status) || status == 429
	var v any
	if decode(body, &v) == nil {
		if said, ok := textAt(v, m.Error.Text); ok && said != "" {
			return failure("it answered %d: %s", status, said), again
		}
	}
	return failure("it answered %s", line), again
}

func (m Mapping) reason(said string) Reason {
	if r, ok := m.Reply.Reasons[said]; ok {
		return r
	}
	if r := Reason(said); r == Length || r == Refused {
		return r
	}
	return End
}

func decode(data []byte, into *any) error {
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	if err := d.Decode(into); err != nil {
		return err
	}
	if d.More() {
		return fmt.Errorf("more follows")
	}
	return nil
}

// isPointer says whether a text is a JSON pointer to a part of something.
func isPointer(p string) bool {
	if !strings.HasPrefix(p, "/") || len(p) > 500 {
		return false
	}
	for rest := p; ; {
		i := strings.IndexByte(rest, '~')
		if i < 0 {
			return true
		}
		if i+1 == len(rest) || rest[i+1] != '0' && rest[i+1] != '1' {
			return false
		}
		rest = rest[i+2:]
	}
}

// at gives what stands at a JSON pointer.
func at(v any, pointer string) (any, bool) {
	if pointer == "" {
		return nil, false
	}
	for token := range strings.SplitSeq(pointer[1:], "/") {
		token = strings.ReplaceAll(strings.ReplaceAll(token, "~1", "/"), "~0", "~")
		switch inner := v.(type) {
		case map[string]any:
			var ok bool
			if v, ok = inner[token]; !ok {
				return nil, false
			}
		case []any:
			i, err := strconv.Atoi(token)
			if err != nil || i < 0 || i >= len(inner) || strconv.Itoa(i) != token {
				return nil, false
			}
			v = inner[i]
		default:
			return nil, false
		}
	}
	return v, true
}

func textAt(v any, pointer string) (string, bool) {
	found, ok := at(v, pointer)
	text, is := found.(string)
	return text, ok && is
}

// countAt gives a number of tokens, or 0 where there is none that can be one.
func countAt(v any, pointer string) int {
	found, _ := at(v, pointer)
	n, is := found.(json.Number)
	if !is {
		return 0
	}
	count, err := strconv.Atoi(n.String())
	if err != nil || count < 0 || count > 1e9 {
		return 0
	}
	return count
}

func kindOf(v any) string {
	switch v.(type) {
	case nil:
		return "null"
	case bool:
		return "true or false"
	case json.Number:
		return "a number"
	case []any:
		return "a list"
	}
	return "an object"
}

func isToken(name string) bool {
	return name != "" && len(name) <= 80 && !strings.ContainsFunc(name, func(c rune) bool {
		return c > 126 || c <= ' ' || strings.ContainsRune(`()<>@,;:\"/[]?={}`, c)
	})
}

// isSecret says whether a header is one that carries who asks.
func isSecret(name string) bool {
	lower := strings.ToLower(name)
	return lower == "authorization" || lower == "proxy-authorization" || lower == "cookie"
}

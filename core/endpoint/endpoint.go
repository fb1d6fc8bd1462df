// Package endpoint says how models are asked and how they answer: in our own small protocol,
// and in what a mapping turns it into. It makes and reads bytes; it reaches no endpoint.
package endpoint

import (
	"slices"
	"strings"

	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Role is who says a message.
type Role string

// The roles.
const (
	System    Role = "system"
	User      Role = "user"
	Assistant Role = "assistant"
)

// Roles are all of them.
func Roles() []Role { return []Role{System, User, Assistant} }

// ModelMessage is one turn of what a model is sent.
type ModelMessage struct {
	Role Role   `json:"role"`
	Text string `json:"text"`
}

// Settings are how a model is to answer. What is left out is the model's own choice.
type Settings struct {
	Temperature *float64 `json:"temperature,omitempty"` // from 0 to 2
	MaxTokens   int      `json:"max_tokens,omitempty"`  // of the reply
	Seed        *int64   `json:"seed,omitempty"`
}

// MostTokens is the longest reply that can be asked for.
const MostTokens = 1_000_000

// Problems says what is wrong with settings.
func (s Settings) Problems() (wrong problem.List) {
	if t := s.Temperature; t != nil && !(*t >= 0 && *t <= 2) {
		wrong.Add("/temperature", "range", "the temperature is %v; it is from 0 to 2", *t)
	}
	if s.MaxTokens < 0 || s.MaxTokens > MostTokens {
		wrong.Add("/max_tokens", "range", "a reply has 1 to 1,000,000 tokens; this asks for %d", s.MaxTokens)
	}
	return wrong
}

// Request is one question to a model.
type Request struct {
	Model    string         `json:"model"`
	Messages []ModelMessage `json:"messages"`
	Settings Settings       `json:"settings"`
	Stream   bool           `json:"stream"`
}

// Reason is why a reply ends.
type Reason string

// The reasons.
const (
	End     Reason = "end"     // it is whole
	Length  Reason = "length"  // it is as long as it may be
	Refused Reason = "refused" // the model does not answer that
)

// Tokens are those that a model has read and written.
type Tokens struct {
	In  int `json:"in"`
	Out int `json:"out"`
}

// Reply is what a model answers.
type Reply struct {
	Text   string `json:"text"`
	Reason Reason `json:"reason"`
	Tokens Tokens `json:"tokens"`
}

// Piece is what one datum of a stream brings.
type Piece struct {
	Text   string
	Reason Reason // empty where it says none
	Tokens Tokens // 0 where it says none
	Ends   bool   // nothing follows
}

// Add puts a piece to what came before.
func (r *Reply) Add(p Piece) {
	r.Text += p.Text
	if p.Reason != "" {
		r.Reason = p.Reason
	}
	r.Tokens.In = max(r.Tokens.In, p.Tokens.In)
	r.Tokens.Out = max(r.Tokens.Out, p.Tokens.Out)
}

// Failure is what an endpoint says instead of a reply.
type Failure struct{ Message message.Text }

func (f *Failure) Error() string { return f.Message.String() }

// Said gives the message.
func (f *Failure) Said() message.Text { return f.Message }

// most is the longest message of an endpoint that anyone is shown, in characters.
const most = 500

// Own is our own protocol as a mapping.
func Own() Mapping {
	return Mapping{
		Request: RequestMapping{
			Path: "/replies",
			Body: map[string]any{
				"model": from("/model"), "stream": from("/stream"), "settings": from("/settings"),
				"messages": map[string]any{"from": "/messages", "each": map[string]any{"role": from("/role"), "text": from("/text")}},
			},
		},
		Reply: ReplyMapping{Text: "/text", Reason: "/reason", TokensIn: "/tokens/in", TokensOut: "/tokens/out"},
		Stream: StreamMapping{
			As: Events, Piece: "/text", Reason: "/reason", TokensIn: "/tokens/in", TokensOut: "/tokens/out", Ends: Ends{At: "/reason"},
		},
		Error:  ErrorMapping{Text: "/detail", Again: []int{429, 503}},
		Sample: map[string]any{"text": "Good morning.", "reason": "end", "tokens": map[string]any{"in": 9, "out": 4}},
	}
}

func from(pointer string) map[string]any { return map[string]any{"from": pointer} }

// Split parts the system's messages, put together, from the others.
func Split(messages []ModelMessage) (system string, others []ModelMessage) {
	var parts []string
	for _, m := range messages {
		if m.Role == System {
			parts = append(parts, m.Text)
		} else {
			others = append(others, m)
		}
	}
	return strings.Join(parts, "\n\n"), others
}

// Problems says what is wrong with messages: there is none, or one has another role.
func Problems(messages []ModelMessage) (wrong problem.List) {
	if len(messages) == 0 {
		wrong.Add("/messages", "required", "there is nothing to send")
	}
	for i, m := range messages {
		if !slices.Contains(Roles(), m.Role) {
			wrong.Add(problem.Pointer("messages", i, "role"), "role", "%.40q is no role; it is system, user or assistant", string(m.Role))
		}
	}
	return wrong
}

func shortened(text string) string {
	text = strings.ToValidUTF8(strings.TrimSpace(text), "�")
	if runes := []rune(text); len(runes) > most {
		return string(runes[:most]) + "…"
	}
	return text
}

func failure(format string, args ...any) error {
	said := message.Say(format, args...)
	if short := shortened(said.String()); short != said.String() {
		said = message.Plain(short)
	}
	return &Failure{said}
}

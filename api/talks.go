package api

import (
	"time"

	"goldshelf/core/change"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/core/message"
)

// Connection is a place where models answer.
type Connection struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	endpoint.Spec
	SecretThere bool      `json:"secret_there"`          // what keeps its secret has one
	SecretKept  bool      `json:"secret_kept,omitempty"` // by the service itself, sealed
	Number      int       `json:"number"`
	By          string    `json:"by,omitempty"` // a full name
	At          time.Time `json:"at"`
}

// Connections are all of them.
type Connections struct {
	Items []Connection `json:"items"`
}

// NewConnection is what a curator says of one. With what was there before, a secret that is
// left out stays, as long as the address has the same scheme, host and port.
type NewConnection struct {
	Name  string `json:"name,omitempty"` // made from the title where it is left out
	Title string `json:"title"`
	endpoint.Spec
	KeepSecret  bool   `json:"keep_secret,omitempty"`  // of what was there before
	SecretValue string `json:"secret_value,omitempty"` // the secret itself, to be kept sealed; never shown again
}

// ConnectionTrial is a question to a connection, to see that it answers.
type ConnectionTrial struct {
	Model string `json:"model"`
	Text  string `json:"text,omitempty"` // what is asked; a greeting, where it is left out
}

// ConnectionTried is what was sent and what came back, without the secret.
type ConnectionTried struct {
	Sent    HTTPText        `json:"sent"`
	Came    *HTTPText       `json:"came,omitempty"` // nothing where nothing came
	Reply   *endpoint.Reply `json:"reply,omitempty"`
	Problem message.Text    `json:"problem,omitzero"` // why there is no reply
	MS      int             `json:"ms"`               // milliseconds
}

// HTTPText is a request or an answer as it is written: its first line, its headers and, cut to
// 16 KiB, its body.
type HTTPText struct {
	Line    string   `json:"line"`
	Headers []string `json:"headers"`
	Body    string   `json:"body"`
}

// AskableModel is a model that can be asked: it is registered and allowed, and a connection
// serves it.
type AskableModel struct {
	Name       string   `json:"name"`
	Title      string   `json:"title"`
	OnTrial    bool     `json:"on_trial,omitempty"`
	TokenLimit int      `json:"token_limit,omitempty"`
	PriceIn    *float64 `json:"price_in,omitempty"` // of a million tokens, in the register's currency
	PriceOut   *float64 `json:"price_out,omitempty"`
}

// AskableModels are all of them.
type AskableModels struct {
	Items    []AskableModel `json:"items"`
	Currency string         `json:"currency"`
}

// TryRequest asks models about an entry that is filled in. Each column is asked for a reply
// of its own, side by side.
type TryRequest struct {
	Ref      string            `json:"ref"`            // a slug, or a version as slug@3
	Open     bool              `json:"open,omitempty"` // the version that is written or reviewed now
	Values   fill.Values       `json:"values,omitempty"`
	Persona  string            `json:"persona,omitempty"`
	Style    string            `json:"style,omitempty"`
	Sheets   []string          `json:"sheets,omitempty"`
	For      string            `json:"for,omitempty"`
	Settings endpoint.Settings `json:"settings,omitzero"`
	Columns  []TryColumn       `json:"columns"`
}

// NewProposal is what a model is asked for a draft. What the draft is goes into the helper's
// blanks of these names: title, kind, text, layout, samples, questions.
type NewProposal struct {
	Helper   string            `json:"helper"`         // a prompt that a curator has marked
	Text     string            `json:"text,omitempty"` // as it stands in the editor; else as it is saved
	Values   fill.Values       `json:"values,omitempty"`
	For      string            `json:"for,omitempty"` // the application whose layout is meant
	Model    string            `json:"model"`
	Settings endpoint.Settings `json:"settings,omitzero"`
}

// TryColumn is what sets one reply apart from those beside it: what it leaves out is as the
// request has it.
type TryColumn struct {
	Model   string `json:"model"`
	Persona string `json:"persona,omitempty"` // a slug, or none
	Style   string `json:"style,omitempty"`
	Shelved bool   `json:"shelved,omitempty"` // the version on the shelf, where the request asks for the open one
}

// TalkReply is one question to a model, and what came of it.
type TalkReply struct {
	ID       string                  `json:"id"`
	Talk     string                  `json:"talk"`
	Turn     int                     `json:"turn"`
	Place    int                     `json:"place"` // beside others of the same turn, from 1
	Title    string                  `json:"title"` // what sets it apart from those
	Model    string                  `json:"model"`
	Messages []endpoint.ModelMessage `json:"messages"` // exactly what was sent
	Settings endpoint.Settings       `json:"settings"`
	Used     []fill.Ref              `json:"used"`  // what went into that
	State    string                  `json:"state"` // waiting, running, done, failed or stopped
	Attempts int                     `json:"attempts"`
	Text     string                  `json:"text"`
	Reason   string                  `json:"reason,omitempty"` // why it ends: end, length or refused
	Problem  message.Text            `json:"problem,omitzero"`
	Tokens   endpoint.Tokens         `json:"tokens"`
	Cost     *float64                `json:"cost,omitempty"`     // in the register's currency
	FirstMS  int                     `json:"first_ms,omitempty"` // milliseconds until its first piece
	WholeMS  int                     `json:"whole_ms,omitempty"`
	AskedAt  time.Time               `json:"asked_at"`
	EndedAt  *time.Time              `json:"ended_at,omitempty"`
}

// Ended says whether nothing more comes of a reply.
func (r TalkReply) Ended() bool { return r.State != "waiting" && r.State != "running" }

// Talk is one person's exchange with models, and nobody else's.
type Talk struct {
	ID      string      `json:"id"`
	Slug    string      `json:"slug,omitempty"` // of the entry that it is about
	Title   string      `json:"title"`
	At      time.Time   `json:"at"`
	AskedAt time.Time   `json:"asked_at"`
	Kept    bool        `json:"kept"`    // else it is forgotten 90 days after it was last asked
	Mine    bool        `json:"mine"`    // and nobody's who lets the caller read it
	Replies []TalkReply `json:"replies"` // by turn and place

	SharedWith []TalkReader `json:"shared_with"`

	Differences []TurnDifference `json:"differences,omitempty"`
}

// TurnDifference is how two replies that stand beside each other differ, once both are whole.
type TurnDifference struct {
	Turn  int           `json:"turn"`
	Lines []change.Line `json:"lines"`
}

// TalkReader is somebody who may read a talk of somebody else's.
type TalkReader struct {
	Name     string `json:"name"`
	FullName string `json:"full_name"`
}

// TalkSharing says with whom a talk is shared.
type TalkSharing struct {
	With   string `json:"with"` // a name to sign in with
	Shared bool   `json:"shared"`
}

// TalkKept says whether a talk is kept.
type TalkKept struct {
	Kept bool `json:"kept"`
}

// DocumentText is what a document says.
type DocumentText struct {
	Text string `json:"text"`
}

// TalkItem is a talk in a list.
type TalkItem struct {
	ID      string    `json:"id"`
	Slug    string    `json:"slug,omitempty"`
	Title   string    `json:"title"`
	Said    string    `json:"said"` // how its last reply begins
	Replies int       `json:"replies"`
	Kept    bool      `json:"kept"`
	AskedAt time.Time `json:"asked_at"`
}

// Talks are someone's talks, the last asked first.
type Talks struct {
	Items []TalkItem `json:"items"`
}

// FollowUp goes on with a talk after one of its replies.
type FollowUp struct {
	After string `json:"after"`           // the reply's id
	Text  string `json:"text,omitempty"`  // what is asked of it
	Model string `json:"model,omitempty"` // another one; if left out, the same

	Refinement string `json:"refinement,omitempty"` // the slug of a prompt that changes replies, instead of a text
}

// ReplyPiece is what has come of a reply since a place in its text, which counts bytes.
type ReplyPiece struct {
	At   int    `json:"at"`
	Text string `json:"text"`
}

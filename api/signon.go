package api

import (
	"time"

	"goldshelf/core/entry"
)

// SignOnBegun says where to go to sign in at the company's provider.
type SignOnBegun struct {
	Address string `json:"address"`
}

// SignOnLink is by what the company's provider knows somebody.
type SignOnLink struct {
	Issuer  string    `json:"issuer"`
	Subject string    `json:"subject"`
	AddedAt time.Time `json:"added_at,omitzero"`
}

// SignOnLinks are those of the caller.
type SignOnLinks struct {
	Items []SignOnLink `json:"items"`
}

// SignOnGroup says which role and department a group of the provider means.
type SignOnGroup struct {
	Group      string     `json:"group"`
	Role       entry.Role `json:"role,omitempty"`
	Department string     `json:"department,omitempty"`
}

// SignOnGroups say which groups mean what. Of several the highest role holds, and the first
// department; who is in none is a reader or, with Only, does not come in.
type SignOnGroups struct {
	Items  []SignOnGroup `json:"items"`
	Only   bool          `json:"only"`
	Number int           `json:"number"`
}

// OpenSession is where somebody is signed in: a browser, or a program that has a token.
type OpenSession struct {
	ID      string    `json:"id"`
	Browser bool      `json:"browser"`
	SignOn  bool      `json:"sign_on,omitempty"` // by the company's provider
	Agent   string    `json:"agent,omitempty"`   // as the program calls itself
	Current bool      `json:"current"`           // this one
	Begun   time.Time `json:"begun"`
	Used    time.Time `json:"used"` // last, to within some minutes
	Expires time.Time `json:"expires"`
}

// OpenSessions are those of the caller, the last used first.
type OpenSessions struct {
	Items []OpenSession `json:"items"`
}

// Codes says how it stands with somebody's one-time codes.
type Codes struct {
	On       bool `json:"on"`
	Spare    int  `json:"spare"`    // how many spare ones are left
	Possible bool `json:"possible"` // the service can keep what they are made of
}

// CodesBegun is what one-time codes are made of, for the program that shows them (RFC 6238).
type CodesBegun struct {
	Secret  string `json:"secret"`  // in base32
	Address string `json:"address"` // otpauth://…
	Picture string `json:"picture"` // the address as a QR code: a PNG as a data: URL
}

// SpareCodes are for when the others are lost, each good once.
type SpareCodes struct {
	Spare []string `json:"spare"`
}

// PasswordAgain is one's own password, said again.
type PasswordAgain struct {
	Password string `json:"password"`
}

// OneTimeCode is one.
type OneTimeCode struct {
	Code string `json:"code"`
}

package asking

import (
	"strings"

	"goldshelf/core/problem"
)

// CanSeal says whether secrets can be kept in the database.
func (s Secrets) CanSeal() bool { return s.Key != nil }

// Seal seals a secret for a place alone.
func (s Secrets) Seal(place, secret string) []byte { return s.Key.Seal(place, secret) }

// Open gives a secret that was sealed for a place, or an error that says what is wrong.
func (s Secrets) Open(place string, sealed []byte) (string, error) { return s.Key.Open(place, sealed) }

// SecretProblems says what keeps a secret itself from being kept, at a field.
func (s Secrets) SecretProblems(field, secret string) (wrong problem.List) {
	switch {
	case secret == "":
	case s.Key == nil:
		wrong.Add(field, "no-key", "the service has no --secret-key-file under which a secret could be kept; keep it in a variable or a file, and say what that is called")
	case len(secret) > mostSecret:
		wrong.Add(field, "size", "the secret has %d bytes; 16,384 are possible", len(secret))
	case strings.ContainsFunc(secret, func(r rune) bool { return r < ' ' || r == 127 }):
		wrong.Add(field, "text", "the secret has a line break or another control character; it is sent in a header")
	}
	return wrong
}

package asking

import (
	"crypto/aes"
	"crypto/cipher"
	"encoding/base64"
	"errors"
	"fmt"
	"os"
	"strings"

	"goldshelf/core/problem"
)

// Key is under what secrets are sealed that are kept in the database (AES-256-GCM).
type Key struct{ aead cipher.AEAD }

const keyBytes = 32

// ReadKey reads a key from a file: 32 random bytes, in base64.
func ReadKey(file string) (*Key, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("the key of secrets cannot be read: %w", err)
	}
	key, err := base64.StdEncoding.DecodeString(strings.TrimSpace(string(data)))
	if err != nil || len(key) != keyBytes {
		return nil, fmt.Errorf("%s is no key of secrets: it has 32 random bytes in base64, as openssl rand -base64 32 makes them", file)
	}
	return newKey(key)
}

func newKey(key []byte) (*Key, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCMWithRandomNonce(block)
	return &Key{aead}, err
}

// CanSeal says whether secrets can be kept in the database.
func (s Secrets) CanSeal() bool { return s.Key != nil }

// Seal seals a secret for a place alone: sealed for one it cannot be opened for another.
func (s Secrets) Seal(place, secret string) []byte {
	return s.Key.aead.Seal(nil, nil, []byte(secret), []byte(place))
}

// Open gives a secret that was sealed for a place, or an error that says what is wrong.
func (s Secrets) Open(place string, sealed []byte) (string, error) {
	if s.Key == nil {
		return "", errors.New("the secret is kept sealed, and the service has no --secret-key-file")
	}
	secret, err := s.Key.aead.Open(nil, nil, sealed, []byte(place))
	if err != nil {
		return "", errors.New("the secret cannot be opened with the key that the service has; give the secret again")
	}
	return string(secret), nil
}

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

// Package sealed keeps secrets that have to be read again (AES-256-GCM): under a key that is in a
// file, so that a copy of the database gives none of them away.
package sealed

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"os"
	"strings"

	"goldshelf/core/message"
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

// MakeKey reads a key from a file, and makes one there where there is no file.
func MakeKey(file string) (*Key, error) {
	raw := make([]byte, keyBytes)
	_, _ = rand.Read(raw) // it never fails
	fresh, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, os.ErrExist) {
		return ReadKey(file)
	}
	if err != nil {
		return nil, fmt.Errorf("the key of secrets cannot be made: %w", err)
	}
	_, err = fresh.WriteString(base64.StdEncoding.EncodeToString(raw) + "\n")
	if err = errors.Join(err, fresh.Sync(), fresh.Close()); err != nil {
		return nil, fmt.Errorf("the key of secrets cannot be made: %w", err)
	}
	return ReadKey(file)
}

func newKey(key []byte) (*Key, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCMWithRandomNonce(block)
	return &Key{aead}, err
}

// Seal seals a secret for a place alone: sealed for one it cannot be opened for another.
func (k *Key) Seal(place, secret string) []byte {
	return k.aead.Seal(nil, nil, []byte(secret), []byte(place))
}

// Open gives a secret that was sealed for a place, or an error that says what is wrong. A nil
// key opens nothing.
func (k *Key) Open(place string, sealed []byte) (string, error) {
	if k == nil {
		return "", message.Errorf("the secret is kept sealed, and the service has no --secret-key-file")
	}
	secret, err := k.aead.Open(nil, nil, sealed, []byte(place))
	if err != nil {
		return "", message.Errorf("the secret cannot be opened with the key that the service has; give the secret again")
	}
	return string(secret), nil
}

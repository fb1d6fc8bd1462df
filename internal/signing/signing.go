// Package signing signs what a library leaves outside itself, such as backups, and tells by the
// signature whether it is as it was left (Ed25519, RFC 8032).
package signing

import (
	"bufio"
	"bytes"
	"crypto/ed25519"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// A Public key tells whether something was signed with its private one: 32 bytes in base64.
type Public string

// ParsePublic reads a public key.
func ParsePublic(text string) (Public, error) {
	raw, err := base64.StdEncoding.DecodeString(strings.TrimSpace(text))
	if err != nil || len(raw) != ed25519.PublicKeySize {
		return "", fmt.Errorf("%q is no public key; it is 44 characters long, as goldshelfd doctor shows it", text)
	}
	return Public(base64.StdEncoding.EncodeToString(raw)), nil
}

// Signature says with which key something was signed.
type Signature struct {
	Key   Public `json:"key"`
	Bytes []byte `json:"signature"`
}

// ErrUnsigned means that something has no signature by a key that is trusted, or has changed
// since it was signed.
var ErrUnsigned = errors.New("the signature does not hold")

// Trusted are the keys whose signatures hold.
type Trusted []Public

// Verify returns an error unless the data was signed, as what it is said to be, with one of the
// keys. It wraps ErrUnsigned.
func (t Trusted) Verify(what string, data []byte, s Signature) error {
	if !slices.Contains(t, s.Key) {
		return fmt.Errorf("%w: it was signed with a key that is not trusted here; say --key with the public key of the library that made it, which goldshelfd doctor shows there, or --backup-key-file with the file of its key", ErrUnsigned)
	}
	key, err := base64.StdEncoding.DecodeString(string(s.Key))
	if err != nil || len(key) != ed25519.PublicKeySize || !ed25519.Verify(key, message(what, data), s.Bytes) {
		return fmt.Errorf("%w: it was changed after it had been signed", ErrUnsigned)
	}
	return nil
}

// message is what is signed: data signed as one thing is not signed as another.
func message(what string, data []byte) []byte {
	return append([]byte("goldshelf "+what+"\n"), data...)
}

// Key signs. Signatures by the keys that it took the place of hold, too.
type Key struct {
	private ed25519.PrivateKey
	earlier Trusted
}

// Public is by what others tell that something was signed with the key.
func (k *Key) Public() Public {
	return Public(base64.StdEncoding.EncodeToString(k.private.Public().(ed25519.PublicKey)))
}

// Trusted are the key and those that it took the place of.
func (k *Key) Trusted() Trusted { return append(Trusted{k.Public()}, k.earlier...) }

// Sign signs data as what it is.
func (k *Key) Sign(what string, data []byte) Signature {
	return Signature{k.Public(), ed25519.Sign(k.private, message(what, data))}
}

// A key's file has a line "private" with its seed in base64, and a line "earlier" for the public
// key of each that it took the place of.
const (
	privateLine = "private "
	earlierLine = "earlier "
)

// Read reads a key from its file. Without a file the error is fs.ErrNotExist.
func Read(file string) (*Key, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("read the key of backups: %w", err)
	}
	k := &Key{}
	lines := bufio.NewScanner(bytes.NewReader(text))
	for lines.Scan() {
		line := strings.TrimSpace(lines.Text())
		switch {
		case line == "":
		case strings.HasPrefix(line, privateLine) && k.private == nil:
			seed, err := base64.StdEncoding.DecodeString(line[len(privateLine):])
			if err != nil || len(seed) != ed25519.SeedSize {
				return nil, damaged(file)
			}
			k.private = ed25519.NewKeyFromSeed(seed)
		case strings.HasPrefix(line, earlierLine):
			public, err := ParsePublic(line[len(earlierLine):])
			if err != nil {
				return nil, damaged(file)
			}
			k.earlier = append(k.earlier, public)
		default:
			return nil, damaged(file)
		}
	}
	if lines.Err() != nil || k.private == nil {
		return nil, damaged(file)
	}
	return k, nil
}

func damaged(file string) error {
	return fmt.Errorf("%s is no key of backups: put the file back as it was, or move it away and have goldshelfd backup-key make a new key", file)
}

// Make reads a key from its file, and makes one where there is no file.
func Make(file string) (*Key, error) {
	k, err := Read(file)
	if !errors.Is(err, fs.ErrNotExist) {
		return k, err
	}
	fresh, err := write(file, nil)
	if err != nil {
		return nil, err
	}
	defer os.Remove(fresh)
	// Of two who make it at once, one does: a link is not put in another's place.
	if err := os.Link(fresh, file); err != nil && !errors.Is(err, fs.ErrExist) {
		return nil, fmt.Errorf("make the key of backups: %w", err)
	}
	return Read(file)
}

// Change puts a new key in the place of the one in a file. What that one signed is trusted further.
func Change(file string) (*Key, error) {
	old, err := Read(file)
	if err != nil {
		return nil, err
	}
	fresh, err := write(file, old.Trusted())
	if err != nil {
		return nil, err
	}
	if err := os.Rename(fresh, file); err != nil {
		return nil, errors.Join(fmt.Errorf("change the key of backups: %w", err), os.Remove(fresh))
	}
	return Read(file)
}

// write writes a new key into a file beside the one that it is for.
func write(file string, earlier Trusted) (path string, err error) {
	seed := make([]byte, ed25519.SeedSize)
	_, _ = rand.Read(seed) // it never fails
	text := privateLine + base64.StdEncoding.EncodeToString(seed) + "\n"
	for _, public := range earlier {
		text += earlierLine + string(public) + "\n"
	}
	fresh, err := os.CreateTemp(filepath.Dir(file), ".backup-key-") // for its owner alone
	if err != nil {
		return "", fmt.Errorf("make the key of backups: %w", err)
	}
	_, err = fresh.WriteString(text)
	if err = errors.Join(err, fresh.Sync(), fresh.Close()); err != nil {
		return "", errors.Join(fmt.Errorf("make the key of backups: %w", err), os.Remove(fresh.Name()))
	}
	return fresh.Name(), nil
}

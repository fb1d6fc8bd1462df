package asking

import (
	"errors"
	"os"
	"path/filepath"
	"strings"

	"goldshelf/core/endpoint"
	"goldshelf/core/message"
	"goldshelf/internal/sealed"
)

const mostSecret = 16 << 10 // bytes

// Secrets is where the secrets of connections are kept: in variables of the environment that
// begin with GOLDSHELF_SECRET_, as files of a directory, if there is one, and sealed in the
// database under a key, if there is one.
type Secrets struct {
	Dir string
	Key *sealed.Key
}

// Get gives a secret by what it is kept as, or an error that says what is missing.
func (s Secrets) Get(name string) (string, error) {
	if name == "" {
		return "", nil
	}
	if endpoint.IsVariable(name) {
		if v := os.Getenv(name); v != "" {
			return v, nil
		}
		return "", message.Errorf("the service has no variable %s; start it with one", name)
	}
	if s.Dir == "" {
		return "", message.Errorf("the secret is kept in the file %s, and the service has no --secrets-dir", name)
	}
	root, err := os.OpenRoot(s.Dir) // so that no link leads out of it
	if err != nil {
		return "", message.Errorf("the directory of secrets cannot be read: %w", errors.Unwrap(err))
	}
	defer root.Close()
	if info, err := root.Stat(name); err != nil || info.Size() > mostSecret || !info.Mode().IsRegular() {
		return "", message.Errorf("there is no file %s that could be a secret in %s", name, filepath.Clean(s.Dir))
	}
	data, err := root.ReadFile(name)
	if err != nil {
		return "", message.Errorf("the secret %s cannot be read", name)
	}
	return strings.TrimRight(string(data), "\r\n"), nil
}

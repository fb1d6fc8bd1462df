package asking

import (
	"os"
	"strings"
	"unicode"

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

// Get returns a secret by its name, for the place (scheme, host and port) that it is to be sent
// to. Whoever runs the service lists the places of each secret: of GOLDSHELF_SECRET_NAME in
// GOLDSHELF_ORIGINS_NAME, of the file NAME in the file NAME.origins. A secret without its list is
// sent nowhere. The error is the same for a secret that is not there and for one that is not
// for this place: who may name secrets does not learn which ones exist.
func (s Secrets) Get(name, place string) (string, error) {
	if name == "" {
		return "", nil
	}
	origins := name + ".origins"
	read := s.file
	if endpoint.IsVariable(name) {
		origins, read = "GOLDSHELF_ORIGINS_"+strings.TrimPrefix(name, "GOLDSHELF_SECRET_"), os.Getenv
	}
	if endpoint.IsSecretName(name) && place != "" && lists(read(origins), place) {
		if secret := read(name); secret != "" {
			return secret, nil
		}
	}
	return "", message.Errorf("there is no secret %s for %s; whoever runs the service sets it, and lists that address in %s", name, place, origins)
}

// lists reports whether a list of web addresses, parted by spaces, commas or line ends, has one
// of a place.
func lists(origins, place string) bool {
	for _, origin := range strings.FieldsFunc(origins, func(r rune) bool { return unicode.IsSpace(r) || r == ',' }) {
		if (endpoint.Spec{Address: origin}).Place() == place {
			return true
		}
	}
	return false
}

// file reads a file of the directory of secrets; nothing where there is none that could be one.
func (s Secrets) file(name string) string {
	if s.Dir == "" {
		return ""
	}
	root, err := os.OpenRoot(s.Dir) // so that no link leads out of it
	if err != nil {
		return ""
	}
	defer root.Close()
	if info, err := root.Stat(name); err != nil || info.Size() > mostSecret || !info.Mode().IsRegular() {
		return ""
	}
	data, err := root.ReadFile(name)
	if err != nil {
		return ""
	}
	return strings.TrimRight(string(data), "\r\n")
}

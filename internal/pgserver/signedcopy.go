package pgserver

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"time"

	"goldshelf/internal/signing"
)

// A copy has a list of its files, and the list's signature.
const (
	copyList      = "files.json"
	copySignature = "files.signature"
	copySignedAs  = "copy"

	mostList = 64 << 20 // bytes
)

// signedCopy is what is signed of a copy.
type signedCopy struct {
	BeganAt time.Time         `json:"began_at"`
	EndedAt time.Time         `json:"ended_at"` // the log leads from here on
	Files   map[string]string `json:"files"`    // the SHA-256 of each, by its path

	dir string
}

func isSigned(dir string) bool {
	_, err := os.Stat(filepath.Join(dir, copySignature))
	return err == nil && Exists(dir)
}

// signCopy signs a copy, with all of its files.
func signCopy(dir string, key *signing.Key, began, ended time.Time) error {
	files, err := hashed(context.Background(), dir)
	if err != nil {
		return err
	}
	list, err := json.Marshal(signedCopy{BeganAt: began, EndedAt: ended, Files: files})
	if err != nil {
		return err
	}
	signature, err := json.Marshal(key.Sign(copySignedAs, list))
	if err != nil {
		return err
	}
	if err := errors.Join(writeWhole(filepath.Join(dir, copyList), list), writeWhole(filepath.Join(dir, copySignature), signature)); err != nil {
		return diskError("sign the copy", err)
	}
	return nil
}

// readCopy reads the list of a copy that was signed with a trusted key.
func readCopy(dir string, trusted signing.Trusted) (c signedCopy, err error) {
	path := filepath.Join(dir, copyList)
	info, err := os.Stat(path)
	if err != nil || info.Size() > mostList {
		return c, fmt.Errorf("%s is missing or too large: %w", path, signing.ErrUnsigned)
	}
	list, err := os.ReadFile(path)
	if err != nil {
		return c, err
	}
	signature, err := readSignature(filepath.Join(dir, copySignature))
	if err != nil {
		return c, err
	}
	if err := trusted.Verify(copySignedAs, list, signature); err != nil {
		return c, fmt.Errorf("%s: %w", dir, err)
	}
	c.dir = dir
	return c, json.Unmarshal(list, &c)
}

// hashed gives the SHA-256 of every file in a folder but those that sign them, by path. Anything
// that is neither a file nor a folder is an error.
func hashed(ctx context.Context, dir string) (map[string]string, error) {
	files := map[string]string{}
	err := filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return errors.Join(err, ctx.Err())
		}
		name, err := filepath.Rel(dir, path)
		if err != nil || name == copyList || name == copySignature {
			return err
		}
		if !e.Type().IsRegular() {
			return fmt.Errorf("%s is no plain file; a cluster with tablespaces elsewhere cannot be archived", path)
		}
		files[name], err = hashOf(path, io.Discard)
		return errors.Join(err, ctx.Err())
	})
	return files, err
}

// hashOf gives the SHA-256 of a file, which it writes to w.
func hashOf(path string, w io.Writer) (string, error) {
	file, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer file.Close()
	hash := sha256.New()
	_, err = io.Copy(io.MultiWriter(hash, w), file)
	return hex.EncodeToString(hash.Sum(nil)), err
}

// takeCopy makes a data directory of a copy: of the files that are in its list alone, each as it
// was signed, and with our own configuration in the place of the copy's.
func takeCopy(ctx context.Context, c signedCopy, dir string) error {
	account, err := accountFor(os.Geteuid())
	if err != nil {
		return err
	}
	s := &Server{dir: dir, account: account}
	if err := s.prepareDir(); err != nil {
		return err
	}
	if err := s.takeFolders(ctx, c.dir); err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(c.Files)) {
		if err := ctx.Err(); err != nil {
			return err
		}
		if !filepath.IsLocal(name) {
			return fmt.Errorf("%s: the list has a file %q", c.dir, name)
		}
		if err := s.takeFile(filepath.Join(c.dir, name), filepath.Join(dir, name), c.Files[name]); err != nil {
			return err
		}
	}
	for name, text := range configuration {
		path := filepath.Join(s.cluster(), name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			return diskError("write "+path, err)
		}
		if err := s.giveAway(path); err != nil {
			return err
		}
	}
	return nil
}

// takeFolders makes the folders of a copy in a data directory; PostgreSQL needs the empty ones, too.
func (s *Server) takeFolders(ctx context.Context, from string) error {
	return filepath.WalkDir(filepath.Join(from, "cluster"), func(path string, e fs.DirEntry, err error) error {
		if err != nil || !e.IsDir() {
			return errors.Join(err, ctx.Err())
		}
		name, err := filepath.Rel(from, path)
		if err != nil {
			return err
		}
		to := filepath.Join(s.dir, name)
		if err := os.MkdirAll(to, 0o700); err != nil {
			return diskError("make "+to, err)
		}
		return s.giveAway(to)
	})
}

// takeFile copies a file, and returns an error unless what was copied is what was signed.
func (s *Server) takeFile(from, to, hash string) error {
	file, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return diskError("write "+to, err)
	}
	got, err := hashOf(from, file)
	if err = errors.Join(err, file.Sync(), file.Close()); err != nil {
		return diskError("copy "+from, err)
	}
	if got != hash {
		return fmt.Errorf("%s: %w: it was changed after it had been signed", from, signing.ErrUnsigned)
	}
	if filepath.Dir(to) == s.dir { // the password is the service's
		return nil
	}
	return s.giveAway(to)
}

// configuration is that of a cluster that comes out of an archive: what the copy's own says could
// have programs be run. What a service needs besides is in its arguments.
var configuration = map[string]string{
	"postgresql.conf":      "max_connections = 100\nshared_buffers = 128MB\ndynamic_shared_memory_type = posix\nlog_timezone = 'UTC'\ntimezone = 'UTC'\ndatestyle = 'iso, mdy'\ndefault_text_search_config = 'pg_catalog.english'\n",
	"postgresql.auto.conf": "",
	"pg_hba.conf":          "host all all 127.0.0.1/32 scram-sha-256\nhost replication all 127.0.0.1/32 scram-sha-256\n",
	"pg_ident.conf":        "",
}

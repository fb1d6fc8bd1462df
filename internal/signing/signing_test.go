package signing

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

func made(t *testing.T) (*Key, string) {
	t.Helper()
	file := filepath.Join(t.TempDir(), "backup-key")
	k, err := Make(file)
	if err != nil {
		t.Fatal(err)
	}
	return k, file
}

// What was signed is told from what was changed, from what was signed as something else, and
// from what somebody else signed.
func TestSignatures(t *testing.T) {
	t.Parallel()
	k, _ := made(t)
	other, _ := made(t)
	data := []byte("the list of what is in a backup")
	s := k.Sign("backup", data)
	if err := k.Trusted().Verify("backup", data, s); err != nil {
		t.Error(err)
	}
	longer := s
	longer.Key = other.Public()
	short := s
	short.Bytes = s.Bytes[:10]
	for name, err := range map[string]error{
		"changed":        k.Trusted().Verify("backup", []byte("the list of what is in a backuP"), s),
		"something else": k.Trusted().Verify("log", data, s),
		"somebody else":  k.Trusted().Verify("backup", data, other.Sign("backup", data)),
		"another's name": Trusted{k.Public(), other.Public()}.Verify("backup", data, longer),
		"cut short":      k.Trusted().Verify("backup", data, short),
		"no signature":   k.Trusted().Verify("backup", data, Signature{}),
		"nobody trusted": Trusted{}.Verify("backup", data, s),
		"no key at all":  Trusted{""}.Verify("backup", data, Signature{}),
	} {
		if !errors.Is(err, ErrUnsigned) {
			t.Errorf("%s: got %v", name, err)
		}
	}
}

// A key is changed, and what the earlier ones signed holds further.
func TestChangedKey(t *testing.T) {
	t.Parallel()
	first, file := made(t)
	data := []byte("x")
	second, err := Change(file)
	if err != nil {
		t.Fatal(err)
	}
	third, err := Change(file)
	if err != nil {
		t.Fatal(err)
	}
	if first.Public() == second.Public() || second.Public() == third.Public() {
		t.Error("the key is the same")
	}
	for _, k := range []*Key{first, second, third} {
		if err := third.Trusted().Verify("log", data, k.Sign("log", data)); err != nil {
			t.Error(err)
		}
	}
	if err := second.Trusted().Verify("log", data, third.Sign("log", data)); err == nil {
		t.Error("a later key is trusted by an earlier one")
	}
	if again, err := Read(file); err != nil || again.Public() != third.Public() {
		t.Errorf("got %v", err)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("others may read it: %v %v", info.Mode(), err)
	}
	if left, err := os.ReadDir(filepath.Dir(file)); err != nil || len(left) != 1 {
		t.Errorf("there is left %v, %v", left, err)
	}
}

// However many make a key at once, they have the same.
func TestKeyMadeAtOnce(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "backup-key")
	keys := make([]*Key, 8)
	var all sync.WaitGroup
	for i := range keys {
		all.Go(func() {
			var err error
			if keys[i], err = Make(file); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	for _, k := range keys {
		if k.Public() != keys[0].Public() {
			t.Error("they have different keys")
		}
	}
}

// A file that is no key is refused, and stays as it is.
func TestDamagedKey(t *testing.T) {
	t.Parallel()
	if _, err := Read(filepath.Join(t.TempDir(), "none")); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("got %v", err)
	}
	_, good := made(t)
	text, err := os.ReadFile(good)
	if err != nil {
		t.Fatal(err)
	}
	for name, bad := range map[string]string{
		"empty": "", "short": "private AAAA\n", "twice": string(text) + string(text), "other": "secret\n", "earlier": string(text) + "earlier x\n",
	} {
		file := filepath.Join(t.TempDir(), "backup-key")
		if err := os.WriteFile(file, []byte(bad), 0o600); err != nil {
			t.Fatal(err)
		}
		for _, read := range []func(string) (*Key, error){Read, Make, Change} {
			if _, err := read(file); err == nil || !strings.Contains(err.Error(), "no key of backups") {
				t.Errorf("%s: got %v", name, err)
			}
		}
		if now, err := os.ReadFile(file); err != nil || string(now) != bad {
			t.Errorf("%s: it was changed: %v", name, err)
		}
	}
	for _, bad := range []string{"", "x", "AAAA", strings.Repeat("A", 44)} {
		if _, err := ParsePublic(bad); err == nil {
			t.Errorf("%q is taken for a key", bad)
		}
	}
}

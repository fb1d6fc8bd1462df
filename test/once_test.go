package test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

// What was made of the same files is not made again, in whatever checkout; a failure is tried
// again; and several at once, or one that ends in the middle, leave a whole one.
func TestOnceForTheSameFiles(t *testing.T) {
	t.Parallel()
	script, err := filepath.Abs("../scripts/once")
	if err != nil {
		t.Fatal(err)
	}
	cache, counted := t.TempDir(), filepath.Join(t.TempDir(), "counted")
	checkout := func(text string) string {
		dir := t.TempDir()
		if err := os.WriteFile(filepath.Join(dir, "source"), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		return dir
	}
	once := func(dir, command string) error {
		cmd := exec.Command(script, "-makes", "of/made", "test", "source", "--", "sh", "-c", "echo once >> "+counted+"; mkdir -p of/made; "+command)
		cmd.Dir, cmd.Env = dir, append(os.Environ(), "XDG_CACHE_HOME="+cache)
		return cmd.Run()
	}
	times := func() int {
		text, err := os.ReadFile(counted)
		if err != nil {
			t.Fatal(err)
		}
		return strings.Count(string(text), "once")
	}
	made := func(dir string) string {
		text, err := os.ReadFile(filepath.Join(dir, "of", "made", "copy"))
		if err != nil {
			t.Error(err)
		}
		return string(text)
	}

	const command, fails, ends = "cp source of/made/copy", "cp source of/made/copy; exit 1", "cp source of/made/copy; kill -9 $PPID"
	for _, c := range []string{fails, fails, ends, ends} {
		if once(checkout("one"), c) == nil {
			t.Errorf("%q passes for well done", c)
		}
	}
	if n := times(); n != 4 {
		t.Errorf("what failed was tried %d times of 4", n)
	}

	var all sync.WaitGroup
	for range 4 {
		dir := checkout("one")
		all.Go(func() {
			if err := once(dir, command); err != nil {
				t.Error(err)
			}
			if text := made(dir); text != "one" {
				t.Errorf("beside others it made %q", text)
			}
		})
	}
	all.Wait()
	before := times()
	again, other, clean := checkout("one"), checkout("two"), checkout("one")
	if err := os.MkdirAll(filepath.Join(again, "of", "made", "left"), 0o755); err != nil {
		t.Fatal(err)
	}
	for _, dir := range []string{again, other, again, clean} {
		if err := once(dir, command); err != nil {
			t.Error(err)
		}
	}
	if n := times() - before; n != 1 {
		t.Errorf("of files that were there before and others it made %d, not only the others", n)
	}
	if one, two, clean := made(again), made(other), made(clean); one != "one" || two != "two" || clean != "one" {
		t.Errorf("it made %q of one, %q of two, and %q where nothing was", one, two, clean)
	}
	if _, err := os.Stat(filepath.Join(again, "of", "made", "left")); err == nil {
		t.Error("what was left there of another making is still there")
	}
	kept, err := os.ReadDir(filepath.Join(cache, "goldshelf-once"))
	if err != nil || len(kept) != 2 {
		t.Errorf("it keeps %v (%v), wanted two", kept, err)
	}
}

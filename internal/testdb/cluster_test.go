package testdb

import (
	"os"
	"path/filepath"
	"testing"

	"goldshelf/internal/pgserver"
)

// Whoever wants a cluster at once with others gets one that was made once; one that was broken
// off while it was kept is no cluster.
func TestAClusterIsMadeOnce(t *testing.T) {
	caches := t.TempDir()
	t.Setenv("XDG_CACHE_HOME", caches)
	if err := os.MkdirAll(filepath.Join(caches, "goldshelf-test", "cluster-being-kept", "cluster"), 0o700); err != nil {
		t.Fatal(err)
	}
	root, err := Dir("goldshelf-cluster-")
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(root)
	made := make(chan error)
	names := []string{"one", "two", "three"}
	for _, name := range names {
		go func() { made <- prepare(t.Context(), filepath.Join(root, name)) }()
	}
	for range names {
		if err := <-made; err != nil {
			t.Fatal(err)
		}
	}
	passwords := map[string]bool{}
	for _, name := range names {
		password, err := os.ReadFile(filepath.Join(root, name, "password"))
		if err != nil {
			t.Fatal(err)
		}
		passwords[string(password)] = true
		pg, err := pgserver.Start(t.Context(), filepath.Join(root, name), pgserver.Options{Hasty: true})
		if err != nil {
			t.Fatal(err)
		}
		if err := pg.Stop(); err != nil {
			t.Fatal(err)
		}
	}
	if len(passwords) != 1 {
		t.Errorf("%d were made", len(passwords))
	}
}

package test

import (
	"os/exec"
	"strings"
	"testing"

	"goldshelf/api"
)

// apiEntry is what a save sends of an entry that was read.
func apiEntry(e api.Entry) api.NewEntry { return api.NewEntry{Content: e.Content} }

// core stays computation: the standard library without I/O, core itself and
// parsers of formats, and the algorithm that finds differences.
func TestCoreStaysPure(t *testing.T) {
	t.Parallel()
	out, err := exec.Command("go", "list", "-deps", "-f", "{{if not .Standard}}{{.ImportPath}}{{end}}", "goldshelf/core/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, path := range strings.Fields(string(out)) {
		if !strings.HasPrefix(path, "goldshelf/core/") && !strings.HasPrefix(path, "github.com/goccy/go-yaml") && !strings.HasPrefix(path, "github.com/sergi/go-diff") {
			t.Errorf("core depends on %s", path)
		}
	}
	out, err = exec.Command("go", "list", "-f", `{{join .Imports "\n"}}`, "goldshelf/core/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, path := range strings.Fields(string(out)) {
		switch path {
		case "net/http", "database/sql", "os", "os/exec", "log/slog", "math/rand", "math/rand/v2", "context":
			t.Errorf("core imports %s", path)
		}
	}
}

package test

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"goldshelf/api"
)

// apiEntry is what a save sends of an entry that was read.
func apiEntry(e api.Entry) api.NewEntry { return api.NewEntry{Content: e.Content} }

// core stays computation: the standard library without I/O, core itself and
// parsers of formats, and the algorithms that find differences and what words have in common.
func TestCoreStaysPure(t *testing.T) {
	t.Parallel()
	out, err := exec.Command("go", "list", "-deps", "-f", "{{if not .Standard}}{{.ImportPath}}{{end}}", "goldshelf/core/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, path := range strings.Fields(string(out)) {
		if !strings.HasPrefix(path, "goldshelf/core/") && !strings.HasPrefix(path, "github.com/goccy/go-yaml") && !strings.HasPrefix(path, "github.com/sergi/go-diff") && !strings.HasPrefix(path, "github.com/go-json-experiment/json") &&
			!strings.HasPrefix(path, "github.com/kljensen/snowball") && !strings.HasPrefix(path, "golang.org/x/text/") {
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

// Imports run downwards only, and no use case knows another.
func TestImportsRunDownwards(t *testing.T) {
	t.Parallel()
	cases := []string{"audit", "desk", "gather", "history", "labels", "lifecycle", "notify", "ownership", "people", "settings", "shelf", "similar", "writing"}
	useCase := map[string]bool{}
	for _, name := range cases {
		useCase[name] = true
	}
	// What a package below internal may import of the others there.
	below := map[string][]string{
		"store": {}, "pgserver": {}, "channel": {},
		"work": {"store"}, "texts": {"work", "store"}, "index": {"work", "store"},
		"library": append([]string{"work", "texts", "index", "store", "channel"}, cases...),
		"jobs":    append([]string{"work", "texts", "index", "store"}, cases...),
		"server":  append([]string{"work", "texts", "store", "library", "channel"}, cases...),
		"cli":     {"version"}, "version": {}, "testdb": append([]string{"work", "texts", "index", "store", "pgserver"}, cases...),
		"demo":    append([]string{"work", "texts", "store", "library", "channel", "server", "jobs"}, cases...),
		"service": append([]string{"work", "texts", "store", "library", "channel", "server", "jobs", "demo", "pgserver"}, cases...),
	}
	for _, name := range cases {
		below[name] = []string{"work", "texts", "index", "store"}
	}
	below["notify"] = append(below["notify"], "channel")

	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "goldshelf/internal/...", "goldshelf/client/...", "goldshelf/api/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for line := range strings.Lines(string(out)) {
		fields := strings.Fields(line)
		name, inside := strings.CutPrefix(fields[0], "goldshelf/internal/")
		may, known := below[name]
		if inside && !known {
			t.Errorf("internal/%s is in no place of the plan: say here what it may import", name)
			continue
		}
		for _, path := range fields[1:] {
			used, is := strings.CutPrefix(path, "goldshelf/internal/")
			switch {
			case is && (!inside || !slices.Contains(may, used)):
				t.Errorf("%s imports %s", fields[0], path)
			case useCase[name] && (strings.Contains(path, "gofiber") || strings.Contains(path, "sqlx") || path == "net/http"):
				t.Errorf("the use case %s imports %s", name, path)
			}
		}
		seen++
	}
	if seen < 25 {
		t.Errorf("only %d packages were looked at", seen)
	}
}

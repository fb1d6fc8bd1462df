package test

import (
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
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
		if !strings.HasPrefix(path, "goldshelf/core/") && !strings.HasPrefix(path, "github.com/goccy/go-yaml") && !strings.HasPrefix(path, "github.com/sergi/go-diff") && !strings.HasPrefix(path, "github.com/go-json-experiment/json") && !strings.HasPrefix(path, "github.com/santhosh-tekuri/jsonschema/") &&
			!strings.HasPrefix(path, "github.com/ledongthuc/pdf") && !strings.HasPrefix(path, "github.com/blevesearch/snowballstem") && !strings.HasPrefix(path, "github.com/yuin/goldmark") && !strings.HasPrefix(path, "golang.org/x/image/") && !strings.HasPrefix(path, "golang.org/x/text/") {
			t.Errorf("core depends on %s", path)
		}
	}
	out, err = exec.Command("go", "list", "-f", `{{join .Imports "\n"}}`, "goldshelf/core/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, path := range strings.Fields(string(out)) {
		switch path {
		case "net/http", "database/sql", "os", "os/exec", "log/slog", "math/rand", "context":
			t.Errorf("core imports %s", path)
		}
	}
	// What comes by chance comes from a seed that the caller gives: of the library of random
	// numbers core uses nothing else.
	err = filepath.WalkDir("../core", func(path string, d fs.DirEntry, err error) error {
		if err != nil || filepath.Ext(path) != ".go" || strings.HasSuffix(path, "_test.go") {
			return err
		}
		text, err := os.ReadFile(path)
		for _, used := range regexp.MustCompile(`\brand\.\w+`).FindAllString(string(text), -1) {
			switch used {
			case "rand.New", "rand.NewPCG", "rand.Rand", "rand.PCG":
			default:
				t.Errorf("%s has %s: what comes by chance comes from a seed", path, used)
			}
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// Imports run downwards only, and no use case knows another.
func TestImportsRunDownwards(t *testing.T) {
	t.Parallel()
	cases := []string{"allowances", "audit", "connections", "desk", "gather", "history", "keys", "labels", "lifecycle", "notify", "ownership", "people", "pictures", "register", "relays", "reports", "settings", "sheets", "shelf", "similar", "stocktake", "talks", "trials", "voices", "writing"}
	useCase := map[string]bool{}
	for _, name := range cases {
		useCase[name] = true
	}
	// What a package below internal may import of the others there.
	below := map[string][]string{
		"store": {}, "pgserver": {"signing"}, "outside": {}, "channel": {"outside"}, "models": {"outside"},
		"telemetry": {}, "shared": {}, "signon": {"shared"}, "sealed": {}, "signing": {}, "scim": {"people", "store", "work"}, "backup": {"store", "signing", "version"}, "work": {"store", "telemetry", "shared"}, "texts": {"work", "store", "shared"}, "index": {"work", "store", "shared"}, "access": {"texts", "work", "store"}, "asking": {"work", "store", "models", "sealed"},
		"library": append([]string{"work", "texts", "index", "asking", "store", "channel", "models"}, cases...),
		"jobs":    append([]string{"work", "texts", "index", "asking", "store", "backup"}, cases...),
		"server":  append([]string{"work", "texts", "store", "library", "channel", "mcp", "telemetry", "signon", "scim"}, cases...),
		"cli":     {"version", "mcp"}, "mcp": {"version"}, "version": {}, "testdb": append([]string{"work", "texts", "index", "asking", "models", "store", "pgserver"}, cases...),
		"demo":    append([]string{"work", "texts", "store", "library", "channel", "server", "jobs", "signon"}, cases...),
		"service": append([]string{"work", "texts", "store", "library", "channel", "server", "jobs", "demo", "pgserver", "asking", "models", "telemetry", "version", "backup", "signon", "sealed", "signing"}, cases...),
	}
	for _, name := range cases {
		below[name] = []string{"work", "texts", "index", "store"}
	}
	below["documents"], below["voices"] = []string{}, append(below["voices"], "documents")
	below["service"] = append(below["service"], "documents")
	below["notify"] = append(below["notify"], "channel")
	below["people"] = append(below["people"], "signon", "sealed")
	for _, name := range []string{"connections", "relays", "talks", "trials"} {
		below[name] = append(below[name], "access", "asking", "models")
	}

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

package check

import (
	"flag"
	"fmt"
	"os"
	"strings"
	"testing"
)

var write = flag.Bool("write", false, "write docs/checks.md anew")

// reference is docs/checks.md, made from the rules.
func reference() string {
	var b strings.Builder
	b.WriteString("# The checks\n\nEvery rule that reads an entry, as it comes; the policy of a library may make it lighter, heavier or silent. " +
		"A stop keeps an entry from being submitted and published, unless the policy names only one of the two. " +
		"`goldshelf check` reads files by all rules but those marked “with the library”, where no service answers.\n\n" +
		"This page is made from the rules themselves: `go test ./core/check -run Reference -write`.\n\n" +
		"| rule | severity | what it looks for | speaks at | is silent at |\n|---|---|---|---|---|\n")
	cell := strings.NewReplacer("|", "\\|", "\n", " ")
	for _, r := range Rules() {
		about := r.About
		if r.Library {
			about += " *With the library.*"
		}
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s | %s |\n", r.ID, r.Severity, cell.Replace(about), cell.Replace(r.Fires), cell.Replace(r.Quiet))
	}
	return b.String()
}

func TestReferenceFollowsTheRules(t *testing.T) {
	t.Parallel()
	const path = "../../docs/checks.md"
	if *write {
		if err := os.WriteFile(path, []byte(reference()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	got, err := os.ReadFile(path)
	if err != nil || string(got) != reference() {
		t.Errorf("docs/checks.md is not what the rules say (%v): go test ./core/check -run Reference -write", err)
	}
}

package voice

import (
	"fmt"
	"os"
	"strings"
	"testing"
)

// The guide has a line for each figure, as the code has it.
func TestTheGuideHasEveryFigure(t *testing.T) {
	t.Parallel()
	guide, err := os.ReadFile("../../docs/styles.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range Measures() {
		if line := fmt.Sprintf("| %s | %s | %s |\n", m.Title, m.Unit, m.About); !strings.Contains(string(guide), line) {
			t.Errorf("docs/styles.md wants the line\n%s", line)
		}
	}
}

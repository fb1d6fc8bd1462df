package fill

import (
	"slices"
	"strings"
	"testing"
)

func TestUnfill(t *testing.T) {
	t.Parallel()
	values := Values{"area": Single("Mill Lane"), "street": Single("Mill"), "hours": Single("6"), "kit": List("rope", "lamp"), "none": Single("elsewhere")}
	body, used := Unfill("In Mill Lane and at the Mill of Milling: bring rope, lamp. Write {{name}} in 6 hours, not 16.", values)
	want := `In {{area}} and at the {{street}} of Milling: bring {{kit}}. Write {{"{{"}}name}} in {{hours}} hours, not 16.`
	if body != want || !slices.Equal(used, []string{"area", "hours", "kit", "street"}) {
		t.Errorf("%s, %v", body, used)
	}
	if _, err := Parse(body); err != nil {
		t.Error(err)
	}
	if body, _ := Unfill(strings.Repeat("aa ", 500), Values{"x": Single("aa")}); body != strings.Repeat("{{x}} ", 500) {
		t.Errorf("%.40s", body)
	}
}

package rendition_test

import (
	"testing"

	"goldshelf/core/rendition"
)

func TestFit(t *testing.T) {
	t.Parallel()
	base := rendition.One{Applications: []string{"weir-mail"}, Models: []string{"heron-2"}}
	welsh := rendition.One{Language: "cy", Applications: []string{"weir-mail"}}
	chat := rendition.One{Applications: []string{"brook-chat"}}
	welshChat := rendition.One{Language: "cy", Applications: []string{"brook-chat"}}
	small := rendition.One{Models: []string{"marsh-local"}}
	all := []rendition.One{welsh, chat, welshChat, small}
	const own = -1
	for name, c := range map[string]struct {
		header, application string
		want                int
	}{
		"nothing asked":          {"", "", own},
		"English":                {"en-GB,en;q=0.9", "", own},
		"Welsh":                  {"cy-GB,cy;q=0.9,en;q=0.5", "", 0},
		"Welsh after English":    {"en,cy;q=0.2", "", own},
		"a language of none":     {"de", "", own},
		"the second best":        {"de,cy;q=0.5", "", 0},
		"an application":         {"", "brook-chat", 1},
		"the base's own":         {"", "weir-mail", own},
		"an application of none": {"", "fieldpad", own},
		"both":                   {"cy", "brook-chat", 2},
		"Welsh for the base's":   {"cy", "weir-mail", 0},
		"no header at all":       {";;;=q", "", own},
		"any":                    {"*", "", own},
	} {
		if got := rendition.Fit(base, all, rendition.Languages(c.header), c.application); got != c.want {
			t.Errorf("%s: %d, want %d", name, got, c.want)
		}
	}
	both := rendition.One{Applications: []string{"weir-mail", "brook-chat"}}
	if got := rendition.Fit(both, []rendition.One{chat}, "", "brook-chat"); got != 0 {
		t.Errorf("one that is for the chat alone: %d, want 0", got)
	}
	if got := rendition.Fit(both, []rendition.One{chat}, "", "weir-mail"); got != own {
		t.Errorf("the other of the base's: %d, want the base", got)
	}
	if got := rendition.Languages("fr;q=0.1, cy-GB, en;q=0.5, de;q=0.2"); got != "cy-GB,en,de" {
		t.Errorf("preferred: %q", got)
	}
}

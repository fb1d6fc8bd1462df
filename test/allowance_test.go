package test

import (
	"testing"

	"goldshelf/test/browser"
)

// A curator says what a colleague may use up: they see what is left, and nothing that would
// pass it is begun, at the console or by the client.
func TestAllowances(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator, reader := open(t, s.URL, "curator"), open(t, s.URL, "reviewer")
	w := openWindowAt(t, s.URL, "curator", 1280, 900)
	w.visit("/settings/allowances", "Add an allowance")
	w.do(browser.Press("Add an allowance"), browser.Choose("#allowance-kind", "person"), browser.Pick("#allowance-name", "Oona"), browser.Type("#allowance-words", "150"), browser.Press("Save"), browser.See("0 of 150 words"))
	reader.says(0, []string{"Oona Birch", "150"}, "allowances")
	reader.says(1, []string{"would pass an allowance, yours", "150 of 150 are left"}, "try", "burst-main-notice", "area=Mill Lane", "hours=6")
	reader.says(1, []string{"would pass an allowance"}, "run", "minutes-for-all", "minutes=x", "team=y")
	reader.says(4, []string{"only a curator"}, "allowances", "--person", "reviewer", "--words", "1000000")
	curator.says(2, []string{"say whose it is"}, "allowances", "--words", "9")
	curator.says(1, []string{`no colleague "nobody"`}, "allowances", "--person", "nobody", "--words", "9")
	own := openWindowAt(t, s.URL, "reviewer", 1280, 900)
	own.visit("/entries/burst-main-notice", "Left this month: 150 of 150 words")
	curator.says(0, []string{"Oona Birch", "1000"}, "allowances", "--person", "reviewer", "--words", "1000")
	reader.says(0, []string{"words,"}, "try", "burst-main-notice", "area=Mill Lane", "hours=6", "--model", "heron-2")
	curator.says(0, nil, "allowances", "--person", "reviewer", "--off")
	own.visit("/entries/burst-main-notice", "Try it")
	own.do(browser.Until(`!document.body.innerText.includes("Left this month")`))
}

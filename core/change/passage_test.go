package change

import (
	"slices"
	"strings"
	"testing"
)

func TestPassageIsFoundAgain(t *testing.T) {
	const text = "Say where.\nBoil tap water for one minute before you drink it.\nSay until when.\nCool it before you drink it.\n"
	for name, c := range map[string]struct {
		passage, now string
		nth          int // of its occurrences in text
		want         string
		op           Op
	}{
		"nothing has changed":        {"one minute", text, 0, "one minute", Same},
		"a line was put before":      {"one minute", "New.\n" + text, 0, "one minute", Same},
		"the second of two":          {"before you drink it", text, 1, "before you drink it", Same},
		"its words were changed":     {"one minute", strings.ReplaceAll(text, "one minute", "at least three minutes"), 0, "at least three minutes", Changed},
		"at the end of the text":     {"Cool it before you drink it.\n", strings.ReplaceAll(text, "Cool it before you drink it.", "Let it cool."), 0, "Let it cool.\n", Changed},
		"the line was changed":       {"Boil tap water for one minute before you drink it.", "Say when.\n\nAlways boil the tap water for a minute before you drink.\n", 0, "Always boil the tap water for a minute before you drink.", Changed},
		"it was taken out":           {"Boil tap water for one minute before you drink it.", "Say where.\nSay until when.\n", 0, "", Removed},
		"all was taken out":          {"one minute", "", 0, "", Removed},
		"it moved":                   {"Say until when.", "Say until when.\nSay where.\n", 0, "Say until when.", Same},
		"what is around it is short": {"Say where", "Ask where.\nElse.", 0, "", Removed},
	} {
		at := -1
		for range c.nth + 1 {
			at += 1 + strings.Index(text[at+1:], c.passage)
		}
		start, end, op := PassageOf(text, at, at+len(c.passage)).Find(c.now)
		if got := c.now[start:end]; got != c.want || op != c.op {
			t.Errorf("%s: got %q, %s; want %q, %s", name, got, op, c.want, c.op)
		}
		if name == "the second of two" && start != at {
			t.Errorf("%s: found at %d, want %d", name, start, at)
		}
	}
}

func FuzzPassage(f *testing.F) {
	f.Add("Grüße aus Larkfen, und einiges mehr", 3, 9, "Grüsse aus Larkfen")
	f.Fuzz(func(t *testing.T, text string, start, end int, now string) {
		if start < 0 || end > len(text) || start > end || len(text) > 4096 || len(now) > 4096 {
			t.Skip()
		}
		p := PassageOf(text, start, end)
		from, to, op := p.Find(now)
		if from < 0 || from > to || to > len(now) || op == Same && now[from:to] != p.Exact {
			t.Errorf("%q of %q in %q: %d to %d, %s", p.Exact, text, now, from, to, op)
		}
		if from, to, op := p.Find(text); start < end && (op != Same || text[from:to] != p.Exact) {
			t.Errorf("%q in the text that it is of: %d to %d, %s", p.Exact, from, to, op)
		}
	})
}

func TestOrigins(t *testing.T) {
	texts := []string{
		"one line of four words\ntwo\nthree\n",
		"two\nthree and more\n",
		"two\nfour\nthree and more\none line of four words\n",
		"one line of four words\ntwo\nfour\nthree and more\n",
	}
	for n, want := range [][]int{nil, {0, 0, 0}, {0, 1}, {0, 2, 1, 2}, {2, 0, 2, 1}} {
		if got := Origins(texts[:n]); !slices.Equal(got, want) {
			t.Errorf("after %d texts: got %v, want %v", n, got, want)
		}
	}
	if got := Origins([]string{"a\n", ""}); len(got) != 0 {
		t.Errorf("an emptied text has the lines %v", got)
	}
}

package problem

import (
	"strings"
	"testing"

	"goldshelf/core/message"
)

func TestPlace(t *testing.T) {
	text := "ab\nčd\r\n\nx"
	for offset, want := range map[int][2]int{
		-5: {1, 1}, 0: {1, 1}, 2: {1, 3}, 3: {2, 1}, 5: {2, 2}, 8: {3, 1}, 9: {4, 1}, 10: {4, 2}, 99: {4, 2},
	} {
		if line, column := Place(text, offset); [2]int{line, column} != want {
			t.Errorf("byte %d is at %d, %d, want %v", offset, line, column, want)
		}
	}
}

func TestARulerCountsOnAndBack(t *testing.T) {
	text := "ab\nčd\r\n\nx"
	r := Ruler{Text: text}
	for _, offset := range []int{0, 3, 5, 5, 8, 2, 9, 10, 0, 99, 4, -1} {
		line, column := r.Place(offset)
		if wantLine, wantColumn := Place(text, offset); line != wantLine || column != wantColumn {
			t.Errorf("byte %d is at %d, %d, want %d, %d", offset, line, column, wantLine, wantColumn)
		}
	}
}

func TestPointer(t *testing.T) {
	if got := Pointer("blanks", 0, "a/b~c", ""); got != "/blanks/0/a~1b~0c/" {
		t.Errorf("got %s", got)
	}
	if got := Pointer(); got != "" {
		t.Errorf("the whole is %q", got)
	}
}

func TestText(t *testing.T) {
	for text, want := range map[string]string{
		"":                 "",
		"Wörter �":         "", // the replacement character itself is a character
		"a\nb\x00c":        "/body line 2, column 2: the text holds the character NUL",
		"aé\xff\xfe":       "/body line 1, column 3: the byte 0xFF is not UTF-8",
		"\xc3(\n\x00\x00.": "/body line 2, column 1: the text holds the character NUL\n/body line 1, column 1: the byte 0xC3",
	} {
		var got []string
		for _, p := range Text("/body", text) {
			got = append(got, "/"+p.String())
		}
		wanted := strings.Split(want, "\n")
		if want == "" {
			wanted = nil
		}
		if len(got) != len(wanted) {
			t.Errorf("%q: got %q, want %q", text, got, wanted)
			continue
		}
		for i := range got {
			if !strings.HasPrefix(got[i], wanted[i]) {
				t.Errorf("%q: got %q, want %q", text, got[i], wanted[i])
			}
		}
	}
}

func TestList(t *testing.T) {
	var none List
	if err := none.Err(); err != nil {
		t.Errorf("no problem is the error %v", err)
	}
	var some List
	some.Add("/title", "missing", "the %s is missing", "title")
	some.AddAt("/body", "a\nbc", 3, "mark", "an odd mark")
	some.Add("", "size", "it is too large")
	if got := some.Err().Error(); got != "title: the title is missing; body line 2, column 2: an odd mark; it is too large" {
		t.Errorf("it says %q", got)
	}
}

func TestLanguage(t *testing.T) {
	for l, want := range map[message.Language]string{
		"": "", message.English: "", message.French: "",
		"cy":                     `"cy" is no language that people are spoken to in; they are en, de and fr`,
		"DE":                     `"DE" is no language that people are spoken to in; they are en, de and fr`,
		"a very long word\nthat": `"a very long word\ntha" is no language that people are spoken to in; they are en, de and fr`,
	} {
		found := Language("language", l)
		if got := found.Error(); (want == "") != (len(found) == 0) || want != "" && got != "language: "+want {
			t.Errorf("%q gives %q, want %q", l, got, want)
		}
	}
}

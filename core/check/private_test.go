package check

import "testing"

func TestPrivateFindsDisguisedData(t *testing.T) {
	t.Parallel()
	for _, text := range []string{
		"write to jane.doe@mail.example", "write to jane.doe＠mail.example", "jane\u200b.doe\u200b@\u200bmail.example", "ｊａｎｅ@mail.example", "jane\u00ad@mail.example",
		"jane.doe [at] mail.example", "jane(at)mail.example", "jane.doe [at] mail [dot] example", "jane {AT} mail dot example",
		"pay to GB82 WEST 1234 5698 7654 32 today", "DE89370400440532013000", "de89 3704 0044 0532 0130 00 bitte", "FR14 2004 1010 0505 0001 3M02 606", "ＧＢ82 WEST 1234 5698 7654 32",
		"AB123456D", "ab 12\u200b34 56 d",
		"call 0555 010 4477", "call ０555 010 4477", "4539 1488 0343 6467", "password: hunter2hunter2",
	} {
		if Private(text) == "" {
			t.Errorf("%q passes", text)
		}
	}
	for _, text := range []string{
		"", "Look at the meter.", "We meet at noon (at the gate) dot the i.", "GB82 WEST 1234 5698 7654 33", "order DE12 3456 7890 1234 5678 90", "QQ 12 34 56 C",
		"the reading of 12 34 56 cubic metres", "from 2026-01-02 to 2026-03-04", "AB12 and CD34", "{{address}}", "see section [at] the end",
	} {
		if got := Private(text); got != "" {
			t.Errorf("%q is said to hold %q", text, got)
		}
	}
}

package cli

import (
	"fmt"
	"os"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/term"
)

// screen is where a command prints. On a terminal it writes out what would steer that, or
// turn the order of what is read around: a text that the service sends is only read. Into
// a pipe or a file goes what was printed, byte for byte.
type screen struct{ *os.File }

// Write prints.
func (s screen) Write(data []byte) (int, error) {
	if !term.IsTerminal(int(s.Fd())) {
		return s.File.Write(data)
	}
	if _, err := s.File.WriteString(harmless(string(data))); err != nil {
		return 0, err
	}
	return len(data), nil
}

// colours are what we print of such sequences ourselves; a text that has one is coloured,
// and no more.
var colours = []string{"\x1b[0m", "\x1b[1m", "\x1b[22m", "\x1b[31m", "\x1b[32m"}

func harmless(text string) string {
	steers := func(r rune) bool {
		return r != '\n' && r != '\t' && (unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r))
	}
	if strings.IndexFunc(text, steers) < 0 {
		return text
	}
	var b strings.Builder
next:
	for i := 0; i < len(text); {
		for _, c := range colours {
			if strings.HasPrefix(text[i:], c) {
				b.WriteString(c)
				i += len(c)
				continue next
			}
		}
		r, size := utf8.DecodeRuneInString(text[i:])
		switch {
		case !steers(r):
			b.WriteString(text[i : i+size])
		case r < utf8.RuneSelf:
			fmt.Fprintf(&b, `\x%02x`, r)
		default:
			fmt.Fprintf(&b, `\u%04x`, r)
		}
		i += size
	}
	return b.String()
}

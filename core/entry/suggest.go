package entry

import (
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"

	"goldshelf/core/blocks"
)

// Suggest gives a title and a summary for a text that was pasted without
// either: its own heading or first sentence that says what to do, and what
// follows. Either is empty where the text has no words for it.
func Suggest(body string) (title, summary string) {
	body = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) && r != '\n' && r != '\r' {
			return ' ' // a title has none
		}
		return r
	}, body)
	var sentences []string
	heading := ""
	for _, l := range blocks.Lines(body) {
		line := strings.TrimSpace(l.Text)
		if l.Code || len(sentences) > 8 {
			continue
		}
		if text, isHeading := headingOf(line); isHeading {
			if heading == "" && len(sentences) == 0 && !inOutline(text) {
				heading = text
			}
			continue
		}
		for _, s := range sentenceEnds.Split(plainWords(line), -1) {
			if s = strings.Trim(s, " .:!"); utf8.RuneCountInString(s) > 3 {
				sentences = append(sentences, s)
			}
		}
	}
	task := ""
	for _, s := range sentences {
		if !aboutRole.MatchString(s) {
			task = s
			break
		}
	}
	if task == "" && len(sentences) > 0 {
		task = sentences[0]
	}
	if title = heading; title == "" {
		title = shorten(upperFirst(polite.ReplaceAllString(task, "")), 60)
	}
	if task != "" && !strings.EqualFold(task, title) {
		summary = shorten(upperFirst(polite.ReplaceAllString(task, "")), 200)
		if !strings.HasSuffix(summary, "…") {
			summary += "."
		}
	}
	return shorten(title, MaxTitle-1), summary
}

var (
	sentenceEnds = regexp.MustCompile(`[.!?:](?:\s+|$)`)
	aboutRole    = regexp.MustCompile(`(?i)^(you are|you're|act as|imagine|pretend|as an?\b|hi\b|hello\b|dear\b)`)
	polite       = regexp.MustCompile(`(?i)^(please|kindly|can you|could you|i want you to|i need you to|your task is to|your job is to)\s+`)
	markUp       = regexp.MustCompile("^[-*+>#\\s]+|^\\d+[.)]\\s+|[*_`]{1,3}|\\{\\{[^}\n]*\\}\\}|</?[a-zA-Z][^>\n]{0,40}>|\\[([^\\]\n]+)\\]\\([^)\n]*\\)")
	spaces       = regexp.MustCompile(`\s+`)
)

func headingOf(line string) (string, bool) {
	text := strings.TrimLeft(line, "#")
	if n := len(line) - len(text); n == 0 || n > 6 || !strings.HasPrefix(text, " ") {
		return "", false
	}
	return strings.TrimSpace(plainWords(text)), true
}

func inOutline(title string) bool {
	for _, k := range Kinds() {
		for _, h := range k.Outline() {
			if strings.EqualFold(h.Title, title) {
				return true
			}
		}
	}
	return false
}

// plainWords takes mark-up and marks off a line.
func plainWords(line string) string {
	return strings.TrimSpace(spaces.ReplaceAllString(markUp.ReplaceAllString(line, " $1"), " "))
}

func upperFirst(s string) string {
	r, size := utf8.DecodeRuneInString(s)
	if size == 0 {
		return ""
	}
	return strings.ToUpper(string(r)) + s[size:]
}

// shorten cuts a text at a word, so that it has at most so many characters.
func shorten(s string, most int) string {
	runes := []rune(s)
	if len(runes) <= most {
		return s
	}
	s = string(runes[:most-1])
	if i := strings.LastIndexByte(s, ' '); i > len(s)/2 {
		s = s[:i]
	}
	return strings.TrimRight(s, " ,;–-") + "…"
}

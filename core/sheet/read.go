package sheet

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"regexp"
	"strings"
	"unicode/utf8"

	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/strict"
)

// Read takes answers from a file: JSON where it begins with a brace, a CSV of two columns
// where each line has a comma (or semicolon or tab) or it begins with the row
// question,answer, and else a text of questions and answers. Questions are found by name,
// by label or as they are asked, whatever their case. Its error is a [problem.List] with
// everything that cannot be placed or does not hold; what was read is given all the same.
func (s Set) Read(data []byte) (Answers, error) {
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	if !utf8.Valid(data) {
		return nil, problem.List{{Code: "utf-8", Message: message.Say("this is no text in UTF-8; save it as UTF-8 and read it again")}}
	}
	if bad := problem.Text("", string(data)); bad != nil {
		return nil, bad
	}
	var pairs []pair
	var found problem.List
	switch trimmed := bytes.TrimSpace(data); {
	case len(trimmed) == 0:
		return nil, problem.List{{Code: "missing", Message: message.Say("there is nothing in it; a line is a question, a colon and its answer")}}
	case trimmed[0] == '{':
		pairs, found = fromJSON(trimmed)
	default:
		var is bool
		if pairs, is = fromCSV(string(data)); !is {
			pairs, found = fromText(string(data), s)
		}
	}
	answers := s.place(pairs, &found)
	held, wrong := s.Hold(answers)
	return held, append(found, wrong...).Err()
}

// pair is a question as somebody has written it, and its answer.
type pair struct {
	question string
	answer   fill.Value
	line     int // from 1; 0 where lines say nothing
}

// place gives each answer to the question that is meant.
func (s Set) place(pairs []pair, found *problem.List) Answers {
	byWords := map[string]Question{}
	for _, q := range s.Questions() {
		b := q.Blank()
		for _, words := range []string{q.Name, q.Label(), b.Question()} {
			if _, taken := byWords[bare(words)]; !taken {
				byWords[bare(words)] = q
			}
		}
	}
	answers := Answers{}
	for _, p := range pairs {
		q, known := byWords[bare(p.question)]
		switch _, twice := answers[q.Name]; {
		case !known:
			*found = append(*found, problem.Problem{Code: "unknown", Line: p.line, Message: message.Say("“%s” is no question of %s; name it as the set does, or leave it out", short(p.question), s.Title)})
			continue
		case twice:
			*found = append(*found, problem.Problem{Code: "twice", Line: p.line, Message: message.Say("%s is answered twice; keep one answer", q.Label())})
			continue
		}
		if text := strings.TrimSpace(p.answer.String()); text != "" && text != notAnswered {
			answers[q.Name] = q.taken(p.answer)
		}
	}
	return answers
}

// taken gives an answer in the shape that the question takes: a list of what stands
// between commas, a number without its thousands' separators.
func (q Question) taken(v fill.Value) fill.Value {
	b := q.Blank()
	_, many := v.Items()
	text := strings.TrimSpace(v.String())
	switch {
	case b.Kind() == fill.PickMany && !many:
		var items []string
		for _, item := range q.split(text) {
			if item = q.option(strings.TrimSpace(item)); item != "" {
				items = append(items, item)
			}
		}
		return fill.List(items...)
	case many:
		return v
	case b.Kind() == fill.Pick:
		return fill.Single(q.option(text))
	case b.Kind() == fill.Number && thousands.MatchString(text):
		return fill.Single(strings.Map(func(r rune) rune {
			if r == ',' || r == ' ' || r == '\u00a0' || r == '\u202f' {
				return -1
			}
			return r
		}, text))
	case b.Kind() == fill.LongText:
		return fill.Single(strings.TrimRight(v.String(), "\r\n"))
	}
	return fill.Single(text)
}

var thousands = regexp.MustCompile(`^[+-]?\d{1,3}([, \x{a0}\x{202f}]\d{3})+(\.\d+)?$`)

// split takes a list apart at commas, semicolons and the last "and".
func (q Question) split(text string) []string {
	if q.option(text) != text || contains(q.Options, text) {
		return []string{text}
	}
	text = strings.ReplaceAll(text, ";", ",")
	parts := strings.Split(text, ",")
	last := parts[len(parts)-1]
	if before, after, is := strings.Cut(last, " and "); is && !contains(q.Options, strings.TrimSpace(last)) {
		parts = append(parts[:len(parts)-1], before, after)
	}
	return parts
}

// option gives the option that is meant, whatever its case, or the text as it is.
func (q Question) option(text string) string {
	for _, o := range q.Options {
		if strings.EqualFold(o, text) {
			return o
		}
	}
	return text
}

func contains(all []string, one string) bool {
	for _, a := range all {
		if strings.EqualFold(a, one) {
			return true
		}
	}
	return false
}

// bare is a question without case, marks around it and what ends it.
func bare(words string) string {
	words = strings.ToLower(strings.ReplaceAll(words, "_", " "))
	return strings.Join(strings.Fields(strings.Trim(words, " \t*_:?.#-–—")), " ")
}

func short(text string) string {
	if r := []rune(text); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return text
}

func fromJSON(data []byte) ([]pair, problem.List) {
	var answers Answers
	if err := strict.JSON(data, &answers); err != nil {
		return nil, problem.List{{Code: "json", Message: message.Say("this begins like JSON and cannot be read as answers: %s", err)}}
	}
	var pairs []pair
	for _, name := range sortedNames(answers) {
		pairs = append(pairs, pair{question: name, answer: answers[name]})
	}
	return pairs, nil
}

// fromCSV reads rows of a question and an answer, if that is what the text is.
func fromCSV(text string) ([]pair, bool) {
	first, _, _ := strings.Cut(text, "\n")
	comma := ','
	for _, c := range ",;\t" {
		if strings.ContainsRune(first, c) {
			comma = c
			break
		}
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord = comma, 2
	var pairs []pair
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, false
		}
		line, _ := r.FieldPos(0)
		if len(pairs) == 0 && line == 1 && bare(row[0]) == "question" {
			continue
		}
		pairs = append(pairs, pair{row[0], fill.Single(row[1]), line})
	}
	return pairs, len(pairs) > 0
}

// fromText reads a text of questions and answers: "Question: answer" on a line, or a
// question with its answer below. Lines after that which are indented, or are no question,
// are of the same answer. Headings are passed over. What stands before the first question
// must not be lost: it is a problem.
func fromText(text string, s Set) (pairs []pair, found problem.List) {
	known := map[string]bool{}
	for _, q := range s.Questions() {
		b := q.Blank()
		known[bare(q.Name)], known[bare(q.Label())], known[bare(b.Question())] = true, true, true
	}
	n := 0
	for line := range strings.Lines(text) {
		n++
		line = strings.TrimRight(line, "\r\n")
		item := strings.TrimLeft(line, "-*• ")
		question, answer, cut := cutQuestion(item)
		indented := strings.HasPrefix(line, "  ") || strings.HasPrefix(line, "\t")
		switch {
		case strings.HasPrefix(line, "#"), strings.TrimSpace(line) == "" && len(pairs) == 0:
		case cut && known[bare(question)], cut && !indented:
			pairs = append(pairs, pair{question, fill.Single(answer), n})
		case known[bare(item)], !indented && strings.HasSuffix(item, "?"):
			pairs = append(pairs, pair{item, fill.Single(""), n})
		case len(pairs) == 0:
			found = append(found, problem.Problem{Code: "unknown", Line: n, Message: message.Say("“%s” stands before the first question; a line is a question, a colon and its answer", short(item))})
		default:
			p := &pairs[len(pairs)-1]
			p.answer = fill.Single(strings.TrimLeft(p.answer.String()+"\n"+strings.TrimPrefix(line, "  "), "\n"))
		}
	}
	for i := range pairs {
		pairs[i].answer = fill.Single(strings.TrimRight(pairs[i].answer.String(), " \t\r\n"))
	}
	return pairs, found
}

// cutQuestion cuts a line after its question: at "? " or at a colon that ends a word.
func cutQuestion(line string) (question, answer string, ok bool) {
	at := strings.Index(line, "? ")
	if at < 0 {
		at = strings.Index(line+" ", ": ")
	}
	if bold := strings.Index(line, ":**"); at < 0 && bold > 0 {
		at = bold
	}
	if at <= 0 || at > 200 {
		return "", "", false
	}
	return line[:at], strings.TrimSpace(strings.TrimLeft(line[at+1:], "* ")), true
}

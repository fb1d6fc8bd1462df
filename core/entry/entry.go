// Package entry is what an entry is: its kinds, the parts that its writer
// gives, the states of its versions and the one table of who may take a
// version from one state to the next. It stores nothing and knows no clock.
package entry

import (
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
)

// Limits of what an entry holds.
const (
	MaxBody    = 256 << 10 // bytes
	MaxSlug    = 64        // bytes
	MaxTitle   = 120       // characters
	MaxSummary = 400       // characters
	MaxNote    = 2000      // characters of a note, comment or reason
	MaxBlanks  = 100
	MaxVersion = 1 << 30 // the highest number of a version
)

// Kind is what an entry is for.
type Kind string

// The kinds of entries.
const (
	Prompt  Kind = "prompt"
	Persona Kind = "persona"
	Style   Kind = "style"
	Snippet Kind = "snippet"
	Sheet   Kind = "sheet"
	Relay   Kind = "relay"
)

// Kinds lists the kinds in the order in which they are shown.
func Kinds() []Kind { return []Kind{Prompt, Persona, Style, Snippet, Sheet, Relay} }

// Content is what the writer of an entry gives: all that a version keeps.
// Its field names are those of an entry file's header.
type Content struct {
	Kind     Kind                `json:"kind"`
	Title    string              `json:"title"`
	Summary  string              `json:"summary"`
	Labels   map[string][]string `json:"labels"` // terms by facet
	Code     string              `json:"code,omitempty"`
	Language string              `json:"language,omitempty"` // BCP 47; empty is English
	Plain    bool                `json:"plain,omitempty"`    // the text has no marks, whatever it holds
	Persona  string              `json:"persona,omitempty"`
	Style    string              `json:"style,omitempty"`
	Sheets   []string            `json:"sheets,omitempty"`
	SheetOf  []string            `json:"sheet_of,omitempty"` // question sets of which a prompt wants a sheet each
	Set      string              `json:"set,omitempty"`      // of a sheet: the question set that it answers, as audience@2
	Answers  sheet.Answers       `json:"answers,omitempty"`
	Blanks   []fill.Blank        `json:"blanks"`
	Steps    []Step              `json:"steps,omitempty"`
	Source   *Source             `json:"source,omitempty"`
	Pictures []Picture           `json:"pictures,omitempty"` // at most MostPictures
	Body     string              `json:"body"`

	Questions *sheet.Set `json:"-"` // what Set names, where it was read along
}

// MostPictures is how many pictures a version has at most.
const MostPictures = 8

// Picture is a picture beside a text: what a result looks like, or a reference to work from.
type Picture struct {
	ID  string `json:"id"`  // a hash, in 64 hexadecimal digits
	Alt string `json:"alt"` // what it shows, for those who do not see it
}

// Source is where a text came from before it was on the shelf.
type Source struct {
	Place  string `json:"place,omitempty"`
	Link   string `json:"link,omitempty"`
	Person string `json:"person,omitempty"`
	Date   string `json:"date,omitempty"`
}

// Step is one prompt of a relay.
type Step struct {
	Name  string            `json:"name"`
	Use   string            `json:"use"`
	With  map[string]string `json:"with,omitempty"`
	Model string            `json:"model,omitempty"`
	// Temperature (0 to 2) and MaxTokens of the reply are the model's own where they are not said.
	Temperature *float64 `json:"temperature,omitempty"`
	MaxTokens   int      `json:"max_tokens,omitempty"`
	Within      int      `json:"within,omitempty"` // seconds for the whole reply; 0 for as long as its connection waits
	Over        *Over    `json:"over,omitempty"`
}

// Over has a step run once for each section of an earlier step's reply.
type Over struct {
	Step     string `json:"step"`
	Sections string `json:"sections"`
}

// Problems says what keeps the content from being saved at all: what the
// library could not hold, or not find again. A draft may lack anything else;
// checks see to that.
func (c Content) Problems() problem.List {
	var found problem.List
	if !slices.Contains(Kinds(), c.Kind) {
		found.Add("/kind", "kind", "the kind is %q; the kinds are prompt, persona, style, snippet, sheet and relay", c.Kind)
	}
	c.texts(func(field, text string) {
		if what := oneLine(field); what != "" {
			found = append(found, problem.Line(field, what, text)...)
		} else {
			found = append(found, problem.Text(field, text)...)
		}
	})
	atMost(&found, "/title", "title", c.Title, MaxTitle)
	atMost(&found, "/summary", "summary", c.Summary, MaxSummary)
	if len(c.Body) > MaxBody {
		found.Add("/body", "size", "the text has %d bytes, and %d (256 KiB) are the most; split it, or include parts of it as snippets", len(c.Body), MaxBody)
	}
	if c.Code != "" && !isCode(c.Code) {
		found.Add("/code", "code", "the short code is %q; it has 2 to 16 lower-case letters and digits", c.Code)
	}
	if c.Source != nil {
		found = append(found, linkProblems(c.Source.Link)...)
	}
	c.pictureProblems(&found)
	c.setProblems(&found)
	c.namesOthers(&found)
	c.labelProblems(&found)
	c.blankProblems(&found)
	return found
}

// oneLine says what a field is called that stands on one line; of others, nothing.
func oneLine(field string) string {
	switch {
	case field == "/title":
		return "the title"
	case field == "/language":
		return "the language"
	case strings.HasPrefix(field, "/source/"):
		return "the source"
	case strings.HasSuffix(field, "/ask"):
		return "the question"
	case strings.Contains(field, "/options/"):
		return "the option"
	}
	return ""
}

// linkProblems says what is wrong with where a source can be read: the console makes a
// link of it.
func linkProblems(link string) problem.List {
	u, err := url.Parse(link)
	if link == "" || err == nil && (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" {
		return nil
	}
	var found problem.List
	found.Add("/source/link", "link", "the link is %.80q; it begins with http:// or https://", link)
	return found
}

// texts visits every text of the content with its pointer.
func (c Content) texts(visit func(field, text string)) {
	visit("/title", c.Title)
	visit("/summary", c.Summary)
	visit("/code", c.Code)
	visit("/language", c.Language)
	visit("/body", c.Body)
	for i, b := range c.Blanks {
		at := problem.Pointer("blanks", i)
		visit(at+"/name", b.Name)
		visit(at+"/ask", b.Ask)
		visit(at+"/hint", b.Hint)
		for j, o := range b.Options {
			visit(at+problem.Pointer("options", j), o)
		}
		visit(at+"/default", b.Default.String())
		visit(at+"/sample", b.Sample.String())
	}
	for _, name := range slices.Sorted(maps.Keys(c.Answers)) {
		at := problem.Pointer("answers", name)
		visit(at, name)
		items, many := c.Answers[name].Items()
		for i, item := range items {
			visit(at+problem.Pointer(i), item)
		}
		if !many {
			visit(at, c.Answers[name].String())
		}
	}
	for i, s := range c.Steps {
		at := problem.Pointer("steps", i)
		visit(at+"/model", s.Model)
		for _, name := range slices.Sorted(maps.Keys(s.With)) {
			visit(at+problem.Pointer("with", name), s.With[name])
		}
	}
	if s := c.Source; s != nil {
		visit("/source/place", s.Place)
		visit("/source/link", s.Link)
		visit("/source/person", s.Person)
		visit("/source/date", s.Date)
	}
}

func (c Content) namesOthers(found *problem.List) {
	for _, f := range []struct{ field, slug string }{{"/persona", c.Persona}, {"/style", c.Style}} {
		if f.slug != "" && !fill.IsSlug(f.slug) {
			found.Add(f.field, "slug", "%s", badSlug(f.slug))
		}
	}
	for i, s := range c.Sheets {
		if !fill.IsSlug(s) {
			found.Add(problem.Pointer("sheets", i), "slug", "%s", badSlug(s))
		}
	}
}

// setProblems says what is wrong with what a sheet answers, or a prompt wants a sheet of.
// Whether the answers hold is for checks: a draft may have them half written.
func (c Content) setProblems(found *problem.List) {
	for i, name := range c.SheetOf {
		at := problem.Pointer("sheet_of", i)
		switch {
		case !fill.IsSlug(name):
			found.Add(at, "set", "%.80q is no question set; write its name, as in sheet_of: [audience]", name)
		case slices.Contains(c.SheetOf[:i], name):
			found.Add(at, "twice", "a sheet of %s is wanted twice; keep one", name)
		}
	}
	if len(c.SheetOf) > 0 && c.Kind != Prompt && c.Kind != "" {
		found.Add("/sheet_of", "kind", "a %s wants no sheet; only a prompt does", c.Kind)
	}
	if c.Set == "" {
		if len(c.Answers) > 0 {
			found.Add("/answers", "set", "there are answers and no question set; name the set that they answer, as in set: audience@2")
		}
		return
	}
	if c.Kind != Sheet {
		found.Add("/set", "kind", "a %s answers no question set; only a sheet does", c.Kind)
	}
	if _, _, ok := sheet.ParseRef(c.Set); !ok {
		found.Add("/set", "set", "%.80q is no version of a question set; write its name and version, as in set: audience@2", c.Set)
	}
	if c.Plain {
		found.Add("/plain", "set", "a sheet that answers a question set has marks in its text as others do; leave plain out")
	}
	size := 0
	for name, v := range c.Answers {
		size += len(name) + len(v.String())
	}
	if size > sheet.MostAnswers {
		found.Add("/answers", "size", "the answers have %d bytes; together they have at most %d", size, sheet.MostAnswers)
	}
}

func (c Content) labelProblems(found *problem.List) {
	for _, facet := range slices.Sorted(maps.Keys(c.Labels)) {
		seen := map[string]bool{}
		for i, t := range c.Labels[facet] {
			if seen[t] {
				found.Add(problem.Pointer("labels", facet, i), "label", "%s is labelled %s twice; keep one", facet, t)
			}
			seen[t] = true
		}
	}
}

func (c Content) blankProblems(found *problem.List) {
	if len(c.Blanks) > MaxBlanks {
		found.Add("/blanks", "size", "there are %d blanks, and %d are the most", len(c.Blanks), MaxBlanks)
		return
	}
	first := map[string]int{}
	for i, b := range c.Blanks {
		at := problem.Pointer("blanks", i)
		for _, p := range b.Problems(at) {
			if p.Field == at+"/name" || p.Field == at+"/type" {
				*found = append(*found, p)
			}
		}
		if j, ok := first[b.Name]; ok {
			found.Add(at+"/name", "name", "the blank %s is declared twice, as blank %d and blank %d; keep one", b.Name, j+1, i+1)
		} else {
			first[b.Name] = i
		}
	}
}

// Parsed is the content as the source of a filling: of a sheet with a question set, its
// answers and then its body. Its error is a [problem.List]; that a set's questions were not
// read along is one too.
func (c Content) Parsed(slug string, version int) (fill.Source, error) {
	src := fill.Source{Ref: fill.Ref{Entry: slug, Version: version}, Blanks: c.Blanks, Language: c.Language}
	if c.Plain {
		src.Text = fill.Plain(c.Body)
		return src, nil
	}
	text, err := fill.Parse(c.Body)
	src.Text = text
	if err != nil || c.Set == "" {
		return src, err
	}
	return c.answered(src)
}

// answered puts a sheet's answers before its own text.
func (c Content) answered(src fill.Source) (fill.Source, error) {
	if c.Questions == nil || c.Questions.Ref() != c.Set {
		return src, problem.List{{Field: "/set", Code: "set", Message: message.Say("the questions of %s are not at hand", c.Set)}}
	}
	held, wrong := c.Questions.Hold(c.Answers)
	if wrong != nil {
		return src, wrong
	}
	src.Answers, src.Asks = held, []string{}
	for _, q := range c.Questions.Questions() {
		src.Asks = append(src.Asks, q.Name)
	}
	words := c.Questions.Markdown(held, c.Language)
	if c.Body != "" {
		words += "\n"
	}
	src.Text = src.Text.After(words)
	return src, nil
}

// Facts gives the answers of sheets that the text puts in place. Of a text with faults
// there is nothing.
func (c Content) Facts() []fill.Fact {
	if c.Plain {
		return nil
	}
	text, err := fill.Parse(c.Body)
	if err != nil {
		return nil
	}
	return text.Facts()
}

// Answered says whether a sheet has an answer to a question of its set.
func (c Content) Answered(question string) bool {
	if c.Questions == nil {
		return false
	}
	_, asked := c.Questions.Question(question)
	v, given := c.Answers[question]
	return asked && given && !v.IsEmpty()
}

// Named gives what the text itself names: the entries that it includes, and the sheets of
// which it has a fact. Of a text with faults there is nothing.
func (c Content) Named() (includes, facts []fill.Ref) {
	if c.Plain {
		return nil, nil
	}
	text, err := fill.Parse(c.Body)
	if err != nil {
		return nil, nil
	}
	for _, f := range text.Facts() {
		if ref := (fill.Ref{Entry: f.Slug, Version: f.Version}); !slices.Contains(facts, ref) {
			facts = append(facts, ref)
		}
	}
	return text.Includes(), facts
}

// ParseSlug gives s as a slug, or says what a slug is.
func ParseSlug(s string) (string, error) {
	if !fill.IsSlug(s) {
		return "", problem.List{{Field: "/slug", Code: "slug", Message: badSlug(s)}}
	}
	return s, nil
}

func badSlug(s string) message.Text {
	if utf8.RuneCountInString(s) > 80 {
		s = string([]rune(s)[:80]) + "…"
	}
	return message.Say("%q is no slug; a slug has 2 to 64 lower-case letters a to z, digits and hyphens, and begins with a letter or digit", s)
}

// SlugFor makes a slug from a title, or "" where nothing of it can be one.
func SlugFor(title string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case 'a' <= r && r <= 'z', '0' <= r && r <= '9':
			b.WriteRune(r)
		case r == '\'' || r == '’':
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	slug := b.String()
	if len(slug) > 48 {
		slug = slug[:48]
		if i := strings.LastIndexByte(slug, '-'); i > 8 {
			slug = slug[:i]
		}
	}
	if slug = strings.Trim(slug, "-"); !fill.IsSlug(slug) {
		return ""
	}
	return slug
}

// Note checks a note, comment or reason that people write about a version.
// A field that is wanted must not be empty.
func Note(field, what, text string, wanted bool) problem.List {
	found := problem.Text(field, text)
	if wanted && strings.TrimSpace(text) == "" {
		found.Add(field, "missing", "%s is missing", message.Plain(what))
	}
	atMost(&found, field, strings.TrimPrefix(what, "the "), text, MaxNote)
	return found
}

func atMost(found *problem.List, field, what, text string, most int) {
	if n := utf8.RuneCountInString(text); n > most {
		found.Add(field, "size", "the %s has %d characters, and %d are the most", message.Plain(what), n, most)
	}
}

func isCode(s string) bool {
	return len(s) >= 2 && len(s) <= 16 && strings.Trim(s, "abcdefghijklmnopqrstuvwxyz0123456789") == ""
}

// BodyProblems says what keeps a text from being an entry's.
func BodyProblems(body string) problem.List {
	found := problem.Text("/body", body)
	if len(body) > MaxBody {
		found.Add("/body", "size", "the text has %d bytes, and %d (256 KiB) are the most", len(body), MaxBody)
	}
	return found
}

const mostAlt = 300 // characters

func (c Content) pictureProblems(found *problem.List) {
	if len(c.Pictures) > MostPictures {
		found.Add("/pictures", "size", "there are %d pictures; there are at most %d", len(c.Pictures), MostPictures)
	}
	for i, p := range c.Pictures {
		at := problem.Pointer("pictures", i)
		if len(p.ID) != 64 || strings.Trim(p.ID, "0123456789abcdef") != "" {
			found.Add(at+"/id", "picture", "%q is no picture; bring it first, and name it by the id that it gets", p.ID)
		}
		*found = append(*found, problem.Text(at+"/alt", p.Alt)...)
		switch n := utf8.RuneCountInString(p.Alt); {
		case strings.TrimSpace(p.Alt) == "":
			found.Add(at+"/alt", "missing", "say what picture %d shows, for those who do not see it", i+1)
		case n > mostAlt:
			found.Add(at+"/alt", "size", "what picture %d shows is said in %d characters; there are at most %d", i+1, n, mostAlt)
		}
	}
}

// ParseRef reads which version of an entry is meant: slug, or slug@3. What names no version
// is given as a slug, and false.
func ParseRef(text string) (fill.Ref, bool) {
	slug, digits, pinned := strings.Cut(text, "@")
	if !pinned {
		return fill.Ref{Entry: slug}, slug != ""
	}
	n, err := strconv.Atoi(digits)
	if slug == "" || err != nil || strconv.Itoa(n) != digits || n < 1 || n > MaxVersion {
		return fill.Ref{Entry: text}, false
	}
	return fill.Ref{Entry: slug, Version: n}, true
}

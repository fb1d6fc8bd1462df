// Package entry is what an entry is: its kinds, the parts that its writer
// gives, the states of its versions and the one table of who may take a
// version from one state to the next. It stores nothing and knows no clock.
package entry

import (
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"
	"unicode/utf8"

	"goldshelf/core/fill"
	"goldshelf/core/problem"
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
	Blanks   []fill.Blank        `json:"blanks"`
	Steps    []Step              `json:"steps,omitempty"`
	Source   *Source             `json:"source,omitempty"`
	Body     string              `json:"body"`
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
	Over  *Over             `json:"over,omitempty"`
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

// Parsed is the content as the source of a filling. Its error is a
// [problem.List].
func (c Content) Parsed(slug string, version int) (fill.Source, error) {
	src := fill.Source{Ref: fill.Ref{Entry: slug, Version: version}, Blanks: c.Blanks, Language: c.Language}
	if c.Plain {
		src.Text = fill.Plain(c.Body)
		return src, nil
	}
	text, err := fill.Parse(c.Body)
	src.Text = text
	return src, err
}

// ParseSlug gives s as a slug, or says what a slug is.
func ParseSlug(s string) (string, error) {
	if !fill.IsSlug(s) {
		return "", problem.List{{Field: "/slug", Code: "slug", Message: badSlug(s)}}
	}
	return s, nil
}

func badSlug(s string) string {
	if utf8.RuneCountInString(s) > 80 {
		s = string([]rune(s)[:80]) + "…"
	}
	return fmt.Sprintf("%q is no slug; a slug has 2 to 64 lower-case letters a to z, digits and hyphens, and begins with a letter or digit", s)
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
		found.Add(field, "missing", "%s is missing", what)
	}
	atMost(&found, field, strings.TrimPrefix(what, "the "), text, MaxNote)
	return found
}

func atMost(found *problem.List, field, what, text string, most int) {
	if n := utf8.RuneCountInString(text); n > most {
		found.Add(field, "size", "the %s has %d characters, and %d are the most", what, n, most)
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

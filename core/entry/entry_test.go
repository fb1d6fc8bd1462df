package entry

import (
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"goldshelf/core/fill"
)

func TestContentProblems(t *testing.T) {
	t.Parallel()
	good := Content{Kind: Prompt, Title: "T", Summary: "S", Body: "x"}
	tests := []struct {
		name   string
		change func(*Content)
		want   []string // fields at fault, in order
	}{
		{"good", func(*Content) {}, nil},
		{"no kind", func(c *Content) { c.Kind = "poem" }, []string{"/kind"}},
		{"long title", func(c *Content) { c.Title = strings.Repeat("é", MaxTitle+1) }, []string{"/title"}},
		{"title of the longest", func(c *Content) { c.Title = strings.Repeat("é", MaxTitle) }, nil},
		{"title of two lines", func(c *Content) { c.Title = "a\nb" }, []string{"/title"}},
		{"long summary", func(c *Content) { c.Summary = strings.Repeat("s", MaxSummary+1) }, []string{"/summary"}},
		{"text of the longest", func(c *Content) { c.Body = strings.Repeat("x", MaxBody) }, nil},
		{"text too long", func(c *Content) { c.Body = strings.Repeat("x", MaxBody+1) }, []string{"/body"}},
		{"NUL and no UTF-8, everywhere", func(c *Content) {
			c.Title, c.Body = "\x00", "\xff"
			c.Blanks = []fill.Blank{{Name: "a", Hint: "\x00", Options: []string{"\xff"}}}
			c.Source = &Source{Person: "\x00"}
			c.Steps = []Step{{With: map[string]string{"b/c": "\x00"}}}
		}, []string{"/title", "/body", "/blanks/0/hint", "/blanks/0/options/0", "/steps/0/with/b~1c", "/source/person"}},
		{"short code", func(c *Content) { c.Code = "a b" }, []string{"/code"}},
		{"stack", func(c *Content) { c.Persona, c.Style, c.Sheets = "A", "../x", []string{"ok", "-"} }, []string{"/persona", "/style", "/sheets/1"}},
		{"a label twice", func(c *Content) { c.Labels = map[string][]string{"b": {"x", "x"}, "a": {"y", "y"}} }, []string{"/labels/a/1", "/labels/b/1"}},
		{"blanks", func(c *Content) { c.Blanks = []fill.Blank{{Name: "A"}, {Name: "b", Type: "odd"}, {Name: "b"}} }, []string{"/blanks/0/name", "/blanks/1/type", "/blanks/2/name"}},
		{"a blank half-way declared is saved", func(c *Content) { c.Blanks = []fill.Blank{{Name: "a", Type: fill.Pick}} }, nil},
		{"many blanks", func(c *Content) { c.Blanks = make([]fill.Blank, MaxBlanks+1) }, []string{"/blanks"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			c := good
			tt.change(&c)
			var got []string
			for _, p := range c.Problems() {
				got = append(got, p.Field)
			}
			if !slices.Equal(got, tt.want) {
				t.Errorf("got faults at %v, want %v", got, tt.want)
			}
		})
	}
}

func TestSlugs(t *testing.T) {
	t.Parallel()
	for title, want := range map[string]string{
		"Notice of a burst main": "notice-of-a-burst-main", "Water is back: all clear!": "water-is-back-all-clear",
		"Reply: is my “water” safe?": "reply-is-my-water-safe", "The customer's letter": "the-customers-letter",
		"é": "", "…": "", "": "", "A": "", "42": "42",
		strings.Repeat("long word ", 12): "long-word-long-word-long-word-long-word-long",
	} {
		if got := SlugFor(title); got != want {
			t.Errorf("SlugFor(%q) is %q, want %q", title, got, want)
		}
	}
	for _, bad := range []string{"", "a", "-ab", "A-b", "a_b", "../etc", "a b", "é-é", strings.Repeat("a", 65)} {
		if _, err := ParseSlug(bad); err == nil {
			t.Errorf("ParseSlug(%q) takes it", bad)
		}
	}
}

// Every action by everyone in every state: allowed exactly where the life
// cycle says so.
func TestLifeCycle(t *testing.T) {
	t.Parallel()
	const owner, deputy, writer, other = 1, 2, 3, 4
	allowed := map[string]bool{}
	allow := func(action Action, state State, who ...string) {
		for _, w := range who {
			allowed[fmt.Sprintf("%s %s %s", w, action, state)] = true
		}
	}
	keepers := []string{"contributor owner", "contributor deputy", "reviewer owner", "reviewer deputy", "curator owner", "curator deputy", "curator writer", "curator other"}
	allow(Begin, None, keepers...)
	allow(Save, Draft, keepers...)
	allow(Submit, Draft, keepers...)
	allow(Withdraw, InReview, keepers...)
	for _, role := range []string{"reviewer ", "curator "} {
		allow(Approve, InReview, role+"deputy", role+"other")
		for _, tie := range []string{"owner", "deputy", "writer", "other"} {
			allow(Return, InReview, role+tie)
			allow(Return, Approved, role+tie)
		}
	}
	curators := []string{"curator owner", "curator deputy", "curator writer", "curator other"}
	allow(Publish, Approved, curators...)

	// What is on the shelf has a life beside the open version's.
	for _, shelf := range []State{None, Published, Retired} {
		s := Status{Slug: "it", Version: 2, State: Draft, Shelf: shelf, Owner: owner}
		for action, from := range map[Action]State{Retire: Published, Restore: Retired} {
			for _, role := range Roles() {
				_, err := Take(action, Actor{other, role}, s)
				if want := role == Curator && shelf == from; (err == nil) != want {
					t.Errorf("%s by a %s while it is %q: got %v, want allowed %v", action, role, shelf, err, want)
				}
			}
		}
	}

	ids := map[string]int64{"owner": owner, "deputy": deputy, "writer": writer, "other": other}
	for _, role := range Roles() {
		for tie, id := range ids {
			for _, state := range []State{None, Draft, InReview, Approved} {
				actor := Actor{ID: id, Role: role}
				s := Status{Slug: "it", Version: 2, State: state, Owner: owner, Deputy: deputy, Writers: []int64{owner, writer}}
				for _, action := range []Action{Begin, Save, Submit, Withdraw, Approve, Return, Publish, Retire, Restore} {
					who := fmt.Sprintf("%s %s %s %s", role, tie, action, state)
					_, err := Take(action, actor, s)
					if (err == nil) != allowed[who] {
						t.Errorf("%s: got %v, want allowed %v", who, err, allowed[who])
					}
					if listed := slices.Contains(Actions(actor, s), action); listed != (err == nil) {
						t.Errorf("%s: listed among the actions %v, allowed %v", who, listed, err == nil)
					}
					var refusal *Refusal
					if err != nil && (!errors.As(err, &refusal) || refusal.Message.IsZero()) {
						t.Errorf("%s: refused without words: %v", who, err)
					}
				}
			}
		}
	}
}

func TestRefusalsSayWhatIsPossible(t *testing.T) {
	t.Parallel()
	s := Status{Slug: "it", Version: 2, State: InReview, Owner: 1, Writers: []int64{1, 9}}
	for _, tt := range []struct {
		action Action
		actor  Actor
		kind   error
		want   string
	}{
		{Publish, Actor{2, Curator}, ErrWrongState, "version 2 of it is in review; it cannot be published now. What you can do: withdraw, approve, return"},
		{Publish, Actor{2, Reviewer}, ErrNotAllowed, "only a curator may publish it; you are signed in as a reviewer"},
		{Approve, Actor{9, Curator}, ErrOwnWork, "you wrote some of version 2 of it, so someone else must approve it"},
		{Save, Actor{1, Contributor}, ErrWrongState, "version 2 of it is in review; it cannot be saved now. What you can do: withdraw"},
		{Save, Actor{5, Contributor}, ErrNotAllowed, "only its owner, its deputy or a curator may save it"},
		{"burn", Actor{2, Curator}, ErrWrongState, "no action"},
	} {
		_, err := Take(tt.action, tt.actor, s)
		if !errors.Is(err, tt.kind) || !strings.Contains(fmt.Sprint(err), tt.want) {
			t.Errorf("%s by %v: got %v, want %q", tt.action, tt.actor, err, tt.want)
		}
	}
}

// The guide's table of the life cycle is this one.
func TestGuideFollowsTheTable(t *testing.T) {
	t.Parallel()
	guide, err := os.ReadFile("../../docs/life.md")
	if err != nil {
		t.Fatal(err)
	}
	rows := 0
	for _, row := range Life() {
		line := fmt.Sprintf("| %s | %s | %s | %s | %s |", row.Action, row.From.Words(), row.To.Words(), row.Who(), row.Needs)
		if !strings.Contains(string(guide), line+"\n") {
			t.Errorf("docs/life.md lacks the row\n%s", line)
		}
	}
	for line := range strings.Lines(string(guide)) {
		if strings.HasPrefix(line, "| ") {
			rows++
		}
	}
	if want := len(Life()) + 1; rows != want {
		t.Errorf("docs/life.md has %d rows with its head, want %d", rows, want)
	}
}

func TestEveryKindHasItsWords(t *testing.T) {
	t.Parallel()
	seen := map[string]bool{}
	for _, k := range Kinds() {
		if k.Letter() == "" || seen[k.Letter()] {
			t.Errorf("%s has the letter %q", k, k.Letter())
		}
		seen[k.Letter()] = true
		for _, h := range k.Outline() {
			if h.Title == "" || !strings.HasSuffix(h.Ask, "?") {
				t.Errorf("%s has the heading %+v", k, h)
			}
		}
	}
}

func TestParseRef(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]fill.Ref{"notice": {Entry: "notice"}, "notice@3": {Entry: "notice", Version: 3}} {
		if got, ok := ParseRef(text); !ok || got != want {
			t.Errorf("%s: %v, %v", text, got, ok)
		}
	}
	for _, text := range []string{"", "@3", "notice@", "notice@0", "notice@03", "notice@-1", "notice@1e3", "notice@99999999999"} {
		if got, ok := ParseRef(text); ok || got.Version != 0 {
			t.Errorf("%s: %v", text, got)
		}
	}
}

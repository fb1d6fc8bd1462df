package texts_test

import (
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/writing"
)

// asked is what a model would be sent, in one text.
func asked(t *testing.T, w *testdb.World, q texts.Question) (string, error) {
	t.Helper()
	a, err := texts.New(w.DB).Ask(t.Context(), w.By("contributor"), q)
	if err != nil {
		return "", err
	}
	messages, _, err := a.Sent(fill.Values{"area": fill.Single("Mill Lane")})
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, m := range messages {
		all = append(all, m.Text)
	}
	return strings.Join(all, "\n"), nil
}

// A draft takes the place of what is on the shelf wherever that is followed: as an include,
// through others, by a name that it had, as a layer; and nowhere else.
func TestADraftInPlaceOfWhatIsOnTheShelf(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	w.Publish(testdb.Part(entry.Snippet, "hours", "from seven\n"), testdb.Part(entry.Snippet, "town", "in town\n"))
	w.Publish(testdb.Part(entry.Snippet, "reach", "Call us {{include hours}}.\n"), testdb.Part(entry.Persona, "officer", "You are calm {{include hours}}.\n"))
	follows := testdb.Prompt("follows", "Write to {{area}}. {{include hours}}")
	follows.Persona = "officer"
	w.Publish(follows, testdb.Prompt("through", "Write to {{area}}. {{include reach}}"), testdb.Prompt("stays", "Write to {{area}}. {{include hours@1}}"))

	w.Save("hours", testdb.Part(entry.Snippet, "hours", "from eight {{include town}}\n"))
	w.Save("officer", testdb.Part(entry.Persona, "officer", "You are brisk.\n"))
	for _, test := range []struct {
		name, slug, with string
		has, not         string
	}{
		{"as it is", "follows", "", "from seven", "eight"},
		{"an include, and what that includes", "follows", "hours@open", "from eight in town", "town. from seven"},
		{"inside a layer too", "follows", "hours@2", "You are calm from eight in town", "from seven"},
		{"through another", "through", "hours@open", "Call us from eight in town", "from seven"},
		{"not where a version is pinned", "stays", "hours@open", "from seven", "eight"},
		{"a layer", "follows", "officer@open", "You are brisk.", "calm"},
		{"one that was published", "follows", "hours@1", "from seven", "eight"},
	} {
		got, err := asked(t, w, texts.Question{Slug: test.slug, With: test.with})
		if err != nil || !strings.Contains(got, test.has) || strings.Contains(got, test.not) {
			t.Errorf("%s: %q, %v; want %q in it, and not %q", test.name, got, err, test.has, test.not)
		}
	}

	// By a name that it had.
	if _, err := writing.New(w.DB).Rename(t.Context(), w.By("curator"), "hours", "opening-hours"); err != nil {
		t.Fatal(err)
	}
	if got, err := asked(t, w, texts.Question{Slug: "through", With: "opening-hours@open"}); err != nil || !strings.Contains(got, "from eight") {
		t.Errorf("renamed: %q, %v", got, err)
	}
}

func TestWhatCannotTakeAPlace(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	w.Publish(testdb.Part(entry.Snippet, "hours", "from seven\n"))
	w.Publish(testdb.Prompt("follows", "Write to {{area}}. {{include hours}}"))
	w.Save("hours", testdb.Part(entry.Snippet, "hours", "from {{Eight}}\n"))
	for name, q := range map[string]texts.Question{
		"no entry \"nothing\" that you may see": {Slug: "follows", With: "nothing@open"},
		"has no version 9":                      {Slug: "follows", With: "hours@9"},
		"names no version":                      {Slug: "follows", With: "hours@x"},
		"not the open one":                      {Slug: "follows", With: "hours@open", Open: true},
		"found \"Eight\"":                       {Slug: "follows", With: "hours@open"},
		"no open version that you may see":      {Slug: "hours", With: "follows@open"},
		"no entry \"missing\" that":             {Slug: "missing", With: "hours@1"},
	} {
		if got, err := asked(t, w, q); err == nil || !strings.Contains(err.Error(), name) {
			t.Errorf("%+v: %q, %v; want %q", q, got, err, name)
		}
	}
	// Whoever does not see drafts does not try them either.
	if _, err := texts.New(w.DB).Ask(t.Context(), w.By("reader"), texts.Question{Slug: "follows", With: "hours@open"}); err == nil || !strings.Contains(err.Error(), "no open version") {
		t.Errorf("a reader: %v", err)
	}
	// What is retired meanwhile can be tried no more.
	if _, err := lifecycle.New(w.DB).Retire(t.Context(), w.By("curator"), "follows", api.Retirement{Because: "No use."}); err != nil {
		t.Fatal(err)
	}
	if _, err := asked(t, w, texts.Question{Slug: "follows", With: "hours@1"}); err == nil || !strings.Contains(err.Error(), "was retired") {
		t.Errorf("retired: %v", err)
	}
}

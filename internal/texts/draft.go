package texts

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"maps"
	"slices"

	"goldshelf/core/entry"
	"goldshelf/core/likeness"
	"goldshelf/internal/store"
)

// DraftOf is a version's text as the store keeps it.
func DraftOf(id int64, c entry.Content) store.Draft {
	return store.Draft{ID: id, Content: c, Mentions: Mentions(c), Parts: PartsOf(c), Print: likeness.Read(c.Body).Print()}
}

// PartsOf is a hash of a content's blanks and of what it names: what lies beside its
// text.
func PartsOf(c entry.Content) string {
	if len(c.Blanks) == 0 {
		c.Blanks = nil
	}
	data, err := json.Marshal(partsOf(c))
	if err != nil {
		return "" // not known: it is never taken for the same
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// Mentions lists what content names: includes, its recommended stack, steps.
func Mentions(c entry.Content) []store.Mention {
	var all []store.Mention
	includes, facts := c.Named()
	for _, ref := range includes {
		all = append(all, store.Mention{How: "include", Slug: ref.Entry, Number: ref.Version})
	}
	for _, ref := range facts {
		all = append(all, store.Mention{How: "fact", Slug: ref.Entry, Number: ref.Version})
	}
	if c.Persona != "" {
		all = append(all, store.Mention{How: "persona", Slug: c.Persona})
	}
	if c.Style != "" {
		all = append(all, store.Mention{How: "style", Slug: c.Style})
	}
	for _, s := range c.Sheets {
		all = append(all, store.Mention{How: "sheet", Slug: s})
	}
	for _, s := range c.Steps {
		ref, _ := entry.ParseRef(s.Use) // checks tell of one that names nothing
		all = append(all, store.Mention{How: "step", Slug: ref.Entry, Number: ref.Version})
	}
	return all
}

// SameLabels says whether two sets of labels are the same, the order of terms
// included.
func SameLabels(a, b map[string][]string) bool {
	full := func(labels map[string][]string) map[string][]string {
		labels = maps.Clone(labels)
		maps.DeleteFunc(labels, func(_ string, terms []string) bool { return len(terms) == 0 })
		return labels
	}
	return maps.EqualFunc(full(a), full(b), slices.Equal[[]string])
}

func partsOf(c entry.Content) []any {
	parts := []any{c.Blanks, Mentions(c)}
	if len(c.Pictures) > 0 {
		parts = append(parts, c.Pictures)
	}
	if c.Set != "" || len(c.SheetOf) > 0 {
		parts = append(parts, c.Set, c.Answers, c.SheetOf)
	}
	return parts
}

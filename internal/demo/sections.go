package demo

import (
	"context"
	"io/fs"

	"goldshelf/api"
	"goldshelf/core/bundle"
)

// sections are what colleagues see first.
func (l *loader) sections(ctx context.Context) error {
	l.now = l.today
	data, err := fs.ReadFile(files, "starters/customer-care.md")
	if err != nil {
		return err
	}
	letter, err := bundle.Read(data)
	if err != nil {
		return err
	}
	for _, s := range []struct {
		name string
		api.SectionChange
	}{
		{"when-something-breaks", api.SectionChange{
			Title: "When something breaks", Introduction: "In the order in which you need them, from the first notice to the all clear.",
			Entries: []string{"burst-main-notice", "low-pressure-note", "boil-water-wording", "when-water-returns", "supply-restored"},
		}},
		{"letters-and-replies", api.SectionChange{
			Title: "Letters and replies", Introduction: "What goes to one customer under our name. Read it before you send it.",
			Query: "department:customer-care kind:prompt", Starter: &letter.Content,
		}},
		{"out-in-the-field", api.SectionChange{Title: "Out in the field", Introduction: "Short enough for a tablet and cold fingers.", Query: "department:field-operations"}},
		{"how-we-sound", api.SectionChange{Title: "How we sound", Introduction: "Whom the model speaks as, and how it reads.", Query: "kind:persona kind:style"}},
		{"voices-to-customers", api.SectionChange{Title: "Voices to customers", Introduction: "Whom a model speaks as when customers read or hear it.", Query: "kind:persona audience:households"}},
		{"voices-inside", api.SectionChange{Title: "Voices inside", Introduction: "For crews, buyers and those who are new.", Query: "kind:persona audience:colleagues"}},
		{"voices-on-the-record", api.SectionChange{Title: "Voices on the record", Introduction: "For the regulator, the press and applicants: each word may be quoted.", Query: "kind:persona audience:regulator audience:applicants"}},
		{"facts", api.SectionChange{Title: "Facts to rely on", Introduction: "Looked at every half year; do not type them again.", Query: "kind:sheet"}},
		{"for-a-meeting", api.SectionChange{Title: "For a meeting", Introduction: "Before it, and after.", Entries: []string{"board-paper", "board-brief", "minutes-to-actions"}}},
	} {
		if _, err := l.lib.Shelf.SetSection(ctx, l.by["curator"], s.name, s.SectionChange); err != nil {
			return err
		}
	}
	return nil
}

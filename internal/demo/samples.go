package demo

import (
	"context"
	"fmt"

	"goldshelf/internal/voices"
)

// writingSamples are what styles are measured from.
func (l *loader) writingSamples(ctx context.Context) error {
	l.now = l.today
	for _, s := range []struct{ style, who, file, name, dated string }{
		{"plain-river", "press-desk", "households.md", "Letters to households", "2025-06-30"},
		{"board-brief", "curator", "board.md", "Papers that were read to the end", "2025-03-31"},
		{"field-log", "field-lead", "fieldlog.md", "Job sheets of a winter", "2025-02-28"},
		{"lab-letter", "lab-lead", "lab.md", "Answers to the regulator", "2025-05-31"},
		{"fair-terms", "regs-lead", "terms.md", "Terms of supply", "2024-04-01"},
		{"open-day-column", "press-desk", "column.md", "Columns in the parish paper", "2025-09-30"},
	} {
		text, err := files.ReadFile("samples/" + s.file)
		if err != nil {
			return err
		}
		if _, err := l.lib.Voices.AddSample(ctx, l.by[s.who], s.style, voices.NewSample{Name: s.name, Dated: s.dated, Text: text}); err != nil {
			return fmt.Errorf("a sample of %s: %w", s.style, err)
		}
	}
	return nil
}

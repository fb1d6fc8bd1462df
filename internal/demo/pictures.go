package demo

import (
	"context"
	"io/fs"

	"goldshelf/core/entry"
	"goldshelf/internal/work"
)

// shown are the pictures beside versions, with what they show.
var shown = map[string]struct {
	from int // the first version that has it
	alt  string
}{
	"burst-main-notice":  {2, "A notice on a door: no water in Mill Lane until 18:00, what to do, and whom to call"},
	"minutes-to-actions": {1, "A table of three actions: who, what, by when"},
}

func (l *loader) pictures(ctx context.Context, writer work.Caller, c chapter) ([]entry.Picture, error) {
	one, is := shown[c.slug]
	if !is || c.number < one.from {
		return nil, nil
	}
	data, err := fs.ReadFile(files, "pictures/"+c.slug+".png")
	if err != nil {
		return nil, err
	}
	p, err := l.lib.Pictures.Add(ctx, writer, data)
	return []entry.Picture{{ID: p.ID, Alt: one.alt}}, err
}

package voices

import (
	"context"

	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/problem"
	"goldshelf/core/voice"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

const mostGuide = 64 << 10 // bytes

// DrawGuide brings a style's guide up to the figures of its samples, and says what would
// change. Lines that somebody has edited stay as they are, and what was taken out stays
// away. The guide is not saved by it: whoever asks puts it in the draft, or not.
func (s *Service) DrawGuide(ctx context.Context, by work.Caller, slug string, req api.GuideToDraw) (api.GuideDrawn, error) {
	wrong := problem.Text("/guide", req.Guide)
	if len(req.Guide) > mostGuide {
		wrong.Add("/guide", "size", "the guide has %d bytes; it has at most %d", len(req.Guide), mostGuide)
	}
	if err := wrong.Err(); err != nil {
		return api.GuideDrawn{}, err
	}
	now, err := work.See(ctx, s.db, func(v work.View) ([]voice.Line, error) {
		e, err := keptStyle(v.Reader, by, slug)
		if err != nil {
			return nil, err
		}
		style, _, _, err := s.styles.Of(v, e.ID)
		if err != nil {
			return nil, err
		}
		return voice.Guide(style.Figures), nil
	})
	if err != nil {
		return api.GuideDrawn{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.GuideDrawn, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.GuideDrawn{}, err
		}
		if err := mayKeep(by, e); err != nil {
			return api.GuideDrawn{}, err
		}
		drawn, err := u.DrawnLines(e.ID)
		if err != nil {
			return api.GuideDrawn{}, err
		}
		before := make([]voice.Line, len(drawn))
		for i, l := range drawn {
			before[i] = voice.Line{Figure: l.Figure, Text: l.Line}
		}
		out := api.GuideDrawn{Guide: voice.Redraw(req.Guide, before, now)}
		out.Lines = append([]change.Line{}, change.Texts(req.Guide, out.Guide)...)
		rows := make([]store.DrawnLine, len(now))
		for i, l := range now {
			rows[i] = store.DrawnLine{Line: l.Text, Figure: l.Figure}
		}
		return out, u.AddDrawnLines(e.ID, rows)
	})
}

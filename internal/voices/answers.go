package voices

import (
	"math"
	"time"

	"goldshelf/api"
	"goldshelf/core/voice"
	"goldshelf/internal/store"
)

func measured(f voice.Figures) api.Measured {
	out := api.Measured{Words: f.Words, Sentences: f.Sentences, Paragraphs: f.Paragraphs, Note: f.Note, Figures: []api.Figure{}}
	for i, m := range voice.Measures() {
		one := api.Figure{Name: m.Name, Title: m.Title, Unit: m.Unit, Note: f.All[i].Note}
		if f.All[i].Known {
			one.Value = number(f.All[i].Value)
		}
		if f.All[i].Range {
			one.Low, one.High = number(f.All[i].Low), number(f.All[i].High)
		}
		out.Figures = append(out.Figures, one)
	}
	return out
}

// number is a figure to two places: more would say more than is known.
func number(v float64) *float64 {
	rounded := math.Round(v*100) / 100
	return &rounded
}

func fitOf(f voice.Fit, text string) api.VoiceFit {
	out := api.VoiceFit{Near: string(f.Near), Note: f.Note, Figures: []api.FitFigure{}, Stands: []api.StandsOut{}}
	if f.Near != voice.Unknown {
		out.Distance, out.Own = number(f.Distance), number(f.Own)
	}
	if f.HasDelta {
		out.Delta = number(f.Delta)
	}
	measures := voice.Measures()
	for i, one := range f.Figures {
		figure := api.FitFigure{Name: one.Name, Title: measures[i].Title, Unit: measures[i].Unit, Where: string(one.Where), Note: one.Note}
		if one.Note.IsZero() {
			figure.Value, figure.Low, figure.High = number(one.Value), number(one.Low), number(one.High)
		}
		out.Figures = append(out.Figures, figure)
	}
	for _, s := range f.Stands {
		stands := api.StandsOut{Start: s.Start, End: s.End, Text: text[s.Start:s.End], Reasons: []api.StandsOutReason{}}
		for _, r := range s.Reasons {
			stands.Reasons = append(stands.Reasons, api.StandsOutReason{Why: r.Why, Instead: r.Instead})
		}
		out.Stands = append(out.Stands, stands)
	}
	return out
}

func words(all []voice.Characteristic) []api.CharacteristicWord {
	out := []api.CharacteristicWord{}
	for _, c := range all {
		out = append(out, api.CharacteristicWord{Text: c.Text, Times: c.Times, G2: *number(c.G2), Rate: *number(c.Rate), Others: *number(c.Others)})
	}
	return out
}

func sample(s store.Sample) api.Sample {
	out := api.Sample{ID: s.ID, Name: s.Name, Weight: s.Weight, Words: s.Words, Digest: s.Digest, AddedBy: s.AddedBy, AddedAt: s.AddedAt.UTC()}
	if s.Dated != nil {
		out.Dated = s.Dated.Format(time.DateOnly)
	}
	return out
}

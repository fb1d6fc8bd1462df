// Package voices has the use cases of how texts read: samples of styles, the figures that
// are measured from them, and how near a text is to a style.
package voices

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/document"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/voice"
	"goldshelf/internal/documents"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct {
	db        *work.DB
	styles    *texts.Styles
	documents documents.Reader
}

// New gives the use cases on a library.
func New(db *work.DB, styles *texts.Styles) *Service { return &Service{db: db, styles: styles} }

// ReadDocuments has samples that are documents read by a reader, instead of in this
// process. It is said before anything is asked.
func (s *Service) ReadDocuments(by documents.Reader) { s.documents = by }

const (
	// MostSample is how many bytes a sample has at most.
	MostSample  = 10 << 20
	mostSamples = 200
	mostWords   = 500_000   // of all samples of a style, which are measured together
	mostText    = 256 << 10 // bytes of a text that is set beside a style
	mostName    = 120       // characters
)

// Measure gives the figures of a text and, where a style is named, how near the text is to
// it. It returns a problem.List of a text that does not hold.
func (s *Service) Measure(ctx context.Context, by work.Caller, in api.TextToMeasure) (api.Voice, error) {
	wrong := problem.Text("/text", in.Text)
	if len(in.Text) > mostText {
		wrong.Add("/text", "size", "the text has %d bytes; %d are the most", len(in.Text), mostText)
	}
	if err := wrong.Err(); err != nil {
		return api.Voice{}, err
	}
	read := voice.Read(in.Text, in.Language)
	of := voice.NewProfile([]voice.Sample{{Text: read, Weight: 1}}, true)
	out := api.Voice{Language: in.Language, Measured: measured(of.Figures)}
	if in.Style == "" {
		return out, nil
	}
	return work.See(ctx, s.db, func(v work.View) (api.Voice, error) {
		e, err := styleSeen(v.Reader, by, in.Style)
		if err != nil {
			return out, err
		}
		style, background, whose, err := s.styles.Of(v, e.ID)
		if err != nil {
			return out, err
		}
		fit := fitOf(style.Fit(read, of, background), in.Text)
		fit.Style, fit.Background = e.Slug, whose
		out.Fit = &fit
		return out, nil
	})
}

// Figures gives what is measured of a style's samples, and a guide drawn from it.
func (s *Service) Figures(ctx context.Context, by work.Caller, slug string) (api.StyleFigures, error) {
	return work.See(ctx, s.db, func(v work.View) (api.StyleFigures, error) {
		e, err := styleSeen(v.Reader, by, slug)
		if err != nil {
			return api.StyleFigures{}, err
		}
		style, background, whose, err := s.styles.Of(v, e.ID)
		if err != nil {
			return api.StyleFigures{}, err
		}
		samples, err := v.Samples(e.ID)
		if err != nil {
			return api.StyleFigures{}, err
		}
		out := api.StyleFigures{
			Slug: e.Slug, Samples: len(samples), Measured: measured(style.Figures), Guide: []api.GuideLine{}, Background: whose,
			Characteristic: words(style.Words(background)), Openings: words(style.Openings(background)), Avoided: words(style.Avoided(background)),
		}
		for _, l := range voice.Guide(style.Figures) {
			out.Guide = append(out.Guide, api.GuideLine{Figure: l.Figure, Text: l.Text})
		}
		return out, nil
	})
}

// Samples lists the samples of a style, for those who look after it.
func (s *Service) Samples(ctx context.Context, by work.Caller, slug string) (api.Samples, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Samples, error) {
		out := api.Samples{Items: []api.Sample{}}
		e, err := keptStyle(v.Reader, by, slug)
		if err != nil {
			return out, err
		}
		all, err := v.Samples(e.ID)
		for _, one := range all {
			out.Items = append(out.Items, sample(one))
		}
		return out, err
	})
}

// Sample gives one of them with its text.
func (s *Service) Sample(ctx context.Context, by work.Caller, slug string, id int64) (api.SampleText, error) {
	return work.See(ctx, s.db, func(v work.View) (api.SampleText, error) {
		e, err := keptStyle(v.Reader, by, slug)
		if err != nil {
			return api.SampleText{}, err
		}
		one, err := v.Sample(e.ID, id)
		return api.SampleText{Sample: sample(one), Text: one.Body}, work.Found(err, noSample(id, slug))
	})
}

// NewSample is a sample that is brought.
type NewSample struct {
	Name   string
	Dated  string // a day, as 2026-01-31, or empty
	Weight float64
	Text   []byte // text or Markdown, a .docx or a .pdf
}

// DocumentText gives what a document says: text or Markdown, a .docx or a .pdf. It returns a
// problem.List where that cannot be read.
func (s *Service) DocumentText(ctx context.Context, data []byte) (api.DocumentText, error) {
	text, err := s.documents.Text(ctx, data)
	var unreadable document.Unreadable
	if errors.As(err, &unreadable) {
		return api.DocumentText{}, work.Wrong("", "unreadable", "%s", unreadable.Error())
	}
	return api.DocumentText{Text: text}, err
}

// AddSample adds a sample to a style, in the place of one that is called the same. It returns
// a problem.List of what does not hold, and an [entry.Refusal] to those who do not look after
// the style.
func (s *Service) AddSample(ctx context.Context, by work.Caller, slug string, in NewSample) (api.Sample, error) {
	// Who may not bring one has nobody read it.
	if _, err := work.See(ctx, s.db, func(v work.View) (store.Entry, error) { return keptStyle(v.Reader, by, slug) }); err != nil {
		return api.Sample{}, err
	}
	text, err := s.documents.Text(ctx, in.Text)
	var unreadable document.Unreadable
	if err != nil && !errors.As(err, &unreadable) {
		return api.Sample{}, err
	}
	row, wrong := rowOf(in, text)
	if !unreadable.Why.IsZero() {
		wrong = append(wrong, problem.Problem{Field: "/text", Code: "unreadable", Message: message.Of(unreadable)})
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Sample, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.Sample{}, err
		}
		if err := mayKeep(by, e); err != nil {
			return api.Sample{}, err
		}
		if err := wrong.Err(); err != nil {
			return api.Sample{}, err
		}
		have, err := u.Samples(e.ID)
		if err != nil {
			return api.Sample{}, err
		}
		if err := fits(row, have).Err(); err != nil {
			return api.Sample{}, err
		}
		row.EntryID = e.ID
		id, err := u.AddSample(row, by.ID)
		if err != nil {
			return api.Sample{}, err
		}
		u.Record("add-sample", e.ID, 0, map[string]any{"sample": row.Name, "words": row.Words, "digest": row.Digest})
		added, err := u.Sample(e.ID, id)
		return sample(added), err
	})
}

// RemoveSample removes a sample for good. What is left of it is a line in the record.
func (s *Service) RemoveSample(ctx context.Context, by work.Caller, slug string, id int64) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return err
		}
		if err := mayKeep(by, e); err != nil {
			return err
		}
		gone, err := u.RemoveSample(e.ID, id)
		if err != nil {
			return work.Found(err, noSample(id, slug))
		}
		u.Record("remove-sample", e.ID, 0, map[string]any{"sample": gone.Name, "words": gone.Words, "digest": gone.Digest})
		return nil
	})
}

func rowOf(in NewSample, text string) (row store.Sample, wrong problem.List) {
	name := strings.TrimSpace(in.Name)
	wrong = problem.Text("/name", name)
	switch n := utf8.RuneCountInString(name); {
	case n == 0:
		wrong.Add("/name", "missing", "the sample has no name: say what it is, for instance the file’s name")
	case n > mostName:
		wrong.Add("/name", "size", "the name has %d characters; %d are the most", n, mostName)
	}
	row = store.Sample{Name: name, Weight: in.Weight}
	if row.Weight == 0 {
		row.Weight = 1
	}
	if !(row.Weight > 0 && row.Weight <= 10) {
		wrong.Add("/weight", "range", "the weight is %g; it is above 0 and 10 at most, and usually 1", in.Weight)
	}
	if in.Dated != "" {
		day, err := time.Parse(time.DateOnly, in.Dated)
		if err != nil {
			wrong.Add("/dated", "format", "%q is no day; write it as 2026-01-31", in.Dated)
		}
		row.Dated = &day
	}
	if text == "" && len(in.Text) > 0 {
		return row, wrong // it could not be read
	}
	row.Body = text
	wrong = append(wrong, problem.Text("/text", row.Body)...)
	if row.Words = voice.Read(row.Body, "").Words(); row.Words == 0 {
		wrong.Add("/text", "missing", "there are no words in it")
	}
	sum := sha256.Sum256([]byte(text))
	row.Digest = hex.EncodeToString(sum[:])
	return row, wrong
}

// fits says what keeps a sample from standing beside those that a style has.
func fits(row store.Sample, have []store.Sample) (wrong problem.List) {
	others, words := 0, row.Words
	for _, one := range have {
		if one.Name == row.Name {
			continue
		}
		words += one.Words
		if others++; one.Digest == row.Digest {
			wrong.Add("/text", "twice", "the same text is here already, as %q", one.Name)
		}
	}
	if words > mostWords {
		wrong.Add("/text", "size", "the style would have %d words of samples; %d are the most, and a tenth of that is enough", words, mostWords)
	}
	if others >= mostSamples {
		wrong.Add("/name", "size", "the style has %d samples, which are the most; remove one first", others)
	}
	return wrong
}

func noSample(id int64, slug string) error {
	return work.MissingF("%s has no sample %d", slug, id)
}

// styleSeen gives a style that the caller may see.
func styleSeen(r store.Reader, by work.Caller, slug string) (store.Entry, error) {
	e, err := texts.Seen(r, by, slug)
	if err != nil {
		return e, err
	}
	return e, isStyle(e)
}

// keptStyle gives a style that the caller looks after.
func keptStyle(r store.Reader, by work.Caller, slug string) (store.Entry, error) {
	e, err := texts.Seen(r, by, slug)
	if err != nil {
		return e, err
	}
	return e, mayKeep(by, e)
}

func mayKeep(by work.Caller, e store.Entry) error {
	if !entry.LooksAfter(by.Actor(), texts.Status(e)) {
		return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("samples are somebody’s writing: only the owner of %s, its deputy and curators see and change them", e.Slug), Possible: []entry.Action{}}
	}
	return isStyle(e)
}

func isStyle(e store.Entry) error {
	if e.Kind == string(entry.Style) {
		return nil
	}
	return &entry.Refusal{Kind: entry.ErrWrongState, Message: message.Say("%s is a %s; only styles are measured from samples", e.Slug, e.Kind), Possible: []entry.Action{}}
}

package writing

import (
	"context"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/places"
	"goldshelf/core/problem"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Preview parses and fills a text that is not saved. What is wrong with it is part of
// the answer, not an error. Who may see drafts gets the newest version of includes
// that are not published yet.
func (s *Service) Preview(ctx context.Context, by work.Caller, req api.PreviewRequest) (api.Preview, error) {
	out := api.Preview{Spans: []fill.Span{}, Blanks: req.Blanks, Problems: []problem.Problem{}}
	content := entry.Content{Kind: entry.Prompt, Plain: req.Plain, Language: req.Language, Blanks: req.Blanks, Body: req.Body}
	if req.Set != "" {
		content.Kind, content.Set, content.Answers = entry.Sheet, req.Set, req.Answers
	}
	if bad := content.Problems(); bad != nil {
		out.Problems = bad
		return out, nil
	}
	content, err := work.See(ctx, s.db, func(v work.View) (entry.Content, error) { return texts.WithQuestions(v.Reader, content) })
	if err != nil {
		return out, err
	}
	src, err := content.Parsed(req.Slug, 0)
	if err == nil {
		err = s.sketch(ctx, by, src, req.Values, &out)
	}
	if list, ok := err.(problem.List); ok {
		out.Problems, err = append(out.Problems, list...), nil
	}
	if out.Blanks == nil {
		out.Blanks = []fill.Blank{}
	}
	return out, err
}

func (s *Service) sketch(ctx context.Context, by work.Caller, src fill.Source, values fill.Values, out *api.Preview) error {
	var newer []fill.Ref
	form, err := work.See(ctx, s.db, func(v work.View) (*fill.Form, error) {
		lookup, err := texts.IncludedIn(v.Reader, src.Text, by.Sight())
		if err != nil {
			return nil, err
		}
		form, err := fill.Compile(lookup.Source, src)
		newer = lookup.Newer
		return form, err
	})
	if err != nil {
		return err
	}
	out.Blanks, out.Newer = form.Blanks(), newer
	got, _, missing, err := form.Sketch(values)
	out.Text, out.Problems = got.Text, append(out.Problems, missing...)
	if got.Spans != nil {
		out.Spans = got.Spans
	}
	return err
}

// Check reads a text that need not be saved, as it would be read on submission.
func (s *Service) Check(ctx context.Context, by work.Caller, in api.NewEntry) (api.Checked, error) {
	if err := in.Content.Problems().Err(); err != nil {
		return api.Checked{}, err
	}
	if in.Owner == "" {
		in.Owner = by.Name
	}
	return work.See(ctx, s.db, func(v work.View) (api.Checked, error) {
		p, err := texts.Policy(v.Reader)
		if err != nil {
			return api.Checked{}, err
		}
		content, err := texts.WithQuestions(v.Reader, in.Content)
		if err != nil {
			return api.Checked{}, err
		}
		read := check.Input{Slug: in.Slug, Owner: in.Owner, Content: content}
		if err := texts.Surround(v.Reader, &read, by.Sight()); err != nil {
			return api.Checked{}, err
		}
		return checked(read, p.Policy), nil
	})
}

// CheckEntry reads the version of an entry that the caller works on.
func (s *Service) CheckEntry(ctx context.Context, by work.Caller, slug string) (api.Checked, error) {
	e, err := work.See(ctx, s.db, func(v work.View) (api.Entry, error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return api.Entry{}, err
		}
		number := e.Published
		if e.Open > 0 && texts.MaySeeDrafts(by, e) {
			number = e.Open
		}
		return texts.Read(v.Reader, by, e, number)
	})
	if err != nil {
		return api.Checked{}, err
	}
	return s.Check(ctx, by, api.NewEntry{Slug: e.Slug, Content: e.Content, Owner: e.Owner})
}

func checked(in check.Input, p check.Policy) api.Checked {
	out := api.Checked{
		Findings: append([]check.Finding{}, check.Run(in, p)...), Parts: append([]check.Anatomy{}, check.Parts(in)...),
		Words: check.Words(in.Body), Tokens: check.Tokens(in.Body),
	}
	out.Passed = len(check.Rules())
	seen := map[string]bool{}
	for _, f := range out.Findings {
		if !seen[f.Rule] {
			out.Passed--
		}
		seen[f.Rule] = true
	}
	return out
}

// MakeBlanks makes blanks of places of a text. It returns a [problem.List] if the text
// has no such place, or a name cannot be one.
func MakeBlanks(req api.BlanksRequest) (api.BlanksMade, error) {
	found := entry.BodyProblems(req.Body)
	end := 0
	for i, p := range req.Places {
		at := problem.Pointer("places", i)
		switch {
		case p.Start < end || p.End <= p.Start || p.End > len(req.Body) || req.Body[p.Start:p.End] != p.Text:
			found.Add(at, "place", "the text does not have %q from byte %d to %d, after the place before; read the text again", p.Text, p.Start, p.End)
		case !fill.IsName(p.Name):
			found.Add(at+"/name", "name", "%q cannot be the name of a blank; a name has lower-case letters, digits and _, begins with a letter and is none of the language's words", p.Name)
		}
		end = max(end, p.End)
	}
	if err := found.Err(); err != nil {
		return api.BlanksMade{}, err
	}
	out := api.BlanksMade{}
	out.Body, out.Blanks = places.MakeBlanks(req.Body, req.Places)
	if out.Blanks == nil {
		out.Blanks = []fill.Blank{}
	}
	return out, nil
}

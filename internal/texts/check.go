package texts

import (
	"errors"
	"fmt"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Stopped means that checks keep an entry from a step. Its problems are those
// findings.
type Stopped struct {
	Step     entry.Action
	Problems problem.List
}

func (s *Stopped) Error() string { return s.Said().String() }

// Said gives what it says.
func (s *Stopped) Said() message.Text {
	if len(s.Problems) == 1 {
		return message.Say("one check stops this: %s", s.Problems[0].Message)
	}
	return message.Say("%d checks stop this; the first: %s", len(s.Problems), s.Problems[0].Message)
}

// Policy gives the policy in force. Where none was ever set it is the zero policy,
// with the number 0.
func Policy(r store.Reader) (api.Policy, error) {
	p, err := r.Policy()
	if errors.Is(err, store.ErrNotFound) {
		return api.Policy{}, nil
	}
	return api.Policy{Policy: p.Policy.V, Number: p.Number, SetBy: p.By, SetAt: UTC(&p.At)}, err
}

// Surround gives a check what it needs of the library: the entries that a text
// includes, and which of its recommended stack there are.
func Surround(r store.Reader, in *check.Input, sight store.Sight) error {
	terms, err := r.Terms()
	if err != nil {
		return err
	}
	in.Required = RequiredFor(string(in.Kind), terms)
	lookup := &Included{r: r}
	if src, err := in.Parsed(in.Slug, in.Version); err == nil {
		if lookup, err = IncludedIn(r, src.Text, sight); err != nil {
			return err
		}
	}
	in.Lookup = lookup.Source
	var refs []fill.Ref
	for _, m := range Mentions(in.Content) {
		if m.How == "persona" || m.How == "style" || m.How == "sheet" {
			refs = append(refs, fill.Ref{Entry: m.Slug})
		}
	}
	on := map[string]entry.Kind{}
	if len(refs) > 0 {
		found, err := r.ShelvedIDs(refs)
		if err != nil {
			return err
		}
		for _, n := range found {
			on[n.Slug] = entry.Kind(n.Kind)
		}
	}
	in.Missing = func(slug string, kind entry.Kind) string {
		switch got, there := on[slug]; {
		case !there:
			return fmt.Sprintf("%s is not on the shelf. Publish it first, or recommend another %s.", slug, kind)
		case got != kind:
			return fmt.Sprintf("%s is a %s, and a %s is wanted here.", slug, got, kind)
		}
		return ""
	}
	return nil
}

// Pass holds a version against the checks that stop a step, with what its caller may see
// of others' drafts. It returns [Stopped], or a
// problem.List where it is to be published and could not be filled in.
func Pass(u *work.Unit, p check.Policy, v store.Version, step entry.Action) error {
	r, sight := u.Reader, store.Sight{}
	if step == entry.Submit {
		sight = u.By.Sight()
	}
	in := check.Input{Slug: v.Slug, Version: v.Number, Owner: v.Owner, Content: v.Content()}
	if err := Surround(r, &in, sight); err != nil {
		return err
	}
	if stops := check.Stops(check.Run(in, p), p, step); len(stops) > 0 {
		return &Stopped{Step: step, Problems: stops}
	}
	if step != entry.Publish {
		return nil
	}
	return fillable(in)
}

// fillable says of what is to stand on the shelf whether it can be filled in: whatever
// the policy says, that it can.
func fillable(in check.Input) error {
	src, err := in.Parsed(in.Slug, in.Version)
	if err == nil {
		_, err = fill.Compile(in.Lookup, src)
	}
	return err
}

// Stands says what keeps a version that was published before from standing on the
// shelf again: that what it includes or recommends is there no longer.
func Stands(r store.Reader, v store.Version, step entry.Action) error {
	in := check.Input{Slug: v.Slug, Version: v.Number, Owner: v.Owner, Content: v.Content()}
	if err := Surround(r, &in, store.Sight{}); err != nil {
		return err
	}
	var wrong problem.List
	if err := fillable(in); err != nil {
		list, is := err.(problem.List)
		if !is {
			return err
		}
		wrong = list
	}
	for _, part := range in.Stack("", "", nil) {
		if why := in.Missing(part.Slug, part.Kind); why != "" {
			wrong.Add(part.Field, "missing", "%s", why)
		}
	}
	if wrong == nil {
		return nil
	}
	return &Stopped{Step: step, Problems: wrong}
}

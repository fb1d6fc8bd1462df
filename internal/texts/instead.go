package texts

import (
	"goldshelf/core/fill"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Instead is a version of an entry that takes the place of the one on the shelf wherever a
// text follows that: what would be, once it is published.
type Instead struct {
	fill.Ref

	own      Source
	shelved  int // the number of the version that it takes the place of; 0 where there is none
	included *Included
}

// Instead reads a version of an entry that the caller has seen, with what it includes. Its
// error is a [problem.List] where its text has faults.
func (t *Texts) Instead(v work.View, by work.Caller, e store.Entry, version store.Version) (*Instead, error) {
	content, err := WithQuestions(v.Reader, version.Content())
	if err != nil {
		return nil, err
	}
	src, err := content.Parsed(e.Slug, version.Number)
	if err != nil {
		return nil, err
	}
	in := &Instead{Ref: src.Ref, own: Source{Source: src, Kind: content.Kind, Title: content.Title, Set: content.Questions}, shelved: e.Published}
	in.included, err = IncludedIn(v.Reader, src.Text, by.Sight())
	return in, err
}

// layer gives what stands in a stack in place of a layer of it.
func (in *Instead) layer(s fill.Source) fill.Source {
	if in != nil && s.Entry == in.Entry && s.Version == in.shelved {
		return in.own.Source
	}
	return s
}

// among has includes find it among what is on the shelf, by each name that they use.
func (in *Instead) among(c closed) {
	if in == nil {
		return
	}
	c.asked[fill.Ref{Entry: in.Entry}] = in.own.Source
	for asked, src := range c.asked {
		if asked.Version == 0 && src.Entry == in.Entry {
			c.asked[asked] = in.own.Source
		}
	}
	c.By[in.Ref] = in.own
	for _, version := range in.included.got {
		ref := fill.Ref{Entry: version.Slug, Version: version.Number}
		if _, known := c.By[ref]; !known {
			said := version.Content()
			c.By[ref] = Source{Kind: said.Kind, Title: said.Title}
		}
	}
}

// source gives what an include of its own names.
func (in *Instead) source(slug string, number int) (fill.Source, error) {
	if in == nil {
		return fill.Source{}, fill.Absent{}
	}
	return in.included.Source(slug, number)
}

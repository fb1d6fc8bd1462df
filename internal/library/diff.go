package library

import (
	"context"
	"fmt"

	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
)

// Diff compares two versions of an entry that the caller may see: their texts,
// everything else in its own terms, and what a colleague gets of either with the
// same values, those of the newer one's samples. A number of 0 stands for the
// newest version that the caller may see, and for the one on the shelf before it.
func (l *Library) Diff(ctx context.Context, by Caller, slug string, from, to int) (api.Diff, error) {
	history, err := l.history(ctx, by, slug, 0, 0)
	if err != nil {
		return api.Diff{}, err
	}
	now, err := pick(history.Items, slug, to, func(api.Entry) bool { return true })
	if err != nil {
		return api.Diff{}, err
	}
	old, err := pick(history.Items, slug, from, func(v api.Entry) bool { return v.Version < now.Version && v.PublishedAt != nil })
	if err != nil {
		return api.Diff{}, err
	}
	out := api.Diff{
		Slug: slug, From: old.Version, To: now.Version,
		Fields: append([]change.Field{}, change.Fields(old.Content, now.Content)...), Lines: change.Texts(old.Body, now.Body),
	}
	values := fill.Values{}
	for _, b := range append(append([]fill.Blank{}, old.Blanks...), now.Blanks...) {
		if !b.Sample.IsZero() {
			values[b.Name] = b.Sample
		}
	}
	before, err := l.sample(ctx, by, old, values)
	if err != nil {
		return out, err
	}
	after, err := l.sample(ctx, by, now, values)
	out.Filled = change.Texts(before, after)
	return out, err
}

// pick gives the version with a number, or without one the newest that fits.
func pick(versions []api.Entry, slug string, number int, fits func(api.Entry) bool) (api.Entry, error) {
	for _, v := range versions { // newest first
		if v.Version == number || number == 0 && fits(v) {
			return v, nil
		}
	}
	if number == 0 {
		return api.Entry{}, &Missing{fmt.Sprintf("%s has no version before that one to compare with", slug)}
	}
	return api.Entry{}, &Missing{fmt.Sprintf("%s has no version %d that you may see; see its history", slug, number)}
}

// sample fills a version with values as far as they go. A text that cannot be
// filled is told by what is wrong with it.
func (l *Library) sample(ctx context.Context, by Caller, v api.Entry, values fill.Values) (string, error) {
	src, err := v.Parsed(v.Slug, v.Version)
	if err == nil {
		var lookup *shelfLookup
		if lookup, err = includes(ctx, l.db.Reader, src.Text, by.Role.Includes(entry.Reviewer)); err != nil {
			return "", err
		}
		var form *fill.Form
		if form, err = fill.Compile(lookup.source, src); err == nil {
			own := fill.Values{}
			for _, b := range form.Blanks() {
				if value, given := values[b.Name]; given {
					own[b.Name] = value
				} else if !b.Sample.IsZero() {
					own[b.Name] = b.Sample
				}
			}
			got, _, _, err := form.Sketch(own)
			return got.Text, err
		}
	}
	if list, is := err.(problem.List); is {
		return list.Error(), nil
	}
	return "", err
}

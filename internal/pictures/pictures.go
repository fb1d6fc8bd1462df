// Package pictures has the use cases around the pictures that stand beside entries. Which
// entry has which is said by its versions' texts.
package pictures

import (
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/picture"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct {
	db      *work.DB
	drawing chan struct{}
}

// drawnAtOnce is how many pictures are drawn at the same time: each takes a hundred
// megabytes at most.
const drawnAtOnce = 1

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db, make(chan struct{}, drawnAtOnce)} }

// Add draws a picture anew and keeps it for whoever names it in a draft soon. It returns a
// problem.List of what is none, and an [entry.Refusal] to readers.
func (s *Service) Add(ctx context.Context, by work.Caller, data []byte) (api.UploadedPicture, error) {
	if !by.Role.Includes(entry.Contributor) {
		return api.UploadedPicture{}, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only contributors, reviewers and curators bring pictures"), Possible: []entry.Action{}}
	}
	select {
	case s.drawing <- struct{}{}:
		defer func() { <-s.drawing }()
	case <-ctx.Done():
		return api.UploadedPicture{}, ctx.Err()
	}
	d, err := picture.Draw(data)
	if err != nil {
		return api.UploadedPicture{}, err
	}
	return api.UploadedPicture{ID: d.ID, Type: d.Type, Width: d.Width, Height: d.Height}, work.Run(ctx, s.db, by, func(u *work.Unit) error {
		return u.AddPicture(store.Picture{ID: d.ID, Type: d.Type, Width: d.Width, Height: d.Height, Large: d.Large, Medium: d.Medium, Small: d.Small})
	})
}

// Picture gives a picture in a size: small, medium or large.
func (s *Service) Picture(ctx context.Context, id, size string) (kind string, data []byte, err error) {
	missing := work.MissingF("there is no such picture")
	if !slices.Contains([]string{"small", "medium", "large"}, size) || len(id) != 64 {
		return "", nil, missing
	}
	p, err := work.Ask(ctx, s.db, func(v work.View) (store.Picture, error) { return v.Picture(id, size) })
	return p.Type, p.Small, work.Found(err, missing)
}

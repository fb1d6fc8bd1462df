package server

import (
	"errors"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/internal/texts"
)

func (s *server) entries(c fiber.Ctx) error {
	q, err := queryOf(c)
	if err != nil {
		return err
	}
	list, err := s.lib.Shelf.Entries(c.Context(), caller(c), q)
	return answer(c, list, err)
}

func (s *server) create(c fiber.Ctx) error {
	var in api.NewEntry
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	e, err := s.lib.Writing.Create(c.Context(), caller(c), in)
	if err == nil {
		c.Set(fiber.HeaderLocation, "/api/v1/entries/"+e.Slug)
	}
	return answer(c, e, err)
}

func (s *server) entry(c fiber.Ctx) error {
	e, err := s.lib.Shelf.Entry(c.Context(), caller(c), c.Params("slug"))
	if err != nil {
		return calledNow(c, "/api/v1/entries/", "", err)
	}
	return answer(c, e, nil)
}

func (s *server) rename(c fiber.Ctx) error {
	var in api.Renaming
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Writing.Rename(c.Context(), caller(c), c.Params("slug"), in.Slug)
	return answer(c, e, err)
}

// calledNow sends whoever asks for an entry by a name that it had to the one that it has.
func calledNow(c fiber.Ctx, below, version string, err error) error {
	var renamed *texts.Renamed
	if !errors.As(err, &renamed) {
		return err
	}
	return c.Redirect().Status(fiber.StatusPermanentRedirect).To(below + renamed.Now + version)
}

func (s *server) draft(c fiber.Ctx) error {
	d, err := s.lib.Writing.Draft(c.Context(), caller(c), c.Params("slug"))
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, etagOf(d.Revision))
	return c.JSON(d.Entry)
}

func (s *server) saveDraft(c fiber.Ctx) error {
	on, err := revisionOf(c)
	if err != nil {
		return err
	}
	var in api.NewEntry
	if err := body(c, &in); err != nil {
		return err
	}
	d, err := s.lib.Writing.SaveDraft(c.Context(), caller(c), c.Params("slug"), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, etagOf(d.Revision))
	if on == (texts.Revision{}) {
		c.Status(fiber.StatusCreated)
	}
	return c.JSON(d.Entry)
}

func (s *server) versions(c fiber.Ctx) error {
	limit, err := limitOf(c)
	if err != nil {
		return err
	}
	history, err := s.lib.History.Versions(c.Context(), caller(c), c.Params("slug"), limit, c.Query("cursor"))
	return answer(c, history, err)
}

func (s *server) version(c fiber.Ctx) error {
	number, err := versionOf(c)
	if err != nil {
		return err
	}
	e, err := s.lib.History.Version(c.Context(), caller(c), c.Params("slug"), number)
	return answer(c, e, err)
}

func (s *server) uses(c fiber.Ctx) error {
	uses, err := s.lib.Shelf.Uses(c.Context(), caller(c), c.Params("slug"))
	return answer(c, uses, err)
}

func (s *server) effect(c fiber.Ctx) error {
	effect, err := s.lib.Shelf.Effect(c.Context(), caller(c), c.Params("slug"), c.Params("user"))
	return answer(c, effect, err)
}

func (s *server) submit(c fiber.Ctx) error {
	var in api.Note
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Lifecycle.Submit(c.Context(), caller(c), c.Params("slug"), in.Note, in.Settles...)
	return answer(c, e, err)
}

func (s *server) withdraw(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	e, err := s.lib.Lifecycle.Withdraw(c.Context(), caller(c), c.Params("slug"))
	return answer(c, e, err)
}

func (s *server) approve(c fiber.Ctx) error {
	seen, err := seenOf(c)
	if err != nil {
		return err
	}
	var in api.Approving
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Lifecycle.Approve(c.Context(), caller(c), c.Params("slug"), seen, in.Comment)
	return answer(c, e, err)
}

func (s *server) giveBack(c fiber.Ctx) error {
	seen, err := seenOf(c)
	if err != nil {
		return err
	}
	var in api.Reason
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Lifecycle.Return(c.Context(), caller(c), c.Params("slug"), seen, in.Because)
	return answer(c, e, err)
}

func (s *server) retire(c fiber.Ctx) error {
	var in api.Retirement
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Lifecycle.Retire(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, e, err)
}

func (s *server) restore(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	e, err := s.lib.Lifecycle.Restore(c.Context(), caller(c), c.Params("slug"))
	return answer(c, e, err)
}

package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/internal/library"
)

func (s *server) entries(c fiber.Ctx) error {
	q, err := queryOf(c)
	if err != nil {
		return err
	}
	list, err := s.lib.Entries(c.Context(), caller(c), q)
	return answer(c, list, err)
}

func (s *server) create(c fiber.Ctx) error {
	var in api.NewEntry
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Create(c.Context(), caller(c), in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderLocation, "/api/v1/entries/"+e.Slug)
	return c.Status(fiber.StatusCreated).JSON(e)
}

func (s *server) entry(c fiber.Ctx) error {
	e, err := s.lib.Entry(c.Context(), caller(c), c.Params("slug"))
	return answer(c, e, err)
}

func (s *server) draft(c fiber.Ctx) error {
	e, revision, err := s.lib.Draft(c.Context(), caller(c), c.Params("slug"))
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, etagOf(revision))
	return c.JSON(e)
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
	e, revision, err := s.lib.SaveDraft(c.Context(), caller(c), c.Params("slug"), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, etagOf(revision))
	if on == (library.Revision{}) {
		c.Status(fiber.StatusCreated)
	}
	return c.JSON(e)
}

func (s *server) versions(c fiber.Ctx) error {
	history, err := s.lib.History(c.Context(), caller(c), c.Params("slug"), fiber.Query[int](c, "limit"), c.Query("cursor"))
	return answer(c, history, err)
}

func (s *server) version(c fiber.Ctx) error {
	number, err := numberOf(c, "number", "a version is a number; see the entry's versions")
	if err != nil {
		return err
	}
	e, err := s.lib.Version(c.Context(), caller(c), c.Params("slug"), int(number))
	return answer(c, e, err)
}

func (s *server) uses(c fiber.Ctx) error {
	uses, err := s.lib.Uses(c.Context(), caller(c), c.Params("slug"))
	return answer(c, uses, err)
}

func (s *server) effect(c fiber.Ctx) error {
	effect, err := s.lib.Effect(c.Context(), caller(c), c.Params("slug"), c.Params("user"))
	return answer(c, effect, err)
}

func (s *server) submit(c fiber.Ctx) error {
	var in api.Note
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Submit(c.Context(), caller(c), c.Params("slug"), in.Note)
	return answer(c, e, err)
}

func (s *server) withdraw(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	e, err := s.lib.Withdraw(c.Context(), caller(c), c.Params("slug"))
	return answer(c, e, err)
}

func (s *server) approve(c fiber.Ctx) error {
	var in api.Approving
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Approve(c.Context(), caller(c), c.Params("slug"), in.Comment)
	return answer(c, e, err)
}

func (s *server) giveBack(c fiber.Ctx) error {
	var in api.Reason
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Return(c.Context(), caller(c), c.Params("slug"), in.Because)
	return answer(c, e, err)
}

func (s *server) retire(c fiber.Ctx) error {
	var in api.Retirement
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Retire(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, e, err)
}

func (s *server) restore(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	e, err := s.lib.Restore(c.Context(), caller(c), c.Params("slug"))
	return answer(c, e, err)
}

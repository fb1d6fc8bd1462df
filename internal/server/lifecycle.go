package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

func (s *server) renew(c fiber.Ctx) error {
	var in api.Note
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Lifecycle.Renew(c.Context(), caller(c), c.Params("slug"), in.Note)
	return answer(c, e, err)
}

func (s *server) unpublish(c fiber.Ctx) error {
	var in api.Reason
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Lifecycle.Unpublish(c.Context(), caller(c), c.Params("slug"), in.Because)
	return answer(c, e, err)
}

func (s *server) restoreVersion(c fiber.Ctx) error {
	number, err := versionOf(c)
	if err != nil {
		return err
	}
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	e, err := s.lib.Writing.RestoreVersion(c.Context(), caller(c), c.Params("slug"), number)
	return answer(c, e, err)
}

func (s *server) publish(c fiber.Ctx) error {
	seen, err := seenOf(c)
	if err != nil {
		return err
	}
	var in api.PublishRequest
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Lifecycle.Publish(c.Context(), caller(c), c.Params("slug"), seen, in.At)
	return answer(c, e, err)
}

func (s *server) publishTogether(c fiber.Ctx) error {
	var in api.PublishTogether
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Lifecycle.PublishTogether(c.Context(), caller(c), in.Entries, in.At)
	return answer(c, out, err)
}

func (s *server) publications(c fiber.Ctx) error {
	out, err := s.lib.Lifecycle.Publications(c.Context(), caller(c))
	return answer(c, out, err)
}

func (s *server) cancelPublication(c fiber.Ctx) error {
	if err := s.lib.Lifecycle.CancelPublication(c.Context(), caller(c), c.Params("id")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) planBulk(c fiber.Ctx) error {
	var in api.Bulk
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Lifecycle.PlanBulk(c.Context(), caller(c), in)
	return answer(c, out, err)
}

func (s *server) applyBulk(c fiber.Ctx) error {
	var in api.Bulk
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Lifecycle.ApplyBulk(c.Context(), caller(c), in)
	return answer(c, out, err)
}

package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/entry"
)

func (s *server) beginnings(c fiber.Ctx) error {
	b, err := s.lib.Beginnings(c.Context(), caller(c))
	return answer(c, b, err)
}

func (s *server) setStarter(c fiber.Ctx) error {
	var in entry.Content
	if err := body(c, &in); err != nil {
		return err
	}
	if err := s.lib.SetStarter(c.Context(), caller(c), c.Params("department"), in); err != nil {
		return err
	}
	return s.beginnings(c)
}

func (s *server) dropStarter(c fiber.Ctx) error {
	if err := s.lib.DropStarter(c.Context(), caller(c), c.Params("department")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) setHelper(c fiber.Ctx) error {
	var in api.Helper
	if err := body(c, &in); err != nil {
		return err
	}
	if err := s.lib.SetHelper(c.Context(), caller(c), c.Params("slug"), in.Helper); err != nil {
		return err
	}
	return s.beginnings(c)
}

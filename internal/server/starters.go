package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/entry"
)

func (s *server) starters(c fiber.Ctx) error {
	b, err := s.lib.Writing.Starters(c.Context())
	return answer(c, b, err)
}

func (s *server) setStarter(c fiber.Ctx) error {
	var in entry.Content
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Writing.SetStarter(c.Context(), caller(c), c.Params("department"), in)
	return answer(c, out, err)
}

func (s *server) deleteStarter(c fiber.Ctx) error {
	if err := s.lib.Writing.DeleteStarter(c.Context(), caller(c), c.Params("department")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) setHelper(c fiber.Ctx) error {
	var in api.Helper
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Writing.SetHelper(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, out, err)
}

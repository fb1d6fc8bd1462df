package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/check"
)

func (s *server) check(c fiber.Ctx) error {
	var in api.NewEntry
	if err := body(c, &in); err != nil {
		return err
	}
	found, err := s.lib.Check(c.Context(), caller(c), in)
	return answer(c, found, err)
}

func (s *server) checkEntry(c fiber.Ctx) error {
	found, err := s.lib.CheckEntry(c.Context(), caller(c), c.Params("slug"))
	return answer(c, found, err)
}

func (s *server) policy(c fiber.Ctx) error {
	p, err := s.lib.Policy(c.Context())
	return answer(c, p, err)
}

func (s *server) setPolicy(c fiber.Ctx) error {
	var in check.Policy
	if err := body(c, &in); err != nil {
		return err
	}
	p, err := s.lib.SetPolicy(c.Context(), caller(c), in)
	return answer(c, p, err)
}

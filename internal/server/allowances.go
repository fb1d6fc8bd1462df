package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

func (s *server) allowances(c fiber.Ctx) error {
	all, err := s.lib.Allowances.List(c.Context(), caller(c))
	return answer(c, all, err)
}

func (s *server) setAllowance(c fiber.Ctx) error {
	var in api.SetAllowance
	if err := body(c, &in); err != nil {
		return err
	}
	all, err := s.lib.Allowances.Set(c.Context(), caller(c), c.Params("kind"), c.Params("name"), in)
	return answer(c, all, err)
}

package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

func (s *server) codes(c fiber.Ctx) error {
	now, err := s.lib.People.Codes(c.Context(), caller(c))
	return answer(c, now, err)
}

func (s *server) beginCodes(c fiber.Ctx) error {
	var in api.PasswordAgain
	if err := body(c, &in); err != nil {
		return err
	}
	c.Set(fiber.HeaderCacheControl, "no-store")
	begun, err := s.lib.People.BeginCodes(c.Context(), caller(c), s.originOf(c), in.Password)
	return answer(c, begun, err)
}

func (s *server) confirmCodes(c fiber.Ctx) error {
	var in api.OneTimeCode
	if err := body(c, &in); err != nil {
		return err
	}
	c.Set(fiber.HeaderCacheControl, "no-store")
	spare, err := s.lib.People.ConfirmCodes(c.Context(), caller(c), in.Code)
	return answer(c, spare, err)
}

func (s *server) dropCodes(c fiber.Ctx) error {
	var in api.PasswordAgain
	if err := body(c, &in); err != nil {
		return err
	}
	if err := s.lib.People.DropCodes(c.Context(), caller(c), s.originOf(c), in.Password); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) dropCodesOf(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	if err := s.lib.People.DropCodesOf(c.Context(), caller(c), c.Params("name")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

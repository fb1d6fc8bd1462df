package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/internal/library"
)

func (s *server) readText(c fiber.Ctx) error {
	var in api.TextOf
	if err := body(c, &in); err != nil {
		return err
	}
	read, err := s.lib.ReadText(c.Context(), caller(c), in)
	return answer(c, read, err)
}

func (s *server) turn(c fiber.Ctx) error {
	var in api.TurnRequest
	if err := body(c, &in); err != nil {
		return err
	}
	turned, err := library.Turn(in)
	return answer(c, turned, err)
}

func (s *server) alike(c fiber.Ctx) error {
	var in api.TextOf
	if err := body(c, &in); err != nil {
		return err
	}
	found, err := s.lib.Alike(c.Context(), caller(c), in)
	return answer(c, found, err)
}

func (s *server) groups(c fiber.Ctx) error {
	groups, err := s.lib.Groups(c.Context(), caller(c))
	return answer(c, groups, err)
}

func (s *server) recurring(c fiber.Ctx) error {
	passages, err := s.lib.Recurring(c.Context(), caller(c))
	return answer(c, passages, err)
}

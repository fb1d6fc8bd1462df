package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/internal/writing"
)

func (s *server) readText(c fiber.Ctx) error {
	var in api.TextOf
	if err := body(c, &in); err != nil {
		return err
	}
	read, err := s.lib.Similar.Read(c.Context(), caller(c), in)
	return answer(c, read, err)
}

func (s *server) makeBlanks(c fiber.Ctx) error {
	var in api.BlanksRequest
	if err := body(c, &in); err != nil {
		return err
	}
	made, err := writing.MakeBlanks(in)
	return answer(c, made, err)
}

func (s *server) similar(c fiber.Ctx) error {
	var in api.TextOf
	if err := body(c, &in); err != nil {
		return err
	}
	found, err := s.lib.Similar.To(c.Context(), caller(c), in)
	return answer(c, found, err)
}

func (s *server) similarGroups(c fiber.Ctx) error {
	groups, err := s.lib.Similar.Groups(c.Context(), caller(c))
	return answer(c, groups, err)
}

func (s *server) recurringPassages(c fiber.Ctx) error {
	passages, err := s.lib.Similar.Recurring(c.Context(), caller(c))
	return answer(c, passages, err)
}

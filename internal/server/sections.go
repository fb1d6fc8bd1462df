package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

func (s *server) sections(c fiber.Ctx) error {
	all, err := s.lib.Shelf.Sections(c.Context())
	return answer(c, all, err)
}

func (s *server) section(c fiber.Ctx) error {
	q, err := queryOf(c)
	if err != nil {
		return err
	}
	one, err := s.lib.Shelf.Section(c.Context(), c.Params("name"), q)
	return answer(c, one, err)
}

func (s *server) setSection(c fiber.Ctx) error {
	var in api.SectionChange
	if err := body(c, &in); err != nil {
		return err
	}
	one, err := s.lib.Shelf.SetSection(c.Context(), caller(c), c.Params("name"), in)
	return answer(c, one, err)
}

func (s *server) deleteSection(c fiber.Ctx) error {
	if err := s.lib.Shelf.DeleteSection(c.Context(), caller(c), c.Params("name")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) orderSections(c fiber.Ctx) error {
	var in api.SectionOrder
	if err := body(c, &in); err != nil {
		return err
	}
	if err := s.lib.Shelf.OrderSections(c.Context(), caller(c), in.Names); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

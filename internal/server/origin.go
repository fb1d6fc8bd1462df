package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

func (s *server) adapt(c fiber.Ctx) error {
	var in api.NewAdaptation
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	e, err := s.lib.Writing.Adapt(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, e, err)
}

func (s *server) share(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	e, err := s.lib.Writing.Share(c.Context(), caller(c), c.Params("slug"))
	return answer(c, e, err)
}

func (s *server) adaptations(c fiber.Ctx) error {
	all, err := s.lib.Writing.Adaptations(c.Context(), caller(c), c.Params("slug"))
	return answer(c, all, err)
}

func (s *server) addRendition(c fiber.Ctx) error {
	var in api.NewRendition
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	e, err := s.lib.Writing.Render(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, e, err)
}

func (s *server) origin(c fiber.Ctx) error {
	m, err := s.lib.Writing.Origin(c.Context(), caller(c), c.Params("slug"))
	return answer(c, m, err)
}

func (s *server) takeOver(c fiber.Ctx) error {
	on, err := revisionOf(c)
	if err != nil {
		return err
	}
	var in api.TakeOver
	if err := body(c, &in); err != nil {
		return err
	}
	d, err := s.lib.Writing.TakeOver(c.Context(), caller(c), c.Params("slug"), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, etagOf(d.Revision))
	return c.JSON(d.Entry)
}

func (s *server) followOrigin(c fiber.Ctx) error {
	var in api.OriginVersion
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Writing.FollowOrigin(c.Context(), caller(c), c.Params("slug"), in.Version)
	return answer(c, e, err)
}

package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

func (s *server) comments(c fiber.Ctx) error {
	out, err := s.lib.Comments(c.Context(), caller(c), c.Params("slug"), fiber.Query[int](c, "version"))
	return answer(c, out, err)
}

func (s *server) addComment(c fiber.Ctx) error {
	var in api.NewComment
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.AddComment(c.Context(), caller(c), c.Params("slug"), in)
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(out)
}

// settleComment settles a thread, or opens it again.
func (s *server) settleComment(settled bool) fiber.Handler {
	return func(c fiber.Ctx) error {
		if err := body(c, &struct{}{}); err != nil {
			return err
		}
		id, err := numberOf(c, "id", "a comment has a number; see the entry's comments")
		if err != nil {
			return err
		}
		out, err := s.lib.SettleComment(c.Context(), caller(c), c.Params("slug"), id, settled)
		return answer(c, out, err)
	}
}

func (s *server) lines(c fiber.Ctx) error {
	number, err := numberOf(c, "number", "a version is a number; see the entry's versions")
	if err != nil {
		return err
	}
	out, err := s.lib.Lines(c.Context(), caller(c), c.Params("slug"), int(number))
	return answer(c, out, err)
}

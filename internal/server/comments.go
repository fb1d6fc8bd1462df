package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
)

func (s *server) comments(c fiber.Ctx) error {
	number, err := intOf(c, "version", 1, entry.MaxVersion)
	if err != nil {
		return err
	}
	out, err := s.lib.History.Comments(c.Context(), caller(c), c.Params("slug"), number)
	return answer(c, out, err)
}

func (s *server) addComment(c fiber.Ctx) error {
	var in api.NewComment
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	out, err := s.lib.History.AddComment(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, out, err)
}

// settleComment settles a thread, or opens it again.
func (s *server) settleComment(settled bool) fiber.Handler {
	return func(c fiber.Ctx) error {
		if err := body(c, &struct{}{}); err != nil {
			return err
		}
		id, err := numberOf(c, "id", message.Say("a comment has a number; see the entry's comments"))
		if err != nil {
			return err
		}
		out, err := s.lib.History.SettleComment(c.Context(), caller(c), c.Params("slug"), id, settled)
		return answer(c, out, err)
	}
}

func (s *server) annotate(c fiber.Ctx) error {
	number, err := versionOf(c)
	if err != nil {
		return err
	}
	out, err := s.lib.History.Annotate(c.Context(), caller(c), c.Params("slug"), number)
	return answer(c, out, err)
}

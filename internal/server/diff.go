package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/core/entry"
	"goldshelf/core/problem"
)

func (s *server) diff(c fiber.Ctx) error {
	var wrong problem.List
	from, to := intIn(c, "from", 1, entry.MaxVersion, &wrong), intIn(c, "to", 1, entry.MaxVersion, &wrong)
	if err := wrong.Err(); err != nil {
		return err
	}
	diff, err := s.lib.History.Diff(c.Context(), caller(c), c.Params("slug"), from, to)
	return answer(c, diff, err)
}

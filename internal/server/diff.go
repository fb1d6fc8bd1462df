package server

import (
	"strconv"

	"github.com/gofiber/fiber/v3"

	"goldshelf/core/problem"
)

func (s *server) diff(c fiber.Ctx) error {
	var numbers [2]int
	var wrong problem.List
	for i, name := range []string{"from", "to"} {
		text := c.Query(name)
		if text == "" {
			continue
		}
		n, err := strconv.Atoi(text)
		if err != nil || n < 1 {
			wrong.Add("/"+name, "version", "%s is %q; it is the number of a version", name, text)
		}
		numbers[i] = n
	}
	if err := wrong.Err(); err != nil {
		return err
	}
	diff, err := s.lib.Diff(c.Context(), caller(c), c.Params("slug"), numbers[0], numbers[1])
	return answer(c, diff, err)
}

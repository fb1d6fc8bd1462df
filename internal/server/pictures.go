package server

import (
	"github.com/gofiber/fiber/v3"
)

// picturesPath is where pictures are brought.
const picturesPath = "/api/v1/pictures"

func (s *server) addPicture(c fiber.Ctx) error {
	data, err := uploaded(c)
	if err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	p, err := s.lib.Pictures.Add(c.Context(), caller(c), data)
	return answer(c, p, err)
}

// picture answers with what never changes: its name is made of what it shows.
func (s *server) picture(c fiber.Ctx) error {
	kind, data, err := s.lib.Pictures.Picture(c.Context(), c.Params("id"), c.Params("size"))
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderContentType, kind)
	c.Set(fiber.HeaderCacheControl, "private, max-age=31536000, immutable")
	return c.Send(data)
}

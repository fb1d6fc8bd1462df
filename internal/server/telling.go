package server

import (
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

const feedPath = "/api/v1/feeds"

func (s *server) follows(c fiber.Ctx) error {
	out, err := s.lib.Follows(c.Context(), caller(c))
	return answer(c, out, err)
}

// follow has the caller follow something, or no longer.
func (s *server) follow(on bool) fiber.Handler {
	return func(c fiber.Ctx) error {
		if err := s.lib.Follow(c.Context(), caller(c), api.Follow{What: c.Params("what"), Name: c.Params("name")}, on); err != nil {
			return err
		}
		return c.SendStatus(fiber.StatusNoContent)
	}
}

func (s *server) news(c fiber.Ctx) error {
	out, err := s.lib.News(c.Context(), caller(c), fiber.Query[int](c, "limit"), c.Query("cursor"))
	return answer(c, out, err)
}

func (s *server) readNews(c fiber.Ctx) error {
	var in api.ReadUpTo
	if err := body(c, &in); err != nil {
		return err
	}
	if err := s.lib.ReadNews(c.Context(), caller(c), in.Number); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) newFeed(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	out, err := s.lib.NewFeed(c.Context(), caller(c), c.BaseURL()+feedPath)
	return answer(c, out, err)
}

// feed answers whoever knows its private address.
func (s *server) feed(c fiber.Ctx) error {
	data, err := s.lib.FeedOf(c.Context(), strings.TrimSuffix(c.Params("private"), ".atom"), c.BaseURL())
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderContentType, "application/atom+xml; charset=utf-8")
	return c.Send(data)
}

func (s *server) hooks(c fiber.Ctx) error {
	out, err := s.lib.Hooks(c.Context(), caller(c))
	return answer(c, out, err)
}

func (s *server) addHook(c fiber.Ctx) error {
	var in api.NewHook
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.AddHook(c.Context(), caller(c), in)
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(out)
}

func (s *server) setHook(c fiber.Ctx) error {
	id, err := numberOf(c, "id", "a channel has a number; see the channels")
	if err != nil {
		return err
	}
	var in api.NewHook
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.SetHook(c.Context(), caller(c), id, in)
	return answer(c, out, err)
}

func (s *server) dropHook(c fiber.Ctx) error {
	id, err := numberOf(c, "id", "a channel has a number; see the channels")
	if err != nil {
		return err
	}
	if err := s.lib.DropHook(c.Context(), caller(c), id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) deliveries(c fiber.Ctx) error {
	id, err := numberOf(c, "id", "a channel has a number; see the channels")
	if err != nil {
		return err
	}
	out, err := s.lib.Deliveries(c.Context(), caller(c), id, c.Query("cursor"))
	return answer(c, out, err)
}

func (s *server) sendAgain(c fiber.Ctx) error {
	id, err := numberOf(c, "id", "a channel has a number; see the channels")
	if err != nil {
		return err
	}
	delivery, err := numberOf(c, "delivery", "what a channel is told has a number; see its deliveries")
	if err != nil {
		return err
	}
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	if err := s.lib.SendAgain(c.Context(), caller(c), id, delivery); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusAccepted)
}

// numberOf reads a number of the path.
func numberOf(c fiber.Ctx, name, missing string) (int64, error) {
	n, err := strconv.ParseInt(c.Params(name), 10, 64)
	if err != nil {
		return 0, &status{fiber.StatusNotFound, missing}
	}
	return n, nil
}

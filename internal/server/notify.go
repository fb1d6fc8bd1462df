package server

import (
	"strings"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/message"
)

const feedPath = "/api/v1/feeds"

func (s *server) follows(c fiber.Ctx) error {
	out, err := s.lib.Notify.Follows(c.Context(), caller(c))
	return answer(c, out, err)
}

// follow has the caller follow something, or no longer.
func (s *server) follow(on bool) fiber.Handler {
	return func(c fiber.Ctx) error {
		if err := s.lib.Notify.Follow(c.Context(), caller(c), api.Follow{What: c.Params("what"), Name: c.Params("name")}, on); err != nil {
			return err
		}
		return c.SendStatus(fiber.StatusNoContent)
	}
}

func (s *server) news(c fiber.Ctx) error {
	limit, err := limitOf(c)
	if err != nil {
		return err
	}
	out, err := s.lib.Notify.News(c.Context(), caller(c), limit, c.Query("cursor"))
	return answer(c, out, err)
}

func (s *server) readNews(c fiber.Ctx) error {
	var in api.ReadUpTo
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusNoContent)
	return s.lib.Notify.ReadNews(c.Context(), caller(c), in.Number)
}

func (s *server) newFeed(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	c.Set(fiber.HeaderCacheControl, "no-store")
	out, err := s.lib.Notify.NewFeed(c.Context(), caller(c), s.baseURL(c)+feedPath)
	return answer(c, out, err)
}

// feed answers whoever knows its private address.
func (s *server) feed(c fiber.Ctx) error {
	data, err := s.lib.Notify.FeedOf(c.Context(), strings.TrimSuffix(c.Params("private"), ".atom"), s.baseURL(c))
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderContentType, "application/atom+xml; charset=utf-8")
	return c.Send(data)
}

func (s *server) channels(c fiber.Ctx) error {
	out, err := s.lib.Notify.Channels(c.Context(), caller(c))
	return answer(c, out, err)
}

func (s *server) addChannel(c fiber.Ctx) error {
	var in api.NewChannel
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	c.Set(fiber.HeaderCacheControl, "no-store")
	out, err := s.lib.Notify.AddChannel(c.Context(), caller(c), in)
	return answer(c, out, err)
}

func (s *server) setChannel(c fiber.Ctx) error {
	id, err := numberOf(c, "id", message.Say("a channel has a number; see the channels"))
	if err != nil {
		return err
	}
	var in api.NewChannel
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Notify.SetChannel(c.Context(), caller(c), id, in)
	return answer(c, out, err)
}

func (s *server) deleteChannel(c fiber.Ctx) error {
	id, err := numberOf(c, "id", message.Say("a channel has a number; see the channels"))
	if err != nil {
		return err
	}
	if err := s.lib.Notify.DeleteChannel(c.Context(), caller(c), id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) deliveries(c fiber.Ctx) error {
	id, err := numberOf(c, "id", message.Say("a channel has a number; see the channels"))
	if err != nil {
		return err
	}
	out, err := s.lib.Notify.Deliveries(c.Context(), caller(c), id, c.Query("cursor"))
	return answer(c, out, err)
}

func (s *server) sendAgain(c fiber.Ctx) error {
	id, err := numberOf(c, "id", message.Say("a channel has a number; see the channels"))
	if err != nil {
		return err
	}
	delivery, err := numberOf(c, "delivery", message.Say("what a channel is told has a number; see its deliveries"))
	if err != nil {
		return err
	}
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	c.Status(fiber.StatusAccepted)
	return s.lib.Notify.SendAgain(c.Context(), caller(c), id, delivery)
}

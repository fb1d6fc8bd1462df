package server

import (
	"strconv"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/work"
)

func (s *server) best(c fiber.Ctx) error {
	days := 0
	if text := c.Query("days"); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || n == 0 {
			return problem.List{{Field: "/days", Code: "days", Message: message.Say("the period is %s; it is 30, 90 or 365", strconv.Quote(text))}}
		}
		days = n
	}
	out, err := s.lib.Shelf.Best(c.Context(), days)
	return answer(c, out, err)
}

func (s *server) addReport(c fiber.Ctx) error {
	slug, number, err := refOf(c.Params("ref"))
	if err != nil {
		return err
	}
	var in api.NewReport
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	out, err := s.lib.Reports.Report(c.Context(), caller(c), slug, number, in)
	return answer(c, out, err)
}

func (s *server) reports(c fiber.Ctx) error {
	out, err := s.lib.Reports.Reports(c.Context(), caller(c), c.Params("slug"), c.Query("cursor"))
	return answer(c, out, err)
}

func (s *server) answerReport(c fiber.Ctx) error {
	id, err := strconv.ParseInt(c.Params("id"), 10, 64)
	if err != nil {
		return work.MissingF("there is no report %q", c.Params("id"))
	}
	var in api.Reason
	if err := body(c, &in); err != nil {
		return err
	}
	if err := s.lib.Reports.Answer(c.Context(), caller(c), c.Params("slug"), id, in.Because); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) proposeLabels(c fiber.Ctx) error {
	out, err := s.lib.Shelf.ProposeLabels(c.Context(), caller(c), c.Params("slug"))
	return answer(c, out, err)
}

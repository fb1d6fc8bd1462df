package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/message"
)

func (s *server) questionSets(c fiber.Ctx) error {
	all, err := s.lib.Sheets.Sets(c.Context())
	return answer(c, all, err)
}

func (s *server) addQuestionSet(c fiber.Ctx) error {
	var in api.NewQuestionSet
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	set, err := s.lib.Sheets.Add(c.Context(), caller(c), in)
	return answer(c, set, err)
}

func (s *server) questionSet(c fiber.Ctx) error {
	set, err := s.lib.Sheets.Set(c.Context(), c.Params("ref"))
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("set", set.Version))
	return c.JSON(set)
}

func (s *server) saveQuestionSet(c fiber.Ctx) error {
	on, err := tagNumber(c, "set", message.Say("say which version of the question set you read: If-Match with its ETag"))
	if err != nil {
		return err
	}
	var in api.NewQuestionSet
	if err := body(c, &in); err != nil {
		return err
	}
	set, err := s.lib.Sheets.Save(c.Context(), caller(c), c.Params("ref"), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("set", set.Version))
	return c.JSON(set)
}

func (s *server) questionSetVersions(c fiber.Ctx) error {
	all, err := s.lib.Sheets.Versions(c.Context(), c.Params("ref"))
	return answer(c, all, err)
}

func (s *server) questionSetSchema(c fiber.Ctx) error {
	set, err := s.lib.Sheets.Set(c.Context(), c.Params("ref"))
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderContentType, "application/schema+json")
	return c.Send(set.Schema())
}

func (s *server) sheetsOfSet(c fiber.Ctx) error {
	all, err := s.lib.Sheets.Sheets(c.Context(), caller(c), c.Params("ref"), c.Query("q"))
	return answer(c, all, err)
}

func (s *server) readAnswers(c fiber.Ctx) error {
	data, err := uploaded(c)
	if err != nil {
		return err
	}
	read, err := s.lib.Sheets.Read(c.Context(), c.Params("ref"), data)
	return answer(c, read, err)
}

package server

import (
	"fmt"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

func (s *server) runForm(c fiber.Ctx) error {
	form, err := s.lib.Relays.Form(c.Context(), caller(c), c.Params("ref"), c.Query("open") == "true")
	return answer(c, form, err)
}

func (s *server) startRun(c fiber.Ctx) error {
	var in api.NewRun
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	run, err := s.lib.Relays.Start(c.Context(), caller(c), in)
	return answer(c, run, err)
}

func (s *server) runs(c fiber.Ctx) error {
	all, err := s.lib.Relays.Runs(c.Context(), caller(c), c.Query("slug"))
	return answer(c, all, err)
}

func (s *server) run(c fiber.Ctx) error {
	run, err := s.lib.Relays.Run(c.Context(), caller(c), c.Params("id"))
	return answer(c, run, err)
}

func (s *server) stopRun(c fiber.Ctx) error {
	run, err := s.lib.Relays.Stop(c.Context(), caller(c), c.Params("id"))
	return answer(c, run, err)
}

func (s *server) keepRun(c fiber.Ctx) error {
	var in api.RunKept
	if err := body(c, &in); err != nil {
		return err
	}
	run, err := s.lib.Relays.Keep(c.Context(), caller(c), c.Params("id"), in.Kept)
	return answer(c, run, err)
}

func (s *server) deleteRun(c fiber.Ctx) error {
	if err := s.lib.Relays.Delete(c.Context(), caller(c), c.Params("id")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) runStep(c fiber.Ctx) error {
	var in api.Again
	if err := body(c, &in); err != nil {
		return err
	}
	run, err := s.lib.Relays.Again(c.Context(), caller(c), c.Params("id"), c.Params("name"), in)
	return answer(c, run, err)
}

func (s *server) runFile(c fiber.Ctx) error {
	as := c.Query("as", "md")
	name, data, err := s.lib.Relays.File(c.Context(), caller(c), c.Params("id"), as, c.Query("replies") != "false")
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderContentDisposition, fmt.Sprintf("attachment; filename=%q", name))
	c.Set(fiber.HeaderContentType, map[string]string{"md": "text/markdown; charset=utf-8", "json": "application/json"}[as])
	return c.Send(data)
}

func (s *server) readRun(c fiber.Ctx) error {
	data, err := uploaded(c)
	if err != nil {
		return err
	}
	in, err := s.lib.Relays.ReadFile(data)
	return answer(c, in, err)
}

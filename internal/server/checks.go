package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/writing"
)

func (s *server) check(c fiber.Ctx) error {
	var in api.NewEntry
	if err := body(c, &in); err != nil {
		return err
	}
	found, err := s.lib.Writing.Check(c.Context(), caller(c), in)
	return answer(c, found, err)
}

func (s *server) checkEntry(c fiber.Ctx) error {
	found, err := s.lib.Writing.CheckEntry(c.Context(), caller(c), c.Params("slug"))
	return answer(c, found, err)
}

func (s *server) kinds(c fiber.Ctx) error {
	var all []api.KindOutline
	for _, k := range entry.Kinds() {
		all = append(all, api.KindOutline{Kind: k, Outline: append([]entry.Heading{}, k.Outline()...)})
	}
	return c.JSON(all)
}

func (s *server) rules(c fiber.Ctx) error {
	var all []api.Rule
	for _, r := range check.Rules() {
		all = append(all, api.Rule{ID: r.ID, Severity: r.Severity, About: message.Plain(r.About), Library: r.Library})
	}
	return c.JSON(all)
}

func (s *server) policy(c fiber.Ctx) error {
	p, err := s.lib.Lifecycle.Policy(c.Context())
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("policy", p.Number))
	return c.JSON(p)
}

func (s *server) setPolicy(c fiber.Ctx) error {
	var in check.Policy
	if err := body(c, &in); err != nil {
		return err
	}
	on, err := tagNumber(c, "policy", message.Say("say which policy you read: If-Match with its ETag"))
	if err != nil {
		return err
	}
	p, err := s.lib.Lifecycle.SetPolicy(c.Context(), caller(c), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("policy", p.Number))
	return c.JSON(p)
}

// outline takes a text apart by its kind's outline.
func (s *server) outline(c fiber.Ctx) error {
	var in api.OutlineRequest
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := writing.Outline(in)
	return answer(c, out, err)
}

package server

import (
	"fmt"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
)

func (s *server) check(c fiber.Ctx) error {
	var in api.NewEntry
	if err := body(c, &in); err != nil {
		return err
	}
	found, err := s.lib.Check(c.Context(), caller(c), in)
	return answer(c, found, err)
}

func (s *server) checkEntry(c fiber.Ctx) error {
	found, err := s.lib.CheckEntry(c.Context(), caller(c), c.Params("slug"))
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
		all = append(all, api.Rule{ID: r.ID, Severity: r.Severity, About: r.About, Library: r.Library})
	}
	return c.JSON(all)
}

func (s *server) policy(c fiber.Ctx) error {
	p, err := s.lib.Policy(c.Context())
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, policyTag(p.Number))
	return c.JSON(p)
}

func (s *server) setPolicy(c fiber.Ctx) error {
	var in check.Policy
	if err := body(c, &in); err != nil {
		return err
	}
	match := c.Get(fiber.HeaderIfMatch)
	if match == "" {
		return &status{fiber.StatusPreconditionRequired, "say which policy you read: If-Match with its ETag"}
	}
	var on int
	if n, err := fmt.Sscanf(match, `"policy.%d"`, &on); n != 1 || err != nil {
		on = -1 // another thing's ETag: it matches nothing here
	}
	p, err := s.lib.SetPolicy(c.Context(), caller(c), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, policyTag(p.Number))
	return c.JSON(p)
}

func policyTag(number int) string { return fmt.Sprintf(`"policy.%d"`, number) }

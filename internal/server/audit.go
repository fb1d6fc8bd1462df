package server

import (
	"fmt"

	"github.com/gofiber/fiber/v3"

	"goldshelf/internal/audit"
)

// auditQuery reads what narrows the record of changes.
func auditQuery(c fiber.Ctx) (audit.Query, error) {
	limit, err := limitOf(c)
	return audit.Query{
		Person: c.Query("person"), Slug: c.Query("entry"), Action: c.Query("action"), Via: c.Query("via"), Words: c.Query("q"),
		From: c.Query("from"), Until: c.Query("until"), Limit: limit, Cursor: c.Query("cursor"),
	}, err
}

func (s *server) audit(c fiber.Ctx) error {
	q, err := auditQuery(c)
	if err != nil {
		return err
	}
	out, err := s.lib.Audit.Records(c.Context(), caller(c), q)
	return answer(c, out, err)
}

func (s *server) exportAudit(c fiber.Ctx) error {
	q, err := auditQuery(c)
	if err != nil {
		return err
	}
	format := c.Query("format", "csv")
	data, err := s.lib.Audit.Export(c.Context(), caller(c), format, q)
	if err != nil {
		return err
	}
	kind := "text/csv; charset=utf-8"
	if format == "jsonl" {
		kind = "application/jsonl"
	}
	c.Set(fiber.HeaderContentType, kind)
	c.Set(fiber.HeaderContentDisposition, fmt.Sprintf(`attachment; filename="audit.%s"`, format))
	return c.Send(data)
}

func (s *server) verifyAudit(c fiber.Ctx) error {
	out, err := s.lib.Audit.Verify(c.Context(), caller(c), c.Query("head"))
	return answer(c, out, err)
}

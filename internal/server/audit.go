package server

import (
	"fmt"
	"time"

	"github.com/gofiber/fiber/v3"

	"goldshelf/core/problem"
	"goldshelf/internal/library"
)

// auditQuery reads what narrows the record of changes.
func auditQuery(c fiber.Ctx) (library.AuditQuery, error) {
	q := library.AuditQuery{
		Person: c.Query("person"), Slug: c.Query("entry"), Action: c.Query("action"), Via: c.Query("via"), Words: c.Query("q"),
		Limit: fiber.Query[int](c, "limit"), Cursor: c.Query("cursor"),
	}
	var wrong problem.List
	for name, to := range map[string]**time.Time{"from": &q.From, "until": &q.Until} {
		text := c.Query(name)
		if text == "" {
			continue
		}
		t, err := time.Parse(time.RFC3339, text)
		if err != nil {
			if t, err = time.Parse(time.DateOnly, text); err == nil && name == "until" {
				t = t.AddDate(0, 0, 1) // the day itself is meant too
			}
		}
		if err != nil {
			wrong.Add("/"+name, "date", "%q is no time; write a day as 2026-11-30, or a time of RFC 3339", text)
			continue
		}
		*to = &t
	}
	for name, value := range map[string]string{"person": q.Person, "entry": q.Slug, "action": q.Action, "via": q.Via, "q": q.Words} {
		wrong = append(wrong, problem.Text("/"+name, value)...)
	}
	return q, wrong.Err()
}

func (s *server) audit(c fiber.Ctx) error {
	q, err := auditQuery(c)
	if err != nil {
		return err
	}
	out, err := s.lib.Audit(c.Context(), caller(c), q)
	return answer(c, out, err)
}

func (s *server) exportAudit(c fiber.Ctx) error {
	q, err := auditQuery(c)
	if err != nil {
		return err
	}
	format := c.Query("format", "csv")
	data, err := s.lib.ExportAudit(c.Context(), caller(c), format, q)
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
	out, err := s.lib.VerifyAudit(c.Context(), caller(c))
	return answer(c, out, err)
}

package server

import (
	"encoding/json"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/shelf"
)

// MaxImport is the largest import, in bytes.
const MaxImport = 64 << 20

// importPath is where imports are brought.
const importPath = "/api/v1/imports"

// shelfPath is below what the shelf has.
const shelfPath = "/api/v1/shelf/"

// readingOf reads from a query how data is to be read.
func readingOf(c fiber.Ctx) (how bundle.Reading, err error) {
	how = bundle.Reading{Format: bundle.Format(c.Query("format")), Split: c.Query("split"), Kind: entry.Kind(c.Query("kind"))}
	source := entry.Source{Place: c.Query("place"), Link: c.Query("link"), Person: c.Query("person"), Date: c.Query("date")}
	if source != (entry.Source{}) {
		how.Source = &source
	}
	if columns := c.Query("columns"); columns != "" {
		if err := json.Unmarshal([]byte(columns), &how.Columns); err != nil {
			return how, problem.List{{Field: "/columns", Code: "json", Message: message.Say("columns is no JSON object of headings and what they hold: %s", err)}}
		}
	}
	return how, nil
}

func (s *server) createImport(c fiber.Ctx) error {
	how, err := readingOf(c)
	if err != nil {
		return err
	}
	name := c.Query("name")
	if name == "" {
		name = "the import"
	}
	data, err := uploaded(c)
	if err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	plan, err := s.lib.Gather.Create(c.Context(), caller(c), name, data, how, c.Query("mapping"))
	if err == nil {
		c.Set(fiber.HeaderLocation, importPath+"/"+plan.ID)
	}
	return answer(c, plan, err)
}

func (s *server) plan(c fiber.Ctx) error {
	plan, err := s.lib.Gather.Plan(c.Context(), caller(c), c.Params("id"))
	return answer(c, plan, err)
}

func (s *server) rereadImport(c fiber.Ctx) error {
	var in api.PlanReading
	if err := body(c, &in); err != nil {
		return err
	}
	plan, err := s.lib.Gather.Reread(c.Context(), caller(c), c.Params("id"), in.Reading, in.KeepAs)
	return answer(c, plan, err)
}

func (s *server) deleteImport(c fiber.Ctx) error {
	if err := s.lib.Gather.Delete(c.Context(), caller(c), c.Params("id")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) compareImport(c fiber.Ctx) error {
	number, err := numberOf(c, "number", message.Say("an entry of a plan has a number; see the plan"))
	if err != nil {
		return err
	}
	diff, err := s.lib.Gather.Compare(c.Context(), caller(c), c.Params("id"), number)
	return answer(c, diff, err)
}

func (s *server) applyImport(c fiber.Ctx) error {
	var in api.ApplyRequest
	if err := body(c, &in); err != nil {
		return err
	}
	applied, err := s.lib.Gather.Apply(c.Context(), caller(c), c.Params("id"), in)
	return answer(c, applied, err)
}

func (s *server) importProgress(c fiber.Ctx) error {
	return c.JSON(s.lib.Gather.Progress(caller(c), c.Params("id")))
}

// fileTypes are the media types of what goes out, and the ends of its names.
var fileTypes = map[bundle.Format][2]string{
	bundle.Folder: {"application/zip", ".zip"}, bundle.CSV: {"text/csv; charset=utf-8; header=present", ".csv"}, bundle.JSON: {"application/json", ".json"},
}

func (s *server) export(c fiber.Ctx) error {
	format := bundle.Format(c.Query("format", string(bundle.Folder)))
	kind, known := fileTypes[format]
	if !known {
		return problem.List{{Field: "/format", Code: "format", Message: message.Say("entries go out as folder, csv or bundle, not as %s", strconv.Quote(string(format)))}}
	}
	q, err := queryOf(c)
	if err != nil {
		return err
	}
	slugs := q.Labels["slug"]
	for _, name := range []string{"slug", "format", "samples"} {
		delete(q.Labels, name)
	}
	data, err := s.lib.Shelf.Export(c.Context(), caller(c), shelf.Outgoing{
		Format: format, Slugs: slugs, Query: shelf.Query{Text: q.Text, Labels: q.Labels, State: q.State}, Samples: c.Query("samples") == "true",
	})
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderContentType, kind[0])
	c.Set(fiber.HeaderContentDisposition, `attachment; filename="gold-shelf`+strings.TrimSpace(kind[1])+`"`)
	return c.Send(data)
}

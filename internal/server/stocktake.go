package server

import (
	"cmp"
	"context"

	"github.com/gofiber/fiber/v3"

	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/stocktake"
	"goldshelf/internal/work"
)

// figures answers with figures of the library, as JSON or as a table.
func figures(take func(ctx context.Context, by work.Caller, q stocktake.Query, c fiber.Ctx) (any, error)) fiber.Handler {
	return func(c fiber.Ctx) error {
		q := stocktake.Query{Since: c.Query("since"), Until: c.Query("until"), Department: c.Query("department"), Application: c.Query("application")}
		out, err := take(c.Context(), caller(c), q, c)
		if err != nil {
			return err
		}
		switch format := cmp.Or(c.Query("format"), "json"); format {
		case "json":
			return answer(c, out, nil)
		case "csv":
			data, err := stocktake.Table(out)
			if err != nil {
				return err
			}
			c.Set(fiber.HeaderContentType, "text/csv; charset=utf-8")
			c.Attachment("stocktake.csv")
			return c.Send(data)
		default:
			return work.Wrong("/format", "format", "figures come as json or csv, not as %q", format)
		}
	}
}

// stocktake are the figures of the library.
func (s *server) stocktake(v1 fiber.Router) {
	take := s.lib.Stocktake
	v1.Get("/stocktake/coverage", figures(func(ctx context.Context, by work.Caller, q stocktake.Query, c fiber.Ctx) (any, error) {
		out, err := take.Coverage(ctx, by, q, c.Query("rows"), c.Query("columns"))
		return out, err
	}))
	v1.Get("/stocktake/use", figures(func(ctx context.Context, by work.Caller, q stocktake.Query, c fiber.Ctx) (any, error) {
		out, err := take.Use(ctx, by, q, c.Query("by"))
		return out, err
	}))
	v1.Get("/stocktake/gaps", figures(func(ctx context.Context, by work.Caller, q stocktake.Query, _ fiber.Ctx) (any, error) {
		out, err := take.Gaps(ctx, by, q)
		return out, err
	}))
	v1.Get("/stocktake/freshness", figures(func(ctx context.Context, by work.Caller, q stocktake.Query, _ fiber.Ctx) (any, error) {
		out, err := take.Freshness(ctx, by, q)
		return out, err
	}))
	v1.Get("/stocktake/contributors", figures(func(ctx context.Context, by work.Caller, q stocktake.Query, _ fiber.Ctx) (any, error) {
		out, err := take.Contributors(ctx, by, q)
		return out, err
	}))
	v1.Get("/stocktake/quality", figures(func(ctx context.Context, by work.Caller, _ stocktake.Query, _ fiber.Ctx) (any, error) {
		out, err := s.lib.Trials.Quality(ctx, by)
		return out, err
	}))
	v1.Get("/stocktake/costs", figures(func(ctx context.Context, by work.Caller, q stocktake.Query, _ fiber.Ctx) (any, error) {
		out, err := take.Costs(ctx, by, q)
		return out, err
	}))
	v1.Get("/stocktake/repetition", figures(func(ctx context.Context, by work.Caller, _ stocktake.Query, _ fiber.Ctx) (any, error) {
		out, err := s.lib.Similar.Repetition(ctx, by)
		return out, err
	}))
	v1.Get("/stocktake/report", s.stocktakeReport)
	v1.Post("/stocktake/contributors/:name/thanks", func(c fiber.Ctx) error {
		q := stocktake.Query{Since: c.Query("since"), Until: c.Query("until")}
		if err := take.Thank(c.Context(), caller(c), c.Params("name"), q); err != nil {
			return err
		}
		return c.SendStatus(fiber.StatusNoContent)
	})
}

// stocktakeReport answers with a report in the caller's language, as JSON or as Markdown.
func (s *server) stocktakeReport(c fiber.Ctx) error {
	asked := message.Language(c.Query("language"))
	if err := problem.Language("/language", asked).Err(); err != nil {
		return err
	}
	in := cmp.Or(asked, languageOf(c))
	out, err := s.lib.Stocktake.Report(c.Context(), caller(c), stocktake.Query{Since: c.Query("since"), Until: c.Query("until")}, in)
	if err != nil {
		return err
	}
	switch format := cmp.Or(c.Query("format"), "json"); format {
	case "json":
		return c.JSON(out)
	case "markdown":
		c.Set(fiber.HeaderContentType, "text/markdown; charset=utf-8")
		c.Attachment("stocktake.md")
		return c.SendString(out.Markdown)
	default:
		return work.Wrong("/format", "format", "a report comes as json or markdown, not as %q", format)
	}
}

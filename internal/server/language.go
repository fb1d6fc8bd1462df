package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/core/message"
)

// languageOf is the language that a caller is spoken to in.
func languageOf(c fiber.Ctx) message.Language {
	return message.Preferred(c.Get(fiber.HeaderAcceptLanguage))
}

// spoken is the context of a request whose answers are in the caller's language, whatever
// operation gives them.
type spoken struct{ fiber.DefaultCtx }

// JSON answers with a value, its texts in the caller's language.
func (c *spoken) JSON(v any, kind ...string) error {
	if c.Method() == fiber.MethodGet {
		c.Vary(fiber.HeaderAcceptLanguage) // a browser may keep it
	}
	if in := languageOf(c); in != message.English {
		c.Set(fiber.HeaderContentLanguage, string(in))
		v = message.Within(v, in)
	}
	return c.DefaultCtx.JSON(v, kind...)
}

// Status sets the status, and goes on in the caller's language.
func (c *spoken) Status(code int) fiber.Ctx {
	c.DefaultCtx.Status(code)
	return c
}

func newSpoken(app *fiber.App) fiber.CustomCtx {
	return &spoken{DefaultCtx: *fiber.NewDefaultCtx(app)}
}

package server

import (
	"net/http"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/adaptor"

	"goldshelf/core/message"
	"goldshelf/internal/people"
	"goldshelf/internal/scim"
	"goldshelf/internal/work"
)

const scimPath = "/scim/v2"

// directory lets the company's directory keep people and groups, by a key for that alone.
func (s *server) directory(app *fiber.App) {
	issuer := ""
	if s.opt.SignOn != nil {
		issuer = s.opt.SignOn.Issuer
	}
	handler, err := scim.Handler(scimPath, s.lib.People, func(r *http.Request) people.Directory {
		d := people.Directory{Issuer: issuer}
		if by, is := r.Context().Value(callerKey).(work.Caller); is && by.Key != nil {
			d.Key = by.Key.Name
		}
		return d
	})
	if err != nil {
		panic(err) // its settings are all in the code
	}
	answer := adaptor.HTTPHandler(handler)
	app.All(scimPath+"/*", s.readable, s.mayProvision, s.received(MaxBody), answer)
}

func (s *server) mayProvision(c fiber.Ctx) error {
	token := bearer(c.Get(fiber.HeaderAuthorization))
	if !isKey(token) {
		return &status{signInFirst, message.Say("the directory calls with a key that may provision: send it as Authorization: Bearer")}
	}
	by, err := s.lib.Keys.Holder(c.Context(), token)
	if err != nil {
		return err
	}
	if !by.Key.Allows("provision") {
		return &status{mayNot, message.Say("the key %s may not provision; a curator can let it under Settings, Keys", by.Key.Name)}
	}
	c.Locals(callerKey, by)
	return c.Next()
}

package server

import (
	"strings"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/internal/keys"
	"goldshelf/internal/work"
)

// keyMay is what an application may call by a key, and what its key must allow for that. What
// is not here no key can do, whatever it is of.
var keyMay = map[string]string{
	"GET /library": "read", "GET /shelf": "read", "GET /shelf/:ref": "read", "GET /labels": "read",
	"GET /sets/:ref": "read", "GET /layouts/:application": "read", "GET /kinds": "read",
	"POST /shelf/:ref/fill": "fill", "POST /shelf/:ref/fill-rows": "fill", "POST /shelf/:ref/compare": "fill",
}

// called says which of the calls a request is, as keyMay has them, or nothing.
func called(method, path string) string {
	parts := strings.Split(strings.TrimPrefix(path, "/"), "/")
	for call := range keyMay {
		verb, pattern, _ := strings.Cut(call, " /")
		want := strings.Split(pattern, "/")
		if verb != method || len(want) != len(parts) {
			continue
		}
		same := true
		for i := range want {
			same = same && (want[i] == parts[i] || strings.HasPrefix(want[i], ":") && parts[i] != "")
		}
		if same {
			return call
		}
	}
	return ""
}

// byKey finds out which application calls, and whether its key lets it.
func (s *server) byKey(c fiber.Ctx, secret string, via work.Via) error {
	by, err := s.lib.Keys.Holder(c.Context(), secret)
	if err != nil {
		return err
	}
	by.Via = via
	if path, isAPI := strings.CutPrefix(c.Path(), "/api/v1"); isAPI {
		call := called(c.Method(), path)
		if call == "" {
			return &status{mayNot, message.Say("an application reads the shelf and fills in; for anything else a person signs in")}
		}
		if may := keyMay[call]; !by.Key.Allows(may) {
			return &status{mayNot, message.Say("the key %s may not %s; a curator can let it under Settings, Keys", by.Key.Name, may)}
		}
	} else if c.Path() != mcpPath {
		return &status{forPeople, message.Say("this is for people who are signed in")}
	}
	c.Locals(callerKey, by)
	keepConnection(c)
	return c.Next()
}

func (s *server) keys(c fiber.Ctx) error {
	all, err := s.lib.Keys.List(c.Context(), caller(c))
	return answer(c, all, err)
}

func (s *server) addKey(c fiber.Ctx) error {
	var in api.NewKey
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	c.Set(fiber.HeaderCacheControl, "no-store")
	k, err := s.lib.Keys.Add(c.Context(), caller(c), in)
	return answer(c, k, err)
}

func (s *server) setKey(c fiber.Ctx) error {
	var in api.KeyChange
	if err := body(c, &in); err != nil {
		return err
	}
	on, err := tagNumber(c, "key", message.Say("say which state of the key you read: If-Match with its number"))
	if err != nil {
		return err
	}
	k, err := s.lib.Keys.Set(c.Context(), caller(c), c.Params("name"), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("key", k.Number))
	return c.JSON(k)
}

func (s *server) renewKey(c fiber.Ctx) error {
	var in api.RenewKey
	if err := body(c, &in); err != nil {
		return err
	}
	c.Set(fiber.HeaderCacheControl, "no-store")
	k, err := s.lib.Keys.Renew(c.Context(), caller(c), c.Params("name"), in)
	return answer(c, k, err)
}

func (s *server) deleteKey(c fiber.Ctx) error {
	if err := s.lib.Keys.Delete(c.Context(), caller(c), c.Params("name")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// isKey says whether what somebody calls by is a key of an application.
func isKey(token string) bool { return strings.HasPrefix(token, keys.Prefix) }

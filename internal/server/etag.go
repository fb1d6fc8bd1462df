package server

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"strings"

	"github.com/gofiber/fiber/v3"

	"goldshelf/internal/library"
	"goldshelf/internal/store"
)

// etagOf names a saved state of an open version.
func etagOf(r library.Revision) string { return fmt.Sprintf(`"%d.%d"`, r.Version, r.Revision) }

// revisionOf reads which state a save is based on: If-Match names one, and
// If-None-Match: * says that there is no open version yet.
func revisionOf(c fiber.Ctx) (library.Revision, error) {
	var r library.Revision
	match := c.Get(fiber.HeaderIfMatch)
	if match == "" {
		if c.Get(fiber.HeaderIfNoneMatch) == "*" {
			return r, nil
		}
		return r, &status{fiber.StatusPreconditionRequired, "say which state you read: If-Match with the draft's ETag, or If-None-Match: * to begin the next version"}
	}
	if n, err := fmt.Sscanf(match, `"%d.%d"`, &r.Version, &r.Revision); n != 2 || err != nil {
		r = library.Revision{Version: -1} // another service's ETag: it matches nothing here
	}
	return r, nil
}

// fresh gives every answer to a GET an ETag, of its bytes where it has none of
// its own, and answers 304 to one who has it.
func (s *server) fresh(c fiber.Ctx) error {
	if err := c.Next(); err != nil {
		return err
	}
	if c.Method() != fiber.MethodGet || c.Response().StatusCode() != fiber.StatusOK {
		return nil
	}
	tag := c.GetRespHeader(fiber.HeaderETag)
	if tag == "" {
		sum := sha256.Sum256(c.Response().Body())
		tag = `"` + hex.EncodeToString(sum[:12]) + `"`
		c.Set(fiber.HeaderETag, tag)
	}
	c.Set(fiber.HeaderCacheControl, "private, no-cache")
	for have := range strings.SplitSeq(c.Get(fiber.HeaderIfNoneMatch), ",") {
		if strings.TrimPrefix(strings.TrimSpace(have), "W/") == tag {
			c.Response().ResetBody()
			return c.SendStatus(fiber.StatusNotModified)
		}
	}
	return nil
}

// onlyOnce carries a POST with an Idempotency-Key out once, and gives the same
// answer to whoever sends it again.
func (s *server) onlyOnce(c fiber.Ctx) error {
	given := c.Get("Idempotency-Key")
	if c.Method() != fiber.MethodPost || given == "" {
		return c.Next()
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%d\n%s\n%s", caller(c).ID, c.Path(), given))
	key := hex.EncodeToString(sum[:])
	request := sha256.Sum256(c.Body())
	there, err := s.lib.BeginAnswer(c.Context(), key, request[:])
	if err != nil {
		return err
	}
	if there != nil {
		return again(c, there, request)
	}
	if err = c.Next(); err != nil {
		err = s.fail(c, err)
	}
	var kept *store.Answer
	if code := c.Response().StatusCode(); err == nil && code < 500 {
		kept = &store.Answer{Status: code, ETag: c.GetRespHeader(fiber.HeaderETag), Body: append([]byte{}, c.Response().Body()...)}
	}
	if endErr := s.lib.EndAnswer(c.Context(), key, kept); endErr != nil {
		s.log.Error("an answer was not kept", "error", endErr)
	}
	return err
}

// again repeats an answer.
func again(c fiber.Ctx, a *store.Answer, request [sha256.Size]byte) error {
	switch {
	case string(a.Request) != string(request[:]):
		return &status{fiber.StatusUnprocessableEntity, "this Idempotency-Key came with another request before; make a new key for each request"}
	case a.Status == 0:
		return &status{fiber.StatusConflict, "the first request with this Idempotency-Key is still being answered; try again in a moment"}
	}
	kind := fiber.MIMEApplicationJSONCharsetUTF8
	if a.Status >= 400 {
		kind = "application/problem+json"
	}
	c.Set(fiber.HeaderContentType, kind)
	if a.ETag != "" {
		c.Set(fiber.HeaderETag, a.ETag)
	}
	return c.Status(a.Status).Send(a.Body)
}

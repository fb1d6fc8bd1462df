package server

import (
	"crypto/sha256"
	"encoding/hex"
	"strings"

	"github.com/gofiber/fiber/v3"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/texts"
)

// etagOf names a saved state of an open version.
func etagOf(r texts.Revision) string { return `"` + r.String() + `"` }

// revisionOf reads which state a save is based on: If-Match names one, and
// If-None-Match: * says that there is no open version yet.
func revisionOf(c fiber.Ctx) (texts.Revision, error) {
	match := c.Get(fiber.HeaderIfMatch)
	if match == "" {
		if c.Get(fiber.HeaderIfNoneMatch) == "*" {
			return texts.Revision{}, nil
		}
		return texts.Revision{}, &status{noIfMatch, message.Say("say which state you read: If-Match with the draft's ETag, or If-None-Match: * to begin the next version")}
	}
	r, ok := texts.ParseRevision(strings.Trim(match, `"`))
	if !ok {
		r = texts.Revision{Version: -1} // another service's ETag: it matches nothing here
	}
	return r, nil
}

// seenOf reads which text somebody decides about: If-Match names it.
func seenOf(c fiber.Ctx) (entry.Digest, error) {
	seen := strings.Trim(c.Get(fiber.HeaderIfMatch), `"`)
	if seen == "" {
		return "", &status{noIfMatch, message.Say("say which text you have read: If-Match with the seen that reading the version gave")}
	}
	return entry.Digest(seen), nil
}

// fresh gives every answer to a GET an ETag of its bytes, and answers 304 to one who has
// it. What has an ETag of its own, which a change must name, is given each time: labels
// and owners change beside a text.
func (s *server) fresh(c fiber.Ctx) error {
	if err := c.Next(); err != nil {
		return err
	}
	if c.Method() != fiber.MethodGet || c.Response().StatusCode() != fiber.StatusOK {
		return nil
	}
	if c.Response().IsBodyStream() {
		return nil // its bytes are still to come
	}
	if c.GetRespHeader(fiber.HeaderCacheControl) == "" {
		c.Set(fiber.HeaderCacheControl, "private, no-cache")
	}
	if c.GetRespHeader(fiber.HeaderETag) != "" {
		return nil
	}
	sum := sha256.Sum256(c.Response().Body())
	tag := `"` + hex.EncodeToString(sum[:12]) + `"`
	c.Set(fiber.HeaderETag, tag)
	for have := range strings.SplitSeq(c.Get(fiber.HeaderIfNoneMatch), ",") {
		if strings.TrimPrefix(strings.TrimSpace(have), "W/") == tag {
			c.Response().ResetBody()
			return c.SendStatus(fiber.StatusNotModified)
		}
	}
	return nil
}

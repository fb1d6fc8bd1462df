package server

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"strconv"

	"goldshelf/core/message"
	"goldshelf/internal/work"

	"github.com/gofiber/fiber/v3"
)

// sendEvent sends an event of a number, or, without a name, says that nothing is new: so it is
// noticed where whoever watched has gone, and then it fails.
type sendEvent func(event string, number int, data any) error

// listenerOf returns a function that finds out, at any later moment, who the caller of a
// request is by then. Its error says that they may listen no longer: their session or their
// account has ended. Streams ask it while they run.
func (s *server) listenerOf(c fiber.Ctx) (func(context.Context) (work.Caller, error), error) {
	token, ok := c.Locals(tokenKey).(string)
	if !ok {
		return nil, &status{fiber.StatusForbidden, message.Say("events are for people who are signed in; read the thing itself instead")}
	}
	via := caller(c).Via
	return func(ctx context.Context) (work.Caller, error) {
		by, _, err := s.lib.People.Holder(ctx, token, via)
		return by, err
	}, nil
}

// stream answers with server-sent events, from the number on that whoever reads on has had last.
func (s *server) stream(c fiber.Ctx, do func(at int, send sendEvent)) error {
	at := 0
	if last := c.Get("Last-Event-ID"); last != "" {
		n, err := strconv.Atoi(last)
		if err != nil || n < 0 {
			return &status{fiber.StatusBadRequest, message.Say("Last-Event-ID is %.40q; it is the id of the last event that came", last)}
		}
		at = n
	}
	c.Set(fiber.HeaderContentType, "text/event-stream")
	c.Set(fiber.HeaderCacheControl, "no-store")
	return c.SendStreamWriter(func(w *bufio.Writer) {
		fmt.Fprint(w, ": listening\n\n") // so that the answer's head is sent before there is an event
		if w.Flush() != nil {
			return
		}
		do(at, func(event string, number int, data any) error {
			if event == "" {
				fmt.Fprint(w, ": still awaited\n\n")
				return w.Flush()
			}
			text, err := json.Marshal(data)
			if err != nil {
				return err
			}
			fmt.Fprintf(w, "id: %d\nevent: %s\ndata: %s\n\n", number, event, text)
			return w.Flush()
		})
	})
}

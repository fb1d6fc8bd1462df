package server

import (
	"bufio"
	"encoding/json"
	"fmt"
	"strconv"

	"goldshelf/core/message"

	"github.com/gofiber/fiber/v3"
)

// sendEvent sends an event of a number, or, without a name, says that nothing is new: so it is
// noticed where whoever watched has gone, and then it fails.
type sendEvent func(event string, number int, data any) error

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

package server

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"sync"

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
		return nil, &status{forPeople, message.Say("events are for people who are signed in; read the thing itself instead")}
	}
	via := caller(c).Via
	return func(ctx context.Context) (work.Caller, error) {
		by, _, err := s.lib.People.Holder(ctx, token, via)
		return by, err
	}, nil
}

// mostStreams is how many streams one person, or one key, may listen to at once.
const mostStreams = 64

// streamShares counts the streams of each caller. The zero streamShares has none.
type streamShares struct {
	mu  sync.Mutex
	all map[string]int
}

// take returns what gives a caller's share back once a stream has ended, or false where the
// caller has as many as they may.
func (s *streamShares) take(by work.Caller) (leave func(), ok bool) {
	name := fmt.Sprintf("person %d", by.ID)
	if by.Key != nil {
		name = fmt.Sprintf("key %d", by.Key.ID)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.all[name] >= mostStreams {
		return nil, false
	}
	if s.all == nil {
		s.all = map[string]int{}
	}
	s.all[name]++
	return sync.OnceFunc(func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		if s.all[name]--; s.all[name] == 0 {
			delete(s.all, name)
		}
	}), true
}

func streamRefused() error {
	return &status{tooManyStreams, message.Say("you listen to 64 streams already; end one first")}
}

// stream answers with server-sent events, from the number on that whoever reads on has had last.
func (s *server) stream(c fiber.Ctx, do func(at int, send sendEvent)) error {
	at := 0
	if last := c.Get("Last-Event-ID"); last != "" {
		n, err := strconv.Atoi(last)
		if err != nil || n < 0 {
			return &status{unreadableRequest, message.Say("Last-Event-ID is %.40q; it is the id of the last event that came", last)}
		}
		at = n
	}
	leave, ok := s.shares.take(caller(c))
	if !ok {
		return streamRefused()
	}
	c.Set(fiber.HeaderContentType, "text/event-stream")
	c.Set(fiber.HeaderCacheControl, "no-store")
	return c.SendStreamWriter(func(w *bufio.Writer) {
		defer leave()
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

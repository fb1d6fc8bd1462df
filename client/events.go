package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
)

// mostEvent is the longest line of a stream of events, in bytes.
const mostEvent = 32 << 20

// mostCuts is how often in a row a stream may be cut before anything comes.
const mostCuts = 5

// watch reads server-sent events, and gives what the last one has, which is called ended. A
// stream that is cut is read on where it was cut.
func watch[Event, Ended any](ctx context.Context, c *Client, path string, each func(Event)) (Ended, error) {
	last, cuts := "", 0
	for {
		before := last
		ended, err := watchOnce[Event, Ended](ctx, c, path, &last, each)
		if err == nil {
			return ended, nil
		}
		if last != before {
			cuts = 0
		}
		var cut *Unreachable
		if cuts++; !errors.As(err, &cut) || cuts > mostCuts || ctx.Err() != nil {
			return ended, err
		}
	}
}

func watchOnce[Event, Ended any](ctx context.Context, c *Client, path string, last *string, each func(Event)) (ended Ended, err error) {
	r := request{method: http.MethodGet, path: path, header: http.Header{"Accept": {"text/event-stream"}}}
	if *last != "" {
		r.header.Set("Last-Event-ID", *last)
	}
	at := c.at.Load()
	answer, err := c.send(ctx, r, nil)
	if err != nil {
		c.at.CompareAndSwap(at, at+1)
		return ended, &Unreachable{c.Server, err}
	}
	defer answer.Body.Close()
	if answer.StatusCode >= 400 {
		data, err := io.ReadAll(answer.Body)
		if err != nil {
			return ended, &Unreachable{c.Server, err}
		}
		return ended, problemOf(answer, data)
	}
	lines := bufio.NewScanner(answer.Body)
	lines.Buffer(nil, mostEvent)
	event, id := "", ""
	for lines.Scan() {
		name, value, _ := strings.Cut(lines.Text(), ": ")
		switch name {
		case "event":
			event = value
			continue
		case "id":
			id = value
			continue
		case "data":
		default:
			continue
		}
		if event == "ended" {
			return ended, json.Unmarshal([]byte(value), &ended)
		}
		var e Event
		if err := json.Unmarshal([]byte(value), &e); err != nil {
			return ended, fmt.Errorf("%s streams what is no Gold Shelf's JSON: %w", c.Server, err)
		}
		*last = id
		each(e)
	}
	if err := lines.Err(); err != nil {
		return ended, &Unreachable{c.Server, err}
	}
	return ended, &Unreachable{c.Server, errors.New("the stream was cut")}
}

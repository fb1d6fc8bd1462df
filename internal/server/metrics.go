package server

import (
	"context"
	"net/netip"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/adaptor"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/telemetry"
)

const metricsPath = "/metrics"

// metrics are for whoever watches the service: from the machine itself, or by a key for it, or
// as a curator.
func (s *server) metrics(app *fiber.App) {
	if s.opt.Metrics == nil {
		return
	}
	s.opt.Metrics.Read(s.readings)
	app.Get(metricsPath, s.mayWatch, adaptor.HTTPHandler(s.opt.Metrics.Handler()))
}

func (s *server) mayWatch(c fiber.Ctx) error {
	if s.fromThisMachine(c) && s.ownHost(c) {
		return c.Next()
	}
	token, via := s.tokenOf(c)
	switch {
	case isKey(token):
		by, err := s.lib.Keys.Holder(c.Context(), token)
		if err != nil {
			return err
		}
		if !by.Key.Allows("watch") {
			return &status{mayNot, message.Say("the key %s may not watch the service; a curator can let it under Settings, Keys", by.Key.Name)}
		}
		return c.Next()
	case token == "":
		return &status{signInFirst, message.Say("the metrics are for the machine itself, and for keys that may watch; send one as Authorization: Bearer")}
	}
	by, _, err := s.lib.People.Holder(c.Context(), token, via)
	if err != nil {
		return signInAgain(err)
	}
	if by.Role != entry.Curator {
		return &status{mayNot, message.Say("the metrics are for curators, and for keys that may watch")}
	}
	return c.Next()
}

// fromThisMachine says whether a request comes from the machine itself, and through no proxy.
func (s *server) fromThisMachine(c fiber.Ctx) bool {
	if c.Get(fiber.HeaderXForwardedFor) != "" || c.Get("Forwarded") != "" || c.Get("Via") != "" {
		return false
	}
	at, err := netip.ParseAddrPort(c.RequestCtx().RemoteAddr().String())
	return err == nil && at.Addr().Unmap().IsLoopback()
}

// readings are the numbers that are looked up when someone asks.
func (s *server) readings(ctx context.Context) ([]telemetry.Reading, error) {
	queues, err := s.lib.DB.Queues(ctx)
	if err != nil {
		return nil, err
	}
	var all []telemetry.Reading
	for _, q := range queues {
		all = append(all,
			telemetry.Reading{Name: "goldshelf_queue_waiting", Help: "What is due in a queue, and not done.", Label: "queue", Value: q.Name, Number: float64(q.Waiting)},
			telemetry.Reading{Name: "goldshelf_queue_oldest_seconds", Help: "How long the first of a queue is due.", Label: "queue", Value: q.Name, Number: q.Oldest})
	}
	aside, err := s.lib.DB.CountAside(ctx)
	if err != nil {
		return nil, err
	}
	for _, a := range aside {
		all = append(all, telemetry.Reading{Name: "goldshelf_set_aside", Help: "What a job could not do and tries again later.", Label: "job", Value: a.Job, Number: float64(a.Items)})
	}
	used, most := s.lib.DB.Connections()
	return append(all,
		telemetry.Reading{Name: "goldshelf_database_connections", Help: "Connections to the database in use.", Number: float64(used)},
		telemetry.Reading{Name: "goldshelf_database_connections_max", Help: "Connections to the database at most.", Number: float64(most)}), nil
}

// Package server answers HTTP: it reads requests, calls the library and writes
// what it gives, or the problem details of what went wrong. No rule of the job
// is in it.
package server

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/adaptor"
	recovery "github.com/gofiber/fiber/v3/middleware/recover"

	"goldshelf/api"
	"goldshelf/core/strict"
	"goldshelf/internal/library"
)

// MaxBody is the largest request, in bytes.
const MaxBody = 1 << 20

// answerWithin is how long a request may take.
const answerWithin = 30 * time.Second

// importWithin is how long an import or an export may take.
const importWithin = 5 * time.Minute

// Options say what to serve besides the library.
type Options struct {
	Log     *slog.Logger
	Welcome api.Welcome  // what the sign-in page may know
	Channel http.Handler // the demo's stand-in for a channel, if there is one
}

// ChannelPath is where the demo's stand-in for a channel is.
const ChannelPath = "/demo/channel"

type server struct {
	lib *library.Library
	log *slog.Logger
	opt Options

	running *atomic.Int64
}

// Service is what answers. The caller serves and stops it.
type Service struct {
	app     *fiber.App
	running *atomic.Int64 // requests that are being answered
}

// Serve answers what comes to a listener, until Stop.
func (s *Service) Serve(l net.Listener) error {
	return s.app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true})
}

// Stop takes no more requests, and lets those that are running finish for so long.
// It does not wait for connections over which nothing is asked, as browsers and
// clients keep them for later.
func (s *Service) Stop(within time.Duration) error {
	ctx, cancel := context.WithTimeout(context.Background(), within)
	defer cancel()
	stopped := make(chan error, 1)
	go func() { stopped <- s.app.ShutdownWithContext(ctx) }()
	look := time.NewTicker(50 * time.Millisecond)
	defer look.Stop()
	for {
		select {
		case err := <-stopped:
			if n := s.running.Load(); err != nil && n > 0 {
				return fmt.Errorf("%d requests were still running after %s: %w", n, within, err)
			}
			return nil
		case <-look.C:
			if s.running.Load() == 0 {
				cancel()
			}
		}
	}
}

// New gives the service.
func New(lib *library.Library, opt Options) *Service {
	s := &server{lib: lib, log: opt.Log, opt: opt, running: &atomic.Int64{}}
	app := fiber.New(fiber.Config{
		AppName: "Gold Shelf", BodyLimit: MaxBody, StreamRequestBody: true, ErrorHandler: s.fail,
		ReadTimeout: answerWithin, IdleTimeout: 2 * time.Minute, StrictRouting: true,
		ServerHeader: "", Immutable: true, UnescapePath: true,
	})
	app.Use(s.logged, recovery.New(), s.safeHeaders, s.timed, s.sized)
	app.Get("/healthz", func(c fiber.Ctx) error { return c.SendString("ok\n") })
	app.Get("/readyz", s.ready)

	v1 := app.Group("/api/v1", s.fresh)
	v1.Get("/openapi.yaml", s.document)
	v1.Get("/welcome", func(c fiber.Ctx) error { return c.JSON(s.opt.Welcome) })
	v1.Post("/session", s.signIn)
	v1.Get("/feeds/:private", s.feed)
	v1.Use(s.signedIn, s.sameOrigin, s.onlyOnce)
	v1.Get("/session", s.session)
	v1.Delete("/session", s.signOut)
	v1.Get("/labels", s.labels)
	v1.Get("/shelf", s.shelf)
	v1.Get("/shelf/:ref", s.shelfEntry)
	v1.Post("/shelf/:ref/fill", s.fill)
	v1.Post("/preview", s.preview)
	v1.Post("/check", s.check)
	v1.Post("/imports", s.bring)
	v1.Get("/imports/:id", s.plan)
	v1.Put("/imports/:id", s.readAgain)
	v1.Delete("/imports/:id", s.forget)
	v1.Get("/imports/:id/items/:number", s.difference)
	v1.Post("/imports/:id/take", s.takeIn)
	v1.Get("/imports/:id/progress", s.progress)
	v1.Get("/export", s.export)
	v1.Post("/read", s.readText)
	v1.Post("/turn", s.turn)
	v1.Post("/alike", s.alike)
	v1.Get("/alike/groups", s.groups)
	v1.Get("/alike/passages", s.recurring)
	v1.Get("/beginnings", s.beginnings)
	v1.Put("/starters/:department", s.setStarter)
	v1.Delete("/starters/:department", s.dropStarter)
	v1.Put("/entries/:slug/helper", s.setHelper)
	v1.Get("/kinds", s.kinds)
	v1.Get("/rules", s.rules)
	v1.Get("/policy", s.policy)
	v1.Put("/policy", s.setPolicy)
	v1.Get("/desk", s.desk)
	v1.Get("/entries", s.entries)
	v1.Post("/entries", s.create)
	v1.Get("/entries/:slug", s.entry)
	v1.Get("/entries/:slug/draft", s.draft)
	v1.Put("/entries/:slug/draft", s.saveDraft)
	v1.Get("/entries/:slug/versions", s.versions)
	v1.Get("/entries/:slug/versions/:number", s.version)
	v1.Get("/entries/:slug/diff", s.diff)
	v1.Get("/entries/:slug/check", s.checkEntry)
	v1.Get("/entries/:slug/uses", s.uses)
	v1.Get("/entries/:slug/effects/:user", s.effect)
	v1.Post("/entries/:slug/submit", s.submit)
	v1.Post("/entries/:slug/withdraw", s.withdraw)
	v1.Post("/entries/:slug/approve", s.approve)
	v1.Post("/entries/:slug/return", s.giveBack)
	v1.Post("/entries/:slug/publish", s.publish)
	v1.Post("/entries/:slug/retire", s.retire)
	v1.Post("/entries/:slug/restore", s.restore)
	v1.Post("/entries/:slug/still-good", s.stillGood)
	v1.Post("/entries/:slug/take-back", s.takeBack)
	v1.Post("/entries/:slug/versions/:number/restore", s.bringBack)
	v1.Post("/entries/:slug/hand-over", s.handOver)
	v1.Post("/entries/:slug/accept", s.answerOffer(true))
	v1.Post("/entries/:slug/decline", s.answerOffer(false))
	v1.Put("/entries/:slug/keepers", s.setKeepers)
	v1.Get("/entries/:slug/versions/:number/lines", s.lines)
	v1.Get("/entries/:slug/comments", s.comments)
	v1.Post("/entries/:slug/comments", s.addComment)
	v1.Post("/entries/:slug/comments/:id/settle", s.settleComment(true))
	v1.Post("/entries/:slug/comments/:id/reopen", s.settleComment(false))
	v1.Get("/publications", s.publications)
	v1.Post("/publications", s.publishTogether)
	v1.Delete("/publications/:id", s.dropPublication)
	v1.Get("/people", s.people)
	v1.Post("/people", s.addPerson)
	v1.Patch("/people/:name", s.changePerson)
	v1.Post("/people/:name/hand-over", s.handOverAll)
	v1.Get("/ownership", s.ownership)
	v1.Get("/follows", s.follows)
	v1.Put("/follows/:what/:name", s.follow(true))
	v1.Delete("/follows/:what/:name", s.follow(false))
	v1.Get("/news", s.news)
	v1.Post("/news/read", s.readNews)
	v1.Post("/feed", s.newFeed)
	v1.Get("/channels", s.hooks)
	v1.Post("/channels", s.addHook)
	v1.Put("/channels/:id", s.setHook)
	v1.Delete("/channels/:id", s.dropHook)
	v1.Get("/channels/:id/deliveries", s.deliveries)
	v1.Post("/channels/:id/deliveries/:delivery/send", s.sendAgain)
	v1.Get("/audit", s.audit)
	v1.Get("/audit/export", s.exportAudit)
	v1.Get("/audit/verify", s.verifyAudit)
	v1.Use(func(fiber.Ctx) error {
		return &status{fiber.StatusNotFound, "the API has no such call; see its description at /api/v1/openapi.yaml"}
	})
	if opt.Channel != nil {
		app.All(ChannelPath, adaptor.HTTPHandler(opt.Channel))
	}
	s.console(app)
	return &Service{app, s.running}
}

func (s *server) ready(c fiber.Ctx) error {
	if err := s.lib.Ready(c.Context()); err != nil {
		return c.Status(fiber.StatusServiceUnavailable).SendString("the database does not answer\n")
	}
	return c.SendString("ready\n")
}

func (s *server) document(c fiber.Ctx) error {
	c.Set(fiber.HeaderContentType, "application/yaml")
	return c.Send(api.Document)
}

// logged writes one line a request, with nothing of what was sent in it.
func (s *server) logged(c fiber.Ctx) error {
	s.running.Add(1)
	defer s.running.Add(-1)
	start := time.Now()
	err := c.Next()
	if err != nil {
		if err = s.fail(c, err); err != nil {
			return err
		}
	}
	s.log.Info("request", "method", c.Method(), "path", c.Path(), "status", c.Response().StatusCode(),
		"ms", float64(time.Since(start).Microseconds())/1000, "by", who(c))
	return nil
}

func who(c fiber.Ctx) string {
	by, _ := c.Locals(callerKey).(library.Caller)
	return by.Name
}

func (s *server) safeHeaders(c fiber.Ctx) error {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("X-Frame-Options", "DENY")
	c.Set("Referrer-Policy", "same-origin")
	c.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
	return c.Next()
}

// timed ends what takes too long.
func (s *server) timed(c fiber.Ctx) error {
	within := answerWithin
	if strings.HasPrefix(c.Path(), importPath) || c.Path() == "/api/v1/export" || strings.HasPrefix(c.Path(), "/api/v1/audit/") {
		within = importWithin
	}
	ctx, cancel := context.WithTimeout(c.Context(), within)
	defer cancel()
	c.SetContext(ctx)
	return c.Next()
}

// sized reads the body of a request. One that is too large is read to its end
// within reason, so that its sender gets to hear the answer.
func (s *server) sized(c fiber.Ctx) error {
	stream := c.Request().BodyStream()
	if stream == nil {
		return c.Next()
	}
	most := mostOf(c)
	data, err := io.ReadAll(io.LimitReader(stream, int64(most)+1))
	if err != nil {
		return &unreadable{"the request broke off: " + err.Error()}
	}
	if len(data) > most {
		_, _ = io.CopyN(io.Discard, stream, 16*MaxBody) // whoever sends more than that is cut off
		if most > MaxBody {
			return &status{fiber.StatusRequestEntityTooLarge, "the import is larger than 64 MiB; take it in parts"}
		}
		return tooLarge()
	}
	c.Request().SetBody(data)
	return c.Next()
}

// body reads a request's JSON.
func body(c fiber.Ctx, into any) error {
	kind, _, _ := strings.Cut(c.Get(fiber.HeaderContentType), ";")
	if kind = strings.TrimSpace(kind); kind != "" && kind != "application/json" {
		return &status{fiber.StatusUnsupportedMediaType, "the request is " + kind + "; send application/json"}
	}
	data := c.Body()
	if len(bytes.TrimSpace(data)) == 0 {
		data = []byte("{}")
	}
	err := strict.JSON(data, into)
	var bad *strict.Unreadable
	if errors.As(err, &bad) {
		return &unreadable{"the request is no JSON: " + bad.Error()}
	}
	return err
}

// answer writes a value that the library gave, or passes its error on.
func answer[T any](c fiber.Ctx, v T, err error) error {
	if err != nil {
		return err
	}
	return c.JSON(v)
}

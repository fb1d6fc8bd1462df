// Package server answers HTTP: it reads requests, calls the use cases and writes what
// they give, or the problem details of what went wrong. No rule of the job is in it.
package server

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/adaptor"
	recovery "github.com/gofiber/fiber/v3/middleware/recover"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/core/strict"
	"goldshelf/internal/library"
	"goldshelf/internal/mcp"
	"goldshelf/internal/signon"
	"goldshelf/internal/telemetry"
	"goldshelf/internal/work"
)

// MaxBody is the largest request, in bytes.
const MaxBody = 1 << 20

// answerWithin is how long a request may take.
const answerWithin = 30 * time.Second

// readyWithin is how long the database may take to say that it is there.
const readyWithin = 1500 * time.Millisecond

// importWithin is how long an import or an export may take.
const importWithin = 5 * time.Minute

// Options say what to serve besides the library.
type Options struct {
	Log    *slog.Logger
	Public *url.URL // where people find the service, if that is not where it listens
	TLS    bool     // it speaks TLS itself

	MostConnections int // 0 for as many as the machine lets it have

	Proxies []netip.Addr // whose word on where a request comes from is believed
	Welcome api.Welcome  // what the sign-in page may know
	Channel http.Handler // the demo's stand-in for a channel, if there is one

	Assistant http.Handler // and the one for an assistant

	SignOn   *signon.Provider // the company's, if there is one
	Provider http.Handler     // the demo's stand-in for one

	Metrics *telemetry.Metrics
	Tracer  *telemetry.Tracer
}

// ChannelPath and AssistantPath are where the demo's stand-ins are.
const (
	ChannelPath   = "/demo/channel"
	AssistantPath = "/demo/assistant"
	ProviderPath  = "/demo/sign-on"
)

type server struct {
	lib *library.Library
	log *slog.Logger
	opt Options

	running   *atomic.Int64
	streams   context.Context // ends when the service stops: so do those who watch something
	endAll    context.CancelFunc
	receiving chan struct{}
	shares    streamShares
	listener  atomic.Pointer[listener]
	mcp       *mcp.Server
}

// Service is what answers. The caller serves and stops it.
type Service struct {
	app *fiber.App
	*server
}

// Serve answers what comes to a listener, until Stop.
func (s *Service) Serve(l net.Listener) error {
	most := s.opt.MostConnections
	if most == 0 {
		most = connectionsAllowed()
	}
	own := limited(l, most)
	s.listener.Store(own)
	return s.app.Listener(own, fiber.ListenConfig{DisableStartupMessage: true})
}

// Stop takes no more requests, and lets those that are running finish for so long.
// It does not wait for connections over which nothing is asked, as browsers and
// clients keep them for later.
func (s *Service) Stop(within time.Duration) error {
	ctx, cancel := context.WithTimeout(context.Background(), within)
	defer cancel()
	s.endAll()
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
	s := &server{lib: lib, log: opt.Log, opt: opt, running: &atomic.Int64{}, receiving: make(chan struct{}, uploadsAtOnce)}
	s.streams, s.endAll = context.WithCancel(context.Background())
	app := fiber.NewWithCustomCtx(newSpoken, fiber.Config{
		AppName: "Gold Shelf", BodyLimit: MaxBody, StreamRequestBody: true, ErrorHandler: s.fail,
		ReadTimeout: headWithin, IdleTimeout: 2 * time.Minute, StrictRouting: true, CaseSensitive: true,
		ServerHeader: "", Immutable: true, UnescapePath: true,
		WriteBufferSize: 16 << 10, // most answers go out in one piece
		ReadBufferSize:  32 << 10, // so that whoever looks for 10,000 characters hears what is wrong with it
	})
	app.Use(s.logged, recovery.New(), s.safeHeaders, s.oneLength, s.timed, s.turnedAway, s.plainBody)
	app.Get("/healthz", func(c fiber.Ctx) error { return c.SendString("ok\n") })
	app.Get("/readyz", s.ready)
	s.metrics(app)

	v1 := app.Group("/api/v1", s.fresh, s.readable)
	s.openRoutes(v1)
	v1.Use(s.signedIn, s.sameOrigin, s.received(MaxBody), s.onlyOnce)
	s.routes(v1)
	v1.Use(func(fiber.Ctx) error {
		return &status{notFound, message.Say("the API has no such call; see its description at /api/v1/openapi.yaml")}
	})
	s.assistants(app)
	s.signOns(app)
	s.directory(app)
	if opt.Provider != nil {
		app.All(ProviderPath+"/*", s.received(MaxBody), adaptor.HTTPHandler(opt.Provider))
	}
	if opt.Channel != nil {
		app.Get(ChannelPath, s.signedIn) // what was told is for those who sign in
		app.All(ChannelPath, s.received(MaxBody), adaptor.HTTPHandler(opt.Channel))
	}
	if opt.Assistant != nil {
		app.Get(AssistantPath, s.signedIn, withBearer, adaptor.HTTPHandler(opt.Assistant))
	}
	s.console(app)
	return &Service{app, s}
}

func (s *server) ready(c fiber.Ctx) error {
	ctx, cancel := context.WithTimeout(c.Context(), readyWithin)
	defer cancel()
	if err := s.lib.DB.Ready(ctx); err != nil {
		c.Set(fiber.HeaderRetryAfter, "2")
		return c.Status(fiber.StatusServiceUnavailable).SendString("the database does not answer\n")
	}
	if err := s.lib.Index.Ready(ctx, s.lib.DB); err != nil {
		c.Set(fiber.HeaderRetryAfter, "2")
		return c.Status(fiber.StatusServiceUnavailable).SendString("what searches find is still being read\n")
	}
	return c.SendString("ready\n")
}

// logged writes one line a request, with nothing of what was sent in it.
func (s *server) logged(c fiber.Ctx) error {
	s.running.Add(1)
	defer s.running.Add(-1)
	start := time.Now()
	traced, end := s.opt.Tracer.Request(c.Context(), c.Get("Traceparent"))
	c.SetContext(traced)
	id := s.identify(c)
	err := c.Next()
	if err != nil {
		if err = s.fail(c, err); err != nil {
			return err
		}
	}
	took, method, route, status := time.Since(start), c.Method(), routeOf(c), c.Response().StatusCode()
	end(method, route, status)
	s.opt.Metrics.Request(method, route, status, took)
	s.log.LogAttrs(traced, slog.LevelInfo, "request", slog.String("request", id),
		slog.String("method", method), slog.String("route", route), slog.Int("status", status),
		slog.Float64("ms", float64(took.Microseconds())/1000), slog.String("by", who(c)))
	return nil
}

// identify gives a request its id: of the trace that it is part of, of the request that it is
// part of, or a new one. The answer, the log and what went wrong have it.
func (s *server) identify(c fiber.Ctx) string {
	id := telemetry.TraceID(c.Context())
	if within, is := c.RequestCtx().UserValue(requestKey).(string); id == "" && is {
		id = within
	}
	if id == "" {
		id = newRequestID()
	}
	c.Locals(requestKey, id)
	c.Set(requestHeader, id)
	return id
}

const requestHeader = "X-Request-Id"

func newRequestID() string {
	var raw [8]byte
	_, _ = rand.Read(raw[:]) // it never fails
	return hex.EncodeToString(raw[:])
}

func requestID(c fiber.Ctx) string {
	id, _ := c.Locals(requestKey).(string)
	return id
}

// routeOf is the route of a request: of an address that is itself a secret, as a feed's,
// the log does not tell.
func routeOf(c fiber.Ctx) string {
	if r := c.Route(); r != nil {
		return r.Path
	}
	return ""
}

func who(c fiber.Ctx) string {
	by, _ := c.Locals(callerKey).(work.Caller)
	if by.Key != nil {
		return "key " + by.Key.Name
	}
	return by.Name
}

func (s *server) safeHeaders(c fiber.Ctx) error {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("X-Frame-Options", "DENY")
	if s.secure() {
		c.Set("Strict-Transport-Security", "max-age=31536000")
	}
	if l := s.listener.Load(); l != nil && l.crowded() {
		c.Response().SetConnectionClose() // others wait for the place
	}
	c.Set("Referrer-Policy", "same-origin")
	c.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
	return c.Next()
}

// timed ends what takes too long. It is also how long work goes on for a caller who has
// left: the server does not tell a handler of that, so what was asked for is carried out
// to its end, as it is when only the answer is lost on its way. Whoever sends the request
// again under the same Idempotency-Key gets its answer.
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

// body reads a request's JSON.
func body(c fiber.Ctx, into any) error {
	kind, _, _ := strings.Cut(c.Get(fiber.HeaderContentType), ";")
	if kind = strings.TrimSpace(kind); kind != "" && kind != "application/json" {
		return &status{mediaType, message.Say("the request is %s; send application/json", kind)}
	}
	data := c.Body()
	if len(bytes.TrimSpace(data)) == 0 {
		data = []byte("{}")
	}
	err := strict.JSON(data, into)
	var bad *strict.Unreadable
	if errors.As(err, &bad) {
		return &unreadable{message.Say("the request is no JSON: %s", bad)}
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

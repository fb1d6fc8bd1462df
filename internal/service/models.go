package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"time"

	"goldshelf/internal/models"
)

// standIn is the endpoint of the simulated models as it serves.
type standIn struct {
	address string
	server  *http.Server
	ended   chan struct{}
}

// demoLatency is how much of the models' own time the demo's take: enough to see a reply come.
const demoLatency = 0.5

// modelsAfter is how many ports after the service's own the demo's models answer.
const modelsAfter = 10

// serveModels has the simulated models answer on loopback, until it is closed.
func serveModels(service net.Addr, log *slog.Logger) (*standIn, error) {
	port := 0
	if own, is := service.(*net.TCPAddr); is {
		port = own.Port + modelsAfter
	}
	// The same address each time, where it is free, so that the connection stays as it is.
	l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if err != nil {
		l, err = net.Listen("tcp", "127.0.0.1:0")
	}
	if err != nil {
		return nil, fmt.Errorf("listen for the demo's models: %w", err)
	}
	s := &standIn{l.Addr().String(), modelsServer(demoLatency), make(chan struct{})}
	go func() {
		defer close(s.ended)
		if err := s.server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
			log.Error("the demo's models answer no longer", "error", err)
		}
	}()
	return s, nil
}

// Close ends it, and waits for that.
func (s *standIn) Close() {
	s.server.Close()
	<-s.ended
}

func modelsServer(latency float64) *http.Server {
	return &http.Server{Handler: &models.StandIn{Latency: latency}, ReadHeaderTimeout: 10 * time.Second}
}

// ServeModels has the simulated models answer at an address until ctx ends.
func ServeModels(ctx context.Context, o Options, latency float64) error {
	l, err := net.Listen("tcp", o.Listen)
	if err != nil {
		return fmt.Errorf("listen on %s: %w; stop what uses it, or choose another --listen", o.Listen, err)
	}
	s := modelsServer(latency)
	stop := context.AfterFunc(ctx, func() { s.Close() })
	defer stop()
	fmt.Fprintf(o.Out, "ready http://%s\n", l.Addr())
	if err := s.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

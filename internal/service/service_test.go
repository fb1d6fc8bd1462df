package service

import (
	"context"
	"io"
	"log/slog"
	"os"
	"testing"
	"time"

	"goldshelf/internal/testdb"
)

var databases *testdb.Server

func TestMain(m *testing.M) { os.Exit(testdb.Run(m, &databases)) }

// onWrite calls itself when something is written.
type onWrite func()

func (f onWrite) Write(p []byte) (int, error) { f(); return len(p), nil }

func TestServiceToldToStopAtOnceStops(t *testing.T) {
	url := databases.URL(t)
	for range 20 { // the server may or may not have begun to serve by then
		ctx, stop := context.WithCancel(t.Context())
		ended := make(chan error, 1)
		go func() {
			ended <- Serve(ctx, Options{Listen: "127.0.0.1:0", DatabaseURL: url, Log: slog.New(slog.DiscardHandler), Out: onWrite(stop), Err: io.Discard})
		}()
		select {
		case err := <-ended:
			if err != nil {
				t.Fatal(err)
			}
		case <-time.After(30 * time.Second):
			t.Fatal("told to stop as soon as it was ready, it went on")
		}
	}
}

package pgserver

import (
	"context"
	"errors"
	"fmt"
	"time"
)

const (
	lookEvery    = 500 * time.Millisecond
	firstPause   = time.Second
	longestPause = 30 * time.Second
	mostFailures = 6 // in a row
	steadyAfter  = time.Minute
)

// Watch starts the server again when it dies, on the port that it had, with growing
// pauses, until ctx ends. After several failures in a row it gives up, with an error that
// says why.
func (s *Server) Watch(ctx context.Context) error {
	look := time.NewTicker(lookEvery)
	defer look.Stop()
	failures, pause, since := 0, s.pause, time.Now()
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-look.C:
		}
		if s.running() {
			if failures > 0 && time.Since(since) > steadyAfter {
				failures, pause = 0, s.pause
			}
			continue
		}
		s.opts.Log.Error("PostgreSQL has ended, and is started again", "attempt", failures+1)
		err := s.restart(ctx)
		if ctx.Err() != nil {
			return nil
		}
		since = time.Now()
		if err == nil {
			s.opts.Log.Info("PostgreSQL runs again", "pid", s.PID())
			failures++ // it counts until it has run for a while
		} else if failures++; failures < mostFailures {
			s.opts.Log.Error("PostgreSQL did not start", "error", err, "again_in", pause)
		}
		if failures >= mostFailures {
			return errors.Join(fmt.Errorf("PostgreSQL ended %d times in a row; its log is %s", failures, s.logFile()), err)
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(pause):
		}
		pause = min(2*pause, longestPause)
	}
}

func (s *Server) running() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.exited == nil { // taken over: not our child
		return alive(s.pid)
	}
	select {
	case <-s.exited:
		return false
	default:
		return true
	}
}

// restart launches the server on the port that its clients know.
func (s *Server) restart(ctx context.Context) error {
	bin, err := s.binaries()
	if err != nil {
		return err
	}
	for range 20 { // processes of the one that died take a moment to notice
		if err = s.clearStale(); err != nil {
			return err
		}
		var busy bool
		if busy, err = s.launchOn(ctx, bin); !busy || ctx.Err() != nil {
			return err
		}
		time.Sleep(250 * time.Millisecond)
	}
	return err
}

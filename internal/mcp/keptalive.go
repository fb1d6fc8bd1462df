package mcp

import (
	"net/http"
	"sync"
	"time"
)

// keptAlive is a stream that is written to from time to time: only so is it noticed where
// whoever listened has gone. An answer that is no stream passes through.
type keptAlive struct {
	http.ResponseWriter
	gone func() // ends the work

	mu    sync.Mutex
	timer *time.Timer // nil until it is a stream
	ended bool
}

func (k *keptAlive) Write(data []byte) (int, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	n, err := k.ResponseWriter.Write(data)
	if err != nil {
		k.gone()
	}
	return n, err
}

// Flush makes it a stream.
func (k *keptAlive) Flush() {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.ended {
		return
	}
	if f, is := k.ResponseWriter.(http.Flusher); is {
		f.Flush()
	}
	if k.timer == nil {
		k.timer = time.AfterFunc(noticeEvery, k.notice)
	}
}

func (k *keptAlive) notice() {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.ended {
		return
	}
	if _, err := k.ResponseWriter.Write([]byte(": still here\n\n")); err != nil {
		k.gone()
		return
	}
	k.ResponseWriter.(http.Flusher).Flush() // it is one: see Flush
	k.timer.Reset(noticeEvery)
}

func (k *keptAlive) end() {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.ended = true; k.timer != nil {
		k.timer.Stop()
	}
}

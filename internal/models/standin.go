package models

import (
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"io"
	"maps"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"goldshelf/core/endpoint"
	"goldshelf/core/standin"
)

// StandIn is an endpoint with the simulated models. It answers our own protocol.
type StandIn struct {
	Latency float64 // of what the models take by themselves; 0 answers at once

	mu    sync.Mutex
	calls map[string]int // by id
	kept  map[string]keptReply
}

type keptReply struct {
	reply endpoint.Reply
	at    time.Time
}

// keepFor is how long the same id gets the same reply.
const keepFor = time.Hour

// mostAsked is the largest request, in bytes.
const mostAsked = 4 << 20

// ServeHTTP answers POST /replies, GET /models and GET /calls. The headers X-Latency and
// X-Fault are for tests.
func (s *StandIn) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch r.Method + " " + r.URL.Path {
	case "GET /models":
		type shown struct {
			Name   string `json:"name"`
			Window int    `json:"window"`
		}
		var all []shown
		for _, m := range standin.Models() {
			all = append(all, shown{m.Name, m.Window})
		}
		writeJSON(w, all)
	case "GET /calls":
		writeJSON(w, s.Calls())
	case "POST /replies":
		s.reply(w, r)
	default:
		refuse(w, http.StatusNotFound, "there is %s; ask POST /replies, GET /models or GET /calls", "nothing here")
	}
}

func (s *StandIn) reply(w http.ResponseWriter, r *http.Request) {
	id := r.Header.Get("Idempotency-Key")
	s.count(id)
	if s.fault(w, r) {
		return
	}
	var asked endpoint.Request
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, mostAsked))
	if err == nil {
		err = json.Unmarshal(body, &asked)
	}
	if err != nil {
		refuse(w, http.StatusBadRequest, "the request cannot be read: %v", err)
		return
	}
	model, ok := standin.ModelNamed(asked.Model)
	if !ok {
		refuse(w, http.StatusNotFound, "there is no model %.80q; GET /models has them", asked.Model)
		return
	}
	if wrong := append(endpoint.Problems(asked.Messages), asked.Settings.Problems()...); wrong != nil {
		refuse(w, http.StatusUnprocessableEntity, "%s", wrong.Error())
		return
	}
	reply, err := s.once(id, model, asked)
	var long *standin.TooLong
	if errors.As(err, &long) {
		refuse(w, http.StatusRequestEntityTooLarge, "%s", long.Error())
		return
	}
	scale := s.Latency
	if given, err := strconv.ParseFloat(r.Header.Get("X-Latency"), 64); err == nil && given >= 0 {
		scale = given
	}
	wait := func(d time.Duration) bool {
		if d = time.Duration(float64(d) * scale); d == 0 {
			return r.Context().Err() == nil
		}
		select {
		case <-r.Context().Done():
			return false
		case <-time.After(d):
			return true
		}
	}
	if !wait(model.First) {
		return
	}
	if !asked.Stream {
		wait(time.Duration(float64(len(standin.Pieces(reply.Text))) / model.PerSecond * float64(time.Second)))
		writeJSON(w, reply)
		return
	}
	s.streamed(w, r, reply, func() bool { return wait(time.Duration(float64(time.Second) / model.PerSecond)) })
}

// once gives the reply to a question, and the same for an hour to whoever asks it again. A
// question without a seed gets one of its own.
func (s *StandIn) once(id string, m standin.Model, asked endpoint.Request) (endpoint.Reply, error) {
	if asked.Settings.Seed == nil {
		h := fnv.New64a()
		fmt.Fprint(h, id, time.Now().UnixNano())
		seed := int64(h.Sum64() >> 1)
		asked.Settings.Seed = &seed
	}
	s.mu.Lock()
	kept, ok := s.kept[id]
	s.mu.Unlock()
	if ok && id != "" {
		return kept.reply, nil
	}
	reply, err := m.Reply(asked)
	if err != nil || id == "" {
		return reply, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.kept == nil {
		s.kept = map[string]keptReply{}
	}
	now := time.Now()
	if len(s.kept)%1000 == 999 {
		for id, k := range s.kept {
			if now.Sub(k.at) > keepFor {
				delete(s.kept, id)
			}
		}
	}
	if kept, ok := s.kept[id]; ok {
		return kept.reply, nil
	}
	s.kept[id] = keptReply{reply, now}
	return reply, nil
}

func (s *StandIn) count(id string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.calls == nil {
		s.calls = map[string]int{}
	}
	s.calls[id]++
}

// Calls gives how often each id was asked for.
func (s *StandIn) Calls() map[string]int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return maps.Clone(s.calls)
}

func (s *StandIn) streamed(w http.ResponseWriter, r *http.Request, reply endpoint.Reply, pause func() bool) {
	w.Header().Set("Content-Type", "text/event-stream")
	out := http.NewResponseController(w)
	send := func(event string, data any) bool {
		text, _ := json.Marshal(data) // a reply always marshals
		_, err := fmt.Fprintf(w, "event: %s\ndata: %s\n\n", event, text)
		return err == nil && out.Flush() == nil
	}
	pieces := standin.Pieces(reply.Text)
	for i, p := range pieces {
		if r.Header.Get("X-Fault") == "cut" && i >= len(pieces)/2 {
			panic(http.ErrAbortHandler)
		}
		if !send("piece", map[string]string{"text": p}) || !pause() {
			return
		}
	}
	send("done", map[string]any{"reason": reply.Reason, "tokens": reply.Tokens})
}

// fault answers as a test asks for, and says whether it has.
func (s *StandIn) fault(w http.ResponseWriter, r *http.Request) bool {
	switch fault := r.Header.Get("X-Fault"); fault {
	case "429":
		w.Header().Set("Retry-After", "1")
		refuse(w, http.StatusTooManyRequests, "%s", "too many calls; try again in a second")
	case "500":
		refuse(w, http.StatusInternalServerError, "%s", "the model has fallen over")
	case "hang":
		_, _ = io.Copy(io.Discard, r.Body) // only then does the server hear that the caller has gone
		<-r.Context().Done()
	case "html":
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<!doctype html><h1>It works</h1>")
	case "huge":
		w.Header().Set("Content-Type", "text/event-stream")
		line := "data: " + `{"text": "` + strings.Repeat("words ", 10_000) + `"}` + "\n\n"
		for {
			if _, err := io.WriteString(w, line); err != nil {
				return true
			}
		}
	default:
		return false
	}
	return true
}

func writeJSON(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v) // whoever has gone reads nothing
}

func refuse(w http.ResponseWriter, status int, format string, args ...any) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{"title": http.StatusText(status), "status": status, "detail": fmt.Sprintf(format, args...)})
}

package models

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"goldshelf/core/endpoint"
)

// at gives an endpoint that is a handler's, and an asker that may reach it.
func at(t *testing.T, h http.Handler, m endpoint.Mapping) (*Asker, Endpoint) {
	t.Helper()
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	return NewAsker(strings.TrimPrefix(s.URL, "http://")), Endpoint{Address: s.URL, Mapping: m, FirstWithin: 2 * time.Second, WholeWithin: 4 * time.Second}
}

func question(stream bool) endpoint.Request {
	seed := int64(7)
	return endpoint.Request{Model: "heron-2", Stream: stream, Settings: endpoint.Settings{Seed: &seed}, Messages: []endpoint.ModelMessage{
		{Role: endpoint.System, Text: "You are the front desk."}, {Role: endpoint.User, Text: "Write about the burst main in Mill Lane. At most 60 words."},
	}}
}

// with gives our own protocol with a header that asks the stand-in for a fault.
func with(fault string) endpoint.Mapping {
	m := endpoint.Own()
	m.Request.Headers = map[string]string{"X-Fault": fault}
	return m
}

func TestOwnProtocol(t *testing.T) {
	t.Parallel()
	standIn := &StandIn{}
	a, e := at(t, standIn, endpoint.Own())
	var pieces []string
	streamed, err := a.Ask(t.Context(), e, "one", question(true), func(p string) { pieces = append(pieces, p) })
	if err != nil || !strings.Contains(streamed.Text, "Mill Lane") || strings.Join(pieces, "") != streamed.Text || len(pieces) < 10 || streamed.Reason != endpoint.End || streamed.Tokens.Out == 0 || streamed.First == 0 {
		t.Fatalf("got %+v in %d pieces, %v", streamed, len(pieces), err)
	}
	whole, err := a.Ask(t.Context(), e, "two", question(false), nil)
	if err != nil || whole.Reply != streamed.Reply {
		t.Errorf("whole %+v, %v, and streamed %+v", whole.Reply, err, streamed.Reply)
	}
	// Without a seed the id alone makes it the same.
	free := question(true)
	free.Settings.Seed = nil
	one, _ := a.Ask(t.Context(), e, "three", free, nil)
	again, _ := a.Ask(t.Context(), e, "three", free, nil)
	if one.Reply != again.Reply || standIn.calls["three"] != 2 {
		t.Errorf("%+v, and again %+v after %d calls", one.Reply, again.Reply, standIn.calls["three"])
	}
}

// Endpoints of other shapes are spoken to through mappings, secrets included.
func TestMappings(t *testing.T) {
	t.Parallel()
	inner := &StandIn{}
	ask := func(model, system, user string) endpoint.Reply {
		m := httptest.NewRecorder()
		body, _ := json.Marshal(endpoint.Request{Model: model, Messages: []endpoint.ModelMessage{{Role: endpoint.System, Text: system}, {Role: endpoint.User, Text: user}}, Settings: question(false).Settings})
		inner.ServeHTTP(m, httptest.NewRequest("POST", "/replies", strings.NewReader(string(body))))
		var r endpoint.Reply
		if err := json.Unmarshal(m.Body.Bytes(), &r); err != nil {
			t.Error(err)
		}
		return r
	}
	read := func(r *http.Request, into any) {
		if err := json.NewDecoder(r.Body).Decode(into); err != nil {
			t.Error(err)
		}
	}
	// Events with a last line that is no JSON; the system's text apart, the secret in a header of its own.
	events := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var in struct {
			Rules string
			Turns []struct{ Says []struct{ Value string } }
			Live  bool
		}
		read(r, &in)
		if r.URL.Path != "/v2/heron-2/answers" || r.Header.Get("X-Key") != "key s3cret" || !in.Live {
			w.WriteHeader(403)
			fmt.Fprintf(w, `{"fault": {"words": "no access with %s"}}`, r.Header.Get("X-Key"))
			return
		}
		w.Header().Set("Content-Type", "text/event-stream")
		for i, word := range strings.SplitAfter(ask("heron-2", in.Rules, in.Turns[0].Says[0].Value).Text, " ") {
			text, _ := json.Marshal(word)
			fmt.Fprintf(w, ": keep\nid: %d\ndata: {\"answers\":\ndata: [{\"more\": %s}]}\n\n", i, text)
		}
		fmt.Fprint(w, "data: {\"answers\": [{\"why\": \"full\"}], \"cost\": {\"written\": 9}}\r\n\r\ndata: [OVER]\n\n")
	})
	// Lines of JSON.
	lines := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var in struct{ Prompt []endpoint.ModelMessage }
		read(r, &in)
		for _, word := range strings.SplitAfter(ask("heron-2", in.Prompt[0].Text, in.Prompt[1].Text).Text, " ") {
			_ = json.NewEncoder(w).Encode(map[string]any{"word": word, "done": false})
		}
		fmt.Fprint(w, `{"done": true, "n": 9}`)
	})
	// No stream at all.
	whole := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var in struct{ Prompt []endpoint.ModelMessage }
		read(r, &in)
		_ = json.NewEncoder(w).Encode([]string{ask("heron-2", in.Prompt[0].Text, in.Prompt[1].Text).Text})
	})
	for name, c := range map[string]struct {
		h       http.Handler
		mapping string
		pieces  bool
	}{
		"events": {events, `{"request": {"path": "/v2/{model}/answers", "secret": {"header": "X-Key", "before": "key "}, "system": "apart",
			"body": {"rules": {"from": "/system"}, "turns": {"from": "/messages", "each": {"says": [{"value": {"from": "/text"}}]}}, "live": {"from": "/stream"}}},
			"reply": {"text": "/answers/0/says", "reasons": {"full": "length"}}, "error": {"text": "/fault/words"}, "sample": {"answers": [{"says": "Hello."}]},
			"stream": {"as": "events", "piece": "/answers/0/more", "reason": "/answers/0/why", "tokens_out": "/cost/written", "ends": {"data": "[OVER]"}}}`, true},
		"lines": {lines, `{"request": {"path": "", "body": {"prompt": {"from": "/messages"}}}, "reply": {"text": "/t"}, "sample": {"t": "Hello."}, "stream": {"as": "lines", "piece": "/word", "ends": {"at": "/done", "is": true}, "tokens_out": "/n"}}`, true},
		"whole": {whole, `{"request": {"path": "/", "body": {"prompt": {"from": "/messages"}}}, "reply": {"text": "/0"}, "sample": ["Hello."]}`, false},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			var m endpoint.Mapping
			if err := json.Unmarshal([]byte(c.mapping), &m); err != nil || m.Problems() != nil {
				t.Fatal(err, m.Problems())
			}
			a, e := at(t, c.h, m)
			e.Secret = "s3cret"
			n := 0
			got, err := a.Ask(t.Context(), e, "x", question(true), func(string) { n++ })
			want := ask("heron-2", "You are the front desk.", "Write about the burst main in Mill Lane. At most 60 words.")
			if err != nil || got.Text != want.Text || (n > 1) != c.pieces || c.pieces && got.Tokens.Out != 9 || name == "events" && got.Reason != endpoint.Length {
				t.Errorf("got %+v in %d pieces, %v; want %q", got, n, err, want.Text)
			}
			if name == "events" {
				e.Secret = "wr0ng"
				var f *Failure
				if _, err := a.Ask(t.Context(), e, "y", question(true), nil); !errors.As(err, &f) || f.Again || !strings.Contains(err.Error(), "no access with key •••") {
					t.Errorf("with a wrong secret: %v", err)
				}
			}
		})
	}
}

func TestWhatEndpointsDo(t *testing.T) {
	t.Parallel()
	answer := func(status int, kind, body string) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", kind)
			w.Header().Set("Location", "http://127.0.0.1:1/inside")
			w.WriteHeader(status)
			fmt.Fprint(w, body)
		})
	}
	endless := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		for r.Context().Err() == nil {
			fmt.Fprint(w, "data: {\"text\": \"and \"}\n\n")
			_ = http.NewResponseController(w).Flush()
			time.Sleep(5 * time.Millisecond)
		}
	})
	for _, c := range []struct {
		name  string
		h     http.Handler
		m     endpoint.Mapping
		want  string
		again bool
		after time.Duration
	}{
		{"too many calls", &StandIn{}, with("429"), "answered 429: too many calls", true, time.Second},
		{"an error of its own", &StandIn{}, with("500"), "answered 500: the model has fallen over", true, 0},
		{"a cut stream", &StandIn{}, with("cut"), "cut before it ended", true, 0},
		{"no answer", &StandIn{}, with("hang"), "nothing came within 300ms", true, 0},
		{"a page", &StandIn{}, with("html"), "a page for people (text/html)", false, 0},
		{"more and more", &StandIn{}, with("huge"), "8 MiB", false, 0},
		{"a stream without end", endless, endpoint.Own(), "not whole within 600ms", true, 0},
		{"a redirect inward", answer(307, "text/plain", ""), endpoint.Own(), "redirects to", false, 0},
		{"half a JSON", answer(200, "application/json", `{"text": "Hi`), endpoint.Own(), "no JSON", false, 0},
		{"another JSON", answer(200, "application/json", `{"answer": "Hi"}`), endpoint.Own(), "nothing at /text", false, 0},
		{"a problem in the stream", answer(200, "text/event-stream", "data: {\"text\": \"Hi\"}\n\nevent: problem\ndata: {\"detail\": \"out of words\"}\n\n"), endpoint.Own(), "out of words", false, 0},
		{"a long line", answer(200, "text/event-stream", "data: "+strings.Repeat("x", 2<<20)), endpoint.Own(), "more than 1 MiB", false, 0},
		{"a wrong model", &StandIn{}, func() endpoint.Mapping {
			m := endpoint.Own()
			m.Request.Body = map[string]any{"model": "swan", "messages": []any{}}
			return m
		}(), "no model \"swan\"", false, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			a, e := at(t, c.h, c.m)
			e.FirstWithin, e.WholeWithin = 300*time.Millisecond, 600*time.Millisecond
			if strings.Contains(c.name, "more") || strings.Contains(c.name, "cut") || strings.Contains(c.name, "long") {
				e.FirstWithin, e.WholeWithin = 20*time.Second, 20*time.Second
			}
			_, err := a.Ask(t.Context(), e, "x", question(true), nil)
			var f *Failure
			if !errors.As(err, &f) || !strings.Contains(err.Error(), c.want) || f.Again != c.again || f.After != c.after {
				t.Errorf("got %#v, want %q", err, c.want)
			}
		})
	}
}

// What came before a cut is kept, and a caller who leaves is no failure.
func TestEndedInTheMiddle(t *testing.T) {
	t.Parallel()
	a, e := at(t, &StandIn{}, with("cut"))
	if got, err := a.Ask(t.Context(), e, "x", question(true), nil); err == nil || got.Text == "" {
		t.Errorf("got %+v, %v", got, err)
	}
	a, e = at(t, &StandIn{Latency: 1}, endpoint.Own())
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	got, err := a.Ask(ctx, e, "x", question(true), func(string) { cancel() })
	if !errors.Is(err, context.Canceled) || got.Text == "" {
		t.Errorf("stopped: %+v, %v", got, err)
	}
}

func TestInsideIsNotReached(t *testing.T) {
	t.Parallel()
	s := httptest.NewServer(&StandIn{})
	defer s.Close()
	_, port, _ := strings.Cut(strings.TrimPrefix(s.URL, "http://"), ":")
	for _, address := range []string{s.URL, "http://localhost:" + port, "http://10.0.0.1", "ftp://models.example", "http://a:b@models.example", "models.example", ""} {
		e := Endpoint{Address: address, Mapping: endpoint.Own(), FirstWithin: time.Second, WholeWithin: time.Second}
		var f *Failure
		if _, err := NewAsker().Ask(t.Context(), e, "x", question(true), nil); !errors.As(err, &f) || f.Again {
			t.Errorf("%q: %v", address, err)
		}
	}
}

func TestStandInSpeaksHTTP(t *testing.T) {
	t.Parallel()
	s := httptest.NewServer(&StandIn{})
	defer s.Close()
	for _, c := range []struct {
		method, path, body string
		status             int
		want               string
	}{
		{"GET", "/models", "", 200, `{"name":"marsh-local","window":8000}`},
		{"GET", "/calls", "", 200, ""},
		{"GET", "/else", "", 404, "POST /replies"},
		{"POST", "/replies", "{", 400, "cannot be read"},
		{"POST", "/replies", `{"model": "heron-2", "messages": []}`, 422, "nothing to send"},
		{"POST", "/replies", `{"model": "marsh-local", "messages": [{"role": "user", "text": "` + strings.Repeat("word ", 9000) + `"}]}`, 413, "takes 8000 at once"},
		{"POST", "/replies", strings.Repeat(" ", 5<<20), 400, "cannot be read"},
	} {
		req, err := http.NewRequestWithContext(t.Context(), c.method, s.URL+c.path, strings.NewReader(c.body))
		if err != nil {
			t.Fatal(err)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		body, _ := io.ReadAll(res.Body)
		res.Body.Close()
		if res.StatusCode != c.status || !strings.Contains(string(body), c.want) {
			t.Errorf("%s %s: %d %s, want %d %s", c.method, c.path, res.StatusCode, body, c.status, c.want)
		}
	}
}

// A secret that an endpoint sends back is in no reply and in no message, in however many pieces
// it comes.
func TestEchoedSecretIsMasked(t *testing.T) {
	t.Parallel()
	const secret = "s3cret-s3cret-key"
	for name, pieces := range map[string][]string{
		"whole": {"it is " + secret + "!"}, "letter by letter": strings.Split("it is "+secret+"!", ""), "with a false start": {"it is s3cret-", secret[:9], secret[9:], "!"},
		"at the end": {"it is ", secret[:4], secret[4:]}, "only begun": {"it is s3cret-s3"},
	} {
		for _, stream := range []bool{true, false} {
			a, e := at(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				if !stream {
					_ = json.NewEncoder(w).Encode(map[string]any{"text": strings.Join(pieces, ""), "reason": "end"})
					return
				}
				w.Header().Set("Content-Type", "text/event-stream")
				for _, p := range pieces {
					data, _ := json.Marshal(map[string]string{"text": p})
					fmt.Fprintf(w, "event: piece\ndata: %s\n\n", data)
				}
				fmt.Fprint(w, "event: done\ndata: {\"reason\": \"end\", \"tokens\": {\"in\": 1, \"out\": 1}}\n\n")
			}), endpoint.Own())
			e.Secret = secret
			heard := ""
			got, err := a.Ask(t.Context(), e, name, question(stream), func(p string) { heard += p })
			want := strings.ReplaceAll(strings.Join(pieces, ""), secret, "•••")
			if err != nil || got.Text != want || heard != want {
				t.Errorf("%s, streamed %t: %q, heard %q, %v; want %q", name, stream, got.Text, heard, err, want)
			}
		}
	}
	a, e := at(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/event-stream")
		fmt.Fprintf(w, "event: problem\ndata: {\"title\": \"Bad key %s\", \"detail\": \"Bad key %s\", \"status\": 401}\n\n", secret, secret)
	}), endpoint.Own())
	e.Secret = secret
	if _, err := a.Ask(t.Context(), e, "problem", question(true), nil); err == nil || strings.Contains(err.Error(), secret) || !strings.Contains(err.Error(), "•••") {
		t.Errorf("a problem: %v", err)
	}
}

// Package models talks to the endpoints where models answer, and has the stand-in endpoint.
// It keeps nothing: what is asked when, and what becomes of a reply, is others' work.
package models

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"goldshelf/core/endpoint"
	"goldshelf/core/message"
	"goldshelf/internal/outside"
)

// What an endpoint may answer at most.
const (
	mostAnswer = 8 << 20 // bytes
	mostLine   = 1 << 20 // of a stream
	mostError  = 64 << 10
	mostPause  = time.Hour // that Retry-After may ask for
)

// Endpoint is where models answer, and how it is spoken to.
type Endpoint struct {
	Address string // the mapping's path comes after it
	Secret  string // sent with each call; empty for none
	Mapping endpoint.Mapping

	FirstWithin time.Duration // until something comes
	WholeWithin time.Duration
}

// Asker asks models. It follows no redirect, and reaches nothing inside the machine or its
// network but the hosts that were allowed.
type Asker struct {
	guard outside.Guard
	http  *http.Client
}

// NewAsker gives an asker that may reach hosts inside, with or without a port.
func NewAsker(allowed ...string) *Asker {
	guard := outside.Guard{Allowed: allowed}
	client, transport := guard.Client()
	transport.MaxIdleConnsPerHost = 64
	transport.IdleConnTimeout = time.Minute
	transport.DisableCompression = true // a small answer must not become a huge one
	transport.MaxResponseHeaderBytes = 64 << 10
	return &Asker{guard, client}
}

// Check says what is wrong with an endpoint's address, as far as that can be said without
// reaching for it.
func (a *Asker) Check(address string) error {
	return a.guard.Check(address, "https://models.example/v1")
}

// Answer is a reply and how long it took.
type Answer struct {
	endpoint.Reply
	First time.Duration // from asking to the first piece
	Whole time.Duration
}

// Failure is why there is no reply, and whether another try may bring one.
type Failure struct {
	Message message.Text
	Again   bool
	After   time.Duration // what the endpoint asked to be waited; 0 if it did not
}

func (f *Failure) Error() string { return f.Message.String() }

// Said gives the message.
func (f *Failure) Said() message.Text { return f.Message }

// errFirst and errWhole end a call that takes too long.
var (
	errFirst = errors.New("nothing came in time")
	errWhole = errors.New("it took too long")
)

// Ask asks a model, and gives its reply. Each piece of a stream goes to piece as it comes.
// The id stands for one question however often it is asked. What came before a failure is
// in the answer that goes with it, a [Failure] but where ctx has ended.
func (a *Asker) Ask(ctx context.Context, e Endpoint, id string, r endpoint.Request, piece func(string)) (Answer, error) {
	c := call{asker: a, endpoint: e, id: id, request: r, piece: piece, began: time.Now()}
	err := c.run(ctx)
	c.answer.Whole = time.Since(c.began)
	return c.answer, err
}

// call is one question under way.
type call struct {
	asker    *Asker
	endpoint Endpoint
	id       string
	request  endpoint.Request
	piece    func(string)
	began    time.Time
	came     func() // something has come

	answer Answer
	text   strings.Builder
	held   string // the end of what has come, which could be the beginning of the secret
	left   int64  // bytes that may still come
}

func (c *call) run(ctx context.Context) error {
	within, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	within, stop := context.WithTimeoutCause(within, c.endpoint.WholeWithin, errWhole)
	defer stop()
	first := time.AfterFunc(c.endpoint.FirstWithin, func() { cancel(errFirst) })
	defer first.Stop()
	c.came = func() { first.Stop() }
	err := c.endpoint.maskedError(c.ask(within))
	c.write(c.held) // no more comes of it
	c.answer.Text = c.text.String()
	switch cause := context.Cause(within); {
	case err == nil:
		return nil
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.Is(cause, errFirst):
		return &Failure{Message: message.Say("nothing came within %s", c.endpoint.FirstWithin), Again: true}
	case errors.Is(cause, errWhole):
		return &Failure{Message: message.Say("the reply was not whole within %s", c.endpoint.WholeWithin), Again: true}
	}
	return err
}

func (c *call) ask(ctx context.Context) error {
	req, err := c.endpoint.request(ctx, c.id, c.request)
	if err != nil {
		return err
	}
	if err := c.asker.Check(c.endpoint.Address); err != nil {
		return &Failure{Message: message.Of(err)}
	}
	res, err := c.asker.http.Do(req)
	if err != nil {
		return unreachable(err)
	}
	defer res.Body.Close()
	if res.StatusCode < 200 || res.StatusCode > 299 {
		return c.failed(res)
	}
	c.left = mostAnswer
	kind, _, _ := mime.ParseMediaType(res.Header.Get("Content-Type"))
	if kind == "text/html" || kind == "application/xhtml+xml" {
		return &Failure{Message: message.Say("it answered with a page for people (%s), not with a reply; check the connection's address", kind)}
	}
	if c.request.Stream && c.endpoint.Mapping.Stream.As != "" && kind != "application/json" {
		return c.stream(res.Body)
	}
	body, err := io.ReadAll(io.LimitReader(res.Body, mostAnswer+1))
	switch {
	case err != nil:
		return cut(err, "the answer")
	case len(body) > mostAnswer:
		return &Failure{Message: message.Say("its answer has more than 8 MiB")}
	}
	c.came()
	reply, err := c.endpoint.Mapping.Read(body)
	if err != nil {
		return asFailure(err)
	}
	c.add(endpoint.Piece{Text: reply.Text, Reason: reply.Reason, Tokens: reply.Tokens})
	return nil
}

// request makes the request of a question.
func (e Endpoint) request(ctx context.Context, id string, r endpoint.Request) (*http.Request, error) {
	body, err := e.Mapping.Write(r)
	if err != nil {
		return nil, fmt.Errorf("write the request: %w", err)
	}
	m := e.Mapping.Request
	method := m.Method
	if method == "" {
		method = http.MethodPost
	}
	address := strings.TrimRight(e.Address, "/") + strings.ReplaceAll(m.Path, "{model}", url.PathEscape(r.Model))
	req, err := http.NewRequestWithContext(ctx, method, address, bytes.NewReader(body))
	if err != nil {
		return nil, &Failure{Message: message.Say("its address is no web address")}
	}
	for name, value := range m.Headers {
		req.Header.Set(name, value)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("User-Agent", "goldshelf/1")
	req.Header.Set("Idempotency-Key", id)
	if e.Secret != "" {
		if h := m.Secret.Header; h != "" {
			req.Header.Set(h, m.Secret.Before+e.Secret)
		} else {
			req.Header.Set("Authorization", "Bearer "+e.Secret)
		}
	}
	return req, nil
}

// failed reads an answer that is none.
func (c *call) failed(res *http.Response) error {
	if res.StatusCode >= 300 && res.StatusCode < 400 {
		return &Failure{Message: message.Say("it redirects to %.200q, which is not followed; give the connection the address that is meant", res.Header.Get("Location"))}
	}
	body, _ := io.ReadAll(io.LimitReader(res.Body, mostError)) // the status says enough
	err, again := c.endpoint.Mapping.Failed(res.StatusCode, clean(res.Status), body)
	f := &Failure{Message: message.Of(err), Again: again}
	if again {
		f.After = retryAfter(res.Header.Get("Retry-After"), c.began)
	}
	return f
}

// maskedError leaves the secret out of why there is no reply: an endpoint may have said it.
func (e Endpoint) maskedError(err error) error {
	var f *Failure
	if errors.As(err, &f) {
		if said := f.Message.String(); e.masked(said) != said {
			f.Message = message.Plain(e.masked(said))
		}
	}
	return err
}

// masked leaves the secret out of what is shown.
func (e Endpoint) masked(text string) string {
	if e.Secret == "" {
		return text
	}
	return strings.ReplaceAll(text, e.Secret, "•••")
}

// retryAfter reads seconds or a date (RFC 9110, 10.2.3).
func retryAfter(said string, now time.Time) time.Duration {
	var d time.Duration
	if seconds, err := strconv.Atoi(said); err == nil {
		d = time.Duration(seconds) * time.Second
	} else if at, err := http.ParseTime(said); err == nil {
		d = at.Sub(now)
	}
	return max(0, min(d, mostPause))
}

func (c *call) add(p endpoint.Piece) {
	if p.Text != "" {
		if c.answer.First == 0 {
			c.answer.First = time.Since(c.began)
		}
		c.write(c.mask(clean(p.Text)))
	}
	p.Text = ""
	c.answer.Add(p)
}

func (c *call) write(text string) {
	if text == "" {
		return
	}
	c.text.WriteString(text)
	if c.piece != nil {
		c.piece(text)
	}
}

// mask leaves the secret out of what comes, also where it comes in several pieces: an end that
// could be the beginning of the secret is held back until more has come.
func (c *call) mask(text string) string {
	secret := c.endpoint.Secret
	if secret == "" {
		return text
	}
	text = c.endpoint.masked(c.held + text)
	for n := min(len(secret)-1, len(text)); n > 0; n-- {
		if strings.HasPrefix(secret, text[len(text)-n:]) {
			c.held = text[len(text)-n:]
			return text[:len(text)-n]
		}
	}
	c.held = ""
	return text
}

// clean leaves out what no text can have: bytes that are no UTF-8, and the NUL.
func clean(text string) string {
	return strings.ReplaceAll(strings.ToValidUTF8(text, "\uFFFD"), "\x00", "")
}

// stream reads a reply piece by piece.
func (c *call) stream(body io.Reader) error {
	lines := bufio.NewScanner(io.LimitReader(body, mostAnswer+1))
	lines.Buffer(nil, mostLine)
	var event []byte
	for lines.Scan() {
		c.came()
		line := lines.Bytes()
		if c.left -= int64(len(line)) + 1; c.left <= 0 {
			return &Failure{Message: message.Say("its stream has more than 8 MiB")}
		}
		datum := line
		if c.endpoint.Mapping.Stream.As == endpoint.Events {
			var whole bool
			if datum, whole = eventOf(&event, line); !whole {
				continue
			}
		}
		if len(bytes.TrimSpace(datum)) == 0 {
			continue
		}
		p, err := c.endpoint.Mapping.Datum(datum)
		if err != nil {
			return asFailure(err)
		}
		c.add(p)
		if p.Ends {
			return nil
		}
	}
	if err := lines.Err(); errors.Is(err, bufio.ErrTooLong) {
		return &Failure{Message: message.Say("a line of its stream has more than 1 MiB")}
	} else if err != nil {
		return cut(err, "the stream")
	}
	return cut(io.ErrUnexpectedEOF, "the stream")
}

// eventOf gathers the data of a Server-Sent Event, and gives them at the empty line after it.
func eventOf(event *[]byte, line []byte) (data []byte, whole bool) {
	if len(line) == 0 {
		data, *event = *event, nil
		return data, len(data) > 0
	}
	if value, is := bytes.CutPrefix(line, []byte("data:")); is {
		if len(*event) > 0 {
			*event = append(*event, '\n')
		}
		*event = append(*event, bytes.TrimPrefix(value, []byte(" "))...)
	}
	return nil, false
}

func asFailure(err error) error {
	var f *endpoint.Failure
	if errors.As(err, &f) {
		return &Failure{Message: f.Message}
	}
	return err
}

func cut(err error, what string) error {
	if errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return &Failure{Message: message.Say("%s was cut before it ended", message.Plain(what)), Again: true}
}

// unreachable says why no answer came, without what the reader knows.
func unreachable(err error) error {
	if errors.Is(err, outside.ErrInside) {
		return &Failure{Message: message.Of(outside.ErrInside)}
	}
	var wrapped *url.Error
	if errors.As(err, &wrapped) {
		err = wrapped.Err
	}
	again := !strings.Contains(err.Error(), "certificate") && !strings.Contains(err.Error(), "tls:")
	return &Failure{Message: message.Say("it cannot be reached: %s", err), Again: again}
}

// Exchange is what was sent and what came back, as it is written, without the secret.
type Exchange struct {
	Sent  Text
	Came  *Text
	Reply *endpoint.Reply
	Whole time.Duration
}

// Text is a request or an answer.
type Text struct {
	Line    string
	Headers []string
	Body    string
}

const mostShown = 16 << 10 // bytes of a body

// Probe asks a model once, without a stream, and shows how. Its error is a [Failure].
func (a *Asker) Probe(ctx context.Context, e Endpoint, id string, r endpoint.Request) (x Exchange, err error) {
	r.Stream = false
	began := time.Now()
	defer func() { x.Whole = time.Since(began) }()
	ctx, cancel := context.WithTimeout(ctx, min(e.WholeWithin, time.Minute))
	defer cancel()
	req, err := e.request(ctx, id, r)
	if err != nil {
		return x, err
	}
	body, _ := e.Mapping.Write(r) // as request has just done
	x.Sent = Text{req.Method + " " + req.URL.RequestURI(), e.headers(req.Header), e.masked(shownBody(body))}
	if err := a.Check(e.Address); err != nil {
		return x, &Failure{Message: message.Of(err)}
	}
	res, err := a.http.Do(req)
	if err != nil {
		return x, unreachable(err)
	}
	defer res.Body.Close()
	answer, _ := io.ReadAll(io.LimitReader(res.Body, mostAnswer)) // what has come is shown
	x.Came = &Text{res.Status, e.headers(res.Header), e.masked(shownBody(answer))}
	if res.StatusCode < 200 || res.StatusCode > 299 {
		res.Body = io.NopCloser(bytes.NewReader(answer))
		return x, e.maskedError((&call{endpoint: e, began: began}).failed(res))
	}
	reply, err := e.Mapping.Read(answer)
	if err != nil {
		return x, e.maskedError(asFailure(err))
	}
	reply.Text = e.masked(clean(reply.Text))
	x.Reply = &reply
	return x, nil
}

func shownBody(body []byte) string {
	if len(body) > mostShown {
		return clean(string(body[:mostShown])) + "…"
	}
	return clean(string(body))
}

func (e Endpoint) headers(h http.Header) []string {
	all := []string{}
	for name, values := range h {
		for _, v := range values {
			all = append(all, e.masked(clean(name+": "+v)))
		}
	}
	slices.Sort(all)
	return all
}

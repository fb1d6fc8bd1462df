// Package channel tells other programs what happens: it sends CloudEvents over
// HTTP, signed as Standard Webhooks has it. It knows nothing of the library, and
// never reaches inside the machine or its network but where that was allowed.
package channel

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"goldshelf/core/message"
	"goldshelf/internal/outside"
)

const (
	answerWithin = 10 * time.Second
	mostAnswer   = 64 << 10 // bytes of an answer that are read at most
	secretPrefix = "whsec_"
)

// Pauses are how long to wait before each further attempt. After the last one it
// is given up.
var pauses = []time.Duration{5 * time.Second, 30 * time.Second, 2 * time.Minute, 10 * time.Minute, time.Hour, 6 * time.Hour, 24 * time.Hour}

// Pause gives how long to wait after so many attempts, or false to give up.
func Pause(attempts int) (time.Duration, bool) {
	if attempts < 1 || attempts > len(pauses) {
		return 0, false
	}
	return pauses[attempts-1], true
}

// Event is a CloudEvent, version 1.0, in its structured JSON form.
type Event struct {
	SpecVersion     string    `json:"specversion"`
	ID              string    `json:"id"`
	Source          string    `json:"source"`
	Type            string    `json:"type"`
	Subject         string    `json:"subject,omitempty"`
	Time            time.Time `json:"time"`
	DataContentType string    `json:"datacontenttype"`
	Data            any       `json:"data"`
}

// NewSecret makes a secret to sign with: whsec_ and 32 random bytes in base64.
func NewSecret() (string, error) {
	raw := make([]byte, 32)
	if _, err := rand.Read(raw); err != nil {
		return "", err
	}
	return secretPrefix + base64.StdEncoding.EncodeToString(raw), nil
}

// Sign gives the value of webhook-signature: "v1," and the HMAC-SHA256 of the id,
// the time in seconds and the body, with points between them, in base64.
func Sign(secret, id string, at time.Time, body []byte) (string, error) {
	key, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(secret, secretPrefix))
	if err != nil {
		return "", message.Errorf("the secret is no base64: %w", err)
	}
	mac := hmac.New(sha256.New, key)
	fmt.Fprintf(mac, "%s.%d.%s", id, at.Unix(), body)
	return "v1," + base64.StdEncoding.EncodeToString(mac.Sum(nil)), nil
}

// Verify says whether a request's headers sign its body with the secret, not
// longer ago than tolerance.
func Verify(secret string, header http.Header, body []byte, now time.Time, tolerance time.Duration) error {
	seconds, err := strconv.ParseInt(header.Get("webhook-timestamp"), 10, 64)
	if err != nil {
		return message.Errorf("webhook-timestamp is missing or no number")
	}
	at := time.Unix(seconds, 0)
	if now.Sub(at).Abs() > tolerance {
		return message.Errorf("webhook-timestamp is too far from now")
	}
	want, err := Sign(secret, header.Get("webhook-id"), at, body)
	if err != nil {
		return err
	}
	for got := range strings.FieldsSeq(header.Get("webhook-signature")) {
		if hmac.Equal([]byte(got), []byte(want)) {
			return nil
		}
	}
	return message.Errorf("webhook-signature does not fit")
}

// Sender sends events to channels.
type Sender struct {
	guard outside.Guard
	http  *http.Client
}

// NewSender gives a sender that reaches the outside, and of the inside the hosts
// that are allowed by name, with or without a port.
func NewSender(allowed ...string) *Sender {
	s := &Sender{guard: outside.Guard{Allowed: allowed}}
	client, transport := s.guard.Client()
	client.Timeout = answerWithin
	transport.DisableKeepAlives, transport.ResponseHeaderTimeout, transport.MaxResponseHeaderBytes = true, answerWithin, mostAnswer
	s.http = client
	return s
}

// ErrInside means that an address is inside the machine or its network.
var ErrInside = outside.ErrInside

// Check says what is wrong with an address, as far as that can be said without
// reaching for it.
func (s *Sender) Check(address string) error {
	return s.guard.Check(address, "https://channel.example/hook")
}

// Send sends an event and gives the status of the answer. Its error is nil only
// for a status of 2xx; a redirect is not followed. The same id stands for the
// same event, however often it is sent.
func (s *Sender) Send(ctx context.Context, address, secret, id string, at time.Time, e Event) (status int, err error) {
	if err := s.Check(address); err != nil {
		return 0, err
	}
	body, err := json.Marshal(e)
	if err != nil {
		return 0, err
	}
	signature, err := Sign(secret, id, at, body)
	if err != nil {
		return 0, err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, address, strings.NewReader(string(body)))
	if err != nil {
		return 0, err
	}
	req.Header.Set("Content-Type", "application/cloudevents+json; charset=utf-8")
	req.Header.Set("User-Agent", "goldshelf/1")
	req.Header.Set("webhook-id", id)
	req.Header.Set("webhook-timestamp", strconv.FormatInt(at.Unix(), 10))
	req.Header.Set("webhook-signature", signature)
	res, err := s.http.Do(req)
	if err != nil {
		return 0, plainly(err)
	}
	defer res.Body.Close()
	_, _ = io.CopyN(io.Discard, res.Body, mostAnswer) // what it says beyond that is not waited for
	switch {
	case res.StatusCode >= 200 && res.StatusCode < 300:
		return res.StatusCode, nil
	case res.StatusCode >= 300 && res.StatusCode < 400:
		return res.StatusCode, message.Errorf("it redirects to %q, which is not followed; give the address that is meant", res.Header.Get("Location"))
	}
	return res.StatusCode, message.Errorf("it answers %s", res.Status)
}

// plainly leaves out what the reader knows: the method and the address.
func plainly(err error) error {
	if errors.Is(err, ErrInside) {
		return ErrInside
	}
	var wrapped *url.Error
	if errors.As(err, &wrapped) {
		if wrapped.Timeout() {
			return message.Errorf("it did not answer within %s", answerWithin)
		}
		return wrapped.Err
	}
	return err
}

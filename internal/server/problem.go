package server

import (
	"context"
	"errors"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/keys"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/people"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// unreadable is a request that cannot be read at all.
type unreadable struct{ why message.Text }

func (u *unreadable) Error() string      { return u.why.String() }
func (u *unreadable) Said() message.Text { return u.why }

// status is an error that already knows of which kind it is.
type status struct {
	*kind
	detail message.Text
}

// kind is what a problem's type, title and status say: the same for all that whoever calls has to
// treat alike, and another for anything else.
type kind struct {
	code  int
	name  string // /problems/…
	title message.Text
}

// The kinds of what the server itself refuses.
var (
	compressed        = &kind{fiber.StatusUnsupportedMediaType, "compressed", message.Say("Send it uncompressed")}
	formatUnknown     = &kind{fiber.StatusUnprocessableEntity, "format", message.Say("There is no such format")}
	forPeople         = &kind{fiber.StatusForbidden, "for-people", message.Say("This is for people")}
	keyReused         = &kind{fiber.StatusUnprocessableEntity, "key-reused", message.Say("Another request had that key")}
	mayNot            = &kind{fiber.StatusForbidden, "may-not", message.Say("Whoever calls may not do that")}
	mediaType         = &kind{fiber.StatusUnsupportedMediaType, "media-type", message.Say("Send another type of content")}
	noIfMatch         = &kind{fiber.StatusPreconditionRequired, "no-if-match", message.Say("Say which state you read")}
	notFound          = &kind{fiber.StatusNotFound, "not-found", message.Say("There is no such thing")}
	otherSite         = &kind{fiber.StatusForbidden, "origin", message.Say("Not from there")}
	secretGone        = &kind{fiber.StatusConflict, "secret-gone", message.Say("It was done before, and its secret is not kept")}
	signInFirst       = &kind{fiber.StatusUnauthorized, "sign-in", message.Say("Sign in first")}
	tooLargeRequest   = &kind{fiber.StatusRequestEntityTooLarge, "too-large", message.Say("Too large")}
	tooManyStreams    = &kind{fiber.StatusTooManyRequests, "too-many-streams", message.Say("Too many streams")}
	unreadableRequest = &kind{fiber.StatusBadRequest, "unreadable", message.Say("The request cannot be read")}
)

func (s *status) Error() string      { return s.detail.String() }
func (s *status) Said() message.Text { return s.detail }

// problemFor turns any error into the problem details that tell of it. This is
// the one place where errors become statuses.
func problemFor(err error) (p api.Problem, known bool) {
	var (
		list    problem.List
		bad     *unreadable
		refusal *entry.Refusal
		clash   *writing.Clash
		missing *work.Missing
		taken   *work.Taken
		soon    *people.TooSoon
		many    *keys.TooMany
		needs   *people.NeedsCode
		stopped *texts.Stopped
		used    *lifecycle.InUse
		gone    *texts.Gone
		newer   *work.Outdated
		other   *texts.OtherText
		full    *busy
		code    *people.CodeRefused
		own     *status
		fib     *fiber.Error
	)
	say := func(code int, kind string, title message.Text) (api.Problem, bool) {
		return api.Problem{Type: "/problems/" + kind, Title: title, Status: code, Detail: message.Of(err)}, true
	}
	switch {
	case errors.As(err, &stopped):
		p, _ := say(fiber.StatusUnprocessableEntity, "checks", message.Say("Checks stop this"))
		p.Problems = stopped.Problems
		return p, true
	case errors.As(err, &used):
		p, _ := say(fiber.StatusConflict, "in-use", message.Say("It is in use"))
		p.Problems = used.Problems
		return p, true
	case errors.As(err, &gone):
		p, _ := say(fiber.StatusGone, "retired", message.Say("It was retired"))
		p.Instead = gone.Entry.Instead
		return p, true
	case errors.As(err, &list):
		p, _ := say(fiber.StatusUnprocessableEntity, "does-not-hold", message.Say("What was sent does not hold"))
		p.Detail, p.Problems = list[0].Message, list
		if len(list) > 1 {
			p.Detail = message.Say("%d things are wrong; the first: %s", len(list), list[0].Message)
		}
		return p, true
	case errors.As(err, &bad):
		return say(fiber.StatusBadRequest, "unreadable", message.Say("The request cannot be read"))
	case errors.As(err, &refusal):
		kind, title, code := "not-allowed", message.Say("That is not yours to do"), fiber.StatusForbidden
		if errors.Is(err, entry.ErrOwnWork) {
			kind, title = "own-work", message.Say("Nobody approves what they wrote")
		}
		if errors.Is(err, entry.ErrWrongState) {
			kind, title, code = "wrong-state", message.Say("That is not possible now"), fiber.StatusConflict
		}
		p, _ := say(code, kind, title)
		p.Actions = refusal.Possible
		return p, true
	case errors.As(err, &clash):
		return say(fiber.StatusPreconditionFailed, "changed", message.Say("Someone else changed it first"))
	case errors.As(err, &full):
		return say(fiber.StatusServiceUnavailable, "busy", message.Say("The service is busy"))
	case errors.As(err, &other):
		p, _ := say(fiber.StatusPreconditionFailed, "changed", message.Say("It is another text by now"))
		p.ETag = `"` + string(other.Now) + `"`
		return p, true
	case errors.As(err, &newer):
		return say(fiber.StatusPreconditionFailed, "changed", message.Say("Someone else changed it first"))
	case errors.As(err, &missing):
		return say(fiber.StatusNotFound, "not-found", message.Say("There is no such thing"))
	case errors.As(err, &taken):
		return say(fiber.StatusConflict, "taken", message.Say("That name is taken"))
	case errors.As(err, &soon):
		return say(fiber.StatusTooManyRequests, "too-soon", message.Say("Too many attempts"))
	case errors.As(err, &needs):
		return say(fiber.StatusUnauthorized, "code", message.Say("A one-time code is needed"))
	case errors.As(err, &many):
		return say(fiber.StatusTooManyRequests, "too-many", message.Say("Too many calls"))
	case errors.Is(err, keys.ErrNoKey):
		return say(fiber.StatusUnauthorized, "sign-in", message.Say("The key is not good"))
	case errors.As(err, &code):
		return say(fiber.StatusForbidden, "code", message.Say("This code is not good"))
	case errors.Is(err, people.ErrHasCurator):
		return say(fiber.StatusConflict, "taken", message.Say("There is a curator already"))
	case errors.Is(err, people.ErrSignIn):
		return say(fiber.StatusUnauthorized, "sign-in", message.Say("Sign in first"))
	case errors.As(err, &own):
		return say(own.code, own.name, own.title)
	case errors.As(err, &fib) && fib.Code == fiber.StatusRequestEntityTooLarge:
		own = tooLarge(MaxBody)
		p, _ := say(own.code, own.name, own.title)
		p.Detail = own.detail
		return p, true
	case errors.As(err, &fib) && fib.Code < 500:
		p, _ := say(fib.Code, "request", message.Say("The request cannot be answered"))
		p.Detail = message.Say("the request cannot be answered: %s; see the API's description at /api/v1/openapi.yaml", fib.Message)
		return p, true
	case errors.Is(err, store.ErrUnsure):
		p, _ := say(fiber.StatusServiceUnavailable, "unsure", message.Say("It may have been saved"))
		p.Detail = message.Say("the database went away before it said whether this was saved; it may have been. Read it again")
		return p, true
	case errors.Is(err, store.ErrAway), errors.Is(err, store.ErrTryAgain):
		p, _ := say(fiber.StatusServiceUnavailable, "busy", message.Say("The service is busy"))
		p.Detail = message.Say("the database does not answer at the moment, and nothing was changed; try again in a moment")
		return p, true
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		p, _ := say(fiber.StatusServiceUnavailable, "busy", message.Say("The service is busy"))
		p.Detail = message.Say("the service did not finish in time; try again in a moment")
		return p, true
	}
	p, _ = say(fiber.StatusInternalServerError, "internal", message.Say("Something went wrong here"))
	p.Detail = message.Say("something went wrong in the service, and nothing was changed; try again, and tell whoever runs it if it stays so")
	return p, false
}

func tooLarge(most int) *status {
	if most < MaxBody {
		return &status{tooLargeRequest, message.Say("the request is larger than %d KiB", most>>10)}
	}
	return &status{tooLargeRequest, message.Say("the request is larger than 1 MiB; an entry's text is 256 KiB at most")}
}

// busy means that there is no room at the moment, and soon will be.
type busy struct{ what message.Text }

func (b *busy) Error() string      { return b.what.String() }
func (b *busy) Said() message.Text { return b.what }

// fail answers with the problem details of an error.
func (s *server) fail(c fiber.Ctx, err error) error {
	p, known := problemFor(err)
	p.Instance = "/requests/" + requestID(c)
	if !known {
		s.log.ErrorContext(c.Context(), "request failed", "request", requestID(c), "path", c.Path(), "error", err)
	}
	var clash *writing.Clash
	if errors.As(err, &clash) {
		p.ETag = etagOf(clash.On)
		c.Set(fiber.HeaderETag, p.ETag)
	}
	var soon *people.TooSoon
	if errors.As(err, &soon) {
		c.Set(fiber.HeaderRetryAfter, strconv.Itoa(int(soon.Wait.Seconds())+1))
	}
	var many *keys.TooMany
	if errors.As(err, &many) {
		c.Set(fiber.HeaderRetryAfter, strconv.Itoa(int(many.Wait.Seconds())+1))
	}
	if p.Status == fiber.StatusServiceUnavailable {
		c.Set(fiber.HeaderRetryAfter, "2")
	}
	if p.Status == fiber.StatusUnauthorized {
		challenge := `Bearer realm="Gold Shelf"`
		if c.Path() == mcpPath {
			challenge += `, resource_metadata="` + s.address() + `/.well-known/oauth-protected-resource` + mcpPath + `"`
		}
		c.Set(fiber.HeaderWWWAuthenticate, challenge)
	}
	if err := c.Status(p.Status).JSON(p); err != nil {
		return err
	}
	c.Set(fiber.HeaderContentType, "application/problem+json")
	return nil
}

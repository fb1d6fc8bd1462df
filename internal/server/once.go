package server

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/internal/settings"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// onlyOnce carries a POST with an Idempotency-Key out once, and gives the same answer to
// whoever sends it again. What changed nothing is worked out again.
func (s *server) onlyOnce(c fiber.Ctx) error {
	given := c.Get("Idempotency-Key")
	if c.Method() != fiber.MethodPost || given == "" || caller(c).Key != nil { // an application changes nothing
		return c.Next()
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%d\n%s\n%s", caller(c).ID, c.Path(), given))
	key, request := hex.EncodeToString(sum[:]), sumOf(c)
	there, err := work.Answered(c.Context(), s.lib.DB, key)
	if err != nil {
		return err
	}
	if there != nil {
		return s.again(c, there, request)
	}
	c.SetContext(work.WithOnce(c.Context(), &work.Once{Key: key, Request: request[:], Answer: func(out any) (store.Answer, error) {
		k, err := keptOf(out)
		if err != nil {
			return store.Answer{}, err
		}
		body, err := json.Marshal(k)
		return store.Answer{Status: c.Response().StatusCode(), Body: body}, err
	}}))
	err = c.Next()
	switch {
	case errors.Is(err, work.ErrAnswered): // the same request came twice at once, and the other one was carried out
	case errors.Is(err, store.ErrUnsure): // the kept answer tells, as soon as the database does
		there, askErr := s.answeredSoon(c, key)
		if askErr != nil {
			return err
		}
		if there == nil {
			return &busy{message.Say("the database went away, and nothing was changed; try again in a moment")}
		}
		return s.again(c, there, request)
	default:
		return err
	}
	if there, err = work.Answered(c.Context(), s.lib.DB, key); err != nil {
		return err
	}
	return s.again(c, there, request)
}

// askAgainFor is how long the database is asked what became of a commit.
const askAgainFor = 5 * time.Second

// answeredSoon is work.Answered of a database that may be away for a moment.
func (s *server) answeredSoon(c fiber.Ctx, key string) (a *store.Answer, err error) {
	for end := time.Now().Add(askAgainFor); time.Now().Before(end); time.Sleep(100 * time.Millisecond) {
		if a, err = work.Answered(c.Context(), s.lib.DB, key); err == nil {
			return a, nil
		}
	}
	return nil, err
}

// kept is what is kept of an answer: entries, plans, talks, trials and runs are read again, secrets are gone,
// and what has neither texts nor values is kept as it is.
type kept struct {
	Entry  *ref            `json:"entry,omitempty"`
	Shelf  *keptPublished  `json:"published,omitempty"`
	Plan   string          `json:"plan,omitempty"`
	Talk   string          `json:"talk,omitempty"`
	Reply  string          `json:"reply,omitempty"`
	Trial  string          `json:"trial,omitempty"`
	Run    string          `json:"run,omitempty"`
	Users  string          `json:"users,omitempty"` // the entry whose users were tried
	Secret bool            `json:"secret,omitempty"`
	Body   json.RawMessage `json:"body,omitempty"`
	Empty  bool            `json:"empty,omitempty"`

	out any
}

// ref names a version.
type ref struct {
	Slug    string `json:"slug"`
	Version int    `json:"version"`
}

type keptPublished struct {
	ID    string     `json:"id,omitempty"`
	At    *time.Time `json:"at,omitempty"`
	Items []ref      `json:"items"`
}

// keptOf says what is kept of an answer. Of a type that is not named here it is not known whether
// it has a secret: that is an error, and what was to be done is not.
func keptOf(out any) (kept, error) {
	switch out := out.(type) {
	case nil:
		return kept{Empty: true}, nil
	case api.Entry:
		return kept{Entry: &ref{out.Slug, out.Version}}, nil
	case writing.Draft:
		return kept{Entry: &ref{out.Entry.Slug, out.Entry.Version}}, nil
	case api.Published:
		p := &keptPublished{ID: out.ID, At: out.At}
		for _, e := range out.Items {
			p.Items = append(p.Items, ref{e.Slug, e.Version})
		}
		return kept{Shelf: p}, nil
	case api.Plan:
		return kept{Plan: out.ID}, nil
	case api.Talk:
		return kept{Talk: out.ID}, nil
	case api.TalkReply:
		return kept{Reply: out.ID}, nil
	case api.Trial:
		return kept{Trial: out.ID}, nil
	case api.Run:
		return kept{Run: out.ID}, nil
	case api.UserTrials:
		return kept{Users: out.Of.Entry}, nil
	case api.PasswordLink, api.PeopleImported, api.Feed, api.Channel, api.KeySecret, api.CodesBegun, api.SpareCodes, api.Session:
		return kept{Secret: true}, nil
	case bool, int, int64, struct{},
		api.Applied, api.BulkDone, api.BulkPlan, api.Comment, api.Connection, api.ConnectionTried, api.Facets, api.GuideDrawn, api.LabelPlan,
		api.LabelsChanged, api.LayoutTried, api.QuestionSet, api.Register, api.Report, api.Sample, api.TransferPlan, api.Transferred,
		api.UploadedPicture, settings.Library:
		return kept{out: out}, nil
	}
	return kept{}, fmt.Errorf("whether an answer of %T has a secret is not known", out)
}

// MarshalJSON writes what is kept.
func (k kept) MarshalJSON() ([]byte, error) {
	type plain kept
	if k.out != nil {
		body, err := json.Marshal(k.out)
		if err != nil {
			return nil, err
		}
		k.Body = body
	}
	return json.Marshal(plain(k))
}

// again repeats an answer.
func (s *server) again(c fiber.Ctx, a *store.Answer, request [sha256.Size]byte) error {
	if string(a.Request) != string(request[:]) {
		return &status{keyReused, message.Say("this Idempotency-Key came with another request before; make a new key for each request")}
	}
	var k kept
	if err := json.Unmarshal(a.Body, &k); err != nil {
		return fmt.Errorf("read what was answered before: %w", err)
	}
	c.Status(a.Status)
	switch {
	case k.Entry != nil:
		e, err := s.lib.History.Version(c.Context(), caller(c), k.Entry.Slug, k.Entry.Version)
		return answer(c, e, err)
	case k.Shelf != nil:
		out := api.Published{ID: k.Shelf.ID, At: k.Shelf.At, Items: []api.Entry{}}
		for _, r := range k.Shelf.Items {
			e, err := s.lib.History.Version(c.Context(), caller(c), r.Slug, r.Version)
			if err != nil {
				return err
			}
			out.Items = append(out.Items, e)
		}
		return c.JSON(out)
	case k.Plan != "":
		plan, err := s.lib.Gather.Plan(c.Context(), caller(c), k.Plan)
		return answer(c, plan, err)
	case k.Talk != "":
		talk, err := s.lib.Talks.Talk(c.Context(), caller(c), k.Talk)
		return answer(c, talk, err)
	case k.Reply != "":
		reply, err := s.lib.Talks.Reply(c.Context(), caller(c), k.Reply)
		return answer(c, reply, err)
	case k.Trial != "":
		trial, err := s.lib.Trials.Trial(c.Context(), caller(c), k.Trial)
		return answer(c, trial, err)
	case k.Run != "":
		run, err := s.lib.Relays.Run(c.Context(), caller(c), k.Run)
		return answer(c, run, err)
	case k.Users != "":
		users, err := s.lib.Trials.Users(c.Context(), caller(c), k.Users)
		return answer(c, users, err)
	case k.Secret:
		return &status{secretGone, message.Say("this was done before, and what it answered is a secret that is not kept; make a new one")}
	case k.Empty:
		return c.SendStatus(a.Status)
	}
	c.Set(fiber.HeaderContentType, fiber.MIMEApplicationJSONCharsetUTF8)
	return c.Send(k.Body)
}

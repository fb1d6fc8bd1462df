package server

import (
	"fmt"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/core/trial"
	"goldshelf/internal/trials"
)

func (s *server) testBed(c fiber.Ctx) error {
	b, err := s.lib.Trials.TestBed(c.Context(), caller(c), c.Params("slug"))
	return answerTestBed(c, b, err)
}

// answerTestBed answers with a test bed and its number as its ETag.
func answerTestBed(c fiber.Ctx, b api.TestBed, err error) error {
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("test-bed", b.Number))
	return c.JSON(b)
}

func (s *server) setTestBed(c fiber.Ctx) error {
	on, err := tagNumber(c, "test-bed", message.Say("say which test bed you read: If-Match with its ETag, or \"test-bed.0\" where there is none yet"))
	if err != nil {
		return err
	}
	var in trial.Bed
	if err := body(c, &in); err != nil {
		return err
	}
	b, err := s.lib.Trials.SetTestBed(c.Context(), caller(c), c.Params("slug"), on, in)
	return answerTestBed(c, b, err)
}

func (s *server) readFills(c fiber.Ctx) error {
	var in api.FillsFile
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Trials.Fills(in.CSV)
	return answer(c, out, err)
}

func (s *server) estimateTrial(c fiber.Ctx) error {
	var in api.NewTrial
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Trials.Estimate(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, out, err)
}

func (s *server) startTrial(c fiber.Ctx) error {
	var in api.NewTrial
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	out, err := s.lib.Trials.Start(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, out, err)
}

func (s *server) trials(c fiber.Ctx) error {
	all, err := s.lib.Trials.List(c.Context(), caller(c), trials.Wanted{Entry: c.Query("entry"), Change: trial.Trend(c.Query("change"))})
	return answer(c, all, err)
}

func (s *server) userTrials(c fiber.Ctx) error {
	all, err := s.lib.Trials.Users(c.Context(), caller(c), c.Params("slug"))
	return answer(c, all, err)
}

func (s *server) estimateUserTrials(c fiber.Ctx) error {
	var in api.NewUserTrials
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Trials.EstimateUsers(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, out, err)
}

func (s *server) startUserTrials(c fiber.Ctx) error {
	var in api.NewUserTrials
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	out, err := s.lib.Trials.StartUsers(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, out, err)
}

// trialEvents streams how far a trial has come. The id of an event is how much has been done by
// then: who reads on says that in Last-Event-ID.
func (s *server) trialEvents(c fiber.Ctx) error {
	id := c.Params("id")
	listener, err := s.listenerOf(c)
	if err != nil {
		return err
	}
	if _, err := s.lib.Trials.Trial(c.Context(), caller(c), id); err != nil {
		return err
	}
	return s.stream(c, func(at int, send sendEvent) {
		ended, err := s.lib.Trials.Watch(s.streams, listener, id, at, func(p trials.Progress) error {
			if p.Same {
				return send("", p.Number, nil)
			}
			return send("progress", p.Number, p.TrialItem)
		})
		if err == nil {
			_ = send("ended", ended.Number, ended.TrialItem) // whoever has gone reads it later
		}
	})
}

func (s *server) trial(c fiber.Ctx) error {
	one, err := s.lib.Trials.Trial(c.Context(), caller(c), c.Params("id"))
	return answer(c, one, err)
}

func (s *server) deleteTrial(c fiber.Ctx) error {
	if err := s.lib.Trials.Delete(c.Context(), caller(c), c.Params("id")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) stopTrial(c fiber.Ctx) error {
	one, err := s.lib.Trials.Stop(c.Context(), caller(c), c.Params("id"))
	return answer(c, one, err)
}

func (s *server) resumeTrial(c fiber.Ctx) error {
	var in api.ResumeTrial
	if err := body(c, &in); err != nil {
		return err
	}
	one, err := s.lib.Trials.Resume(c.Context(), caller(c), c.Params("id"), in)
	return answer(c, one, err)
}

// whole reads a part of an address that is a number.
func whole(c fiber.Ctx, name string) (int, error) {
	n, err := strconv.Atoi(c.Params(name))
	if err != nil || n < 0 {
		return 0, &status{notFound, message.Say("%.40q is no number of the trial", c.Params(name))}
	}
	return n, nil
}

func (s *server) trialCell(c fiber.Ctx) error {
	fill, err := whole(c, "fill")
	if err != nil {
		return err
	}
	setUp, err := whole(c, "set_up")
	if err != nil {
		return err
	}
	out, err := s.lib.Trials.Cell(c.Context(), caller(c), c.Params("id"), fill, setUp)
	return answer(c, out, err)
}

// trialReplies answers with all replies: a table, or a file for each.
func (s *server) trialReplies(c fiber.Ctx) error {
	as := c.Query("as", "csv")
	if as != "csv" && as != "zip" {
		return &status{formatUnknown, message.Say("replies come as csv or zip, not as %.40q", as)}
	}
	t, all, err := s.lib.Trials.Replies(c.Context(), caller(c), c.Params("id"))
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderContentDisposition, fmt.Sprintf("attachment; filename=%q", "trial-of-"+t.Slug+"."+as))
	if as == "zip" {
		data, err := trials.Zip(t, all)
		if err != nil {
			return err
		}
		c.Set(fiber.HeaderContentType, "application/zip")
		return c.Send(data)
	}
	c.Set(fiber.HeaderContentType, "text/csv; charset=utf-8")
	return c.Send(trials.CSV(t, all))
}

func (s *server) markReply(c fiber.Ctx) error {
	expectation, err := whole(c, "expectation")
	if err != nil {
		return err
	}
	var in api.NewMark
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Trials.Mark(c.Context(), caller(c), c.Params("id"), c.Params("reply"), expectation, in)
	return answer(c, out, err)
}

func (s *server) trialPair(c fiber.Ctx) error {
	out, err := s.lib.Trials.Pair(c.Context(), caller(c), c.Params("id"))
	return answer(c, out, err)
}

func (s *server) preferReply(c fiber.Ctx) error {
	var in api.NewPreference
	if err := body(c, &in); err != nil {
		return err
	}
	if err := s.lib.Trials.Prefer(c.Context(), caller(c), c.Params("id"), in); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

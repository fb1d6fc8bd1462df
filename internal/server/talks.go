package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/message"
)

func (s *server) connections(c fiber.Ctx) error {
	all, err := s.lib.Connect.List(c.Context(), caller(c))
	return answer(c, all, err)
}

func (s *server) connection(c fiber.Ctx) error {
	one, err := s.lib.Connect.Get(c.Context(), caller(c), c.Params("name"))
	return answerConnection(c, one, err)
}

// answerConnection answers with a connection and its number as its ETag.
func answerConnection(c fiber.Ctx, one api.Connection, err error) error {
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("connection", one.Number))
	return c.JSON(one)
}

func (s *server) addConnection(c fiber.Ctx) error {
	var in api.NewConnection
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	one, err := s.lib.Connect.Add(c.Context(), caller(c), in)
	return answerConnection(c, one, err)
}

func (s *server) setConnection(c fiber.Ctx) error {
	on, err := tagNumber(c, "connection", message.Say("say which connection you read: If-Match with its ETag"))
	if err != nil {
		return err
	}
	var in api.NewConnection
	if err := body(c, &in); err != nil {
		return err
	}
	one, err := s.lib.Connect.Set(c.Context(), caller(c), c.Params("name"), on, in)
	return answerConnection(c, one, err)
}

func (s *server) deleteConnection(c fiber.Ctx) error {
	if err := s.lib.Connect.Delete(c.Context(), caller(c), c.Params("name")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) tryConnection(c fiber.Ctx) error {
	var in api.ConnectionTrial
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Connect.Try(c.Context(), caller(c), c.Params("name"), in)
	return answer(c, out, err)
}

func (s *server) askableModels(c fiber.Ctx) error {
	all, err := s.lib.Connect.Models(c.Context())
	return answer(c, all, err)
}

func (s *server) try(c fiber.Ctx) error {
	var in api.TryRequest
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	talk, err := s.lib.Talks.Try(c.Context(), caller(c), in)
	return answer(c, talk, err)
}

func (s *server) reply(c fiber.Ctx) error {
	one, err := s.lib.Talks.Reply(c.Context(), caller(c), c.Params("id"))
	return answer(c, one, err)
}

func (s *server) stopReply(c fiber.Ctx) error {
	one, err := s.lib.Talks.Stop(c.Context(), caller(c), c.Params("id"))
	return answer(c, one, err)
}

// replyEvents streams a reply as it comes. The id of an event is how many bytes of the text
// have come with it: who reads on says that in Last-Event-ID.
func (s *server) replyEvents(c fiber.Ctx) error {
	id := c.Params("id")
	listener, err := s.listenerOf(c)
	if err != nil {
		return err
	}
	if _, err := s.lib.Talks.Reply(c.Context(), caller(c), id); err != nil {
		return err
	}
	return s.stream(c, func(at int, send sendEvent) {
		ended, err := s.lib.Talks.Watch(s.streams, listener, id, at, func(p api.ReplyPiece) error {
			if p.Text == "" {
				return send("", p.At, nil)
			}
			return send("piece", p.At+len(p.Text), p)
		})
		if err == nil {
			_ = send("ended", len(ended.Text), ended) // whoever has gone reads it later
		}
	})
}

func (s *server) talks(c fiber.Ctx) error {
	all, err := s.lib.Talks.Talks(c.Context(), caller(c), c.Query("q"))
	return answer(c, all, err)
}

func (s *server) talk(c fiber.Ctx) error {
	one, err := s.lib.Talks.Talk(c.Context(), caller(c), c.Params("id"))
	return answer(c, one, err)
}

func (s *server) followUp(c fiber.Ctx) error {
	var in api.FollowUp
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	talk, err := s.lib.Talks.FollowUp(c.Context(), caller(c), c.Params("id"), in)
	return answer(c, talk, err)
}

func (s *server) deleteTalk(c fiber.Ctx) error {
	if err := s.lib.Talks.Delete(c.Context(), caller(c), c.Params("id")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) keepTalk(c fiber.Ctx) error {
	var in api.TalkKept
	if err := body(c, &in); err != nil {
		return err
	}
	talk, err := s.lib.Talks.Keep(c.Context(), caller(c), c.Params("id"), in.Kept)
	return answer(c, talk, err)
}

func (s *server) shareTalk(c fiber.Ctx) error {
	var in api.TalkSharing
	if err := body(c, &in); err != nil {
		return err
	}
	talk, err := s.lib.Talks.Share(c.Context(), caller(c), c.Params("id"), in.With, in.Shared)
	return answer(c, talk, err)
}

func (s *server) replyAsEntry(c fiber.Ctx) error {
	e, err := s.lib.Talks.AsEntry(c.Context(), caller(c), c.Params("id"))
	return answer(c, e, err)
}

func (s *server) propose(c fiber.Ctx) error {
	var in api.NewProposal
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	talk, err := s.lib.Talks.Propose(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, talk, err)
}

func (s *server) takeProposal(c fiber.Ctx) error {
	if err := s.lib.Talks.TakeProposal(c.Context(), caller(c), c.Params("id")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

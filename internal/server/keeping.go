package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

func (s *server) stillGood(c fiber.Ctx) error {
	var in api.Note
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.StillGood(c.Context(), caller(c), c.Params("slug"), in.Note)
	return answer(c, e, err)
}

func (s *server) takeBack(c fiber.Ctx) error {
	var in api.Reason
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.TakeBack(c.Context(), caller(c), c.Params("slug"), in.Because)
	return answer(c, e, err)
}

func (s *server) bringBack(c fiber.Ctx) error {
	number, err := numberOf(c, "number", "a version is a number; see the entry's versions")
	if err != nil {
		return err
	}
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	e, err := s.lib.BringBack(c.Context(), caller(c), c.Params("slug"), int(number))
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(e)
}

func (s *server) publish(c fiber.Ctx) error {
	var in api.PublishRequest
	if err := body(c, &in); err != nil {
		return err
	}
	if in.At != nil {
		e, err := s.lib.PublishAt(c.Context(), caller(c), c.Params("slug"), *in.At)
		return answer(c, e, err)
	}
	e, err := s.lib.Publish(c.Context(), caller(c), c.Params("slug"))
	return answer(c, e, err)
}

func (s *server) publishTogether(c fiber.Ctx) error {
	var in api.PublishTogether
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.PublishTogether(c.Context(), caller(c), in.Slugs, in.At)
	return answer(c, out, err)
}

func (s *server) publications(c fiber.Ctx) error {
	out, err := s.lib.Publications(c.Context(), caller(c))
	return answer(c, out, err)
}

func (s *server) dropPublication(c fiber.Ctx) error {
	if err := s.lib.DropPublication(c.Context(), caller(c), c.Params("id")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) handOver(c fiber.Ctx) error {
	var in api.HandOver
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.HandOver(c.Context(), caller(c), c.Params("slug"), in.To)
	return answer(c, out, err)
}

func (s *server) handOverAll(c fiber.Ctx) error {
	var in api.HandOver
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.HandOverAll(c.Context(), caller(c), c.Params("name"), in.To)
	return answer(c, out, err)
}

// answerOffer accepts an offer, or declines it.
func (s *server) answerOffer(accept bool) fiber.Handler {
	return func(c fiber.Ctx) error {
		if err := body(c, &struct{}{}); err != nil {
			return err
		}
		e, err := s.lib.AnswerOffer(c.Context(), caller(c), c.Params("slug"), accept)
		return answer(c, e, err)
	}
}

func (s *server) setKeepers(c fiber.Ctx) error {
	var in api.Keepers
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.SetKeepers(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, e, err)
}

func (s *server) people(c fiber.Ctx) error {
	out, err := s.lib.People(c.Context())
	return answer(c, out, err)
}

func (s *server) addPerson(c fiber.Ctx) error {
	var in api.NewColleague
	if err := body(c, &in); err != nil {
		return err
	}
	p, err := s.lib.AddColleague(c.Context(), caller(c), in)
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(p)
}

func (s *server) changePerson(c fiber.Ctx) error {
	var in api.PersonChange
	if err := body(c, &in); err != nil {
		return err
	}
	p, err := s.lib.ChangePerson(c.Context(), caller(c), c.Params("name"), in)
	return answer(c, p, err)
}

func (s *server) ownership(c fiber.Ctx) error {
	out, err := s.lib.Ownership(c.Context(), caller(c))
	return answer(c, out, err)
}

func (s *server) desk(c fiber.Ctx) error {
	q, err := queryOf(c)
	if err != nil {
		return err
	}
	desk, err := s.lib.Desk(c.Context(), caller(c), q.Limit, q.Cursor)
	return answer(c, desk, err)
}

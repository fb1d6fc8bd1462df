package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/layout"
	"goldshelf/core/message"
)

var readRegister = message.Say("say which register you read: If-Match with its ETag")

func (s *server) register(c fiber.Ctx) error {
	r, err := s.lib.Register.Register(c.Context())
	return answerRegister(c, r, err)
}

// answerRegister answers with the register and its number as its ETag.
func answerRegister(c fiber.Ctx, r api.Register, err error) error {
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("register", r.Number))
	return c.JSON(r)
}

func (s *server) addRegistered(c fiber.Ctx) error {
	var in api.NewRegistered
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	r, err := s.lib.Register.Add(c.Context(), caller(c), in)
	return answerRegister(c, r, err)
}

func (s *server) changeRegistered(c fiber.Ctx) error {
	on, err := tagNumber(c, "register", readRegister)
	if err != nil {
		return err
	}
	var in api.RegisteredChange
	if err := body(c, &in); err != nil {
		return err
	}
	r, err := s.lib.Register.Change(c.Context(), caller(c), on, c.Params("facet"), c.Params("term"), in)
	return answerRegister(c, r, err)
}

func (s *server) setBudget(c fiber.Ctx) error {
	on, err := tagNumber(c, "register", readRegister)
	if err != nil {
		return err
	}
	var in api.BudgetChange
	if err := body(c, &in); err != nil {
		return err
	}
	r, err := s.lib.Register.SetBudget(c.Context(), caller(c), on, in)
	return answerRegister(c, r, err)
}

func (s *server) moveLabel(c fiber.Ctx) error {
	var in api.MoveLabel
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Register.Move(c.Context(), caller(c), c.Params("facet"), c.Params("term"), in)
	return answer(c, out, err)
}

func (s *server) layouts(c fiber.Ctx) error {
	all, err := s.lib.Register.Layouts(c.Context())
	return answer(c, all, err)
}

func (s *server) layout(c fiber.Ctx) error {
	l, err := s.lib.Register.Layout(c.Context(), c.Params("application"))
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("layout", l.Number))
	return c.JSON(l)
}

func (s *server) setLayout(c fiber.Ctx) error {
	on, err := tagNumber(c, "layout", message.Say("say which layout you read: If-Match with its ETag, or \"layout.0\" where there is none yet"))
	if err != nil {
		return err
	}
	var in layout.Layout
	if err := body(c, &in); err != nil {
		return err
	}
	l, err := s.lib.Register.SetLayout(c.Context(), caller(c), c.Params("application"), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("layout", l.Number))
	return c.JSON(l)
}

func (s *server) deleteLayout(c fiber.Ctx) error {
	if err := s.lib.Register.DeleteLayout(c.Context(), caller(c), c.Params("application")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) tryLayout(c fiber.Ctx) error {
	var in api.LayoutTrial
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Shelf.TryLayout(c.Context(), caller(c), in)
	return answer(c, out, err)
}

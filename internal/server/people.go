package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

func (s *server) transfer(c fiber.Ctx) error {
	var in api.Transfer
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Ownership.Transfer(c.Context(), caller(c), c.Params("slug"), in.To)
	return answer(c, out, err)
}

func (s *server) transferAll(c fiber.Ctx) error {
	var in api.Transfer
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Ownership.TransferAll(c.Context(), caller(c), c.Params("name"), in.To)
	return answer(c, out, err)
}

func (s *server) accept(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	e, err := s.lib.Ownership.Accept(c.Context(), caller(c), c.Params("slug"))
	return answer(c, e, err)
}

func (s *server) decline(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	c.Status(fiber.StatusNoContent)
	return s.lib.Ownership.Decline(c.Context(), caller(c), c.Params("slug"))
}

func (s *server) setOwners(c fiber.Ctx) error {
	var in api.Owners
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Ownership.SetOwners(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, e, err)
}

func (s *server) people(c fiber.Ctx) error {
	out, err := s.lib.People.All(c.Context(), caller(c))
	return answer(c, out, err)
}

func (s *server) addPerson(c fiber.Ctx) error {
	var in api.Person
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	c.Set(fiber.HeaderCacheControl, "no-store")
	p, err := s.lib.People.Add(c.Context(), caller(c), in)
	return answer(c, p, err)
}

func (s *server) changePerson(c fiber.Ctx) error {
	var in api.PersonChange
	if err := body(c, &in); err != nil {
		return err
	}
	p, err := s.lib.People.Change(c.Context(), caller(c), c.Params("name"), in)
	return answer(c, p, err)
}

func (s *server) planTransfer(c fiber.Ctx) error {
	var in api.TransferMany
	if err := body(c, &in); err != nil {
		return err
	}
	plan, err := s.lib.Ownership.PlanTransfer(c.Context(), caller(c), in)
	return answer(c, plan, err)
}

func (s *server) transferMany(c fiber.Ctx) error {
	var in api.TransferMany
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Ownership.TransferMany(c.Context(), caller(c), in)
	return answer(c, out, err)
}

func (s *server) deletePerson(c fiber.Ctx) error {
	if err := s.lib.People.Delete(c.Context(), caller(c), c.Params("name")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) ownData(c fiber.Ctx) error {
	c.Set(fiber.HeaderCacheControl, "no-store")
	data, err := s.lib.People.Data(c.Context(), caller(c))
	return answer(c, data, err)
}

func (s *server) ownership(c fiber.Ctx) error {
	out, err := s.lib.Ownership.Figures(c.Context(), caller(c))
	return answer(c, out, err)
}

func (s *server) desk(c fiber.Ctx) error {
	limit, err := limitOf(c)
	if err != nil {
		return err
	}
	desk, err := s.lib.Desk.Desk(c.Context(), caller(c), limit, c.Query("cursor"))
	return answer(c, desk, err)
}

func (s *server) importPeople(c fiber.Ctx) error {
	data, err := csvOf(c)
	if err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	c.Set(fiber.HeaderCacheControl, "no-store")
	out, err := s.lib.People.Import(c.Context(), caller(c), data)
	return answer(c, out, err)
}

func (s *server) newPasswordLink(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	c.Set(fiber.HeaderCacheControl, "no-store")
	out, err := s.lib.People.NewPasswordLink(c.Context(), caller(c), c.Params("name"))
	return answer(c, out, err)
}

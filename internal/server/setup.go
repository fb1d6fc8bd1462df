package server

import (
	"fmt"
	"strings"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/internal/people"
)

// welcome says what a page may know before anyone has signed in, and whether someone
// has: a page that asks who it is gets no error to show.
func (s *server) welcome(c fiber.Ctx) error {
	out := s.opt.Welcome
	lib, err := s.lib.Settings.Library(c.Context())
	if err != nil {
		return err
	}
	has, err := s.lib.People.HasCurator(c.Context())
	if err != nil {
		return err
	}
	if token, via := s.tokenOf(c); token != "" {
		_, _, err := s.lib.People.Holder(c.Context(), token, via)
		if err != nil && err != people.ErrSignIn {
			return err
		}
		out.SignedIn = err == nil
	}
	if s.opt.SignOn != nil {
		out.SignOn = s.opt.SignOn.Name
	}
	out.Name, out.Zone, out.Setup = lib.Name, lib.Zone, !has
	return c.JSON(out)
}

// setup makes the first curator, and signs them in.
func (s *server) setup(c fiber.Ctx) error {
	if err := s.fromHere(c); err != nil {
		return err
	}
	var in api.Setup
	if err := body(c, &in); err != nil {
		return err
	}
	session, err := s.lib.People.FirstCurator(c.Context(), in)
	if err != nil {
		return err
	}
	return s.signedInAs(c, session)
}

func (s *server) setPassword(c fiber.Ctx) error {
	if err := s.fromHere(c); err != nil {
		return err
	}
	var in api.NewPassword
	if err := body(c, &in); err != nil {
		return err
	}
	if err := s.lib.People.SetPassword(c.Context(), in); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) library(c fiber.Ctx) error {
	lib, err := s.lib.Settings.Library(c.Context())
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("library", lib.Number))
	return c.JSON(lib.LibraryState)
}

func (s *server) setLibrary(c fiber.Ctx) error {
	on, err := tagNumber(c, "library", message.Say("say which settings you read: If-Match with their ETag"))
	if err != nil {
		return err
	}
	var in api.Library
	if err := body(c, &in); err != nil {
		return err
	}
	lib, err := s.lib.Settings.SetLibrary(c.Context(), caller(c), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("library", lib.Number))
	return c.JSON(lib.LibraryState)
}

func (s *server) resume(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	lib, err := s.lib.Settings.Resume(c.Context(), caller(c))
	return answer(c, lib.LibraryState, err)
}

func (s *server) synonyms(c fiber.Ctx) error {
	all, err := s.lib.Settings.Synonyms(c.Context())
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("synonyms", all.Number))
	return c.JSON(all.Synonyms)
}

func (s *server) setSynonyms(c fiber.Ctx) error {
	on, err := tagNumber(c, "synonyms", message.Say("say which lists you read: If-Match with their ETag"))
	if err != nil {
		return err
	}
	var in api.Synonyms
	if err := body(c, &in); err != nil {
		return err
	}
	all, err := s.lib.Settings.SetSynonyms(c.Context(), caller(c), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("synonyms", all.Number))
	return c.JSON(all.Synonyms)
}

// numberTag is the ETag of something that is numbered with every change.
func numberTag(what string, number int) string { return fmt.Sprintf(`"%s.%d"`, what, number) }

// tagNumber reads from If-Match which number a change is based on. What is no tag of
// that thing matches nothing.
func tagNumber(c fiber.Ctx, what string, missing message.Text) (int, error) {
	match := c.Get(fiber.HeaderIfMatch)
	if match == "" {
		return 0, &status{noIfMatch, missing}
	}
	var on int
	if n, err := fmt.Sscanf(match, `"`+what+`.%d"`, &on); n != 1 || err != nil || numberTag(what, on) != match {
		return -1, nil
	}
	return on, nil
}

// csvOf reads a request's CSV.
func csvOf(c fiber.Ctx) ([]byte, error) {
	kind, _, _ := strings.Cut(c.Get(fiber.HeaderContentType), ";")
	if kind = strings.TrimSpace(kind); kind != "" && kind != "text/csv" {
		return nil, &status{mediaType, message.Say("the request is %s; send text/csv", kind)}
	}
	return c.Body(), nil
}

func (s *server) facets(c fiber.Ctx) error {
	facets, err := s.lib.Shelf.Labels(c.Context(), caller(c))
	return answer(c, facets, err)
}

func (s *server) addLabel(c fiber.Ctx) error {
	var in api.NewLabel
	if err := body(c, &in); err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	out, err := s.lib.Labels.Add(c.Context(), caller(c), in)
	return answer(c, out, err)
}

func (s *server) importLabels(c fiber.Ctx) error {
	data, err := csvOf(c)
	if err != nil {
		return err
	}
	c.Status(fiber.StatusCreated)
	out, err := s.lib.Labels.Import(c.Context(), caller(c), data)
	return answer(c, out, err)
}

func (s *server) setFacet(c fiber.Ctx) error {
	var in api.FacetChange
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Labels.SetFacet(c.Context(), caller(c), c.Params("facet"), in)
	return answer(c, out, err)
}

func (s *server) setTerm(c fiber.Ctx) error {
	var in api.TermChange
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Labels.SetTerm(c.Context(), caller(c), c.Params("facet"), c.Params("term"), in)
	return answer(c, out, err)
}

func (s *server) mergeTerm(c fiber.Ctx) error {
	var in api.MergeInto
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Labels.Merge(c.Context(), caller(c), c.Params("facet"), c.Params("term"), in.Into)
	return answer(c, out, err)
}

func (s *server) planLabels(c fiber.Ctx) error {
	var in api.LabelMany
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Labels.PlanMany(c.Context(), caller(c), in)
	return answer(c, out, err)
}

func (s *server) applyLabels(c fiber.Ctx) error {
	var in api.LabelMany
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Labels.LabelMany(c.Context(), caller(c), in)
	return answer(c, out, err)
}

func (s *server) undoLabels(c fiber.Ctx) error {
	out, err := s.lib.Labels.Undo(c.Context(), caller(c), c.Params("id"))
	return answer(c, out, err)
}

func (s *server) setLabels(c fiber.Ctx) error {
	var in api.EntryLabels
	if err := body(c, &in); err != nil {
		return err
	}
	e, err := s.lib.Labels.SetOf(c.Context(), caller(c), c.Params("slug"), in.Labels)
	return answer(c, e, err)
}

package server

import (
	"math"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/internal/voices"
	"goldshelf/internal/work"
)

// stylesPath is where what styles are made from is.
const stylesPath = "/api/v1/styles/"

// documentsPath is where documents are read.
const documentsPath = "/api/v1/documents/text"

func (s *server) measureVoice(c fiber.Ctx) error {
	var in api.TextToMeasure
	if err := body(c, &in); err != nil {
		return err
	}
	v, err := s.lib.Voices.Measure(c.Context(), caller(c), in)
	return answer(c, v, err)
}

func (s *server) styleFigures(c fiber.Ctx) error {
	f, err := s.lib.Voices.Figures(c.Context(), caller(c), c.Params("slug"))
	return answer(c, f, err)
}

func (s *server) drawGuide(c fiber.Ctx) error {
	var in api.GuideToDraw
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Voices.DrawGuide(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, out, err)
}

func (s *server) samples(c fiber.Ctx) error {
	all, err := s.lib.Voices.Samples(c.Context(), caller(c), c.Params("slug"))
	return answer(c, all, err)
}

func (s *server) addSample(c fiber.Ctx) error {
	text, err := uploaded(c)
	if err != nil {
		return err
	}
	in := voices.NewSample{Name: c.Query("name"), Dated: c.Query("dated"), Text: text}
	if said := c.Query("weight"); said != "" {
		if in.Weight, err = strconv.ParseFloat(said, 64); err != nil || in.Weight == 0 {
			in.Weight = math.NaN() // no weight at all
		}
	}
	c.Status(fiber.StatusCreated)
	added, err := s.lib.Voices.AddSample(c.Context(), caller(c), c.Params("slug"), in)
	return answer(c, added, err)
}

func (s *server) sample(c fiber.Ctx) error {
	id, err := sampleID(c)
	if err != nil {
		return err
	}
	one, err := s.lib.Voices.Sample(c.Context(), caller(c), c.Params("slug"), id)
	return answer(c, one, err)
}

func (s *server) removeSample(c fiber.Ctx) error {
	id, err := sampleID(c)
	if err != nil {
		return err
	}
	if err := s.lib.Voices.RemoveSample(c.Context(), caller(c), c.Params("slug"), id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func sampleID(c fiber.Ctx) (int64, error) {
	id, err := strconv.ParseInt(c.Params("id"), 10, 64)
	if err != nil {
		return 0, work.MissingF("%s has no sample %s", c.Params("slug"), c.Params("id"))
	}
	return id, nil
}

// documentText answers with what a document says.
func (s *server) documentText(c fiber.Ctx) error {
	data, err := uploaded(c)
	if err != nil {
		return err
	}
	text, err := s.lib.Voices.DocumentText(c.Context(), data)
	return answer(c, text, err)
}

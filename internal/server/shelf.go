package server

import (
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/rendition"
	"goldshelf/internal/shelf"
	"goldshelf/internal/texts"
)

// queryOf reads how a list is narrowed: q, limit, cursor and state, and every
// other parameter as a facet. A facet may be given several times.
func queryOf(c fiber.Ctx) (shelf.Query, error) {
	q := shelf.Query{Labels: map[string][]string{}}
	var found problem.List
	for k, v := range c.Request().URI().QueryArgs().All() {
		name, value := string(k), string(v)
		switch name {
		case "q":
			q.Text = value
		case "cursor":
			q.Cursor = value
		case "state":
			q.State = entry.State(value)
		case "mine":
			if q.Mine = value == "true"; !q.Mine && value != "false" {
				found.Add("/mine", "mine", "mine is %q; it is true or false", value)
			}
		case "asks":
			if q.Asks = value == "true"; !q.Asks && value != "false" {
				found.Add("/asks", "asks", "asks is %q; it is true or false", value)
			}
		case "sort":
			if q.Newest = value == "newest"; !q.Newest {
				found.Add("/sort", "sort", "the order is %q; it is newest, or left out for the best match", value)
			}
		case "limit":
			n, err := strconv.Atoi(value)
			if err != nil || n < 1 {
				found.Add("/limit", "range", "the limit is %q; it is a number from 1", value)
			}
			q.Limit = n
		default:
			if value != "" {
				q.Labels[name] = append(q.Labels[name], value)
			}
		}
	}
	return q, found.Err()
}

func (s *server) shelf(c fiber.Ctx) error {
	q, err := queryOf(c)
	if err != nil {
		return err
	}
	list, err := s.lib.Shelf.Shelf(c.Context(), caller(c), q)
	return answer(c, list, err)
}

func (s *server) missedSearches(c fiber.Ctx) error {
	all, err := s.lib.Shelf.Missed(c.Context(), caller(c))
	return answer(c, all, err)
}

func (s *server) addMissedSearch(c fiber.Ctx) error {
	var in api.Searched
	if err := body(c, &in); err != nil {
		return err
	}
	if err := s.lib.Shelf.MissedSearch(c.Context(), caller(c), in); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) favourites(c fiber.Ctx) error {
	all, err := s.lib.Shelf.Favourites(c.Context(), caller(c))
	return answer(c, all, err)
}

// favour has the caller keep an entry at hand, or no longer.
func (s *server) favour(on bool) fiber.Handler {
	return func(c fiber.Ctx) error {
		if err := s.lib.Shelf.Favour(c.Context(), caller(c), c.Params("slug"), on); err != nil {
			return err
		}
		return c.SendStatus(fiber.StatusNoContent)
	}
}

// refOf takes "slug@3" apart; without a number it gives 0.
func refOf(ref string) (slug string, number int, err error) {
	slug, digits, pinned := strings.Cut(ref, "@")
	if !pinned {
		return slug, 0, nil
	}
	number, err = strconv.Atoi(digits)
	if err != nil || number < 1 || number > entry.MaxVersion {
		return "", 0, problem.List{{Field: "/version", Code: "version", Message: message.Say("the version is %s; it is a whole number from 1, as in %s@3", strconv.Quote(digits), slug)}}
	}
	return slug, number, nil
}

func (s *server) shelfEntry(c fiber.Ctx) error {
	slug, number, err := refOf(c.Params("ref"))
	if err != nil {
		return err
	}
	ask := texts.Stack{Languages: languagesOf(c), For: c.Query("for"), Base: c.Query("base") == "true"}
	e, err := s.lib.Shelf.Fitting(c.Context(), caller(c), slug, number, ask)
	if err != nil {
		version := ""
		if number > 0 {
			version = "@" + strconv.Itoa(number)
		}
		return calledNow(c, shelfPath, version, err)
	}
	return answer(c, e, nil)
}

// languagesOf is which languages the caller prefers. What is answered goes by it.
func languagesOf(c fiber.Ctx) string {
	c.Vary(fiber.HeaderAcceptLanguage)
	return rendition.Languages(c.Get(fiber.HeaderAcceptLanguage))
}

func (s *server) fill(c fiber.Ctx) error {
	slug, number, err := refOf(c.Params("ref"))
	if err != nil {
		return err
	}
	var in api.FillRequest
	if err := body(c, &in); err != nil {
		return err
	}
	in.Languages = languagesOf(c)
	filled, err := s.lib.Shelf.Fill(c.Context(), caller(c), slug, number, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderContentType, fiber.MIMEApplicationJSONCharsetUTF8)
	return c.Send(filled.AppendJSON(make([]byte, 0, 4*len(filled.Text)+96*len(filled.Spans)+512)))
}

func (s *server) preview(c fiber.Ctx) error {
	var in api.PreviewRequest
	if err := body(c, &in); err != nil {
		return err
	}
	out, err := s.lib.Writing.Preview(c.Context(), caller(c), in)
	return answer(c, out, err)
}

func (s *server) compareStacks(c fiber.Ctx) error {
	slug, number, err := refOf(c.Params("ref"))
	if err != nil {
		return err
	}
	var in api.StacksToCompare
	if err := body(c, &in); err != nil {
		return err
	}
	in.Languages = languagesOf(c)
	out, err := s.lib.Shelf.Compare(c.Context(), caller(c), slug, number, in)
	return answer(c, out, err)
}

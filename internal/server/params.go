package server

import (
	"net/url"
	"strconv"
	"unicode/utf8"

	"github.com/gofiber/fiber/v3"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// readable refuses what the database could not hold or compare: bytes in a path or a
// query that are no text. Nothing behind it need look again.
func (s *server) readable(c fiber.Ctx) error {
	path, err := url.PathUnescape(string(c.Request().URI().PathOriginal()))
	if err != nil || !utf8.ValidString(path) || problem.Text("", path) != nil {
		return &status{notFound, message.Say("there is no such thing: the address holds bytes that are no text")}
	}
	var wrong problem.List
	for k, v := range c.Request().URI().QueryArgs().All() {
		if name := string(k); problem.Text("", name) != nil {
			wrong.Add("", "utf8", "a parameter's name holds bytes that are no text")
		} else {
			wrong = append(wrong, problem.Text(problem.Pointer(name), string(v))...)
		}
	}
	if err := wrong.Err(); err != nil {
		return err
	}
	return c.Next()
}

// intOf reads a whole number of the query, within bounds; 0 where there is none.
func intOf(c fiber.Ctx, name string, least, most int) (int, error) {
	var wrong problem.List
	n := intIn(c, name, least, most, &wrong)
	return n, wrong.Err()
}

// intIn is intOf where several things may be wrong.
func intIn(c fiber.Ctx, name string, least, most int, wrong *problem.List) int {
	text := c.Query(name)
	if text == "" {
		return 0
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < least || n > most {
		wrong.Add(problem.Pointer(name), "range", "%s is %q; it is a whole number from %d to %d", name, text, least, most)
		return 0
	}
	return n
}

// mostLimit is how much a page has at most.
const mostLimit = 200

func limitOf(c fiber.Ctx) (int, error) { return intOf(c, "limit", 1, mostLimit) }

// numberOf reads a number of the path.
func numberOf(c fiber.Ctx, name string, missing message.Text) (int64, error) {
	n, err := strconv.ParseInt(c.Params(name), 10, 64)
	if err != nil {
		return 0, &status{notFound, missing}
	}
	return n, nil
}

// versionOf reads the number of a version from the path.
func versionOf(c fiber.Ctx) (int, error) {
	missing := message.Say("a version is a number; see the entry's versions")
	n, err := numberOf(c, "number", missing)
	if err == nil && (n < 1 || n > entry.MaxVersion) {
		err = &status{notFound, missing}
	}
	return int(n), err
}

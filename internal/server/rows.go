package server

import (
	"os"
	"strings"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

// rowsTypes are the media types of texts that were filled in by rows, and the ends of
// their names.
var rowsTypes = map[string][2]string{
	"zip": {"application/zip", ".zip"}, "csv": {"text/csv; charset=utf-8; header=present", ".csv"}, "document": {"text/markdown; charset=utf-8", ".md"},
}

// fillRows answers with a file, which is written to disk first: what goes out is whole.
func (s *server) fillRows(c fiber.Ctx) error {
	slug, number, err := refOf(c.Params("ref"))
	if err != nil {
		return err
	}
	table, err := uploaded(c)
	if err != nil {
		return err
	}
	how := api.RowsRequest{Format: c.Query("format", "zip"), Name: c.Query("name"), Persona: c.Query("persona"), Style: c.Query("style"), For: c.Query("for"), Languages: languagesOf(c), Base: c.Query("base") == "true"}
	for _, sheet := range c.Request().URI().QueryArgs().PeekMulti("sheet") {
		how.Sheets = append(how.Sheets, string(sheet))
	}
	write, err := s.lib.Shelf.FillRows(c.Context(), caller(c), slug, number, table, how)
	if err != nil {
		return err
	}
	file, err := os.CreateTemp("", "goldshelf-rows-")
	if err != nil {
		return err
	}
	defer os.Remove(file.Name()) // it is read to its end all the same
	if err := write(file); err != nil {
		file.Close()
		return err
	}
	size, err := file.Seek(0, 1)
	if err == nil {
		_, err = file.Seek(0, 0)
	}
	if err != nil {
		file.Close()
		return err
	}
	kind := rowsTypes[how.Format]
	c.Set(fiber.HeaderContentType, kind[0])
	c.Set(fiber.HeaderContentDisposition, `attachment; filename="`+strings.Trim(slug, `"\`)+kind[1]+`"`)
	return c.SendStream(file, int(size))
}

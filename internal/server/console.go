package server

import (
	"io/fs"
	"mime"
	"path"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/compress"

	"goldshelf/core/message"
	"goldshelf/web"
)

// console serves the console's files, and its one page for every address that
// is not a file: the page finds out by itself what to show there.
func (s *server) console(app *fiber.App) {
	files, err := fs.Sub(web.Dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded: it is there
	}
	app.Get("/*", compress.New(), func(c fiber.Ctx) error {
		name := strings.TrimPrefix(path.Clean("/"+c.Params("*")), "/")
		data, err := fs.ReadFile(files, name)
		switch {
		case err == nil && !strings.HasPrefix(name, "assets/") && name != "index.html":
			c.Set(fiber.HeaderCacheControl, "public, max-age=3600")
		case err == nil && name != "index.html":
			c.Set(fiber.HeaderCacheControl, "public, max-age=31536000, immutable") // names carry a hash
		case strings.HasPrefix(name, "assets/"):
			return &status{fiber.StatusNotFound, message.Say("the console has no file %s", name)}
		default:
			name = "index.html"
			if data, err = fs.ReadFile(files, name); err != nil {
				return &status{fiber.StatusNotFound, message.Say("the console was not built into this service; run make build")}
			}
			c.Set(fiber.HeaderCacheControl, "no-cache")
		}
		c.Set(fiber.HeaderContentType, mime.TypeByExtension(path.Ext(name)))
		return c.Send(data)
	})
}

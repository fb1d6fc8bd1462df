package server

import (
	"io/fs"
	"mime"
	"path"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"

	"goldshelf/core/message"
	"goldshelf/web"
)

// file is a file of the console, and copies of it by what they are encoded with.
type file struct {
	plain   []byte
	encoded map[string][]byte
}

// consoleFiles is the console, as it was built.
var consoleFiles = sync.OnceValue(func() map[string]file {
	files := map[string]file{}
	// A file comes before its copies, which are not files of their own.
	err := fs.WalkDir(web.Dist, "dist", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := fs.ReadFile(web.Dist, path)
		if err != nil {
			return err
		}
		name := strings.TrimPrefix(path, "dist/")
		for ending, encoding := range map[string]string{".br": "br", ".gz": "gzip"} {
			if of, is := strings.CutSuffix(name, ending); is {
				files[of].encoded[encoding] = data
				return nil
			}
		}
		files[name] = file{data, map[string][]byte{}}
		return nil
	})
	if err != nil {
		panic(err) // the folder is embedded: it is there
	}
	return files
})

// console serves the console's files, and its one page for every address that
// is not a file: the page finds out by itself what to show there.
func (s *server) console(app *fiber.App) {
	files := consoleFiles()
	app.Get("/*", func(c fiber.Ctx) error {
		name := strings.TrimPrefix(path.Clean("/"+c.Params("*")), "/")
		found, is := files[name]
		switch {
		case is && !strings.HasPrefix(name, "assets/") && name != "index.html":
			c.Set(fiber.HeaderCacheControl, "public, max-age=3600")
		case is && name != "index.html":
			c.Set(fiber.HeaderCacheControl, "public, max-age=31536000, immutable") // names carry a hash
		case strings.HasPrefix(name, "assets/"):
			return &status{notFound, message.Say("the console has no file %s", name)}
		default:
			name = "index.html"
			if found, is = files[name]; !is {
				return &status{notFound, message.Say("the console was not built into this service; run make build")}
			}
			c.Set(fiber.HeaderCacheControl, "no-cache")
		}
		c.Set(fiber.HeaderContentType, mime.TypeByExtension(path.Ext(name)))
		if len(found.encoded) > 0 {
			c.Vary(fiber.HeaderAcceptEncoding)
		}
		for _, encoding := range []string{"br", "gzip"} { // the smaller first
			if smaller, is := found.encoded[encoding]; is && c.AcceptsEncodings(encoding) != "" {
				c.Set(fiber.HeaderContentEncoding, encoding)
				return c.Send(smaller)
			}
		}
		return c.Send(found.plain)
	})
}

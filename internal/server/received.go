package server

import (
	"bytes"
	"crypto/sha256"
	"io"
	"os"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"goldshelf/core/message"
	"goldshelf/core/picture"
	"goldshelf/internal/voices"
)

const (
	mostOpenBody       = 64 << 10 // bytes of a request by one who is not signed in
	uploadsAtOnce      = 4        // that are received; others are asked to come again
	drained            = 1 << 20  // bytes that are read of what is refused, so that its sender hears the answer
	secondsForRoom     = 5
	uploadKey      key = 100
)

// oneLength refuses a request that says its length in two ways: what stands before us may
// have read it otherwise than we do.
func (s *server) oneLength(c fiber.Ctx) error {
	lengths, chunked := 0, false
	for line := range bytes.Lines(c.Request().Header.RawHeaders()) {
		name, _, _ := bytes.Cut(line, []byte(":"))
		switch strings.ToLower(string(bytes.TrimSpace(name))) {
		case "content-length":
			lengths++
		case "transfer-encoding":
			chunked = true
		}
	}
	if lengths > 1 || lengths == 1 && chunked {
		c.Response().SetConnectionClose()
		return &unreadable{message.Say("the request says its length in two ways; send one Content-Length, or chunks")}
	}
	return c.Next()
}

// plainBody refuses a request whose body is compressed: a few hundred bytes can unpack to
// hundreds of megabytes, and the framework unpacks a body wherever it is read.
func (s *server) plainBody(c fiber.Ctx) error {
	if encoding := strings.TrimSpace(c.Get(fiber.HeaderContentEncoding)); encoding != "" && !strings.EqualFold(encoding, "identity") {
		c.Set(fiber.HeaderAcceptEncoding, "identity") // RFC 9110, 15.5.16
		return &status{compressed, message.Say("the request's body is compressed (%.40q); send it uncompressed, without Content-Encoding", encoding)}
	}
	return c.Next()
}

// received reads the body of a request, of so many bytes at most. It comes after it is
// known who calls: what nobody may send is not kept.
func (s *server) received(most int) fiber.Handler {
	return func(c fiber.Ctx) error {
		stream := c.Request().BodyStream()
		if stream == nil {
			return c.Next()
		}
		if most := uploads(c); most > 0 {
			return s.receiveUpload(c, stream, most)
		}
		if conn := c.RequestCtx().Conn(); conn != nil { // the head has come; the body has a time of its own
			if err := conn.SetReadDeadline(time.Now().Add(answerWithin)); err != nil {
				return err
			}
		}
		data, err := io.ReadAll(io.LimitReader(stream, int64(most)+1))
		if err != nil {
			return brokeOff(c, err)
		}
		if len(data) > most {
			refuseBody(c)
			return tooLarge(most)
		}
		c.Request().SetBody(data)
		return c.Next()
	}
}

// uploads gives how large a request may be that brings a file, which may be larger than
// others: an import, a table to fill in from, a picture, a sample, a document. Of others it gives 0.
func uploads(c fiber.Ctx) int64 {
	path := c.Path()
	switch {
	case c.Method() != fiber.MethodPost:
		return 0
	case path == importPath, strings.HasPrefix(path, shelfPath) && strings.HasSuffix(path, "/fill-rows"):
		return MaxImport
	case path == picturesPath:
		return picture.MostBytes
	case path == documentsPath, strings.HasPrefix(path, stylesPath) && strings.HasSuffix(path, "/samples"):
		return voices.MostSample
	}
	return 0
}

func brokeOff(c fiber.Ctx, err error) error {
	c.Response().SetConnectionClose()
	return &unreadable{message.Say("the request broke off: %s", err)}
}

// refuseBody reads a little more of a body that is not wanted, so that its sender gets to
// hear the answer, and then ends the connection.
func refuseBody(c fiber.Ctx) {
	if stream := c.Request().BodyStream(); stream != nil {
		_, _ = io.CopyN(io.Discard, stream, drained) // whoever sends more than that is cut off
		c.Response().SetConnectionClose()
	}
}

// upload is a body that was written to disk, with its hash.
type upload struct {
	path string
	sum  [sha256.Size]byte
}

// receiveUpload writes a file to disk, if its sender may bring it: only when all of it is
// there is it read.
func (s *server) receiveUpload(c fiber.Ctx, stream io.Reader, most int64) error {
	if c.Path() == importPath {
		if err := caller(c).MustCurate("import"); err != nil {
			return err
		}
	}
	select {
	case s.receiving <- struct{}{}:
		defer func() { <-s.receiving }()
	case <-time.After(secondsForRoom * time.Second):
		return &busy{message.Say("several files are being received already; send this one again in a moment")}
	case <-c.Context().Done():
		return c.Context().Err()
	}
	if err := c.RequestCtx().Conn().SetReadDeadline(time.Now().Add(importWithin)); err != nil {
		return err
	}
	file, err := os.CreateTemp("", "goldshelf-upload-")
	if err != nil {
		return err
	}
	defer os.Remove(file.Name())
	defer file.Close()
	sum := sha256.New()
	n, err := io.Copy(io.MultiWriter(file, sum), io.LimitReader(stream, most+1))
	if err != nil {
		return brokeOff(c, err)
	}
	if n > most {
		refuseBody(c)
		return &status{tooLargeRequest, message.Say("the file is larger than %d MiB; bring it in parts, or smaller", most>>20)}
	}
	c.Locals(uploadKey, &upload{file.Name(), [sha256.Size]byte(sum.Sum(nil))})
	return c.Next()
}

// uploaded gives what was received of an import.
func uploaded(c fiber.Ctx) ([]byte, error) {
	if u, is := c.Locals(uploadKey).(*upload); is {
		return os.ReadFile(u.path)
	}
	return c.Body(), nil
}

// sumOf is the hash of a request's body.
func sumOf(c fiber.Ctx) [sha256.Size]byte {
	if u, is := c.Locals(uploadKey).(*upload); is {
		return u.sum
	}
	return sha256.Sum256(c.Body())
}

// turnedAway has a request whose body nobody has read end well.
func (s *server) turnedAway(c fiber.Ctx) error {
	err := c.Next()
	if err != nil && c.Request().BodyStream() != nil && c.Locals(uploadKey) == nil {
		refuseBody(c)
	}
	return err
}

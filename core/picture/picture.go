// Package picture draws pictures anew: what goes on the shelf is made of the pixels alone,
// in three sizes, without whatever else was in the file.
package picture

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"image"
	"image/jpeg"
	"image/png"

	"golang.org/x/image/draw"
	"golang.org/x/image/webp"

	"goldshelf/core/problem"
)

// Limits of a picture that is brought.
const (
	MostBytes  = 4 << 20
	mostSide   = 8_000      // pixels
	mostPixels = 24_000_000 // about 100 MB while it is drawn
)

// The longest sides of the sizes, in pixels.
const (
	largeSide  = 1600
	mediumSide = 800
	smallSide  = 320

	quality = 86 // of JPEG, of 100
)

// Drawn is a picture as it is kept.
type Drawn struct {
	ID            string // the SHA-256 of the largest size, in hexadecimal
	Type          string // image/png or image/jpeg
	Width, Height int    // of the largest size, in pixels

	Large, Medium, Small []byte
}

// Draw reads a PNG, JPEG or WebP and draws it anew. A JPEG stays one, turned as its camera
// says; others are PNG where anything shows through and JPEG else, but for small PNGs. Its
// error is a [problem.List].
func Draw(data []byte) (Drawn, error) {
	if len(data) > MostBytes {
		return Drawn{}, refuse("size", "the picture has %d KiB; it has at most %d MiB", len(data)>>10, MostBytes>>20)
	}
	format, config, err := read(data)
	if err != nil {
		return Drawn{}, err
	}
	if config.Width > mostSide || config.Height > mostSide || config.Width*config.Height > mostPixels {
		return Drawn{}, refuse("size", "the picture is %d by %d pixels; it has at most %d by %d, and %d million in all", config.Width, config.Height, mostSide, mostSide, mostPixels/1_000_000)
	}
	img, err := format.decode(bytes.NewReader(data))
	if err != nil {
		return Drawn{}, refuse("broken", "the picture cannot be read to its end: %v; save it anew and bring that", err)
	}
	if format.name == "jpeg" {
		img = turned(img, orientation(data))
	}
	return drawn(img, format.name == "png" || !opaque(img))
}

type format struct {
	name   string
	config func(*bytes.Reader) (image.Config, error)
	decode func(*bytes.Reader) (image.Image, error)
}

// read says which format a picture has, and how large it is.
func read(data []byte) (f format, c image.Config, err error) {
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n\x1a\n")):
		f = format{"png", func(r *bytes.Reader) (image.Config, error) { return png.DecodeConfig(r) }, func(r *bytes.Reader) (image.Image, error) { return png.Decode(r) }}
	case bytes.HasPrefix(data, []byte("\xff\xd8\xff")):
		f = format{"jpeg", func(r *bytes.Reader) (image.Config, error) { return jpeg.DecodeConfig(r) }, func(r *bytes.Reader) (image.Image, error) { return jpeg.Decode(r) }}
	case len(data) > 12 && bytes.HasPrefix(data, []byte("RIFF")) && string(data[8:12]) == "WEBP":
		f = format{"webp", func(r *bytes.Reader) (image.Config, error) { return webp.DecodeConfig(r) }, func(r *bytes.Reader) (image.Image, error) { return webp.Decode(r) }}
	case bytes.Contains(data[:min(len(data), 1000)], []byte("<svg")):
		return f, c, refuse("format", "this is an SVG, which is a program and no picture; export it as a PNG")
	case len(data) == 0:
		return f, c, refuse("empty", "the file is empty")
	default:
		return f, c, refuse("format", "this is no PNG, JPEG or WebP, whatever its name says")
	}
	if c, err = f.config(bytes.NewReader(data)); err != nil || c.Width <= 0 || c.Height <= 0 {
		return f, c, refuse("broken", "the picture cannot be read; save it anew and bring that")
	}
	return f, c, nil
}

func refuse(code, format string, args ...any) error {
	var one problem.List
	one.Add("/picture", code, format, args...)
	return one
}

func drawn(img image.Image, asPNG bool) (Drawn, error) {
	d := Drawn{Type: "image/jpeg"}
	if asPNG {
		d.Type = "image/png"
	}
	for side, into := range map[int]*[]byte{largeSide: &d.Large, mediumSide: &d.Medium, smallSide: &d.Small} {
		sized := within(img, side)
		var b bytes.Buffer
		var err error
		if asPNG {
			err = (&png.Encoder{CompressionLevel: png.BestCompression}).Encode(&b, sized)
		} else {
			err = jpeg.Encode(&b, sized, &jpeg.Options{Quality: quality})
		}
		if err != nil {
			return d, refuse("broken", "the picture cannot be drawn: %v", err)
		}
		*into = b.Bytes()
		if side == largeSide {
			d.Width, d.Height = sized.Bounds().Dx(), sized.Bounds().Dy()
		}
	}
	sum := sha256.Sum256(d.Large)
	d.ID = hex.EncodeToString(sum[:])
	return d, nil
}

// within gives a picture whose sides are so long at most, drawn anew in any case.
func within(img image.Image, side int) image.Image {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	if long := max(w, h); long > side {
		w, h = max(1, w*side/long), max(1, h*side/long)
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	if w == img.Bounds().Dx() && h == img.Bounds().Dy() {
		draw.Draw(out, out.Bounds(), img, img.Bounds().Min, draw.Src)
	} else {
		draw.CatmullRom.Scale(out, out.Bounds(), img, img.Bounds(), draw.Src, nil)
	}
	return out
}

func opaque(img image.Image) bool {
	o, is := img.(interface{ Opaque() bool })
	return is && o.Opaque()
}

// orientation is how the camera was held, as Exif has it (CIPA DC-008, tag 274): 1 where
// it does not say.
func orientation(data []byte) int {
	for at := 2; at+4 <= len(data) && data[at] == 0xff; {
		marker, size := data[at+1], int(binary.BigEndian.Uint16(data[at+2:]))
		if size < 2 || at+2+size > len(data) || marker == 0xda {
			return 1
		}
		part := data[at+4 : at+2+size]
		if marker == 0xe1 && bytes.HasPrefix(part, []byte("Exif\x00\x00")) {
			return inTIFF(part[6:])
		}
		at += 2 + size
	}
	return 1
}

func inTIFF(t []byte) int {
	if len(t) < 8 {
		return 1
	}
	var order binary.ByteOrder = binary.BigEndian
	if t[0] == 'I' {
		order = binary.LittleEndian
	}
	at := int(order.Uint32(t[4:]))
	if at < 8 || at+2 > len(t) {
		return 1
	}
	n := int(order.Uint16(t[at:]))
	for i := range n {
		tag := at + 2 + 12*i
		if tag+12 > len(t) {
			return 1
		}
		if order.Uint16(t[tag:]) == 274 {
			if o := int(order.Uint16(t[tag+8:])); o >= 1 && o <= 8 {
				return o
			}
			return 1
		}
	}
	return 1
}

// turned gives a picture as it is to be seen.
func turned(img image.Image, how int) image.Image {
	if how == 1 {
		return img
	}
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	size := image.Rect(0, 0, w, h)
	if how >= 5 {
		size = image.Rect(0, 0, h, w)
	}
	out := image.NewNRGBA(size)
	for y := range h {
		for x := range w {
			tx, ty := x, y
			switch how {
			case 2:
				tx = w - 1 - x
			case 3:
				tx, ty = w-1-x, h-1-y
			case 4:
				ty = h - 1 - y
			case 5:
				tx, ty = y, x
			case 6:
				tx, ty = h-1-y, x
			case 7:
				tx, ty = h-1-y, w-1-x
			case 8:
				tx, ty = y, w-1-x
			}
			out.Set(tx, ty, img.At(img.Bounds().Min.X+x, img.Bounds().Min.Y+y))
		}
	}
	return out
}

package picture_test

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"strings"
	"testing"

	"goldshelf/core/picture"
	"goldshelf/core/problem"
)

// square is a picture whose left half is red and whose right half is green.
func square(w, h int) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.NRGBA{200, 0, 0, 255}
			if x >= w/2 {
				c = color.NRGBA{0, 200, 0, 255}
			}
			img.SetNRGBA(x, y, c)
		}
	}
	return img
}

func asPNG(t testing.TB, img image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func asJPEG(t testing.TB, img image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, nil); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// withText puts words into a PNG as its tEXt, which has no pixels.
func withText(data []byte, words string) []byte {
	chunk := append([]byte("tEXt"), "Comment\x00"+words...)
	var b bytes.Buffer
	b.Write(data[:33]) // the signature and IHDR
	_ = binary.Write(&b, binary.BigEndian, uint32(len(chunk)-4))
	b.Write(chunk)
	_ = binary.Write(&b, binary.BigEndian, crc32.ChecksumIEEE(chunk))
	b.Write(data[33:])
	return b.Bytes()
}

// held puts into a JPEG how its camera was held, and where it was.
func held(data []byte, how byte) []byte {
	tiff := []byte("Exif\x00\x00II*\x00\x08\x00\x00\x00\x01\x00\x12\x01\x03\x00\x01\x00\x00\x00" + string(how) + "\x00\x00\x00\x00\x00\x00\x00at Mill Lane")
	part := append([]byte{0xff, 0xe1, 0, byte(len(tiff) + 2)}, tiff...)
	return append(append(bytes.Clone(data[:2]), part...), data[2:]...)
}

// What is drawn has the pixels in three sizes, and nothing else that was in the file.
func TestDraw(t *testing.T) {
	t.Parallel()
	d, err := picture.Draw(withText(asPNG(t, square(2000, 1000)), "secret of the camera"))
	if err != nil || d.Type != "image/png" || d.Width != 1600 || d.Height != 800 || len(d.ID) != 64 {
		t.Fatalf("%s %d by %d, %v", d.Type, d.Width, d.Height, err)
	}
	for name, size := range map[string]struct {
		data []byte
		w, h int
	}{"large": {d.Large, 1600, 800}, "medium": {d.Medium, 800, 400}, "small": {d.Small, 320, 160}} {
		img, err := png.Decode(bytes.NewReader(size.data))
		if err != nil || img.Bounds().Dx() != size.w || img.Bounds().Dy() != size.h {
			t.Errorf("%s: %v, %v", name, img.Bounds(), err)
			continue
		}
		if r, _, _, _ := img.At(10, 10).RGBA(); r>>8 != 200 {
			t.Errorf("%s is not red at the left: %d", name, r>>8)
		}
		if bytes.Contains(size.data, []byte("secret")) {
			t.Errorf("%s has what the camera said", name)
		}
	}
	again, err := picture.Draw(d.Large)
	if err != nil || again.ID != d.ID {
		t.Errorf("drawn again it is another: %v", err)
	}
	turned, err := picture.Draw(held(asJPEG(t, square(200, 100)), 6))
	if err != nil || turned.Width != 100 || turned.Height != 200 || bytes.Contains(turned.Large, []byte("Mill Lane")) {
		t.Fatalf("a camera held upright: %d by %d, %v", turned.Width, turned.Height, err)
	}
	img, err := jpeg.Decode(bytes.NewReader(turned.Large))
	if err != nil {
		t.Fatal(err)
	}
	if r, _, _, _ := img.At(50, 20).RGBA(); r>>8 < 150 {
		t.Errorf("what was left is not on top: %d", r>>8)
	}
}

func TestNoPictures(t *testing.T) {
	t.Parallel()
	bomb := asPNG(t, square(10, 10))
	binary.BigEndian.PutUint32(bomb[16:], 20_000)
	binary.BigEndian.PutUint32(bomb[20:], 20_000)
	binary.BigEndian.PutUint32(bomb[29:], crc32.ChecksumIEEE(bomb[12:29]))
	whole := asPNG(t, square(300, 300))
	for name, c := range map[string]struct {
		data []byte
		code string
	}{
		"a bomb":         {bomb, "size"},
		"an SVG":         {[]byte(`<?xml version="1.0"?><svg xmlns="x"><script>alert(1)</script></svg>`), "format"},
		"half a file":    {whole[:len(whole)/2], "broken"},
		"its head alone": {whole[:20], "broken"},
		"a program":      {[]byte("\x7fELF\x02\x01\x01\x00"), "format"},
		"nothing":        {nil, "empty"},
		"far too large":  {append(whole, make([]byte, picture.MostBytes)...), "size"},
		"a broken WebP":  {[]byte("RIFF\x00\x00\x00\x00WEBPVP8 "), "broken"},
	} {
		_, err := picture.Draw(c.data)
		var list problem.List
		if !errors.As(err, &list) || list[0].Code != c.code || !strings.HasPrefix(list[0].Field, "/picture") {
			t.Errorf("%s: %v, want %s", name, err, c.code)
		}
	}
}

// Whatever is brought is drawn, or refused in words.
func FuzzDraw(f *testing.F) {
	small := square(8, 8)
	f.Add(asPNG(f, small))
	f.Add(held(asJPEG(f, small), 8))
	f.Add([]byte("RIFF\x1a\x00\x00\x00WEBPVP8L\r\x00\x00\x00/\x00\x00\x00\x10\x07\x10\x11\x11\x88\x88\xfe\x07\x00"))
	f.Fuzz(func(t *testing.T, data []byte) {
		d, err := picture.Draw(data)
		var list problem.List
		if err != nil && !errors.As(err, &list) {
			t.Error(err)
		}
		if err == nil && (len(d.Large) == 0 || len(d.Small) == 0) {
			t.Error("nothing was drawn")
		}
	})
}

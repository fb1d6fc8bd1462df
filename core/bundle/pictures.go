package bundle

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"io"
	"path"
	"regexp"
	"strings"

	"goldshelf/core/picture"
)

// pictureName is how a picture is called in a folder.
var pictureName = regexp.MustCompile(`^[0-9a-f]{64}\.(png|jpg)$`)

// PictureName is the name of a picture's file in a folder, by its id and media type.
func PictureName(id, kind string) string {
	if kind == "image/png" {
		return "pictures/" + id + ".png"
	}
	return "pictures/" + id + ".jpg"
}

// IsPictureName says whether a folder's file is called as its pictures are.
func IsPictureName(name string) bool {
	return strings.HasPrefix(name, "pictures/") && pictureName.MatchString(strings.TrimPrefix(name, "pictures/"))
}

// Pictures gives the pictures that a folder or a library brings along, by the ids that its
// entries name them by. They are as they were sent; what cannot be read is passed over, and
// missed where an entry names it.
func Pictures(format Format, data []byte) map[string][]byte {
	switch format {
	case Folder:
		return zipPictures(data)
	case JSON:
		var lib struct {
			Pictures map[string][]byte `json:"pictures"`
		}
		if text, err := decodeText(data); err == nil && json.Unmarshal([]byte(text), &lib) == nil {
			return lib.Pictures
		}
	}
	return nil
}

func zipPictures(data []byte) map[string][]byte {
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil
	}
	all := map[string][]byte{}
	for _, f := range r.File {
		name := path.Base(strings.ReplaceAll(f.Name, `\`, "/"))
		if !pictureName.MatchString(name) || f.UncompressedSize64 > picture.MostBytes {
			continue
		}
		if file, err := f.Open(); err == nil {
			if text, err := io.ReadAll(io.LimitReader(file, picture.MostBytes+1)); err == nil {
				all[name[:64]] = text
			}
			file.Close()
		}
	}
	return all
}

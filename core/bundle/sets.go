package bundle

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"io"
	"path"
	"strings"

	"goldshelf/core/sheet"
)

const mostOfSet = 1 << 20 // bytes of a question set's file

// SetFile gives a version of a question set as a file of a folder: its name and its JSON.
func SetFile(s sheet.Set) (name string, data []byte) {
	data, err := json.MarshalIndent(s, "", "  ")
	if err != nil { // it is made of texts, numbers and lists of them
		panic("write a question set as JSON: " + err.Error())
	}
	return "sets/" + s.Ref() + ".json", append(data, '\n')
}

// IsBesideEntries says whether a folder's file is called as what stands beside its entries
// is: their pictures, and the question sets that they answer.
func IsBesideEntries(name string) bool {
	ref, is := strings.CutPrefix(name, "sets/")
	if ref, json := strings.CutSuffix(ref, ".json"); is && json {
		_, _, ok := sheet.ParseRef(ref)
		return ok
	}
	return IsPictureName(name)
}

// Sets gives the versions of question sets that a folder or a library brings along, each
// once. What cannot be read is passed over, and missed where an entry answers it.
func Sets(format Format, data []byte) (sets []sheet.Set) {
	var read []sheet.Set
	switch format {
	case Folder:
		read = zipSets(data)
	case JSON:
		var lib struct {
			Sets []sheet.Set `json:"sets"`
		}
		if text, err := decodeText(data); err == nil && json.Unmarshal(text, &lib) == nil {
			read = lib.Sets
		}
	}
	seen := map[string]bool{}
	for _, s := range read {
		if s.Version > 0 && s.Problems() == nil && !seen[s.Ref()] {
			seen[s.Ref()] = true
			sets = append(sets, s)
		}
	}
	return sets
}

func zipSets(data []byte) (sets []sheet.Set) {
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil
	}
	for _, f := range r.File {
		name := strings.ReplaceAll(f.Name, `\`, "/")
		if path.Base(path.Dir(name)) != "sets" || path.Ext(name) != ".json" || f.UncompressedSize64 > mostOfSet {
			continue
		}
		file, err := f.Open()
		if err != nil {
			continue
		}
		text, err := io.ReadAll(io.LimitReader(file, mostOfSet))
		file.Close()
		var s sheet.Set
		if err == nil && json.Unmarshal(text, &s) == nil {
			sets = append(sets, s)
		}
	}
	return sets
}

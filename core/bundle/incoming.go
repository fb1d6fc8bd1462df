package bundle

import (
	"bytes"
	"encoding/binary"
	"path"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Incoming is an entry on its way into a library.
type Incoming struct {
	Where string // the file or row that it was found in, for people
	Slug  string // empty where it is to be made from the title
	Note  string // why this version differs, where that was said
	File
	Whole *Whole       // of a library's bundle: the entry with all its versions
	Wrong problem.List // why it cannot come in

	Samples []Sample // of a style, where they came along
}

// Format is a format that entries come in.
type Format string

// The formats that are read.
const (
	EntryFile Format = "entry"    // one entry as Markdown with a header
	Folder    Format = "folder"   // a zip of entry files
	JSON      Format = "bundle"   // a library with all versions, as JSON
	CSV       Format = "csv"      // a table, one entry a row
	Messages  Format = "messages" // a list of chat messages, as JSON
)

// Limits of what is read at once.
const (
	MaxEntries = 50_000
	maxUnzip   = 256 << 20 // bytes of all files of a zip
)

// Guess says which format data has, from its beginning and from its name.
func Guess(name string, data []byte) Format {
	head := bytes.TrimLeft(bytes.TrimPrefix(data[:min(len(data), 512)], []byte("\ufeff")), " \t\r\n")
	switch {
	case bytes.HasPrefix(data, []byte("PK\x03\x04")), bytes.HasPrefix(data, []byte("PK\x05\x06")):
		return Folder
	case bytes.HasPrefix(head, []byte("[")):
		return Messages
	case bytes.HasPrefix(head, []byte("{")):
		if bytes.Contains(head, []byte(`"messages"`)) {
			return Messages
		}
		return JSON
	case strings.EqualFold(path.Ext(name), ".csv"), strings.EqualFold(path.Ext(name), ".tsv"):
		return CSV
	}
	return EntryFile
}

// Reading says how data is to be read.
type Reading struct {
	Format  Format            `json:"format,omitempty"`  // empty: as it seems
	Columns map[string]string `json:"columns,omitempty"` // of a table: what each column holds, by its heading
	Split   string            `json:"split,omitempty"`   // of a table: what stands between values of one cell; empty is ;
	Kind    entry.Kind        `json:"kind,omitempty"`    // where nothing else says it; empty is prompt
	Source  *entry.Source     `json:"source,omitempty"`  // where it all comes from, unless an entry says its own
}

// Gather reads entries from data of any format. Its error is a [problem.List]
// where none of it can be read; what is wrong with one entry alone is with that
// entry.
func Gather(name string, data []byte, how Reading) ([]Incoming, error) {
	if how.Format == "" {
		how.Format = Guess(name, data)
	}
	var all []Incoming
	var err error
	switch how.Format {
	case EntryFile:
		all = []Incoming{fromFile(path.Base(name), data)}
	case Folder:
		all, err = readZip(data)
	case JSON:
		all, err = readLibrary(data)
	case CSV:
		all, err = readTable(name, data, how)
	case Messages:
		all, err = readMessages(name, data)
	default:
		err = one("format", "there is no format %q; the formats are entry, folder, bundle, csv and messages", how.Format)
	}
	if err == nil && len(all) == 0 {
		err = one("empty", "%s holds no entries", name)
	}
	if err == nil && len(all) > MaxEntries {
		err = one("size", "%s holds %d entries, and %d are the most at once; take it in parts", name, len(all), MaxEntries)
	}
	if err != nil {
		return nil, err
	}
	settle(all, how)
	return all, nil
}

// settle gives every entry what it does not say itself, and finds the slugs that
// stand twice.
func settle(all []Incoming, how Reading) {
	first := map[string]string{}
	for i := range all {
		in := &all[i]
		if in.Kind == "" {
			if in.Kind = how.Kind; in.Kind == "" {
				in.Kind = entry.Prompt
			}
		}
		if in.Source == nil && how.Source != nil {
			own := *how.Source
			in.Source = &own
		}
		if in.Slug == "" {
			if in.Slug = entry.SlugFor(in.Title); in.Slug == "" && in.Wrong == nil {
				in.Wrong.Add("/slug", "missing", "it has no slug, and no title that one can be made from")
			}
		} else if _, err := entry.ParseSlug(in.Slug); err != nil && in.Wrong == nil {
			in.Wrong = err.(problem.List)
		}
		if in.Slug == "" {
			continue
		}
		if where, twice := first[in.Slug]; twice {
			in.Wrong.Add("/slug", "twice", "%s has the slug %s too; give one of them another", where, in.Slug)
		} else {
			first[in.Slug] = in.Where
		}
		if in.Wrong == nil {
			in.Wrong = in.Problems()
		}
	}
}

// fromFile reads an entry file; its name is the slug.
func fromFile(name string, data []byte) Incoming {
	in := Incoming{Where: name}
	in.Slug, _, _ = strings.Cut(strings.TrimSuffix(path.Base(name), path.Ext(name)), "@")
	text, err := decodeText(data)
	if err == nil {
		in.File, err = Read(text)
	}
	if list, bad := err.(problem.List); bad {
		in.Wrong = list
	}
	return in
}

// decodeText gives data as UTF-8: UTF-16 is known by its byte-order mark.
func decodeText(data []byte) ([]byte, error) {
	var order binary.ByteOrder
	switch {
	case bytes.HasPrefix(data, []byte{0xff, 0xfe}):
		order = binary.LittleEndian
	case bytes.HasPrefix(data, []byte{0xfe, 0xff}):
		order = binary.BigEndian
	case utf8.Valid(data):
		return bytes.TrimPrefix(data, []byte("\ufeff")), nil
	default:
		return nil, one("utf8", "it is neither UTF-8 nor UTF-16 with a byte-order mark; save it as UTF-8")
	}
	if len(data)%2 != 0 {
		return nil, one("utf16", "it begins as UTF-16 and ends in the middle of a character; save it as UTF-8")
	}
	units := make([]uint16, len(data)/2-1)
	for i := range units {
		units[i] = order.Uint16(data[2*i+2:])
	}
	return []byte(string(utf16.Decode(units))), nil
}

// one is the list of one problem.
func one(code, format string, args ...any) problem.List {
	return problem.List{{Code: code, Message: message.Say(format, args...)}}
}

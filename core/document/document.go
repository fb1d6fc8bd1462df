// Package document reads the text of documents: plain text and Markdown, Word's .docx, and
// the text layer of a .pdf. It keeps paragraphs, lists and headings, and nothing else of how
// a document looks.
package document

import (
	"bytes"
	"encoding/binary"
	"errors"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"goldshelf/core/message"
)

// Limits of a document.
const (
	MostBytes    = 10 << 20 // of the file
	mostUnpacked = 64 << 20 // of what a file unpacks to
	MostText     = 10 << 20 // bytes of the text
	MostPages    = 2000
)

// Format is what a document is written in.
type Format string

// The formats.
const (
	Text   Format = "text"
	Word   Format = "docx"
	PDF    Format = "pdf"
	Legacy Format = "doc"
	Binary Format = "binary"
)

// Unreadable is why a document cannot be read, for whoever has brought it.
type Unreadable struct{ Why message.Text }

func (u Unreadable) Error() string { return u.Why.String() }

// Said gives the reason.
func (u Unreadable) Said() message.Text { return u.Why }

// FormatOf says what data is, by what it begins with and not by its name.
func FormatOf(data []byte) Format {
	switch {
	case bytes.HasPrefix(data, []byte("PK\x03\x04")), bytes.HasPrefix(data, []byte("PK\x05\x06")):
		return Word
	case bytes.HasPrefix(bytes.TrimLeft(data[:min(len(data), 1024)], " \t\r\n\x00"), []byte("%PDF-")):
		return PDF
	case bytes.HasPrefix(data, []byte{0xd0, 0xcf, 0x11, 0xe0}):
		return Legacy
	case bytes.HasPrefix(data, []byte{0xff, 0xfe}), bytes.HasPrefix(data, []byte{0xfe, 0xff}):
		return Text
	case bytes.IndexByte(data[:min(len(data), 8<<10)], 0) >= 0, !utf8.Valid(data):
		return Binary
	}
	return Text
}

// Read gives a document's text, with an empty line between paragraphs. Its error is an
// [Unreadable] that says what is wrong with the document and what to do.
func Read(data []byte) (string, error) {
	if len(data) > MostBytes {
		return "", Unreadable{Why: message.Say("the file is larger than 10 MiB; bring it in parts")}
	}
	var text string
	var err error
	switch FormatOf(data) {
	case Text:
		text, err = plain(data)
	case Word:
		text, err = word(data)
	case PDF:
		text, err = portable(data)
	case Legacy:
		err = Unreadable{Why: message.Say("this is an old Word document (.doc); save it as .docx, or paste its text")}
	default:
		err = Unreadable{Why: message.Say("this is no document that can be read; bring text or Markdown in UTF-8, a .docx or a .pdf")}
	}
	if err != nil {
		return "", err
	}
	if len(text) > MostText {
		return "", errLong
	}
	return text, nil
}

var errLong = Unreadable{Why: message.Say("its text is longer than 10 MiB; bring it in parts")}

// plain gives a text in UTF-8, or in UTF-16 with a byte-order mark.
func plain(data []byte) (string, error) {
	if utf8.Valid(data) {
		return strings.TrimPrefix(string(data), "\ufeff"), nil
	}
	var order binary.ByteOrder = binary.LittleEndian
	if data[0] == 0xfe {
		order = binary.BigEndian
	}
	if len(data)%2 != 0 {
		return "", Unreadable{Why: message.Say("it begins as UTF-16 and ends in the middle of a character; save it as UTF-8")}
	}
	units := make([]uint16, len(data)/2-1)
	for i := range units {
		units[i] = order.Uint16(data[2*i+2:])
	}
	return string(utf16.Decode(units)), nil
}

// unreadable is err as an [Unreadable], or what to say where it is none.
func unreadable(err error, say message.Text) error {
	var known Unreadable
	if errors.As(err, &known) {
		return known
	}
	return Unreadable{Why: say}
}

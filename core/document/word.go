package document

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strconv"
	"strings"

	"goldshelf/core/message"
)

// word gives the text of a .docx: Office Open XML (ISO/IEC 29500-1), of which a document's
// text is in word/document.xml.
func word(data []byte) (string, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return "", Unreadable{Why: message.Say("it begins like a .docx and cannot be unpacked: it is cut short or damaged; save it anew")}
	}
	for _, f := range z.File {
		if f.Name != "word/document.xml" {
			continue
		}
		if f.UncompressedSize64 > mostUnpacked {
			return "", errUnpacked
		}
		r, err := f.Open()
		if err != nil {
			return "", Unreadable{Why: message.Say("its text cannot be unpacked: it is locked with a password, or damaged; save it anew without one")}
		}
		defer r.Close()
		// What a zip says of its sizes need not be so.
		text, err := paragraphs(&limited{r: r, left: mostUnpacked})
		if err != nil {
			return "", unreadable(err, message.Say("its text is damaged: %s; save it anew", err))
		}
		return text, nil
	}
	return "", Unreadable{Why: message.Say("it is a zip, and no Word document: it has no word/document.xml; unpack it and bring what is in it")}
}

var errUnpacked = Unreadable{Why: message.Say("it unpacks to more than 64 MiB, which no document of that size does; bring it in parts")}

// limited reads so much, and then fails.
type limited struct {
	r    io.Reader
	left int64
}

func (l *limited) Read(p []byte) (int, error) {
	if l.left <= 0 {
		return 0, errUnpacked
	}
	n, err := l.r.Read(p[:min(int64(len(p)), l.left)])
	l.left -= int64(n)
	return n, err
}

// paragraphs reads the paragraphs of a document part.
func paragraphs(r io.Reader) (string, error) {
	d := xml.NewDecoder(r)
	p := &wordText{}
	for {
		token, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			return strings.TrimRight(p.all.String(), "\n") + "\n", nil
		}
		if err != nil {
			return "", err
		}
		switch t := token.(type) {
		case xml.Directive:
			return "", Unreadable{Why: message.Say("it declares entities of its own, which no Word document does; save it anew")}
		case xml.StartElement:
			p.start(t)
		case xml.EndElement:
			p.end(t.Name.Local)
		case xml.CharData:
			if p.inText && p.skip == 0 {
				p.line.Write(t)
			}
		}
		if p.all.Len() > MostText {
			return "", errLong
		}
	}
}

// wordText gathers the paragraphs of a document.
type wordText struct {
	all, line strings.Builder
	inText    bool
	skip      int // levels inside what is no text of the document
	heading   int
	list      bool
	tabs      bool // a definition of tab stops is under way
	wasList   bool // the paragraph before was an item of a list
}

func (p *wordText) start(t xml.StartElement) {
	switch t.Name.Local {
	case "del", "moveFrom", "Fallback", "instrText": // deleted, moved away, drawn otherwise, a field's formula
		p.skip++
	case "t":
		p.inText = true
	case "tabs":
		p.tabs = true
	case "tab":
		if !p.tabs {
			p.write("\t")
		}
	case "br", "cr":
		p.write("\n")
	case "noBreakHyphen":
		p.write("-")
	case "numPr":
		p.list = true
	case "pStyle":
		p.heading = headingLevel(attribute(t, "val"))
	}
}

func (p *wordText) write(text string) {
	if p.skip == 0 {
		p.line.WriteString(text)
	}
}

func (p *wordText) end(name string) {
	switch name {
	case "del", "moveFrom", "Fallback", "instrText":
		p.skip = max(p.skip-1, 0)
	case "t":
		p.inText = false
	case "tabs":
		p.tabs = false
	case "p":
		p.paragraph()
	}
}

// paragraph ends one.
func (p *wordText) paragraph() {
	text := strings.TrimSpace(p.line.String())
	p.line.Reset()
	list, heading := p.list, p.heading
	p.list, p.heading = false, 0
	if text == "" {
		return
	}
	switch {
	case p.all.Len() == 0:
	case list && p.wasList:
		p.all.WriteString("\n")
	default:
		p.all.WriteString("\n\n")
	}
	p.wasList = list
	switch {
	case heading > 0:
		p.all.WriteString(strings.Repeat("#", heading) + " ")
	case list:
		p.all.WriteString("- ")
	}
	p.all.WriteString(text)
}

// headingLevel is that of a paragraph's style, from 1; 0 for what is no heading.
func headingLevel(style string) int {
	style = strings.ToLower(strings.ReplaceAll(style, " ", ""))
	if style == "title" {
		return 1
	}
	digits, is := strings.CutPrefix(style, "heading")
	if n, err := strconv.Atoi(digits); is && err == nil && n >= 1 && n <= 6 {
		return n
	}
	return 0
}

func attribute(t xml.StartElement, name string) string {
	for _, a := range t.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

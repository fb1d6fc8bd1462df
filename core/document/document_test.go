package document

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"
)

// docx makes a Word document of a body in XML.
func docx(t testing.TB, body string) []byte {
	t.Helper()
	return zipped(t, "word/document.xml", `<?xml version="1.0" encoding="UTF-8" standalone="yes"?>
<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main" xmlns:mc="http://schemas.openxmlformats.org/markup-compatibility/2006"><w:body>`+body+`</w:body></w:document>`)
}

func zipped(t testing.TB, name, text string) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	f, err := z.Create(name)
	if err == nil {
		_, err = f.Write([]byte(text))
	}
	if err == nil {
		err = z.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

func par(text string) string {
	return `<w:p><w:r><w:t xml:space="preserve">` + text + `</w:t></w:r></w:p>`
}

// portableOf makes a .pdf of one page or several with the same contents.
func portableOf(contents string, pages int, more string) []byte {
	return portableWith("", nil, contents, pages, more)
}

// streamOf is an object with contents.
func streamOf(dict, contents string) string {
	return fmt.Sprintf("<<%s/Length %d>>\nstream\n%s\nendstream", dict, len(contents), contents)
}

// portableWith makes it with more resources, of which the objects count from 6.
func portableWith(resources string, objects []string, contents string, pages int, more string) []byte {
	var b bytes.Buffer
	var at []int
	object := func(text string) {
		at = append(at, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", len(at), text)
	}
	b.WriteString("%PDF-1.4\n")
	object("<</Type/Catalog/Pages 2 0 R>>")
	kids := strings.Repeat("5 0 R ", pages)
	object(fmt.Sprintf("<</Type/Pages/Kids[%s]/Count %d>>", kids, pages))
	object("<</Type/Font/Subtype/Type1/BaseFont/Helvetica/Encoding/WinAnsiEncoding/FirstChar 32/LastChar 126/Widths[" + strings.Repeat("500 ", 95) + "]>>")
	object(streamOf("", contents))
	if resources == "" {
		resources = "/Font<</F1 3 0 R>>"
	}
	object("<</Type/Page/Parent 2 0 R/MediaBox[0 0 595 842]/Contents 4 0 R/Resources<<" + resources + ">>>>")
	for _, o := range objects {
		object(o)
	}
	xref := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, a := range at {
		fmt.Fprintf(&b, "%010d 00000 n \n", a)
	}
	fmt.Fprintf(&b, "trailer\n<</Size %d/Root 1 0 R%s>>\nstartxref\n%d\n%%%%EOF\n", len(at)+1, more, xref)
	return b.Bytes()
}

func shown(lines ...string) string {
	var b strings.Builder
	b.WriteString("BT /F1 12 Tf ")
	y := 800
	for _, l := range lines {
		if l == "" {
			y -= 14
			continue
		}
		fmt.Fprintf(&b, "1 0 0 1 50 %d Tm (%s) Tj ", y, l)
		y -= 14
	}
	return b.String() + "ET"
}

func TestRead(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		name string
		data []byte
		want string
	}{
		{"text", []byte("\ufeffOne.\r\n\r\nTwo.\n"), "One.\r\n\r\nTwo.\n"},
		{"UTF-16", []byte("\xff\xfeO\x00n\x00"), "On"},
		{"Word", docx(t, `<w:p><w:pPr><w:pStyle w:val="Heading1"/></w:pPr><w:r><w:t>Title</w:t></w:r></w:p>`+par("First &amp; second. ")+par("")+
			`<w:p><w:pPr><w:numPr/></w:pPr><w:r><w:t>one</w:t></w:r></w:p><w:p><w:pPr><w:numPr/><w:tabs><w:tab w:val="left"/></w:tabs></w:pPr><w:r><w:t>two</w:t><w:tab/><w:t>2</w:t></w:r></w:p>`+
			`<w:p><w:r><w:t>Kept</w:t></w:r><w:del><w:r><w:t>gone</w:t></w:r></w:del><w:r><w:br/><w:t>next line</w:t></w:r></w:p>`+
			`<w:p><mc:AlternateContent><mc:Choice><w:r><w:t>drawn</w:t></w:r></mc:Choice><mc:Fallback><w:r><w:t>drawn</w:t></w:r></mc:Fallback></mc:AlternateContent></w:p>`),
			"# Title\n\nFirst & second.\n\n- one\n- two\t2\n\nKept\nnext line\n\ndrawn\n"},
		{"PDF", portableOf(shown("We mend the main in", "Mill Lane. It is inter-", "rupted twice.", "", "", "You can park."), 1, ""), "We mend the main in Mill Lane. It is interrupted twice.\n\nYou can park.\n"},
		{"PDF without spaces of its own", portableOf("BT /F1 12 Tf 1 0 0 1 50 800 Tm (Mill) Tj 1 0 0 1 80 800 Tm (Lane) Tj ET", 1, ""), "Mill Lane\n"},
		{"PDF of two pages", portableOf(shown("and goes on"), 2, ""), "and goes on and goes on\n"},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := Read(c.data)
			if err != nil || got != c.want {
				t.Errorf("got %q, %v, want %q", got, err, c.want)
			}
		})
	}
}

// What .pdf files are made of beside plain fonts: codes of two bytes, glyphs that are drawn
// by the file itself, forms within the page, lines that follow each other.
func TestReadPDF(t *testing.T) {
	t.Parallel()
	const (
		wide  = "<</Type/Font/Subtype/Type0/BaseFont/AAAAAA+Some/Encoding/Identity-H/DescendantFonts[<</Type/Font/Subtype/CIDFontType2/W[1[500 600] 3 9 500]/DW 400>>]/ToUnicode 7 0 R>>"
		table = "/CIDInit /ProcSet findresource begin 12 dict begin begincmap 1 begincodespacerange <0000> <FFFF> endcodespacerange\n" +
			"2 beginbfchar <0001> <0057> <0002> <D83DDCA7> endbfchar\n2 beginbfrange <0003> <0005> <0061> <0010> <0011> [<00660066> <2019>] endbfrange endcmap end end"
		drawn = "<</Type/Font/Subtype/Type3/FontBBox[0 0 1 1]/FontMatrix[0.001 0 0 0.001 0 0]/CharProcs<<>>/FirstChar 1/LastChar 3/Widths[500 500 500]/Encoding<</Type/Encoding/Differences[1/g1/g2/g3]>>/ToUnicode 7 0 R>>"
		form  = "/Type/XObject/Subtype/Form/Matrix[1 0 0 1 0 -14]"
	)
	for _, c := range []struct {
		name, want, resources string
		objects               []string
		contents              string
	}{
		{"codes of two bytes", "Wabc💧 a’ff\n", "/Font<</F1 6 0 R>>", []string{wide, streamOf("", table)},
			"BT /F1 12 Tf 1 0 0 1 50 800 Tm <00010003000400050002> Tj 1 0 0 1 120 800 Tm <000300110010> Tj ET"},
		{"glyphs of its own", "Müh\n", "/Font<</F1 6 0 R>>", []string{drawn, streamOf("", "3 beginbfchar <01> <004D> <02> <00FC> <03> <0068> endbfchar")},
			"BT /F1 12 Tf 1 0 0 1 50 800 Tm <010203> Tj ET"},
		{"a form", "Before. Within. After.\n", "/Font<</F1 3 0 R>>/XObject<</X1 6 0 R>>", []string{streamOf(form, "BT /F1 12 Tf 1 0 0 1 50 800 Tm (Within.) Tj ET")},
			"BT /F1 12 Tf 1 0 0 1 50 800 Tm (Before.) Tj ET q /X1 Do Q BT /F1 12 Tf 1 0 0 1 50 772 Tm (After.) Tj ET"},
		{"lines that follow each other", "One two three four five\n", "", nil,
			"BT /F1 12 Tf 14 TL 1 0 0 1 50 800 Tm (One) Tj T* (two) Tj (three) ' 0 0 (four) \" 0 -14 TD [(fi) 20 (ve)] TJ ET"},
	} {
		if got, err := Read(portableWith(c.resources, c.objects, c.contents, 1, "")); err != nil || got != c.want {
			t.Errorf("%s: got %q, %v, want %q", c.name, got, err, c.want)
		}
	}
}

func TestWhatCannotBeRead(t *testing.T) {
	t.Parallel()
	whole := docx(t, strings.Repeat(par("Some words."), 100))
	pdf := portableOf(shown("Some words."), 1, "")
	bomb := zipped(t, "word/document.xml", strings.Repeat(" ", mostUnpacked+1))
	for _, c := range []struct {
		name string
		data []byte
		want string
	}{
		{"a .docx cut short", whole[:len(whole)/2], "cut short or damaged"},
		{"a .zip of something else", zipped(t, "notes.txt", "words"), "no Word document"},
		{"a .docx that is a bomb", bomb, "more than 64 MiB"},
		{"a .docx with entities of its own", zipped(t, "word/document.xml", `<!DOCTYPE d [<!ENTITY x SYSTEM "file:///etc/passwd">]><d>&x;</d>`), "entities of its own"},
		{"a .docx whose XML is broken", zipped(t, "word/document.xml", "<w:p><w:t>words</w:p>\x00"), "damaged"},
		{"an old .doc", []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 words"), "save it as .docx"},
		{"a picture", []byte("\x89PNG\r\n\x1a\n\x00\x00"), "no document"},
		{"bytes", []byte("abc\xff\xfe\xfd"), "no document"},
		{"a PDF cut short", pdf[:len(pdf)/2], "cut short or damaged"},
		{"a PDF without text", portableOf("0 0 100 100 re f", 3, ""), "no text layer"},
		{"a locked PDF", portableOf(shown("Some words."), 1, "/Encrypt<</Filter/Standard/V 1/R 2/O(aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa)/U(bbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbb)/P -4>>/ID[(aaaaaaaaaaaaaaaa)(aaaaaaaaaaaaaaaa)]"), "password"},
		{"a PDF of 10,000 pages", portableOf(shown("Some words."), 10_000, ""), "10000 pages; it takes 2000"},
		{"a PDF whose letters have no names", portableWith("/Font<</F1 6 0 R>>", []string{"<</Type/Font/Subtype/Type0/Encoding/Identity-H/DescendantFonts[<<>>]/ToUnicode 7 0 R>>", streamOf("", "1 beginbfchar <0001> <0057> endbfchar")},
			"BT /F1 12 Tf 1 0 0 1 50 800 Tm <00010002000300040005> Tj ET", 1, ""), "which letters they draw"},
		{"a PDF whose forms show themselves", portableWith("/XObject<</X1 6 0 R>>", []string{streamOf("/Type/XObject/Subtype/Form", strings.Repeat("/X1 Do ", 100))}, "/X1 Do", 1, ""), "no text layer"},
		{"50 MiB", make([]byte, 50<<20), "larger than 10 MiB"},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := Read(c.data)
			var says Unreadable
			if got != "" || !errors.As(err, &says) || !strings.Contains(err.Error(), c.want) {
				t.Errorf("got %.40q, %v, want %q", got, err, c.want)
			}
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add(portableOf(shown("Some words."), 1, ""))
	f.Add(docx(f, par("Some words.")))
	f.Add([]byte("words"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if FormatOf(data) == PDF {
			t.Skip("a file of that format is read in a process that may end")
		}
		if text, err := Read(data); err != nil && text != "" {
			t.Errorf("%q and %v", text, err)
		}
	})
}

// A document of about a hundred pages.
func BenchmarkWord(b *testing.B) {
	sentence := "Your water stays on for most of the time; we turn it off twice, for an hour each time, and knock before we do. "
	data := docx(b, strings.Repeat(`<w:p w:rsidR="00A77B3E" w:rsidRDefault="00A77B3E"><w:pPr><w:spacing w:after="120"/><w:jc w:val="both"/></w:pPr><w:r w:rsidRPr="0012"><w:rPr><w:rFonts w:ascii="Arial"/><w:sz w:val="22"/></w:rPr><w:t xml:space="preserve">`+strings.Repeat(sentence, 4)+`</w:t></w:r></w:p>`, 550))
	b.SetBytes(int64(len(data)))
	words := 0
	for b.Loop() {
		text, err := Read(data)
		if err != nil {
			b.Fatal(err)
		}
		words = len(strings.Fields(text))
	}
	b.ReportMetric(float64(words), "words")
}

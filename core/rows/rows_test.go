package rows_test

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"

	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/core/rows"
)

func form(t *testing.T, body string, blanks ...fill.Blank) *fill.Form {
	t.Helper()
	text, err := fill.Parse(body)
	if err != nil {
		t.Fatal(err)
	}
	f, err := fill.Compile(nil, fill.Source{Ref: fill.Ref{Entry: "notice", Version: 1}, Text: text, Blanks: blanks})
	if err != nil {
		t.Fatal(err)
	}
	return f
}

var notice = []fill.Blank{
	{Name: "area", Ask: "Which streets?"}, {Name: "hours_off", Type: fill.Number, Default: fill.Single("6")},
}

func read(t *testing.T, csv string) rows.Table {
	t.Helper()
	table, err := rows.Read([]byte(csv))
	if err != nil {
		t.Fatal(err)
	}
	return table
}

// Each row gives a text; columns are found as people call them, and others are let be.
func TestRowsAreFilledIn(t *testing.T) {
	t.Parallel()
	f := form(t, "To {{area}}: {{hours_off}} hours.\n", notice[:2]...)
	for name, csv := range map[string]string{
		"commas":     "Area,Hours off,note\n\"Mill Lane, upper end\",4,x\nQuay,,y\n",
		"semicolons": "\uFEFFarea;hours_off\r\nMill Lane, upper end;4\r\nQuay;\r\n",
		"tabs":       "HOURS-OFF\tarea\n4\tMill Lane, upper end\n\tQuay\n",
	} {
		texts, err := read(t, csv).Fill(f)
		if want := []string{"To Mill Lane, upper end: 4 hours.\n", "To Quay: 6 hours.\n"}; err != nil || fmt.Sprint(texts) != fmt.Sprint(want) {
			t.Errorf("%s: %q, %v", name, texts, err)
		}
	}
}

func TestTablesThatDoNotHold(t *testing.T) {
	t.Parallel()
	f := form(t, "To {{area}}: {{hours_off}} hours.\n", notice[:2]...)
	long := "area\n" + strings.Repeat("x\n", rows.Most+1)
	bad := "area,hours_off\n" + strings.Repeat(",many\n", 80)
	for name, c := range map[string]struct {
		csv, code string
		problems  int
	}{
		"nothing":           {"", "empty", 1},
		"headings alone":    {"area\n", "empty", 1},
		"no such column":    {"street\nMill Lane\n", "column", 1},
		"a column twice":    {"area,Area\na,b\n", "twice", 1},
		"too many rows":     {long, "size", 1},
		"a row too short":   {"area,hours_off\nMill Lane\n", "table", 1},
		"a quote left open": {"area\n\"Mill", "table", 1},
		"no text":           {"area\nMi\x00ll\n", "", 1},
		"every row":         {"area,hours_off\nMill Lane,some\n,4\n", "", 2},
		"and more":          {bad, "", 101},
	} {
		table, err := rows.Read([]byte(c.csv))
		if err == nil {
			_, err = table.Fill(f)
		}
		var list problem.List
		if !errors.As(err, &list) || len(list) != c.problems || c.code != "" && list[0].Code != c.code {
			t.Errorf("%s: %v", name, err)
		}
	}
	table := read(t, "note,area,hours_off\n\"two\nlines\",Mill Lane,4\n,Quay,some\n")
	var list problem.List
	if _, err := table.Fill(f); !errors.As(err, &list) || list[0].Field != "/rows/1/hours_off" || list[0].Line != 4 || !strings.HasPrefix(list[0].Message.String(), "row 2: ") {
		t.Errorf("where it is wrong: %+v", list)
	}
}

func TestTheFormats(t *testing.T) {
	t.Parallel()
	table := read(t, "area,text\n\"=cmd()\",x\nQuay Street,y\n")
	texts := []string{"=1+1\n", "To Quay Street.\n\n"}
	write := func(f rows.Format, name string) []byte {
		t.Helper()
		var b bytes.Buffer
		if err := table.Write(&b, f, texts, name); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	if got, want := string(write(rows.CSV, "")), "area,text,filled_text\r\n'=cmd(),x,\"'=1+1\r\n\"\r\nQuay Street,y,\"To Quay Street.\r\n\r\n\"\r\n"; strings.ReplaceAll(got, "\r\n", "\n") != strings.ReplaceAll(want, "\r\n", "\n") {
		t.Errorf("as CSV: %q", got)
	}
	if got, want := string(write(rows.Document, "")), "=1+1\n\n---\n\nTo Quay Street.\n"; got != want {
		t.Errorf("as one document: %q", got)
	}
	z, err := zip.NewReader(bytes.NewReader(write(rows.Zip, "Area")), int64(len(write(rows.Zip, "Area"))))
	if err != nil || len(z.File) != 2 || z.File[0].Name != "1-cmd.md" || z.File[1].Name != "2-quay-street.md" {
		t.Fatalf("as a zip: %v", err)
	}
	f, err := z.File[1].Open()
	if err != nil {
		t.Fatal(err)
	}
	if got, err := io.ReadAll(f); err != nil || string(got) != texts[1] {
		t.Errorf("a file: %q, %v", got, err)
	}
	if table.NameProblems("street") == nil || table.NameProblems("area") != nil {
		t.Error("the column that files are called by")
	}
}

// Whatever the table, reading and filling it in ends, in texts or in words.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"a,b\n1,2\n", "\"", "a;b\n;\n", "\uFEFFarea\n=1\n", "area\r\n\r\n\"x\"\"\"\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		table, err := rows.Read(data)
		if err != nil {
			return
		}
		for i, row := range table.Rows {
			if len(row) != len(table.Headings) {
				t.Errorf("row %d has %d cells of %d", i, len(row), len(table.Headings))
			}
		}
		if err := table.Write(io.Discard, rows.Zip, make([]string, len(table.Rows)), table.Headings[0]); err != nil {
			t.Error(err)
		}
	})
}

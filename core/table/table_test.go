package table

import (
	"fmt"
	"strings"
	"testing"

	"goldshelf/core/message"
	"goldshelf/core/problem"
)

var columns = Columns{Must: []string{"name", "full_name"}, May: []string{"department"}, Most: 3}

func TestRead(t *testing.T) {
	t.Parallel()
	for in, want := range map[string]string{
		"name,full_name\nidris,Idris Fenn\n":                              "2 idris|Idris Fenn|",
		"\uFEFFFull Name , department,NAME\r\n Oona Birch,care, oona\r\n": "2 oona|Oona Birch|care",
		"name,full_name\na,\"Two\nlines\"\nb,B\n":                         "2 a|Two\nlines|; 4 b|B|",
		"name,full_name\n":                     "the table has headings and no rows",
		"":                                     "there is no table with headings; the first line is name,full_name,department",
		"name\nx\n":                            "there is no column full_name; the columns are name, full_name and, if one likes, department",
		"name,full_name\na,b,c\n":              "record on line 2: wrong number of fields",
		"name,full_name\na,\"b\n":              "parse error on line 2, column 6: extraneous or missing \" in quoted-field",
		"name,full_name\na,\x00\n":             "line 2, column 3: the text holds the character NUL, which cannot be kept; take it out",
		"name,full_name\na,b\nc,d\ne,f\ng,h\n": "the table has more than 3 rows; bring it in parts",
	} {
		rows, err := columns.Read([]byte(in))
		var got []string
		for _, r := range rows {
			got = append(got, fmt.Sprintf("%d %s|%s|%s", r.Line, r.Cell("name"), r.Cell("full_name"), r.Cell("department")))
		}
		if err != nil {
			got = []string{err.Error()}
		}
		if strings.Join(got, "; ") != want {
			t.Errorf("%q is read as %q, want %q", in, got, want)
		}
	}
}

func TestProblemsHaveTheirPlace(t *testing.T) {
	t.Parallel()
	rows, err := columns.Read([]byte("name,full_name\na,\"x\ny\"\nb,c\n"))
	if err != nil {
		t.Fatal(err)
	}
	found := rows[1].Problems(problem.List{{Field: "/role", Message: message.Say("no role")}})
	if found[0].Field != "/rows/1/role" || found[0].Line != 4 {
		t.Errorf("got %+v", found[0])
	}
}

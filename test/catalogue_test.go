package test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"maps"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"goldshelf/core/check"
	"goldshelf/core/message"
)

// source is every file of the product's Go code, tests left out.
func source(t *testing.T, under ...string) (all []*ast.File) {
	t.Helper()
	files := token.NewFileSet()
	for _, dir := range under {
		err := filepath.WalkDir(filepath.Join("..", dir), func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			f, err := parser.ParseFile(files, path, nil, parser.SkipObjectResolution)
			all = append(all, f)
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	return all
}

// sayers gives by name the functions that take a format and what is put into it, with the
// place of the format among their parameters.
func sayers(all []*ast.File) map[string][]int {
	found := map[string][]int{}
	note := func(name string, of *ast.FuncType) {
		at := 0
		for _, field := range of.Params.List {
			for _, param := range field.Names {
				if (param.Name == "format" || param.Name == "usage") && !slices.Contains(found[name], at) {
					found[name] = append(found[name], at)
				}
				at++
			}
		}
	}
	for _, f := range all {
		ast.Inspect(f, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.FuncDecl:
				note(n.Name.Name, n.Type)
			case *ast.AssignStmt:
				for i, right := range n.Rhs {
					if lit, ok := right.(*ast.FuncLit); ok && i < len(n.Lhs) {
						if name, ok := n.Lhs[i].(*ast.Ident); ok {
							note(name.Name, lit.Type)
						}
					}
				}
			}
			return true
		})
	}
	return found
}

// literal gives the text that a string says, or several that are joined.
func literal(e ast.Expr) (string, bool) {
	switch e := e.(type) {
	case *ast.BasicLit:
		text, err := strconv.Unquote(e.Value)
		return text, err == nil && e.Kind == token.STRING
	case *ast.BinaryExpr:
		left, ok := literal(e.X)
		right, also := literal(e.Y)
		return left + right, ok && also && e.Op == token.ADD
	}
	return "", false
}

// saidInCode gives every text that the code says to people, in English.
func saidInCode(t *testing.T) map[string]bool {
	t.Helper()
	all := source(t, "core", "internal", "client", "api")
	sayers := sayers(all)
	said := map[string]bool{}
	note := func(e ast.Expr) {
		if text, ok := literal(e); ok {
			said[strings.ReplaceAll(text, "%w", "%v")] = true
		}
	}
	for _, f := range all {
		ast.Inspect(f, func(n ast.Node) bool {
			if field, ok := n.(*ast.KeyValueExpr); ok && f.Name.Name == "cli" {
				if name, ok := field.Key.(*ast.Ident); ok && (name.Name == "Usage" || name.Name == "Description") {
					note(field.Value)
				}
			}
			call, ok := n.(*ast.CallExpr)
			if !ok {
				return true
			}
			name, of := "", ""
			switch fun := call.Fun.(type) {
			case *ast.Ident:
				name = fun.Name
			case *ast.SelectorExpr:
				name = fun.Sel.Name
				if x, ok := fun.X.(*ast.Ident); ok {
					of = x.Name
				}
			}
			if of == "fmt" || of == "log" || of == "t" {
				return true
			}
			for _, at := range sayers[name] {
				if at >= len(call.Args) {
					continue
				}
				note(call.Args[at])
			}
			switch {
			case (name == "count" || name == "Counted") && len(call.Args) == 3:
				if many, ok := literal(call.Args[2]); ok {
					said["%d "+many] = true
				}
			case name == "table" && of == "a", name == "MustCurate", name == "Plain":
				for _, head := range call.Args {
					note(head)
				}
			case name == "in" && f.Name.Name == "cli":
				note(call.Args[0])
			}
			return true
		})
	}
	return said
}

var (
	letters = regexp.MustCompile(`\pL`)
	codes   = regexp.MustCompile(`^[a-z/-]+$`) // words for programs
)

// verbs gives what a text puts in, in the order of what it is given.
func verbs(text string) (all []string) {
	next := 1
	for _, m := range regexp.MustCompile(`%(?:\[(\d+)\])?([-+# 0]*[0-9]*(?:\.[0-9]+)?[a-zA-Z%])`).FindAllStringSubmatch(text, -1) {
		if m[2] == "%" {
			continue
		}
		if m[1] != "" {
			next, _ = strconv.Atoi(m[1])
		}
		all = append(all, strconv.Itoa(next)+m[2])
		next++
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// TestEveryTextIsInTheCatalogues holds what the code says against the catalogues: all of it
// is there, with the same values put in.
func TestEveryTextIsInTheCatalogues(t *testing.T) {
	said := saidInCode(t)
	if len(said) < 500 {
		t.Fatalf("only %d texts were found", len(said))
	}
	for _, l := range message.Languages()[1:] {
		catalogue := message.Catalogue(l)
		for _, r := range check.Rules() {
			if _, ok := catalogue[r.About]; !ok {
				t.Errorf("%s lacks what %s is about: %q", l, r.ID, r.About)
			}
		}
		for _, english := range slices.Sorted(maps.Keys(said)) {
			words := regexp.MustCompile(`%[^a-zA-Z%]*[a-zA-Z%]`).ReplaceAllString(english, "")
			if !letters.MatchString(words) || codes.MatchString(english) {
				continue
			}
			have, ok := catalogue[english]
			if !ok {
				t.Errorf("%s lacks %q", l, english)
				continue
			}
			for _, words := range have.All() {
				if want, got := verbs(english), verbs(words); !slices.Equal(want, got) && have.Number == 0 {
					t.Errorf("%s puts %v in where the English has %v: %q", l, got, want, words)
				}
			}
		}
	}
}

package plan

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"strconv"
	"strings"
	"testing"
)

// weightFiles are all files of core whose constants are weights or figures of the model.
var weightFiles = []string{
	"stops.go", "lineup.go", "../digits/digits.go", "../grip/cost.go", "../pattern/thumb.go", "../ring/ring.go",
	"../rank/cost.go", "../rank/rank.go", "../setlist/setlist.go", "../backing/backing.go",
}

// TestModelDocument: docs/model.md gives every weight of every file that has weights, with its value.
func TestModelDocument(t *testing.T) {
	doc, err := os.ReadFile("../../docs/model.md")
	if err != nil {
		t.Fatal(err)
	}
	needs, err := os.ReadFile("../../docs/weights.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range WeightNames() {
		v := strconv.FormatFloat(inForce.Get(name), 'f', -1, 64)
		if of := "`" + name + "`"; !strings.Contains(string(doc), of+" | "+v+" |") && !strings.Contains(string(doc), of+" "+v) {
			t.Errorf("docs/model.md lacks %s %s", name, v)
		}
		if row := fmt.Sprintf("`%s` | %.4g |", name, inForce.Get(name)); !strings.Contains(string(needs), row) {
			t.Errorf("docs/weights.md lacks %q: write it anew with stepping fit --needs", row)
		}
	}
	for _, name := range weightFiles {
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		seen := 0
		for _, d := range file.Decls {
			decl, ok := d.(*ast.GenDecl)
			if !ok || decl.Tok != token.CONST {
				continue
			}
			for _, s := range decl.Specs {
				spec := s.(*ast.ValueSpec)
				value := ""
				if len(spec.Values) == 1 {
					value = literal(spec.Values[0])
				}
				if value == "" {
					continue
				}
				seen++
				of := "`" + spec.Names[0].Name + "`"
				if text := string(doc); !strings.Contains(text, of+" | "+value+" |") && !strings.Contains(text, of+" "+value) {
					t.Errorf("docs/model.md lacks %s of %s with the value %s", of, name, value)
				}
			}
		}
		if seen == 0 {
			t.Errorf("%s has no weights", name)
		}
	}
}

// literal is a number as written, with its sign; "" for anything else.
func literal(e ast.Expr) string {
	switch x := e.(type) {
	case *ast.BasicLit:
		if x.Kind == token.INT || x.Kind == token.FLOAT {
			return x.Value
		}
	case *ast.UnaryExpr:
		if v := literal(x.X); v != "" && x.Op == token.SUB {
			return "-" + v
		}
	}
	return ""
}

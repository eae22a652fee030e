package plan

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"strings"
	"testing"
)

// TestModelDocument: docs/model.md gives every weight of cost.go with its value.
func TestModelDocument(t *testing.T) {
	doc, err := os.ReadFile("../../docs/model.md")
	if err != nil {
		t.Fatal(err)
	}
	file, err := parser.ParseFile(token.NewFileSet(), "cost.go", nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	ast.Inspect(file, func(n ast.Node) bool {
		spec, ok := n.(*ast.ValueSpec)
		if !ok || len(spec.Values) != 1 || spec.Names[0].Name == "quantum" {
			return true
		}
		value, ok := spec.Values[0].(*ast.BasicLit)
		if !ok {
			return true
		}
		seen++
		if row := "`" + spec.Names[0].Name + "` | " + value.Value; !strings.Contains(string(doc), row) {
			t.Errorf("docs/model.md lacks %q", row)
		}
		return true
	})
	if seen < 40 {
		t.Errorf("only %d weights found in cost.go", seen)
	}
}

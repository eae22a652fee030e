package main

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// importTable reads the table of docs/architecture.md: for each package what it may import of ours.
func importTable(t *testing.T) map[string][]string {
	t.Helper()
	doc, err := os.ReadFile("../../docs/architecture.md")
	if err != nil {
		t.Fatal(err)
	}
	table := map[string][]string{}
	for _, row := range regexp.MustCompile(`(?m)^\| ([a-z/]+) \| [^|]+ \| ([^|]+) \|$`).FindAllStringSubmatch(string(doc), -1) {
		pkg := row[1]
		if pkg == "package" {
			continue
		}
		if table[pkg] == nil { // a long list goes on in a row below
			table[pkg] = []string{}
		}
		for _, name := range strings.Split(row[2], ", ") {
			if strings.HasPrefix(pkg, "core/") {
				name = "core/" + name
			}
			table[pkg] = append(table[pkg], name)
		}
	}
	return table
}

// TestImports holds the table of docs/architecture.md, a statement of policy: change the code to fit it,
// and the table only together with the reasons next to it. core stays free of I/O, clock and chance.
func TestImports(t *testing.T) {
	table := importTable(t)
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "../../...").Output()
	if err != nil {
		t.Fatal(err)
	}
	impure := []string{"os", "net", "net/http", "log", "log/slog", "database/sql", "html/template", "text/template", "math/rand", "syscall"}
	seen := 0
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		words := strings.Fields(strings.ReplaceAll(line, "stepping/", ""))
		pkg, may := words[0], table[words[0]]
		if seen++; may == nil {
			t.Errorf("%s is not in the table of docs/architecture.md", pkg)
		}
		ours := strings.Fields(line)[1:]
		for _, name := range may {
			if name != "–" && name != "core/–" && name != "anything" && !slices.Contains(words[1:], name) {
				t.Errorf("the table says that %s imports %s, and it does not", pkg, name)
			}
		}
		for i, imp := range words[1:] {
			switch {
			case strings.HasPrefix(ours[i], "stepping/"):
				if !slices.Contains(may, imp) && may[0] != "anything" {
					t.Errorf("%s imports %s", pkg, imp)
				}
			case strings.HasPrefix(pkg, "core/") && (slices.Contains(impure, imp) || strings.Contains(imp, ".") &&
				!strings.HasPrefix(imp, "gonum.org/")),
				strings.HasPrefix(pkg, "formats/") && slices.Contains(impure, imp),
				imp == "database/sql" && pkg != "store" && pkg != "store/storetest" && pkg != "localdb",
				strings.HasPrefix(imp, "github.com/gin-gonic") && pkg != "web" && pkg != "web/door":
				t.Errorf("%s imports %s", pkg, imp)
			}
		}
	}
	if seen != len(table) {
		t.Errorf("%d packages, %d in the table", seen, len(table))
	}
	deps, err := exec.Command("go", "list", "-deps", "../../core/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, dep := range strings.Fields(string(deps)) {
		if slices.Contains([]string{"net/http", "database/sql", "html/template", "net"}, dep) {
			t.Errorf("core reaches %s", dep)
		}
	}
}

// Lines that no file of a folder may have, each with the reason.
var banned = []struct{ folder, line, why string }{
	{"core", `time\.(Now|Since|Sleep)|rand\.(Int|Float|Shuffle|Perm)[A-Za-z0-9]*\(`, "core reads no clock and no global random source"},
	{"web", `\(c, [sd]\.owner|\b(Solve|Ping|Plan|Document|Reasons|addReasons|Reliefs|Fits)\(c[,)]`,
		"gin uses its contexts again: the request's goes to the store and the planner"},
}

func TestBannedLines(t *testing.T) {
	for _, b := range banned {
		found, err := exec.Command("grep", "-rnE", b.line, "../../"+b.folder, "--include=*.go", "--exclude=*_test.go").Output()
		if err == nil {
			t.Errorf("%s:\n%s", b.why, found)
		}
	}
}

// TestDocComments: the comment of a function or type begins with its name, as go doc shows it: a comment that begins with another
// was left behind when something was renamed.
func TestDocComments(t *testing.T) {
	files, err := exec.Command("git", "ls-files", "../../*.go").Output()
	if err != nil {
		t.Fatal(err)
	}
	check := func(at token.Position, name string, doc *ast.CommentGroup) {
		if doc == nil {
			return
		}
		if words := strings.Fields(doc.Text()); len(words) > 0 && strings.Trim(words[0], ":,") != name {
			t.Errorf("%s: the comment of %s begins with %q", at, name, words[0])
		}
	}
	seen := 0
	for _, file := range strings.Fields(string(files)) {
		if strings.HasSuffix(file, "_test.go") || strings.Contains(file, "testdata") {
			continue
		}
		fset := token.NewFileSet()
		parsed, err := parser.ParseFile(fset, file, nil, parser.ParseComments)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range parsed.Decls {
			seen++
			switch d := d.(type) {
			case *ast.FuncDecl:
				check(fset.Position(d.Pos()), d.Name.Name, d.Doc)
			case *ast.GenDecl:
				if d.Tok == token.TYPE && len(d.Specs) == 1 {
					check(fset.Position(d.Pos()), d.Specs[0].(*ast.TypeSpec).Name.Name, d.Doc)
				}
			}
		}
	}
	if seen < 2000 {
		t.Errorf("only %d declarations were looked at", seen)
	}
}

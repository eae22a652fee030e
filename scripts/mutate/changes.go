package main

import (
	"errors"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
)

// readList reads changes: for each a line "# name", the file, the text as it is after "- " and as it
// becomes after "+ ". The text must stand in the file once.
func readList(text, root string) ([]mutant, error) {
	var out []mutant
	for _, block := range strings.Split(strings.TrimSpace(text), "\n\n") {
		lines := strings.Split(block, "\n")
		if len(lines) != 4 || !strings.HasPrefix(lines[0], "# ") || !strings.HasPrefix(lines[2], "- ") || !strings.HasPrefix(lines[3], "+ ") {
			return nil, fmt.Errorf("list: %q is not a name, a file, a text and what it becomes", block)
		}
		name, file, was, is := lines[0][2:], lines[1], lines[2][2:], lines[3][2:]
		data, err := os.ReadFile(filepath.Join(root, file))
		if err != nil {
			return nil, err
		}
		if n := strings.Count(string(data), was); n != 1 {
			return nil, fmt.Errorf("list: %s: %q stands %d times in %s", name, was, n, file)
		}
		out = append(out, mutant{name, file, []byte(strings.Replace(string(data), was, is, 1))})
	}
	return out, nil
}

// weightFiles declare the weights of their packages.
var weightFiles = []string{"core/plan/weights.go", "core/grip/cost.go", "core/digits/digits.go"}

// rules are the functions that hold hard rules, by file.
var rules = map[string][]string{
	"core/plan/stops.go":   {"together", "span", "behind", "straight", "slants", "stopsOn", "bendsOn", "tapsOn"},
	"core/plan/hands.go":   {"withBass", "slideOver", "covers", "trailOptions"},
	"core/plan/left.go":    {"may", "legatoKind", "scoops", "leaves"},
	"core/plan/damp.go":    {"still", "digitMay", "thumbMay", "hitStrings"},
	"core/plan/picking.go": {"pluckBesideBass"},
	"core/plan/plucks.go":  {"lowestThumb", "plucks"},
	"core/plan/rest.go":    {"mayRest", "inPlace"},
	"core/grip/grip.go":    {"reach", "mayLie", "thumbNear"},
}

// site is a place in a file and what may stand there instead.
type site struct {
	name, file string
	from, to   int
	text       string
}

// draw picks n sites among all uses of weights and all conditions of hard rules.
func draw(root string, n int, seed uint64) ([]mutant, error) {
	var sites []site
	for _, f := range weightFiles {
		found, err := weightSites(root, f)
		if err != nil {
			return nil, err
		}
		sites = append(sites, found...)
	}
	files := make([]string, 0, len(rules))
	for f := range rules {
		files = append(files, f)
	}
	sort.Strings(files)
	for _, f := range files {
		found, err := ruleSites(root, f, rules[f])
		if err != nil {
			return nil, err
		}
		sites = append(sites, found...)
	}
	if len(sites) < n {
		return nil, errors.New("too few places to change")
	}
	rng := rand.New(rand.NewPCG(seed, 20))
	var out []mutant
	for _, i := range rng.Perm(len(sites))[:n] {
		s := &sites[i]
		data, err := os.ReadFile(filepath.Join(root, s.file))
		if err != nil {
			return nil, err
		}
		changed := string(data[:s.from]) + s.text + string(data[s.to:])
		out = append(out, mutant{s.name, s.file, []byte(changed)})
	}
	return out, nil
}

func parse(root, file string) (*token.FileSet, *ast.File, error) {
	fset := token.NewFileSet()
	f, err := parser.ParseFile(fset, filepath.Join(root, file), nil, 0)
	return fset, f, err
}

// weightSites lists the uses of a file's weights in its package: each may be used the wrong way round.
func weightSites(root, file string) ([]site, error) {
	_, f, err := parse(root, file)
	if err != nil {
		return nil, err
	}
	weights := weightNames(f)
	names, err := filepath.Glob(filepath.Join(root, filepath.Dir(file), "*.go"))
	if err != nil {
		return nil, err
	}
	var out []site
	for _, name := range names {
		rel, err := filepath.Rel(root, name)
		if err != nil || strings.HasSuffix(name, "_test.go") {
			continue
		}
		fset, f, err := parse(root, rel)
		if err != nil {
			return nil, err
		}
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok {
				continue
			}
			ast.Inspect(fn, func(n ast.Node) bool {
				if text := useOf(n, weights); text != "" {
					at := fset.Position(n.Pos())
					out = append(out, site{fmt.Sprintf("%s turned round in %s", text, fn.Name.Name), rel, at.Offset,
						at.Offset + len(text), "(-" + text + ")"})
				}
				return true
			})
		}
	}
	return out, nil
}

// weightNames are the weights that a file declares: constants by name, fields of the struct Weights as ".name".
func weightNames(f *ast.File) map[string]bool {
	weights := map[string]bool{}
	ast.Inspect(f, func(n ast.Node) bool {
		switch spec := n.(type) {
		case *ast.ValueSpec:
			if len(spec.Values) == 1 {
				if lit, ok := spec.Values[0].(*ast.BasicLit); ok && lit.Kind == token.FLOAT {
					weights[spec.Names[0].Name] = true
				}
			}
		case *ast.TypeSpec:
			if fields, ok := spec.Type.(*ast.StructType); ok && spec.Name.Name == "Weights" {
				for _, field := range fields.Fields.List {
					for _, name := range field.Names {
						weights["."+name.Name] = true
					}
				}
			}
		}
		return true
	})
	return weights
}

// useOf is the text of a use of a weight: a constant, or a field of what is called w. "" for all else.
func useOf(n ast.Node, weights map[string]bool) string {
	switch x := n.(type) {
	case *ast.Ident:
		if weights[x.Name] {
			return x.Name
		}
	case *ast.SelectorExpr:
		if !weights["."+x.Sel.Name] {
			return ""
		}
		switch of := x.X.(type) {
		case *ast.Ident:
			if of.Name == "w" {
				return "w." + x.Sel.Name
			}
		case *ast.SelectorExpr:
			if owner, ok := of.X.(*ast.Ident); ok && of.Sel.Name == "w" {
				return owner.Name + ".w." + x.Sel.Name
			}
		}
	}
	return ""
}

// swaps are what a comparison or connective may become.
var swaps = map[token.Token]token.Token{
	token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR,
	token.EQL: token.NEQ, token.NEQ: token.EQL, token.LAND: token.LOR, token.LOR: token.LAND,
}

// ruleSites lists the comparisons, connectives and whole numbers of some functions.
func ruleSites(root, file string, functions []string) ([]site, error) {
	fset, f, err := parse(root, file)
	if err != nil {
		return nil, err
	}
	want := map[string]bool{}
	for _, name := range functions {
		want[name] = true
	}
	var out []site
	skip := map[*ast.BasicLit]bool{}
	for _, d := range f.Decls {
		fn, ok := d.(*ast.FuncDecl)
		if !ok || !want[fn.Name.Name] {
			continue
		}
		ast.Inspect(fn.Body, func(n ast.Node) bool {
			switch x := n.(type) {
			case *ast.ReturnStmt: // a number beside "none" says nothing
				for _, r := range x.Results {
					if lit, ok := r.(*ast.BasicLit); ok {
						skip[lit] = true
					}
				}
			case *ast.BinaryExpr:
				if to, ok := swaps[x.Op]; ok {
					at := fset.Position(x.OpPos)
					out = append(out, site{fmt.Sprintf("%s for %s in %s, line %d", to, x.Op, fn.Name.Name, at.Line), file,
						at.Offset, at.Offset + len(x.Op.String()), to.String()})
				}
			case *ast.BasicLit:
				if x.Kind == token.INT && !skip[x] {
					at := fset.Position(x.Pos())
					v, _ := strconv.Atoi(x.Value)
					out = append(out, site{fmt.Sprintf("%d for %s in %s, line %d", v+1, x.Value, fn.Name.Name, at.Line), file,
						at.Offset, at.Offset + len(x.Value), strconv.Itoa(v + 1)})
				}
			}
			return true
		})
	}
	return out, nil
}

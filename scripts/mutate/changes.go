package main

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// readList reads changes: for each a line "# name", the file, the text as it is after "- " and as it
// becomes after "+ ". The text must are in the file once.
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

// drawnFrom are the folders whose code is changed.
var drawnFrom = []string{"core", "formats", "store", "jobs", "web"}

// leftOut are files that are not changed: help for tests.
var leftOut = []string{"core/coretest/", "core/score/scoretest/", "store/storetest/"}

// site is a place in a file and what may are there instead.
type site struct {
	name, file string
	from, to   int
	text       string
}

// shuffled are all places that may be changed, in an order that depends on the seed alone. Some changes do not compile.
func shuffled(root string, seed uint64) ([]site, error) {
	var sites []site
	for _, folder := range drawnFrom {
		err := filepath.WalkDir(filepath.Join(root, folder), func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			rel, err := filepath.Rel(root, path)
			if err != nil || slices.ContainsFunc(leftOut, func(p string) bool { return strings.HasPrefix(rel, p) }) {
				return err
			}
			found, err := sitesOf(root, rel)
			sites = append(sites, found...)
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	rng := rand.New(rand.NewPCG(seed, 20))
	rng.Shuffle(len(sites), func(i, j int) { sites[i], sites[j] = sites[j], sites[i] })
	return sites, nil
}

// make changes the file of a site.
func (s *site) make(root string) (mutant, error) {
	data, err := os.ReadFile(filepath.Join(root, s.file))
	if err != nil {
		return mutant{}, err
	}
	return mutant{s.name, s.file, slices.Concat(data[:s.from], []byte(s.text), data[s.to:])}, nil
}

// swaps are what an operator may become.
var swaps = map[token.Token]token.Token{
	token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR,
	token.EQL: token.NEQ, token.NEQ: token.EQL, token.LAND: token.LOR, token.LOR: token.LAND,
	token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO, token.QUO: token.MUL,
}

// finder collects the sites of a file.
type finder struct {
	fset *token.FileSet
	file string
	text []byte
	fn   string // the function that is looked at
	out  []site
}

func sitesOf(root, file string) ([]site, error) {
	data, err := os.ReadFile(filepath.Join(root, file))
	if err != nil {
		return nil, err
	}
	f := &finder{fset: token.NewFileSet(), file: file, text: data}
	parsed, err := parser.ParseFile(f.fset, file, data, 0)
	if err != nil {
		return nil, err
	}
	for _, d := range parsed.Decls {
		switch d := d.(type) {
		case *ast.FuncDecl:
			f.fn = d.Name.Name
		case *ast.GenDecl:
			if f.fn = d.Tok.String(); d.Tok == token.IMPORT || d.Tok == token.TYPE {
				continue
			}
		}
		ast.Inspect(d, f.look)
	}
	return f.out, nil
}

// add adds a site: what stands from one place to another becomes text.
func (f *finder) add(what string, from, to token.Pos, text string) {
	a, b := f.fset.Position(from), f.fset.Position(to)
	f.out = append(f.out, site{fmt.Sprintf("%s:%d %s: %s", f.file, a.Line, f.fn, what), f.file, a.Offset, b.Offset, text})
}

func (f *finder) source(n ast.Node) string {
	return string(f.text[f.fset.Position(n.Pos()).Offset:f.fset.Position(n.End()).Offset])
}

func (f *finder) look(n ast.Node) bool {
	switch x := n.(type) {
	case *ast.BinaryExpr:
		if to, ok := swaps[x.Op]; ok {
			f.add(fmt.Sprintf("%s for %s", to, x.Op), x.OpPos, x.OpPos+token.Pos(len(x.Op.String())), to.String())
		}
	case *ast.BasicLit:
		if x.Kind == token.INT {
			if v, err := strconv.ParseInt(x.Value, 0, 64); err == nil {
				f.add(fmt.Sprintf("%d for %s", v+1, x.Value), x.Pos(), x.End(), strconv.FormatInt(v+1, 10))
			}
		} else if v, err := strconv.ParseFloat(x.Value, 64); x.Kind == token.FLOAT && err == nil {
			f.add(fmt.Sprintf("%g for %s", 1.5*v, x.Value), x.Pos(), x.End(), strconv.FormatFloat(1.5*v, 'f', -1, 64))
		}
	case *ast.IfStmt:
		f.add("condition turned round", x.Cond.Pos(), x.Cond.End(), "!("+f.source(x.Cond)+")")
	case *ast.ExprStmt:
		f.add("dropped: "+short(f.source(x)), x.Pos(), x.End(), "")
	case *ast.IncDecStmt:
		f.add("dropped: "+f.source(x), x.Pos(), x.End(), "")
	case *ast.AssignStmt:
		if x.Tok != token.DEFINE {
			f.add("dropped: "+short(f.source(x)), x.Pos(), x.End(), "")
		}
	case *ast.CallExpr:
		for i := 1; i < len(x.Args); i++ {
			if a, b := f.source(x.Args[i-1]), f.source(x.Args[i]); a != b {
				f.add("swapped: "+short(a)+", "+short(b), x.Args[i-1].Pos(), x.Args[i].End(), b+", "+a)
			}
		}
	}
	return true
}

// short is the beginning of a text, on one line.
func short(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if len(text) > 40 {
		return text[:40] + "…"
	}
	return text
}

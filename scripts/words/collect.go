package main

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Text is something that the program says, at a line of a file.
type Text struct {
	File string
	Line int
	Text string
}

// spoken are the directories whose texts people read.
var spoken = []string{"account", "cmd", "core", "demo", "formats", "jobs", "store", "web"}

// Collect returns all texts under a directory, by file and line.
func Collect(fsys fs.FS) (out []Text, err error) {
	err = fs.WalkDir(fsys, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		top, _, _ := strings.Cut(name, "/")
		if d.IsDir() {
			if name != "." && !slices.Contains(spoken, top) || d.Name() == "testdata" || d.Name() == "vendor" {
				return fs.SkipDir
			}
			return nil
		}
		var texts func([]byte, string) ([]Text, error)
		switch {
		case strings.HasSuffix(name, "_test.go") || strings.Contains(name, "coretest") || strings.Contains(name, "taketest"):
			return nil
		case path.Ext(name) == ".go":
			texts = goTexts
		case path.Ext(name) == ".html":
			texts = templateTexts
		case path.Ext(name) == ".js":
			texts = scriptTexts
		default:
			return nil
		}
		data, err := fs.ReadFile(fsys, name)
		if err != nil {
			return err
		}
		more, err := texts(data, name)
		out = append(out, more...)
		return err
	})
	return out, err
}

// goTexts are the string literals of a Go file that are texts.
func goTexts(data []byte, name string) (out []Text, err error) {
	set := token.NewFileSet()
	file, err := parser.ParseFile(set, name, data, parser.SkipObjectResolution)
	if err != nil {
		return nil, err
	}
	ast.Inspect(file, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.ImportSpec:
			return false
		case *ast.Field:
			n.Tag = nil
		case *ast.BasicLit:
			if n.Kind != token.STRING {
				return true
			}
			if text, err := strconv.Unquote(n.Value); err == nil && isText(text) {
				out = append(out, Text{name, set.Position(n.Pos()).Line, oneLine(text)})
			}
		}
		return true
	})
	return out, nil
}

// sql begins a statement, which is no text.
var sql = regexp.MustCompile(`^\s*(\(|AND |SELECT|INSERT|UPDATE|DELETE|ALTER|CREATE|DROP|SET |WHERE|FROM|ORDER|JOIN|LEFT|UNION| WHERE| FROM| AND| ORDER| LEFT| JOIN|LOCATE|REPLACE INTO)`)

// isText reports whether a string has words that a person would read.
func isText(s string) bool {
	if sql.MatchString(s) || !strings.Contains(strings.TrimSpace(s), " ") {
		return false
	}
	words := 0
	for _, w := range strings.Fields(s) {
		if letters.MatchString(w) {
			words++
		}
	}
	return words >= 2
}

var letters = regexp.MustCompile(`^[("“‘…]*[A-Za-z][a-z’']+[.,:;!?)”’"…]*$`)

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// What is in a template: actions, comments and tags are cut out; attributes that are read or heard are texts too.
var (
	action    = regexp.MustCompile(`(?s)\{\{.*?\}\}`)
	htmlTag   = regexp.MustCompile(`(?s)<[^>]*>`)
	attribute = regexp.MustCompile(`(?s)(?:aria-label|placeholder|title|data-tip|data-keymap|aria-valuetext|alt)="([^"]*)"`)
	inline    = regexp.MustCompile(`(?i)^</?(b|i|small|span|a|kbd|code|em|strong)\b`)
)

// templateTexts are the texts of a template, a block at a time: inline tags do not part them.
func templateTexts(data []byte, name string) (out []Text, err error) {
	text := action.ReplaceAllStringFunc(string(data), func(a string) string { return "…" + strings.Repeat("\n", strings.Count(a, "\n")) })
	for _, m := range attribute.FindAllStringSubmatchIndex(text, -1) {
		if said := text[m[2]:m[3]]; isText(said) {
			out = append(out, Text{name, lineOf(text, m[2]), oneLine(said)})
		}
	}
	from := 0
	var block strings.Builder
	end := func() {
		if said := oneLine(block.String()); isText(said) {
			out = append(out, Text{name, lineOf(text, from), said})
		}
		block.Reset()
	}
	last := 0
	for _, m := range append(htmlTag.FindAllStringIndex(text, -1), []int{len(text), len(text)}) {
		if strings.TrimSpace(block.String()) == "" {
			from = last
		}
		block.WriteString(text[last:m[0]])
		if !inline.MatchString(text[m[0]:m[1]]) {
			end()
		}
		last = m[1]
	}
	slices.SortStableFunc(out, func(a, b Text) int { return a.Line - b.Line })
	return out, nil
}

func lineOf(text string, at int) int {
	for at < len(text) && strings.ContainsRune(" \n\t", rune(text[at])) {
		at++
	}
	return 1 + strings.Count(text[:at], "\n")
}

// quoted is a string of a script, in any of its quotes.
var quoted = regexp.MustCompile("'((?:[^'\\\\\n]|\\\\.)*)'|\"((?:[^\"\\\\\n]|\\\\.)*)\"|`((?:[^`\\\\]|\\\\.)*)`")

// selector is a string of a script that names elements of a page.
var selector = regexp.MustCompile(`[<>\[\]#=]|^(input|button|a|summary), `)

// scriptTexts are the strings of a script that are texts.
func scriptTexts(data []byte, name string) (out []Text, err error) {
	text := string(data)
	for _, m := range quoted.FindAllStringSubmatchIndex(text, -1) {
		for g := 2; g < len(m); g += 2 {
			if m[g] >= 0 && isText(text[m[g]:m[g+1]]) && !selector.MatchString(text[m[g]:m[g+1]]) {
				out = append(out, Text{name, lineOf(text, m[g]), oneLine(text[m[g]:m[g+1]])})
			}
		}
	}
	return out, nil
}

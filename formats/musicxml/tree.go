package musicxml

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"stepping/core/score"
	"stepping/formats/plaintext"
)

// node is an element with what it holds.
type node struct {
	name         string
	text         string
	attrs        []xml.Attr
	kids         []node
	line, column int
}

// kid returns the first element of that name; an empty node if there is none, so that calls can be chained.
func (n *node) kid(name string) *node {
	for i := range n.kids {
		if n.kids[i].name == name {
			return &n.kids[i]
		}
	}
	return &node{}
}

func (n *node) has(name string) bool { return n.kid(name).name != "" }

func (n *node) attr(name string) string {
	for _, a := range n.attrs {
		if a.Name.Local == name {
			return strings.TrimSpace(a.Value)
		}
	}
	return ""
}

// number is the text as a number; ok is false if it is none, or out of all bounds.
func (n *node) number() (v float64, ok bool) {
	v, err := strconv.ParseFloat(strings.TrimSpace(n.text), 64)
	return v, err == nil && v > -1e9 && v < 1e9
}

// int is the text as a whole number, or what else is given.
func (n *node) int(otherwise int) int {
	if v, ok := n.number(); ok {
		return int(v)
	}
	return otherwise
}

// Bounds of the tree of one measure: music is far below.
const (
	maxDepth = 40
	maxNodes = 400000
	// Beyond the first ones an element has so many bytes in the mean, with its text and what is inside it.
	someNodes, leastNode = 20000, 16
)

// reader walks through the text element by element.
type reader struct {
	*xml.Decoder
	nodes int
}

func newReader(text string) *reader {
	d := xml.NewDecoder(strings.NewReader(text))
	d.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil } // it is decoded already
	return &reader{Decoder: d}
}

func (r *reader) fail(format string, args ...any) error {
	line, column := r.InputPos()
	return &score.Fault{Line: max(line, 1), Column: max(column, 1), Text: fmt.Sprintf(format, args...)}
}

// next returns the next start or end of an element.
func (r *reader) next() (xml.Token, error) {
	for {
		tok, err := r.Token()
		if err != nil {
			if syntax := (*xml.SyntaxError)(nil); errors.As(err, &syntax) {
				return nil, r.fail("this XML is broken here: save the file again from the program it comes from")
			}
			if err == io.EOF {
				return nil, io.EOF
			}
			return nil, r.fail("this XML cannot be read: %v", err)
		}
		switch t := tok.(type) {
		case xml.StartElement, xml.EndElement:
			return tok, nil
		case xml.Directive:
			if bytes.Contains(t, []byte("ENTITY")) || bytes.ContainsRune(t, '[') {
				return nil, r.fail("this file defines entities, which no score needs; they are refused because they can grow to any size")
			}
		}
	}
}

// tree reads the element that begins with start, to its end.
func (r *reader) tree(start xml.StartElement, depth int) (node, error) {
	line, column := r.InputPos()
	n := node{name: start.Name.Local, attrs: start.Attr, line: line, column: column}
	if r.nodes++; r.nodes > maxNodes || depth > maxDepth {
		return n, r.fail("the elements here are nested more deeply than in any score")
	}
	if r.nodes > someNodes+int(r.InputOffset()/leastNode) {
		return n, r.fail("there are more elements here than a score of this length has")
	}
	var text strings.Builder // it may come in many pieces
	for {
		tok, err := r.Token()
		if err != nil {
			return n, r.fail("this XML is broken inside <%s>: save the file again from the program it comes from", n.name)
		}
		switch t := tok.(type) {
		case xml.StartElement:
			kid, err := r.tree(t.Copy(), depth+1)
			if err != nil {
				return n, err
			}
			n.kids = append(n.kids, kid)
		case xml.EndElement:
			n.text = text.String()
			return n, nil
		case xml.CharData:
			if len(n.kids) == 0 {
				text.Write(t)
			}
		}
	}
}

// unpack returns the score's text: of an archive the file that its container names.
func unpack(data []byte) (string, error) {
	if bytes.HasPrefix(data, []byte("PK")) {
		var err error
		if data, err = fromArchive(data); err != nil {
			return "", &score.Fault{Line: 1, Column: 1, Text: err.Error()}
		}
	}
	text, err := plaintext.Decode(data)
	if fault := (*plaintext.Error)(nil); errors.As(err, &fault) {
		return "", &score.Fault{Line: fault.Line, Column: fault.Column,
			Text: fault.Text + "; use a MusicXML file (.musicxml, .xml or .mxl)"}
	}
	return text, err
}

func fromArchive(data []byte) ([]byte, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, errors.New("this archive (.mxl) is broken: download or save it again")
	}
	files := map[string]*zip.File{}
	first := ""
	for _, f := range z.File {
		files[path.Clean(f.Name)] = f
		if ext := strings.ToLower(path.Ext(f.Name)); first == "" && !strings.HasPrefix(f.Name, "META-INF") && (ext == ".xml" || ext == ".musicxml") {
			first = path.Clean(f.Name)
		}
	}
	name := first
	if container, ok := files["META-INF/container.xml"]; ok {
		text, err := unzip(container)
		if err != nil {
			return nil, err
		}
		if root := rootFile(string(text)); files[root] != nil {
			name = root
		}
	}
	if files[name] == nil {
		return nil, errors.New("this archive has no score in it: a .mxl file needs a .xml or .musicxml file inside")
	}
	return unzip(files[name])
}

// rootFile is the score's name in a container's text: the first file that is not said to be something else.
func rootFile(text string) string {
	r := newReader(text)
	for {
		tok, err := r.next()
		if err != nil {
			return ""
		}
		if start, ok := tok.(xml.StartElement); ok && start.Name.Local == "rootfile" {
			n := node{attrs: start.Attr}
			if kind := n.attr("media-type"); kind == "" || strings.Contains(kind, "musicxml") {
				return path.Clean(n.attr("full-path"))
			}
		}
	}
}

func unzip(f *zip.File) ([]byte, error) {
	if f.Flags&1 != 0 {
		return nil, errors.New("this archive is encrypted: save it without a password")
	}
	r, err := f.Open()
	if err != nil {
		return nil, errors.New("this archive (.mxl) is packed in a way that is not read, or broken: save the score as plain .musicxml")
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, score.MaxFile+1))
	if err != nil {
		return nil, errors.New("this archive (.mxl) is broken: download or save it again")
	}
	if len(data) > score.MaxFile {
		return nil, fmt.Errorf("this archive unpacks to more than %d MiB, which no score of %d notes does: give one tune at a time",
			score.MaxFile>>20, score.MaxNotes)
	}
	return data, nil
}

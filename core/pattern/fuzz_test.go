package pattern

import (
	"bytes"
	"encoding/json"
	"testing"

	"stepping/core/tune"
)

// FuzzRead: a pattern file never panics the reader; what it accepts reads back the same, stays within
// its bar and lays strokes inside the tune.
func FuzzRead(f *testing.F) {
	for i := range Library {
		data, err := json.Marshal(&Library[i])
		if err != nil {
			f.Fatal(err)
		}
		f.Add(data)
	}
	f.Add([]byte(`{"name":"x","meter":"4/4","steps":8,"beats":[{"step":9}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := Read(bytes.NewReader(data))
		if err != nil {
			return
		}
		m, _ := p.Signature()
		for _, b := range p.Beats {
			if at := p.Offset(b.Step); at < 0 || at >= m.Bar() {
				t.Fatalf("step %d of %+v falls at %v", b.Step, p, at)
			}
		}
		written, err := json.Marshal(p)
		if err != nil {
			t.Fatal(err)
		}
		again, err := Read(bytes.NewReader(written))
		if err != nil {
			t.Fatal(err)
		}
		if rewritten, _ := json.Marshal(again); !bytes.Equal(written, rewritten) || again.Name != p.Name {
			t.Fatalf("%s read back as %s", written, rewritten)
		}
		tu, err := tune.Progression("D | G | D", m, 90)
		if err != nil {
			return // a meter that the progression does not divide
		}
		last := tune.Time(-1)
		for _, s := range Strokes(tu, None, []Section{{1, p}}, "", All) {
			if s.At <= last || s.At >= tu.Length {
				t.Fatalf("%s lays a stroke at %v after %v", written, s.At, last)
			}
			last = s.At
		}
	})
}

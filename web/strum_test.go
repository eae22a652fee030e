package web_test

import (
	"strings"
	"testing"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"stepping/core/coretest"
	"stepping/core/sound"
	"stepping/core/take/taketest"
)

// strummed is sound of the strings struck from the lowest to the highest; rings says which are not silenced.
func strummed(rings func(str int) bool) []byte {
	tn := coretest.Tuning("Open D")
	pf := &taketest.Performance{Seconds: 5.6}
	for str := 6; str >= 1; str-- {
		hz := tn.Open(str).Hertz(440)
		n := taketest.Note{String: str, At: 0.4 + 0.8*float64(6-str), Hz: hz, From: hz, Level: 0.8, Tau: 1.8}
		if !rings(str) {
			n.Tau = 0.04
		}
		pf.Notes = append(pf.Notes, n)
	}
	return sound.AppendSamples(nil, pf.Strings(2))
}

// TestStrumByEar: of a position that is struck string by string it is said which string is not as it should be, and
// what would silence it.
func TestStrumByEar(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.tunePath(t, 0)
	type heard struct {
		String, Next int
		Good         bool
		Text, Said   string
	}
	test := func(rings func(str int) bool) (out []heard) {
		t.Helper()
		conn, status := s.connect(t, path+"/strum?m=6&rate=24000", nil)
		if conn == nil {
			t.Fatal(status)
		}
		if err := conn.Write(t.Context(), websocket.MessageText, []byte(`{"again":true}`)); err != nil {
			t.Fatal(err)
		}
		data := strummed(rings)
		for len(data) >= 1920 {
			if err := conn.Write(t.Context(), websocket.MessageBinary, data[:1920]); err != nil {
				t.Fatal(err)
			}
			data = data[1920:]
		}
		for len(out) == 0 || out[len(out)-1].Said == "" {
			var some []heard
			if err := wsjson.Read(t.Context(), conn, &some); err != nil {
				t.Fatal(err, out)
			}
			out = append(out, some...)
		}
		return out
	}
	all := test(func(int) bool { return true })
	if len(all) != 6 || all[0].String != 6 || all[0].Next != 5 || all[5].Next != 0 {
		t.Fatalf("%+v", all)
	}
	wanted := map[int]bool{}
	for _, h := range all {
		if wanted[h.String] = h.Good; !h.Good && !strings.HasPrefix(h.Text, "rings") {
			t.Errorf("%+v", h)
		}
	}
	right := test(func(str int) bool { return wanted[str] })
	if said := right[len(right)-1].Said; said != "All 6 strings are as they should be." {
		t.Errorf("%+v", right)
	}
	for _, h := range test(func(str int) bool { return false }) {
		if h.Good == wanted[h.String] {
			t.Errorf("all dead: %+v", h)
		}
	}
	if _, status := s.connect(t, path+"/strum?m=9999&rate=24000", nil); status != 422 {
		t.Errorf("no such moment: %d", status)
	}
}

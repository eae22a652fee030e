package web_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"stepping/core/sound"
)

// heardAt is what is answered to who plays.
type heardAt struct {
	M     int     `json:"m"`
	Lost  bool    `json:"lost"`
	Level float64 `json:"level"`
	Tempo float64 `json:"tempo"`
}

// dial opens a connection to be followed over.
func (s *site) dial(t *testing.T, query string, header http.Header) (*websocket.Conn, int) {
	t.Helper()
	return s.connect(t, s.tunePath(t, 1)+"/follow?"+query, header)
}

// connect opens a WebSocket; nil and the status if it is refused.
func (s *site) connect(t *testing.T, path string, header http.Header) (*websocket.Conn, int) {
	t.Helper()
	conn, res, err := websocket.Dial(t.Context(), strings.Replace(s.URL, "http", "ws", 1)+path, &websocket.DialOptions{HTTPHeader: header})
	if err != nil {
		if res == nil {
			t.Fatal(err)
		}
		return nil, res.StatusCode
	}
	t.Cleanup(func() { conn.CloseNow() })
	return conn, res.StatusCode
}

// playTo sends sound in pieces and returns the last answer; backwards counts the answers that go back.
func playTo(t *testing.T, conn *websocket.Conn, data []byte) (last heardAt, backwards int) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), untilLimit)
	defer cancel()
	const piece = 1280 // 40 ms
	last.M = -1
	for len(data) >= piece {
		if err := conn.Write(ctx, websocket.MessageBinary, data[:piece]); err != nil {
			t.Fatal(err)
		}
		data = data[piece:]
	}
	if err := conn.Write(ctx, websocket.MessageText, []byte("that is all")); err != nil { // the server hangs up, after all that it had to say
		t.Fatal(err)
	}
	for {
		var at heardAt
		if err := wsjson.Read(ctx, conn, &at); err != nil {
			return last, backwards
		}
		if at.M < last.M {
			backwards++
		}
		last = at
	}
}

// TestFollowed: who plays a tune is followed over a WebSocket; a new connection goes on where the last one broke; too
// much, too many, what is no sound, and another site are refused.
func TestFollowed(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	data := recording(t, s, &sound.Faults{RoomDB: -60})[sound.HeaderBytes:]
	const second = 2 * 16000
	conn, status := s.dial(t, "rate=16000", nil)
	if conn == nil {
		t.Fatal(status)
	}
	first, back := playTo(t, conn, data[:7*second])
	if first.M < 8 || back > 0 || first.Tempo < 60 || first.Tempo > 200 {
		t.Errorf("after 7 s at %+v, %d times back", first, back)
	}
	again, _ := s.dial(t, fmt.Sprintf("rate=16000&from=%d&tempo=%g", first.M, first.Tempo), nil)
	if next, back := playTo(t, again, data[7*second:11*second]); next.M <= first.M || back > 0 {
		t.Errorf("over a new connection from %d to %+v, %d times back", first.M, next, back)
	}
	ends := func(query string, kind websocket.MessageType, data []byte, times int) websocket.StatusCode {
		t.Helper()
		conn, status := s.dial(t, query, nil)
		if conn == nil {
			t.Fatal(status)
		}
		defer conn.CloseNow()
		for range times {
			if conn.Write(t.Context(), kind, data) != nil {
				break
			}
		}
		for {
			if _, _, err := conn.Read(t.Context()); err != nil {
				var end websocket.CloseError
				errors.As(err, &end)
				return end.Code
			}
		}
	}
	if code := ends("rate=16000", websocket.MessageText, []byte("hello"), 1); code != websocket.StatusUnsupportedData {
		t.Errorf("text: %d", code)
	}
	if code := ends("rate=16000", websocket.MessageBinary, []byte{1, 2, 3}, 1); code != websocket.StatusUnsupportedData {
		t.Errorf("half a sample: %d", code)
	}
	if code := ends("rate=8000", websocket.MessageBinary, make([]byte, 1<<20), 1); code != websocket.StatusMessageTooBig {
		t.Errorf("a mebibyte: %d", code)
	}
	if code := ends("rate=8000", websocket.MessageBinary, make([]byte, 32<<10), 8); code != websocket.StatusPolicyViolation {
		t.Errorf("16 s at once: %d", code)
	}
	if code := ends("rate=16000&own=1", websocket.MessageBinary, []byte{1, 2, 3, 4, 5, 6}, 1); code != websocket.StatusUnsupportedData {
		t.Errorf("a sample without its own: %d", code)
	}
	both := make([]byte, 0, 2*3*second) // with what the page plays, which is silent here
	for i := 0; i < 3*second; i += 2 {
		both = append(both, data[i], data[i+1], 0, 0)
	}
	with, _ := s.dial(t, "rate=16000&own=1", nil)
	if at, _ := playTo(t, with, both); at.M < 1 {
		t.Errorf("with a silent page one is at %+v", at)
	}
	with.CloseNow()
	for query, want := range map[string]int{"rate=5": 422, "": 422} {
		if _, status := s.dial(t, query, nil); status != want {
			t.Errorf("%q: %d", query, status)
		}
	}
	if _, status := s.dial(t, "rate=16000", http.Header{"Origin": {"http://elsewhere.example"}}); status != 403 {
		t.Errorf("another site: %d", status)
	}
	for range 8 { // slots of connections that have ended are given back
		if status = 101; again != nil {
			again.CloseNow()
		}
		_, status = s.dial(t, "rate=16000", nil)
	}
	if status != 429 {
		t.Errorf("the eighth listener: %d", status)
	}
}

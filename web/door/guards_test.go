package door

import (
	"bytes"
	"io"
	"net/http"
	"net/http/httptest"
	"testing"
	"testing/iotest"
	"time"
)

// patientWriter counts how often deadlines are moved.
type patientWriter struct {
	http.ResponseWriter
	reads, writes int
}

func (w *patientWriter) SetReadDeadline(time.Time) error  { w.reads++; return nil }
func (w *patientWriter) SetWriteDeadline(time.Time) error { w.writes++; return nil }

// TestSteady: a body's deadline moves with every piece that came, and not with a trickle; an answer's with every piece that is
// written.
func TestSteady(t *testing.T) {
	for size, moved := range map[int]int{100: 1, piece - 1: 1, piece: 2, 5*piece + 7: 6} { // once more at the end
		w := &patientWriter{ResponseWriter: httptest.NewRecorder()}
		b := &steady{io.NopCloser(iotest.OneByteReader(bytes.NewReader(make([]byte, size)))), http.NewResponseController(w), 0}
		if n, err := io.Copy(io.Discard, b); err != nil || n != int64(size) || w.reads != moved || w.writes != moved {
			t.Errorf("%d bytes: %d came, %v, and %d, %d deadlines, want %d", size, n, err, w.reads, w.writes, moved)
		}
	}
	rec := httptest.NewRecorder()
	w := &patientWriter{ResponseWriter: rec}
	data := bytes.Repeat([]byte("piece"), piece)
	if n, err := Steadily(w).Write(data); err != nil || n != len(data) || w.writes != 5 || !bytes.Equal(rec.Body.Bytes(), data) {
		t.Errorf("%d of %d bytes, %v, %d deadlines", n, len(data), err, w.writes)
	}
}

package web

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"net/http"
	"strconv"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"
	"github.com/gin-gonic/gin"

	"stepping/core/take"
	"stepping/formats/wav"
	"stepping/store"
	"stepping/web/door"
)

// Of connections over which a player is followed: how many there are at most, and for one owner; bytes of a message; how
// long one waits for the next message, and for an answer to be taken; after how long a connection ends, so that who is
// let in is asked again; how often a position is sent though nothing changed; and how much more than real time may come,
// in seconds.
const (
	mostListeners    = 64
	mostListenersOf  = 4
	listenMessage    = 64 << 10
	listenPatience   = 20 * time.Second
	listenAnswer     = 10 * time.Second
	listenLasts      = 15 * time.Minute
	listenEvery      = 200 * time.Millisecond
	listenMoreAtOnce = 10.0
)

// listeners counts the connections over which players are followed.
type listeners struct {
	mu   sync.Mutex
	of   map[store.ID]int
	all  int
	stop context.CancelFunc
	ctx  context.Context
}

func newListeners() *listeners {
	ctx, stop := context.WithCancel(context.Background())
	return &listeners{of: map[store.ID]int{}, ctx: ctx, stop: stop}
}

// enter counts one more; false if there are too many.
func (l *listeners) enter(owner store.ID) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.all >= mostListeners || l.of[owner] >= mostListenersOf {
		return false
	}
	l.all++
	l.of[owner]++
	return true
}

func (l *listeners) leave(owner store.ID) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.all--
	if l.of[owner]--; l.of[owner] == 0 {
		delete(l.of, owner)
	}
}

// followed is what is sent of where a player is.
type followed struct {
	Moment int     `json:"m"` // -1 before the beginning
	Sure   float64 `json:"sure"`
	Lost   bool    `json:"lost"`
	Level  float64 `json:"level"` // the loudest of what was heard since, 0 to 1
	Tempo  float64 `json:"tempo"` // quarter notes a minute at the start of the tune, as he plays; 0 if it is not known
}

// follow hears a player over a WebSocket and says where he is: binary messages are samples of 16 bits, little end first,
// at the rate in the address; answers are JSON. from and tempo in the address say where to go on, so that any copy takes
// over a connection that broke.
func (s *Server) follow(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	rate := atoi(c.Query("rate"))
	if rate < wav.MinRate || rate > wav.MaxRate {
		s.fail(c, http.StatusUnprocessableEntity, fmt.Errorf("give a rate of %d to %d samples a second", wav.MinRate, wav.MaxRate))
		return
	}
	w, err := s.desk.Plan(c.Request.Context(), t, s.patience)
	if err != nil {
		s.failFor(c, err)
		return
	}
	owner := door.Owner(c)
	if !s.listeners.enter(owner) {
		s.fail(c, http.StatusTooManyRequests, errors.New("you are heard in several tabs already: stop listening in one of them"))
		return
	}
	defer s.listeners.leave(owner)
	// of the same origin alone
	conn, err := websocket.Accept(c.Writer, c.Request, &websocket.AcceptOptions{CompressionMode: websocket.CompressionDisabled})
	if err != nil {
		s.logFor(c).Debug("no connection to listen over", "err", err)
		c.Abort()
		return
	}
	conn.SetReadLimit(listenMessage)
	ratio := 0.0
	if tempo, err := strconv.ParseFloat(c.Query("tempo"), 64); err == nil && tempo > 0 {
		ratio = math.Max(1.0/8, math.Min(8, w.Plan.Tempo()/tempo))
	}
	ctx, cancel := context.WithTimeout(s.listeners.ctx, listenLasts)
	defer cancel()
	h := &hearing{conn: conn, rate: rate, live: take.NewLive(w.Plan, rate, max(0, atoi(c.Query("from"))), ratio), tempo: w.Plan.Tempo(), began: time.Now()}
	status, reason := h.run(ctx)
	_ = conn.Close(status, reason) // he may be gone
}

// hearing is one connection.
type hearing struct {
	conn  *websocket.Conn
	rate  int
	live  *take.Live
	tempo float64 // of the plan
	began time.Time
	heard int // samples
	sent  time.Time
	last  take.Position
	level float64
	buf   []float64
}

// run hears until the connection ends, and says why it ends.
func (h *hearing) run(ctx context.Context) (websocket.StatusCode, string) {
	h.last.Moment = -2 // so that the first position is sent
	for {
		kind, data, err := h.next(ctx)
		switch {
		case ctx.Err() != nil:
			return websocket.StatusServiceRestart, "listening goes on over a new connection"
		case err != nil:
			return websocket.StatusNormalClosure, ""
		case kind != websocket.MessageBinary || len(data)%2 != 0:
			return websocket.StatusUnsupportedData, "send samples of 16 bits"
		}
		if h.heard += len(data) / 2; float64(h.heard)/float64(h.rate) > time.Since(h.began).Seconds()+listenMoreAtOnce {
			return websocket.StatusPolicyViolation, "this is more sound than has passed of time"
		}
		if err := h.answer(ctx, data); err != nil {
			return websocket.StatusGoingAway, ""
		}
	}
}

func (h *hearing) next(ctx context.Context) (websocket.MessageType, []byte, error) {
	ctx, cancel := context.WithTimeout(ctx, listenPatience)
	defer cancel()
	return h.conn.Read(ctx)
}

// answer listens to a message, and sends the position if it has changed, or some time has passed.
func (h *hearing) answer(ctx context.Context, data []byte) error {
	h.buf = h.buf[:0]
	for i := 0; i < len(data); i += 2 {
		h.buf = append(h.buf, float64(int16(binary.LittleEndian.Uint16(data[i:])))/32768)
	}
	pos := h.live.Hear(h.buf)
	h.level = math.Max(h.level, pos.Level)
	if pos.Moment == h.last.Moment && pos.Lost == h.last.Lost && time.Since(h.sent) < listenEvery {
		return nil
	}
	out := followed{Moment: pos.Moment, Sure: math.Round(100*pos.Sure) / 100, Lost: pos.Lost, Level: math.Round(1000*h.level) / 1000}
	if pos.Ratio > 0 {
		out.Tempo = math.Round(10*h.tempo/pos.Ratio) / 10
	}
	h.last, h.sent, h.level = pos, time.Now(), 0
	ctx, cancel := context.WithTimeout(ctx, listenAnswer)
	defer cancel()
	return wsjson.Write(ctx, h.conn, out)
}

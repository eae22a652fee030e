package web

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"net/http"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"
	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/formats/wav"
	"stepping/store"
	"stepping/web/door"
)

// Of connections over which a player is heard: how many there are at most, and for one owner; bytes of a message; how
// long one waits for the next message, and for an answer to be taken; after how long a connection ends, so that who is
// let in is asked again; and how much more than real time may come, in seconds.
const (
	mostListeners    = 64
	mostListenersOf  = 4
	listenMessage    = 64 << 10
	listenPatience   = 20 * time.Second
	listenAnswer     = 10 * time.Second
	listenLasts      = 15 * time.Minute
	listenMoreAtOnce = 10.0
)

// listeners counts the connections over which players are heard.
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

// ear makes sense of what is heard over a connection.
type ear interface {
	// hear takes samples of -1 to 1, of two channels in turn if there are two, and returns what to answer, nil for nothing.
	hear(ctx context.Context, samples []float64) any
	// ask takes what the page asks for in words; an error ends the connection, and is its reason.
	ask(text []byte) error
}

// rateParam is the sample rate in the address; false if it has been answered that it cannot be.
func (s *Server) rateParam(c *gin.Context) (int, bool) {
	rate := atoi(c.Query("rate"))
	if rate < wav.MinRate || rate > wav.MaxRate {
		s.fail(c, http.StatusUnprocessableEntity, fmt.Errorf("give a rate of %d to %d samples a second", wav.MinRate, wav.MaxRate))
		return 0, false
	}
	return rate, true
}

// planHeard is the plan of the tune that a player is heard with, and the sample rate; false if it has been answered why
// not.
func (s *Server) planHeard(c *gin.Context) (p *plan.Plan, rate int, ok bool) {
	t, ok := s.tuneParam(c)
	if !ok {
		return nil, 0, false
	}
	if rate, ok = s.rateParam(c); !ok {
		return nil, 0, false
	}
	w, err := s.desk.Plan(c.Request.Context(), t, s.patience)
	if err != nil {
		s.failFor(c, err)
		return nil, 0, false
	}
	return w.Plan, rate, true
}

// listen hears a player over a WebSocket until it ends: binary messages are samples of 16 bits, little end first, at a
// rate, of one channel or of two in turn; text asks for something; answers are JSON.
func (s *Server) listen(c *gin.Context, rate, channels int, e ear) {
	owner := door.Owner(c)
	if !s.listeners.enter(owner) {
		s.fail(c, http.StatusTooManyRequests, errors.New("several tabs are already listening: stop one of them"))
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
	ctx, cancel := context.WithTimeout(s.listeners.ctx, listenLasts)
	defer cancel()
	h := &hearing{conn: conn, rate: rate, channels: channels, ear: e, began: time.Now()}
	status, reason := h.run(ctx)
	_ = conn.Close(status, reason) // the page may be gone
}

// hearing is one connection.
type hearing struct {
	conn     *websocket.Conn
	rate     int
	channels int
	ear      ear
	began    time.Time
	heard    int // samples of a channel
	buf      []float64
}

// run hears until the connection ends, and says why it ends.
func (h *hearing) run(ctx context.Context) (websocket.StatusCode, string) {
	for {
		kind, data, err := h.next(ctx)
		switch {
		case ctx.Err() != nil:
			return websocket.StatusServiceRestart, "listening goes on over a new connection"
		case err != nil:
			return websocket.StatusNormalClosure, ""
		case kind == websocket.MessageText:
			if err := h.ear.ask(data); err != nil {
				return websocket.StatusUnsupportedData, err.Error()
			}
			continue
		case len(data)%(2*h.channels) != 0:
			return websocket.StatusUnsupportedData, "send samples of 16 bits"
		}
		if h.heard += len(data) / (2 * h.channels); float64(h.heard)/float64(h.rate) > time.Since(h.began).Seconds()+listenMoreAtOnce {
			return websocket.StatusPolicyViolation, "sound is arriving faster than real time"
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

// answer listens to a message, and sends what there is to say.
func (h *hearing) answer(ctx context.Context, data []byte) error {
	h.buf = h.buf[:0]
	for i := 0; i < len(data); i += 2 {
		h.buf = append(h.buf, float64(int16(binary.LittleEndian.Uint16(data[i:])))/32768)
	}
	ctx, cancel := context.WithTimeout(ctx, listenAnswer)
	defer cancel()
	if out := h.ear.hear(ctx, h.buf); out != nil {
		return wsjson.Write(ctx, h.conn, out)
	}
	return nil
}

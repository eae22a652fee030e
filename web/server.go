// Package web serves the pages: it reads requests, calls core and store, and renders
// templates into a buffer before anything is written. No musical rule lives here.
package web

import (
	"bytes"
	"cmp"
	"compress/gzip"
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"net/http"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"github.com/klauspost/compress/gzhttp"

	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

//go:embed templates/*.html
var templateFiles embed.FS

// Config is what a server needs.
type Config struct {
	Store *store.Store
	Owner store.ID // the player who needs no account while Access does not ask for one
	door.Access
	Log *slog.Logger // nil: the default
	// AtHome, if not nil, is asked in place of Owner: see door.Config.
	AtHome func(context.Context) (owner store.ID, accounts bool, err error)

	Host string  // a host name that requests may use in addition to IP addresses and localhost; "" for none
	Demo AddDemo // nil: no demo tune can be had

	Patience time.Duration // how long a page waits for a plan before it shows how far the work is; 0: 3 s
}

// AddDemo adds a demo tune for an owner.
type AddDemo func(ctx context.Context, st *store.Store, owner store.ID) (store.ID, error)

// Server is the application. Safe for concurrent use.
type Server struct {
	store     *store.Store
	door      *door.Door
	meters    *meters
	log       *slog.Logger
	pages     map[string]*template.Template
	desk      *desk.Desk
	engine    *gin.Engine
	demo      AddDemo
	patience  time.Duration
	working   *working
	sittings  sittings
	listeners *listeners
	sample    sample
}

// Times after which a slow client is disconnected; package door extends the first two while data comes in or is taken.
const (
	ReadTimeout  = door.Patience
	WriteTimeout = door.AnswerPatience
	IdleTimeout  = 2 * time.Minute
)

// New makes a server; a template that does not parse stops it here.
func New(cfg Config) (*Server, error) {
	s := &Server{store: cfg.Store, log: cfg.Log, demo: cfg.Demo, working: newWorking(), listeners: newListeners(),
		patience: cmp.Or(cfg.Patience, pagePatience)}
	if s.log == nil {
		s.log = slog.Default()
	}
	var err error
	if s.pages, err = pages(); err != nil {
		return nil, err
	}
	s.meters = s.newMeters()
	s.desk = desk.New(s.store, s.log, s.meters.worked)
	s.door = door.New(door.Config{Store: cfg.Store, Owner: cfg.Owner, Access: cfg.Access, Host: cfg.Host, AtHome: cfg.AtHome,
		Bodies:     map[string]int64{"/everything": maxArchive, "/drafts": maxUpload, takeRoute: maxRecording, playInRoute: maxPlayedIn + 1<<20, partRoute: store.UploadPart},
		Streamed:   map[string]bool{"/everything": true, "/drafts": true, takeRoute: true, playInRoute: true},
		Microphone: map[string]bool{takeRoute: true, keptRoute: true, standRoute: true, playInRoute: true, inTuneRoute: true, "/bench": true, "/tunes/:id": true},
		Stopped:    func(id store.ID) { s.desk.Jobs.StopOf(id.String()) },
		Pages:      door.Pages{Draw: s.draw, Fail: s.fail, FailFor: s.failFor, Away: s.away, Log: s.logFor}})
	s.engine = s.routes()
	return s, s.engine.SetTrustedProxies(cfg.Proxies)
}

// pageNames are the pages; each is parsed with the layout into a set of its own.
var pageNames = []string{"home", "draft", "playin", "intune", "losses", "neck", "away", "waiting", "whole", "stand", "hear", "practise", "ladder", "today", "part", "log", "take",
	"besides", "bench", "guitar", "suit", "slides", "slide", "slidesfor", "set", "chords", "patterns", "pattern", "plan", "text",
	"learn", "licks", "lick", "build", "sheets", "sheetspaper", "lent", "ended", "pupilslog", "profiles", "profile", "hands", "taste", "signin", "welcome", "account", "upload", "recordings", "pace", "variations", "compare", "error"}

// pages are the templates of all pages, parsed once: what several share is parsed before and copied to each.
var pages = sync.OnceValues(func() (map[string]*template.Template, error) {
	shared, err := template.New("").Funcs(viewFuncs).ParseFS(templateFiles, "templates/layout.html", "templates/column.html",
		"templates/signs.html", "templates/busy.html", "templates/grid.html", "templates/paper.html", "templates/hand.html",
		"templates/takepicture.html", "templates/standbars.html")
	if err != nil {
		return nil, fmt.Errorf("what pages share: %w", err)
	}
	out := map[string]*template.Template{}
	for _, name := range pageNames {
		t, err := shared.Clone()
		if err == nil {
			t, err = t.ParseFS(templateFiles, "templates/"+name+".html")
		}
		if err != nil {
			return nil, fmt.Errorf("page %s: %w", name, err)
		}
		out[name] = t
	}
	return out, nil
})

// Close stops all work under way.
func (s *Server) Close() {
	s.listeners.stop()
	s.working.close()
	s.desk.Close()
}

// Handler returns the application with its security measures around it.
func (s *Server) Handler() http.Handler { return s.door.Around(zipped(s.engine)) }

// zipped compresses pages, styles, scripts and documents for browsers that take it; sounds are sent as they are. The length of
// what is compressed can give a secret away to a site that has its own words compressed with it, many times: other sites cannot have pages
// sent for somebody (package door), and one-time secrets come in answers to posts alone.
func zipped(h http.Handler) http.Handler {
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(1400), gzhttp.CompressionLevel(gzip.BestSpeed), gzhttp.ContentTypes([]string{"text/html",
		"text/css", "text/javascript", "application/javascript", "application/json", "image/svg+xml"}))
	if err != nil {
		panic("web: " + err.Error()) // its options are wrong
	}
	return wrap(h)
}

// Routes lists the addresses, each as "METHOD /path".
func (s *Server) Routes() (out []string) {
	for _, r := range s.engine.Routes() {
		out = append(out, r.Method+" "+r.Path)
	}
	return out
}

var errInternal = errors.New("something went wrong inside Stepping. Everything you saved before is safe. Go back and try again")

// page is what every page knows.
type page struct {
	Title    string
	Look     string // light, dim or "" for the system's
	Large    bool   // all a quarter larger
	Figures  bool   // prices, millimetres, and the top tempo of each bar are shown
	Mirrored bool   // drawn for a left-handed player
	Path     string
	Name     string // of the account that is signed in, "" if none is needed
	Out      bool   // nobody is signed in, and somebody must be
	Way      *way   // of the tune that the page is about
	Head     []headLink
	Help     *help     // nil on pages without one
	Tour     *tourView // nil but on the way through the six steps
	Body     any
}

// render executes a whole page, or one named part of it, into a buffer and then writes it.
func (s *Server) render(c *gin.Context, status int, name, part, title string, body any) {
	look, err := c.Cookie("look")
	if err != nil || look != "light" && look != "dim" {
		look = ""
	}
	size, _ := c.Cookie("size")
	figures, _ := c.Cookie("figures")
	var around *way
	if part == "layout" {
		around = wayHere(c, status)
	}
	var aid *help
	if h, ok := helpOf[name]; ok {
		aid = &h
	}
	var buf bytes.Buffer
	if err := s.pages[name].ExecuteTemplate(&buf, part, page{
		Title: title, Look: look, Large: size == "large", Figures: figures == "on", Mirrored: part == "layout" && s.mirrored(c), Path: c.Request.URL.RequestURI(),
		Name: door.Name(c), Out: door.Owner(c) == store.ID{}, Way: around, Head: headHere(c), Help: aid, Tour: tourOf(c), Body: body,
	}); err != nil {
		s.logFor(c).Error("template", "page", name, "err", err)
		http.Error(c.Writer, "Stepping could not draw this page. Go back and try again.", http.StatusInternalServerError)
		return
	}
	c.Data(status, "text/html; charset=utf-8", buf.Bytes())
}

// draw is render of a whole page.
func (s *Server) draw(c *gin.Context, status int, name, title string, body any) {
	s.render(c, status, name, "layout", title, body)
}

// errorBody is the error page.
type errorBody struct {
	Status int
	Text   string
	Again  *again // the request once more
}

// again is a request that could not be answered, so that nothing typed is lost.
type again struct {
	Action string
	Post   bool
	Typed  string // a tune's text
	Fields []againField
}

type againField struct{ Name, Value string }

const awayTitle = "The database is not responding"

func newAway(r *http.Request) errorBody {
	return errorBody{http.StatusServiceUnavailable,
		"The database is not responding at the moment. Everything you saved is safe; wait a few seconds and try again", newAgain(r)}
}

// away answers a request whose session cannot be looked up.
func (s *Server) away(w http.ResponseWriter, r *http.Request, err error) {
	if r.Context().Err() != nil {
		return // the client has gone
	}
	s.log.Error("session", "err", err)
	r.Body = http.MaxBytesReader(w, r.Body, door.MaxBody)
	_ = r.ParseMultipartForm(door.InMemory) // what can be read of it is given back
	var buf bytes.Buffer
	if err := s.pages["error"].ExecuteTemplate(&buf, "layout", page{Title: awayTitle, Path: "/", Out: true, Body: newAway(r)}); err != nil {
		s.log.Error("template", "page", "error", "err", err)
	}
	h := w.Header()
	h.Set("Content-Security-Policy", door.Policy)
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cache-Control", "no-store")
	h.Set("Retry-After", "5")
	w.WriteHeader(http.StatusServiceUnavailable)
	_, _ = buf.WriteTo(w) // a client that has gone
}

func newAgain(r *http.Request) *again {
	a := &again{Action: r.URL.RequestURI(), Post: r.Method == http.MethodPost}
	if a.Post {
		for name, values := range r.PostForm {
			for _, v := range values {
				switch name {
				case "password", "old", "new":
				case "abc":
					a.Typed = v
				default:
					a.Fields = append(a.Fields, againField{name, v})
				}
			}
		}
	}
	return a
}

// fail answers with the error page; err is written for people.
func (s *Server) fail(c *gin.Context, status int, err error) {
	c.Abort()
	title := "Something is missing"
	if status >= http.StatusInternalServerError {
		title = "Something does not work"
	}
	s.render(c, status, "error", "layout", title, errorBody{status, view.Capital(err.Error()), nil})
}

// recover answers a panic with the error page; the detail goes to the log.
func (s *Server) recover(c *gin.Context) {
	defer func() {
		if v := recover(); v != nil {
			if v == http.ErrAbortHandler { // an answer that broke off
				panic(v)
			}
			s.logFor(c).Error("panic", "value", v)
			s.fail(c, http.StatusInternalServerError, errInternal)
		}
	}()
	c.Next()
}

// failFor picks the status for a store or planning error; unknown ones are logged and
// answered with errInternal.
func (s *Server) failFor(c *gin.Context, err error) {
	switch {
	case c.Request.Context().Err() != nil: // the client has gone: nobody reads an answer, and nothing is wrong here
		c.Abort()
	case errors.Is(err, store.ErrNotFound):
		s.fail(c, http.StatusNotFound, errors.New("there is nothing at this address; it may have been deleted"))
	case errors.Is(err, store.ErrLent):
		s.fail(c, http.StatusConflict, errors.New("this tune is lent to you, and only its owner can change it: practise it, hear it and record it. For changes ask for a copy"))
	case errors.Is(err, store.ErrTooMany):
		s.fail(c, http.StatusConflict, errors.New("that is over the storage limit: delete one first"))
	case errors.Is(err, store.ErrTooLong):
		s.fail(c, http.StatusUnprocessableEntity, errors.New("a name is too long: go back and shorten it"))
	case errors.Is(err, store.ErrUnreadable):
		s.logFor(c).Error("request", "err", err)
		s.fail(c, http.StatusInternalServerError,
			errors.New("what is saved at this address cannot be read: it may have been made by a newer Stepping. Everything else works; a backup can restore it (stepping restore)"))
	case errors.Is(err, context.Canceled):
		c.Abort()
	case store.Away(err):
		s.logFor(c).Error("request", "err", err)
		c.Abort()
		c.Header("Retry-After", "5")
		s.render(c, http.StatusServiceUnavailable, "error", "layout", awayTitle, newAway(c.Request))
	default:
		s.logFor(c).Error("request", "err", err)
		s.fail(c, http.StatusInternalServerError, errInternal)
	}
}

// logUnlessGone logs an error, unless it is only that the client has gone.
func (s *Server) logUnlessGone(c *gin.Context, what string, args ...any) {
	if c.Request.Context().Err() == nil {
		s.logFor(c).Error(what, args...)
	}
}

// ready reports whether requests can be answered: the database is there.
func (s *Server) ready(c *gin.Context) {
	if err := s.store.Ping(c.Request.Context()); err != nil {
		c.String(http.StatusServiceUnavailable, "the database is not responding\n")
		return
	}
	c.String(http.StatusOK, "ok\n")
}

// idParam reads the key in the path; a wrong one is answered with 404.
func (s *Server) idParam(c *gin.Context) (store.ID, bool) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		s.failFor(c, store.ErrNotFound)
		return id, false
	}
	return id, true
}

// tuneParam loads the tune in the path; a wrong one is answered with 404.
func (s *Server) tuneParam(c *gin.Context) (*store.Tune, bool) {
	id, ok := s.idParam(c)
	if !ok {
		return nil, false
	}
	t, err := s.store.Tune(c.Request.Context(), door.Owner(c), id)
	if err != nil {
		s.failFor(c, err)
		return nil, false
	}
	c.Set(tuneKey, &t)
	if t.Ended && !outlives[c.FullPath()] {
		s.endedTune(c, &t)
		return nil, false
	}
	return &t, true
}

// outlives are the addresses of a borrowed tune that are there after its loan has ended: what the borrower made.
var outlives = map[string]bool{keptRoute: true, "/tunes/:id/takes/:take/sound.wav": true, "/tunes/:id/takes/:take/delete": true, "/tunes/:id/delete": true,
	"/tunes/:id/bring-back": true, "/tunes/:id/tags": true}

// tuneAndPlayer loads the tune in the path and the player that it is planned for.
func (s *Server) tuneAndPlayer(c *gin.Context) (*store.Tune, *store.Profile, bool) {
	t, ok := s.tuneParam(c)
	if !ok {
		return nil, nil, false
	}
	prof, err := s.store.TunePlayer(c.Request.Context(), door.Owner(c), t.ID)
	if err != nil {
		s.failFor(c, err)
		return nil, nil, false
	}
	return t, &prof, true
}

// planParam loads the tune in the path with its plan. If there is none, the reason is the answer: a page shows how far the
// work is, and comes by itself when it is done; anything else waits.
func (s *Server) planParam(c *gin.Context) (*store.Tune, *desk.Planned, bool) {
	t, ok := s.tuneParam(c)
	if !ok {
		return nil, nil, false
	}
	page := wantsPage(c)
	patience := filePatience
	if page {
		patience = s.patience
	}
	w, err := s.desk.Plan(c.Request.Context(), t, patience)
	busy := (*jobs.NotReady)(nil)
	switch {
	case err == nil:
		patient(c) // part of its time is gone
		return t, w, true
	case errors.Is(err, context.Canceled):
		c.Abort()
	case errors.As(err, &busy) && page:
		s.render(c, http.StatusOK, "waiting", "layout", t.Title, waitingBody{ID: t.ID.String(), Title: t.Title, Percent: busy.Percent,
			Here: c.Request.URL.RequestURI()})
	case errors.Is(err, jobs.ErrStopped) && page:
		s.render(c, http.StatusOK, "waiting", "layout", t.Title, waitingBody{ID: t.ID.String(), Title: t.Title, Stopped: true})
	case errors.As(err, &busy):
		c.Header("Retry-After", "10")
		s.fail(c, http.StatusServiceUnavailable, err)
	case errors.Is(err, jobs.ErrStopped):
		s.fail(c, http.StatusUnprocessableEntity, errors.New("you stopped the planning of this tune: open its plan and choose Plan it after all"))
	case problemText(err) != "":
		s.fail(c, http.StatusUnprocessableEntity, err)
	default: // of the store, or a fault of ours
		s.failFor(c, err)
	}
	return nil, nil, false
}

// profileParam loads the profile in the path; a wrong one is answered with 404.
func (s *Server) profileParam(c *gin.Context) (*store.Profile, bool) {
	id, ok := s.idParam(c)
	if !ok {
		return nil, false
	}
	p, err := s.store.Profile(c.Request.Context(), door.Owner(c), id)
	if err != nil {
		s.failFor(c, err)
		return nil, false
	}
	return &p, true
}

// setLook keeps the appearance, the size, or whether figures are shown, in a cookie and returns to the page it came from.
func setLook(c *gin.Context) {
	for _, name := range []string{"look", "size", "figures"} {
		if v, given := c.GetPostForm(name); given {
			http.SetCookie(c.Writer, &http.Cookie{Name: name, Value: v, Path: "/", MaxAge: 365 * 24 * 3600, HttpOnly: true,
				SameSite: http.SameSiteStrictMode})
		}
	}
	c.Redirect(http.StatusSeeOther, door.LocalPath(c.PostForm("back")))
}

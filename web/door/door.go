// Package door decides who and what is let in: whose request it is, how people sign in and out, what a request may carry, and
// what a page may load. It draws nothing itself: Pages does.
package door

import (
	"bufio"
	"context"
	"errors"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/store"
)

// Config is what a door needs.
type Config struct {
	Store *store.Store
	Owner store.ID // the player who needs no account while Access does not ask for one
	Access
	Host string // a host name that requests may use next to IP addresses and localhost; "" for none

	Bodies     map[string]int64 // by route: bytes that a request may have, where that is not MaxBody
	Streamed   map[string]bool  // routes whose body is read by their handler as it comes
	Microphone map[string]bool  // routes whose pages may ask for the microphone

	// AtHome, if not nil, says whose things are here for somebody who needs no account, and whether there are accounts, so that one is
	// needed; asked at most once a second. A restore changes both while the program runs.
	AtHome func(context.Context) (owner store.ID, accounts bool, err error)

	Stopped func(tune store.ID) // ends the work at a tune whose owner closes the account
	Pages   Pages
}

// Pages draws what the door has to say.
type Pages struct {
	Draw    func(c *gin.Context, status int, name, title string, body any)
	Fail    func(c *gin.Context, status int, err error) // err is written for people
	FailFor func(c *gin.Context, err error)             // of the store
	Away    func(w http.ResponseWriter, r *http.Request, err error)
	Log     func(c *gin.Context) *slog.Logger
}

// Door is the way in. Safe for concurrent use.
type Door struct {
	store                *store.Store
	owner                store.ID
	access               Access
	host                 string
	sessions             *scs.SessionManager
	bodies               map[string]int64
	streamed, microphone map[string]bool
	stopped              func(tune store.ID)
	pages                Pages
	home                 home
}

// home is what Config.AtHome said last.
type home struct {
	ask func(context.Context) (store.ID, bool, error)

	mu    sync.Mutex
	asked time.Time
	owner store.ID
	needs bool
}

// homeLasts is how long what AtHome said is believed.
const homeLasts = time.Second

// whose is the owner of a request that needs no account; needs says that it needs one.
func (d *Door) whose(ctx context.Context) (owner store.ID, needs bool, err error) {
	h := &d.home
	if d.access.SignIn || h.ask == nil {
		return d.owner, d.access.SignIn, nil
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if time.Since(h.asked) > homeLasts {
		if h.owner, h.needs, err = h.ask(ctx); err != nil {
			return owner, true, err
		}
		h.asked = time.Now()
	}
	return h.owner, h.needs, nil
}

// New returns a door.
func New(cfg Config) *Door {
	d := &Door{store: cfg.Store, owner: cfg.Owner, access: cfg.Access, host: cfg.Host, bodies: cfg.Bodies, streamed: cfg.Streamed,
		microphone: cfg.Microphone, stopped: cfg.Stopped, pages: cfg.Pages}
	d.access.fill()
	d.home.ask = cfg.AtHome
	d.sessions = d.newSessions()
	return d
}

// Around returns next with sessions and protection from other sites around it.
func (d *Door) Around(next http.Handler) http.Handler {
	guard := http.NewCrossOriginProtection()
	guard.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		http.Error(w, "Another site tried to make this change, so it was refused. Open Stepping itself and try again.", http.StatusForbidden)
	}))
	known := d.sessions.LoadAndSave(hijackable(next))
	return guard.Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/static/") { // for everybody, and also while the database is away
			next.ServeHTTP(w, r)
			return
		}
		known.ServeHTTP(w, r)
	}))
}

// hijackable lets what answers take a connection over: the sessions' writer does not hand it on by itself.
func hijackable(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Upgrade") != "" {
			w = hijacker{w}
		}
		next.ServeHTTP(w, r)
	})
}

type hijacker struct{ http.ResponseWriter }

// Hijack implements http.Hijacker.
func (h hijacker) Hijack() (net.Conn, *bufio.ReadWriter, error) {
	return http.NewResponseController(h.ResponseWriter).Hijack()
}

// Unwrap lets http.ResponseController reach the server.
func (h hijacker) Unwrap() http.ResponseWriter { return h.ResponseWriter }

// Guards are run before the handler of every address, in this order.
func (d *Door) Guards() []gin.HandlerFunc {
	return []gin.HandlerFunc{d.security, d.ownHost, d.asked, d.who, d.body, d.texts}
}

// Routes adds the addresses of signing in and out and of one's account.
func (d *Door) Routes(r *gin.Engine) {
	r.GET("/sign-in", d.signIn)
	r.POST("/sign-in", d.trySignIn)
	r.POST("/sign-out", d.signOut)
	r.GET("/welcome/:secret", d.welcome)
	r.POST("/welcome/:secret", d.acceptWelcome)
	r.GET("/account", d.account)
	r.POST("/account/password", d.changePassword)
	r.POST("/account/end", d.endSignin)
	r.POST("/account/end-all", d.endSignins)
	r.POST("/account/invite", d.invite)
	r.POST("/account/close", d.closeAccount)
}

// Access says who is let in.
type Access struct {
	SignIn   bool          // everybody needs an account; else the player at this machine needs none
	TLS      bool          // the server speaks TLS itself
	Proxies  []string      // addresses of proxies whose forwarding headers are believed
	Idle     time.Duration // after which an unused sign-in ends; 0: a week
	Lifetime time.Duration // after which any sign-in ends; 0: 30 days
}

func (a *Access) fill() {
	if a.Idle == 0 {
		a.Idle = 7 * 24 * time.Hour
	}
	if a.Lifetime == 0 {
		a.Lifetime = 30 * 24 * time.Hour
	}
}

// Names of cookies; under TLS with the prefix that binds them to this host.
const (
	sessionCookie = "session"
	browserCookie = "browser"
	hostPrefix    = "__Host-"
	signinKey     = "signin" // in the session
)

func (d *Door) cookieName(name string) string {
	if d.access.TLS {
		return hostPrefix + name
	}
	return name
}

func (d *Door) newSessions() *scs.SessionManager {
	m := scs.New()
	m.Store, m.Lifetime, m.HashTokenInStore = d.store.Sessions(), d.access.Lifetime, true
	m.Cookie.Name, m.Cookie.Path, m.Cookie.HttpOnly, m.Cookie.SameSite, m.Cookie.Secure, m.Cookie.Persist = d.cookieName(sessionCookie), "/", true, http.SameSiteLaxMode, d.access.TLS, true
	m.ErrorFunc = d.pages.Away
	return m
}

// What the context of a request that was let in holds.
const (
	ownerKey  = "owner"
	nameKey   = "name"   // of the account, if there is one
	signinIDs = "signin" // key of the sign-in, if there is one
)

// Owner is whose things a request is about; the zero ID for somebody who was not let in.
func Owner(c *gin.Context) store.ID {
	id, _ := c.Value(ownerKey).(store.ID)
	return id
}

// Name is the name of the account that is signed in, "" if none is needed.
func Name(c *gin.Context) string { return c.GetString(nameKey) }

// open are the addresses that need no account next to style and scripts: each is answered alike for everybody.
var open = map[string]bool{"/healthz": true, "/readyz": true, "/sign-in": true, "/welcome/:secret": true}

// who finds out whose request it is. It decides for every address: what is not open is refused to whom it does not know.
func (d *Door) who(c *gin.Context) {
	if strings.HasPrefix(c.Request.URL.Path, "/static/") {
		c.Next()
		return
	}
	owner, needs, err := d.whose(c.Request.Context())
	if err == nil && !needs && !forwarded(c.Request) {
		c.Set(ownerKey, owner)
		c.Next()
		return
	}
	if err == nil {
		err = store.ErrNotFound
	}
	if id, parse := uuid.Parse(d.sessions.GetString(c.Request.Context(), signinKey)); parse == nil && errors.Is(err, store.ErrNotFound) {
		var who store.ID
		var name string
		if who, name, err = d.store.SignedIn(c.Request.Context(), id, d.access.Idle); err == nil {
			c.Set(ownerKey, who)
			c.Set(nameKey, name)
			c.Set(signinIDs, id)
		}
	}
	switch {
	case err == nil || open[c.FullPath()] || c.FullPath() == "/metrics" && AtHome(c.Request):
		c.Next()
	case !errors.Is(err, store.ErrNotFound): // the database is away: what was typed is given back
		c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, MaxBody)
		_ = c.Request.ParseMultipartForm(InMemory)
		d.pages.FailFor(c, err)
	case c.Request.Method == http.MethodGet && c.GetHeader("X-Part") == "":
		c.Abort()
		c.Redirect(http.StatusSeeOther, "/sign-in?"+url.Values{"next": {c.Request.URL.RequestURI()}}.Encode())
	default:
		d.pages.Fail(c, http.StatusUnauthorized, errors.New("you have been signed out: open the first page in another tab, sign in there, and try this again"))
	}
}

// forwarded reports whether a proxy has passed the request on: then it need not come from this machine, whatever
// its address says.
func forwarded(r *http.Request) bool {
	for _, name := range []string{"Forwarded", "X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "X-Real-Ip", "Via"} {
		if r.Header.Get(name) != "" {
			return true
		}
	}
	return false
}

// AtHome reports whether a request comes from this machine itself.
func AtHome(r *http.Request) bool {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	ip := net.ParseIP(host)
	return err == nil && ip != nil && ip.IsLoopback() && !forwarded(r)
}

// LocalPath keeps a redirect on this server.
func LocalPath(p string) string {
	u, err := url.Parse(p)
	if err != nil || u.Host != "" || u.Scheme != "" || !strings.HasPrefix(u.Path, "/") || strings.HasPrefix(u.Path, "//") ||
		strings.Contains(u.Path, `\`) {
		return "/"
	}
	return u.RequestURI()
}

package web

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/account"
	"stepping/core/player"
	"stepping/store"
)

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

func (s *Server) cookieName(name string) string {
	if s.access.TLS {
		return hostPrefix + name
	}
	return name
}

func (s *Server) newSessions() *scs.SessionManager {
	m := scs.New()
	m.Store, m.Lifetime, m.HashTokenInStore = s.store.Sessions(), s.access.Lifetime, true
	m.Cookie.Name, m.Cookie.Path, m.Cookie.HttpOnly, m.Cookie.SameSite, m.Cookie.Secure, m.Cookie.Persist = s.cookieName(sessionCookie), "/", true, http.SameSiteLaxMode, s.access.TLS, true
	m.ErrorFunc = s.away
	return m
}

// What the context of a request that was let in holds.
const (
	ownerKey  = "owner"
	nameKey   = "name"   // of the account, if there is one
	signinIDs = "signin" // key of the sign-in, if there is one
)

// owner is whose things a request is about. Without who let in by that, nothing is his.
func owner(c *gin.Context) store.ID {
	id, _ := c.Value(ownerKey).(store.ID)
	return id
}

// open are the addresses that need no account beside style and scripts: each is answered alike for everybody.
var open = map[string]bool{"/healthz": true, "/readyz": true, "/sign-in": true, "/welcome/:secret": true}

// who finds out whose request it is. It decides for every address: what is not open is refused to whom it does not know.
func (s *Server) who(c *gin.Context) {
	if strings.HasPrefix(c.Request.URL.Path, "/static/") {
		c.Next()
		return
	}
	if !s.access.SignIn && !forwarded(c.Request) {
		c.Set(ownerKey, s.owner)
		c.Next()
		return
	}
	err := store.ErrNotFound
	if id, parse := uuid.Parse(s.sessions.GetString(c.Request.Context(), signinKey)); parse == nil {
		var who store.ID
		var name string
		if who, name, err = s.store.SignedIn(c.Request.Context(), id, s.access.Idle); err == nil {
			c.Set(ownerKey, who)
			c.Set(nameKey, name)
			c.Set(signinIDs, id)
		}
	}
	switch {
	case err == nil || open[c.FullPath()] || c.FullPath() == "/metrics" && atHome(c.Request):
		c.Next()
	case !errors.Is(err, store.ErrNotFound):
		s.failFor(c, err)
	case c.Request.Method == http.MethodGet && c.GetHeader("X-Part") == "":
		c.Abort()
		c.Redirect(http.StatusSeeOther, "/sign-in?"+url.Values{"next": {c.Request.URL.RequestURI()}}.Encode())
	default:
		s.fail(c, http.StatusUnauthorized, errors.New("you are not signed in any more: open the first page in another tab, sign in there, and try this again"))
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

// signInBody is the page to sign in.
type signInBody struct {
	Name, Next, Fault string
	None              bool // there are no accounts yet
}

func (s *Server) signIn(c *gin.Context) {
	body := signInBody{Next: localPath(c.Query("next"))}
	has, err := s.store.HasAccounts(c.Request.Context())
	if err != nil {
		s.failFor(c, err)
		return
	}
	body.None = !has
	s.render(c, http.StatusOK, "signin", "layout", "Sign in", body)
}

// trySignIn is the same for a wrong password as for a name that does not exist, in its answer and about in its time.
func (s *Server) trySignIn(c *gin.Context) {
	ctx, body := c.Request.Context(), signInBody{Name: c.PostForm("name"), Next: localPath(c.PostForm("next"))}
	refuse := func(status int, fault string) {
		body.Fault = fault
		s.render(c, status, "signin", "layout", "Sign in", body)
	}
	name, err := account.CheckName(body.Name)
	if err != nil {
		refuse(http.StatusUnprocessableEntity, err.Error())
		return
	}
	a, err := s.store.Account(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		s.failFor(c, err)
		return
	}
	browser, _ := c.Cookie(s.cookieName(browserCookie))
	knows, err := s.store.Knows(ctx, a.Owner, browser)
	if err != nil {
		s.failFor(c, err)
		return
	}
	keys := account.Guessers(c.ClientIP(), name, browser, knows)
	wait, err := s.store.TryAfter(ctx, keys)
	if err != nil {
		s.failFor(c, err)
		return
	}
	if wait > 0 {
		seconds := strconv.Itoa(int(math.Ceil(wait.Seconds())))
		c.Header("Retry-After", seconds)
		refuse(http.StatusTooManyRequests, "Too many tries. The next one is possible in "+seconds+" s.")
		return
	}
	password := c.PostForm("password")
	right, weak := account.Verify(a.Password, password)
	if !right {
		s.logFor(c).Info("sign-in failed", "address", c.ClientIP())
		refuse(http.StatusUnauthorized, "This name and password do not belong together. Mind capitals; a lost password is made anew by whoever runs this Stepping.")
		return
	}
	if err := s.store.Succeeded(ctx, keys); err != nil {
		s.failFor(c, err)
		return
	}
	if weak {
		if hash, err := account.Hash(password); err == nil {
			err = s.store.Rehash(ctx, a.Owner, hash)
			if err != nil {
				s.log.Error("rehash", "err", err)
			}
		}
	}
	s.letIn(c, a.Owner, body.Next)
}

// letIn signs an owner in, in a session of a new token, and goes to next.
func (s *Server) letIn(c *gin.Context, who store.ID, next string) {
	ctx := c.Request.Context()
	browser, err := c.Cookie(s.cookieName(browserCookie))
	if err != nil || len(browser) < 20 || len(browser) > 64 {
		browser = account.Secret()
	}
	id, err := s.store.AddSignin(ctx, who, c.Request.UserAgent())
	if err = errors.Join(err, s.store.Know(ctx, who, browser), s.sessions.RenewToken(ctx)); err != nil {
		s.failFor(c, err)
		return
	}
	s.sessions.Put(ctx, signinKey, id.String())
	http.SetCookie(c.Writer, &http.Cookie{Name: s.cookieName(browserCookie), Value: browser, Path: "/", MaxAge: 365 * 24 * 3600,
		HttpOnly: true, Secure: s.access.TLS, SameSite: http.SameSiteLaxMode})
	s.logFor(c).Info("signed in", "owner", who, "address", c.ClientIP())
	c.Redirect(http.StatusSeeOther, next)
}

func (s *Server) signOut(c *gin.Context) {
	ctx := c.Request.Context()
	if id, ok := c.Value(signinIDs).(store.ID); ok {
		if err := s.store.EndSignin(ctx, owner(c), id); err != nil && !errors.Is(err, store.ErrNotFound) {
			s.failFor(c, err)
			return
		}
	}
	if err := s.sessions.Destroy(ctx); err != nil {
		s.failFor(c, err)
		return
	}
	s.logFor(c).Info("signed out", "owner", owner(c))
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

// welcomeBody is the page behind a one-time link: an account is made, or gets a new password.
type welcomeBody struct {
	Secret, Name, Fault string
	Reset               bool
	Least               int
}

func (s *Server) welcomed(c *gin.Context) (b welcomeBody, kind store.Link, ok bool) {
	b = welcomeBody{Secret: c.Param("secret"), Least: account.LeastPassword}
	kind, who, err := s.store.FindLink(c.Request.Context(), b.Secret)
	if err == nil && kind == store.ResetLink {
		var a store.Account
		a, err = s.store.AccountOf(c.Request.Context(), who)
		b.Reset, b.Name = true, a.Name
	}
	if err != nil {
		s.failLink(c, err)
		return b, kind, false
	}
	return b, kind, true
}

func (s *Server) failLink(c *gin.Context, err error) {
	if errors.Is(err, store.ErrLink) || errors.Is(err, store.ErrNotFound) {
		s.fail(c, http.StatusNotFound, errors.New("this link was used, or is more than a day old: ask for another"))
		return
	}
	s.failFor(c, err)
}

func (s *Server) welcome(c *gin.Context) {
	if b, _, ok := s.welcomed(c); ok {
		s.render(c, http.StatusOK, "welcome", "layout", "Welcome", b)
	}
}

func (s *Server) acceptWelcome(c *gin.Context) {
	b, kind, ok := s.welcomed(c)
	if !ok {
		return
	}
	refuse := func(err error) {
		b.Fault = sentence(err.Error())
		s.render(c, http.StatusUnprocessableEntity, "welcome", "layout", "Welcome", b)
	}
	if kind != store.ResetLink {
		b.Name = c.PostForm("name")
		name, err := account.CheckName(b.Name)
		if err != nil {
			refuse(err)
			return
		}
		b.Name = name
	}
	hash, err := newPassword(c.PostForm("password"), b.Name)
	if err != nil {
		refuse(err)
		return
	}
	who, err := s.takeLink(c.Request.Context(), kind, &b, hash)
	switch {
	case errors.Is(err, store.ErrNameTaken):
		refuse(errors.New("somebody here has this name: choose another"))
	case err != nil:
		s.failLink(c, err)
	default:
		s.logFor(c).Info("account", "kind", kind, "owner", who, "address", c.ClientIP())
		s.letIn(c, who, "/")
	}
}

func newPassword(password, name string) (hash string, err error) {
	if err := account.CheckPassword(password, name); err != nil {
		return "", err
	}
	return account.Hash(password)
}

// takeLink uses the link. A new player begins with a profile.
func (s *Server) takeLink(ctx context.Context, kind store.Link, b *welcomeBody, hash string) (who store.ID, err error) {
	if kind == store.ResetLink {
		return s.store.ResetPassword(ctx, b.Secret, hash)
	}
	err = s.store.Together(ctx, "make the account", func(st *store.Store) error {
		if who, err = st.AddAccount(ctx, b.Secret, b.Name, hash); err != nil || kind == store.FirstLink {
			return err
		}
		first := player.Default()
		first.Name = b.Name
		_, err := st.AddProfile(ctx, who, first)
		return err
	})
	return who, err
}

// accountBody is the page of one's account.
type accountBody struct {
	Name, Fault, Said string
	Least             int
	Signins           []signinRow
	Invite            string // a link just made
	Local             bool   // no account is needed
}

type signinRow struct {
	ID, Agent, Since, Seen string
	Here                   bool
}

func (s *Server) account(c *gin.Context) { s.showAccount(c, http.StatusOK, accountBody{}) }

func (s *Server) showAccount(c *gin.Context, status int, b accountBody) {
	b.Name, b.Least, b.Local = c.GetString(nameKey), account.LeastPassword, c.GetString(nameKey) == ""
	rows, err := s.store.Signins(c.Request.Context(), owner(c), s.access.Idle)
	if err != nil {
		s.failFor(c, err)
		return
	}
	here, _ := c.Value(signinIDs).(store.ID)
	for _, v := range rows {
		b.Signins = append(b.Signins, signinRow{v.ID.String(), agentWords(v.Agent), v.Created.Format("2 January, 15:04"),
			v.Seen.Format("2 January, 15:04"), v.ID == here})
	}
	s.render(c, status, "account", "layout", "Account", b)
}

// agentWords is what people know of a browser's name for itself.
func agentWords(agent string) string {
	find := func(known [][2]string, otherwise string) string {
		for _, k := range known {
			if strings.Contains(agent, k[0]) {
				return k[1]
			}
		}
		return otherwise
	}
	browser := find([][2]string{{"Firefox/", "Firefox"}, {"Edg/", "Edge"}, {"Chrome/", "Chrome or Chromium"}, {"Safari/", "Safari"}}, "a browser")
	return browser + find([][2]string{{"Android", " on Android"}, {"iPhone", " on a phone"}, {"iPad", " on a tablet"},
		{"Windows", " on Windows"}, {"Mac OS", " on a Mac"}, {"Linux", " on Linux"}}, "")
}

// confirmed checks the password of the account before what cannot be undone; it is slowed down like a sign-in.
func (s *Server) confirmed(c *gin.Context, password string) error {
	ctx := c.Request.Context()
	a, err := s.store.AccountOf(ctx, owner(c))
	if err != nil {
		return err
	}
	keys := [][]byte{account.SecretHash("confirm " + a.Owner.String())}
	wait, err := s.store.TryAfter(ctx, keys)
	if err != nil {
		return err
	}
	if wait > 0 {
		return &wrongError{fmt.Sprintf("Too many tries. The next one is possible in %.0f s.", math.Ceil(wait.Seconds()))}
	}
	if right, _ := account.Verify(a.Password, password); !right {
		return &wrongError{"This is not your password now. Nothing was changed."}
	}
	return s.store.Succeeded(ctx, keys)
}

// wrongError is a refusal that the account page shows.
type wrongError struct{ text string }

func (e *wrongError) Error() string { return e.text }

// refuseAccount shows a refusal on the page, and any other error as itself.
func (s *Server) refuseAccount(c *gin.Context, err error) {
	if wrong := (*wrongError)(nil); errors.As(err, &wrong) {
		s.showAccount(c, http.StatusUnprocessableEntity, accountBody{Fault: wrong.text})
		return
	}
	s.failFor(c, err)
}

func (s *Server) changePassword(c *gin.Context) {
	ctx := c.Request.Context()
	err := s.confirmed(c, c.PostForm("old"))
	if err != nil {
		s.refuseAccount(c, err)
		return
	}
	hash, err := newPassword(c.PostForm("new"), c.GetString(nameKey))
	if err != nil {
		s.refuseAccount(c, &wrongError{sentence(err.Error())})
		return
	}
	here, _ := c.Value(signinIDs).(store.ID)
	if err := errors.Join(s.store.SetPassword(ctx, owner(c), hash, here), s.sessions.RenewToken(ctx)); err != nil {
		s.failFor(c, err)
		return
	}
	s.logFor(c).Info("password changed", "owner", owner(c))
	s.showAccount(c, http.StatusOK, accountBody{Said: "The new password holds. You are signed out everywhere else."})
}

// sentence makes a sentence of an error's text.
func sentence(text string) string { return capital(text) + "." }

// capital begins a sentence.
func capital(text string) string {
	first, n := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(first)) + text[n:]
}

func (s *Server) endSignin(c *gin.Context) {
	id, err := uuid.Parse(c.PostForm("signin"))
	if err == nil {
		err = s.store.EndSignin(c.Request.Context(), owner(c), id)
	} else {
		err = store.ErrNotFound
	}
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/account")
}

func (s *Server) endSignins(c *gin.Context) {
	if err := errors.Join(s.store.EndSignins(c.Request.Context(), owner(c)), s.sessions.Destroy(c.Request.Context())); err != nil {
		s.failFor(c, err)
		return
	}
	s.logFor(c).Info("signed out everywhere", "owner", owner(c))
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

// invite makes a link for a further account. It is shown once.
func (s *Server) invite(c *gin.Context) {
	if c.GetString(nameKey) == "" {
		s.failFor(c, store.ErrNotFound)
		return
	}
	secret, err := s.store.AddLink(c.Request.Context(), store.InviteLink, owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	scheme := "http"
	if s.access.TLS {
		scheme = "https"
	}
	s.logFor(c).Info("invited", "owner", owner(c))
	s.showAccount(c, http.StatusOK, accountBody{Invite: scheme + "://" + c.Request.Host + "/welcome/" + secret})
}

func (s *Server) closeAccount(c *gin.Context) {
	ctx := c.Request.Context()
	if err := s.confirmed(c, c.PostForm("password")); err != nil {
		s.refuseAccount(c, err)
		return
	}
	tunes, err := s.store.Tunes(ctx, owner(c))
	if err == nil {
		err = errors.Join(s.store.CloseAccount(ctx, owner(c)), s.sessions.Destroy(ctx))
	}
	if err != nil {
		s.failFor(c, err)
		return
	}
	for i := range tunes {
		s.desk.Jobs.StopOf(tunes[i].ID.String())
	}
	s.logFor(c).Info("account closed", "owner", owner(c))
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

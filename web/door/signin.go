package door

import (
	"errors"
	"math"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"stepping/account"
	"stepping/store"
)

// signInBody is the page to sign in.
type signInBody struct {
	Name, Next, Fault string
	None              bool // there are no accounts yet
}

func (d *Door) signIn(c *gin.Context) {
	body := signInBody{Next: LocalPath(c.Query("next"))}
	has, err := d.store.HasAccounts(c.Request.Context())
	if err != nil {
		d.pages.FailFor(c, err)
		return
	}
	body.None = !has
	d.pages.Draw(c, http.StatusOK, "signin", "Sign in", body)
}

// trySignIn is the same for a wrong password as for a name that does not exist, in its answer and about in its time.
func (d *Door) trySignIn(c *gin.Context) {
	ctx, body := c.Request.Context(), signInBody{Name: c.PostForm("name"), Next: LocalPath(c.PostForm("next"))}
	refuse := func(status int, fault string) {
		body.Fault = fault
		d.pages.Draw(c, status, "signin", "Sign in", body)
	}
	name, err := account.CheckName(body.Name)
	if err != nil {
		refuse(http.StatusUnprocessableEntity, err.Error())
		return
	}
	a, err := d.store.Account(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		d.pages.FailFor(c, err)
		return
	}
	browser, _ := c.Cookie(d.cookieName(browserCookie))
	knows, err := d.store.Knows(ctx, a.Owner, browser)
	if err != nil {
		d.pages.FailFor(c, err)
		return
	}
	spelt, err := d.store.NameKey(ctx, name)
	if err != nil {
		d.pages.FailFor(c, err)
		return
	}
	keys := account.Guessers(c.ClientIP(), spelt, browser, knows)
	wait, err := d.store.TryAfter(ctx, keys)
	if err != nil {
		d.pages.FailFor(c, err)
		return
	}
	if wait > 0 {
		seconds := strconv.Itoa(int(math.Ceil(wait.Seconds())))
		c.Header("Retry-After", seconds)
		refuse(http.StatusTooManyRequests, "Too many attempts. Try again in "+seconds+" s.")
		return
	}
	password := c.PostForm("password")
	right, weak := account.Verify(a.Password, password)
	if !right {
		d.pages.Log(c).Info("sign-in failed", "address", c.ClientIP())
		refuse(http.StatusUnauthorized, "Wrong name or password. Check capital letters. If you have forgotten your password, whoever runs this Stepping can reset it.")
		return
	}
	if err := d.store.Succeeded(ctx, keys); err != nil {
		d.pages.FailFor(c, err)
		return
	}
	if weak {
		if hash, err := account.Hash(password); err == nil {
			err = d.store.Rehash(ctx, a.Owner, hash)
			if err != nil {
				d.pages.Log(c).Error("rehash", "err", err)
			}
		}
	}
	d.letIn(c, a.Owner, body.Next)
}

// letIn signs an owner in, in a session of a new token, and goes to next.
func (d *Door) letIn(c *gin.Context, who store.ID, next string) {
	ctx := c.Request.Context()
	browser, err := c.Cookie(d.cookieName(browserCookie))
	if err != nil || len(browser) < 20 || len(browser) > 64 {
		browser = account.Secret()
	}
	id, err := d.store.AddSignin(ctx, who, c.Request.UserAgent())
	if err = errors.Join(err, d.store.Know(ctx, who, browser), d.sessions.RenewToken(ctx)); err != nil {
		d.pages.FailFor(c, err)
		return
	}
	d.sessions.Put(ctx, signinKey, id.String())
	http.SetCookie(c.Writer, &http.Cookie{Name: d.cookieName(browserCookie), Value: browser, Path: "/", MaxAge: 365 * 24 * 3600,
		HttpOnly: true, Secure: d.access.TLS, SameSite: http.SameSiteLaxMode})
	d.pages.Log(c).Info("signed in", "owner", who, "address", c.ClientIP())
	c.Redirect(http.StatusSeeOther, next)
}

func (d *Door) signOut(c *gin.Context) {
	ctx := c.Request.Context()
	if id, ok := c.Value(signinIDs).(store.ID); ok {
		if err := d.store.EndSignin(ctx, Owner(c), id); err != nil && !errors.Is(err, store.ErrNotFound) {
			d.pages.FailFor(c, err)
			return
		}
	}
	if err := d.sessions.Destroy(ctx); err != nil {
		d.pages.FailFor(c, err)
		return
	}
	d.pages.Log(c).Info("signed out", "owner", Owner(c))
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

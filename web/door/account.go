package door

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/account"
	"stepping/core/player"
	"stepping/store"
	"stepping/web/view"
)

// welcomeBody is the page behind a one-time link: an account is made, or gets a new password.
type welcomeBody struct {
	Secret, Name, Fault string
	Reset               bool
	Least               int
}

func (d *Door) welcomed(c *gin.Context) (b welcomeBody, kind store.Link, ok bool) {
	b = welcomeBody{Secret: c.Param("secret"), Least: account.LeastPassword}
	kind, who, err := d.store.FindLink(c.Request.Context(), b.Secret)
	if err == nil && kind == store.ResetLink {
		var a store.Account
		a, err = d.store.AccountOf(c.Request.Context(), who)
		b.Reset, b.Name = true, a.Name
	}
	if err != nil {
		d.failLink(c, err)
		return b, kind, false
	}
	return b, kind, true
}

func (d *Door) failLink(c *gin.Context, err error) {
	if errors.Is(err, store.ErrLink) || errors.Is(err, store.ErrNotFound) {
		d.pages.Fail(c, http.StatusNotFound, errors.New("this link has been used or is more than a day old: ask for a new one"))
		return
	}
	d.pages.FailFor(c, err)
}

func (d *Door) welcome(c *gin.Context) {
	if b, _, ok := d.welcomed(c); ok {
		d.pages.Draw(c, http.StatusOK, "welcome", "Welcome", b)
	}
}

func (d *Door) acceptWelcome(c *gin.Context) {
	b, kind, ok := d.welcomed(c)
	if !ok {
		return
	}
	refuse := func(err error) {
		b.Fault = view.Sentence(err.Error())
		d.pages.Draw(c, http.StatusUnprocessableEntity, "welcome", "Welcome", b)
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
	who, err := d.takeLink(c.Request.Context(), kind, &b, hash)
	switch {
	case errors.Is(err, store.ErrNameTaken):
		refuse(errors.New("this name is taken: choose another"))
	case err != nil:
		d.failLink(c, err)
	default:
		d.pages.Log(c).Info("account", "kind", kind, "owner", who, "address", c.ClientIP())
		d.letIn(c, who, "/")
	}
}

func newPassword(password, name string) (hash string, err error) {
	if err := account.CheckPassword(password, name); err != nil {
		return "", err
	}
	return account.Hash(password)
}

// takeLink uses the link. A new player begins with a profile.
func (d *Door) takeLink(ctx context.Context, kind store.Link, b *welcomeBody, hash string) (who store.ID, err error) {
	if kind == store.ResetLink {
		return d.store.ResetPassword(ctx, b.Secret, hash)
	}
	err = d.store.Together(ctx, "make the account", func(st *store.Store) error {
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

// AccountPage is the page of one's account, with what is to be said on it.
type AccountPage struct {
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

func (d *Door) account(c *gin.Context) { d.ShowAccount(c, http.StatusOK, AccountPage{}) }

// ShowAccount answers with the page of one's account.
func (d *Door) ShowAccount(c *gin.Context, status int, b AccountPage) {
	b.Name, b.Least, b.Local = Name(c), account.LeastPassword, Name(c) == ""
	rows, err := d.store.Signins(c.Request.Context(), Owner(c), d.access.Idle)
	if err != nil {
		d.pages.FailFor(c, err)
		return
	}
	here, _ := c.Value(signinIDs).(store.ID)
	for _, v := range rows {
		b.Signins = append(b.Signins, signinRow{v.ID.String(), agentWords(v.Agent), v.Created.Format("2 January, 15:04"),
			v.Seen.Format("2 January, 15:04"), v.ID == here})
	}
	d.pages.Draw(c, status, "account", "Account", b)
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
func (d *Door) confirmed(c *gin.Context, password string) error {
	ctx := c.Request.Context()
	a, err := d.store.AccountOf(ctx, Owner(c))
	if err != nil {
		return err
	}
	keys := [][]byte{account.SecretHash("confirm " + a.Owner.String())}
	wait, err := d.store.TryAfter(ctx, keys)
	if err != nil {
		return err
	}
	if wait > 0 {
		return &wrongError{fmt.Sprintf("Too many attempts. Try again in %.0f s.", math.Ceil(wait.Seconds()))}
	}
	if right, _ := account.Verify(a.Password, password); !right {
		return &wrongError{"That is not your current password. Nothing was changed."}
	}
	return d.store.Succeeded(ctx, keys)
}

// wrongError is a refusal that the account page shows.
type wrongError struct{ text string }

func (e *wrongError) Error() string { return e.text }

// refuseAccount shows a refusal on the page, and any other error as itself.
func (d *Door) refuseAccount(c *gin.Context, err error) {
	if wrong := (*wrongError)(nil); errors.As(err, &wrong) {
		d.ShowAccount(c, http.StatusUnprocessableEntity, AccountPage{Fault: wrong.text})
		return
	}
	d.pages.FailFor(c, err)
}

func (d *Door) changePassword(c *gin.Context) {
	ctx := c.Request.Context()
	err := d.confirmed(c, c.PostForm("old"))
	if err != nil {
		d.refuseAccount(c, err)
		return
	}
	hash, err := newPassword(c.PostForm("new"), Name(c))
	if err != nil {
		d.refuseAccount(c, &wrongError{view.Sentence(err.Error())})
		return
	}
	here, _ := c.Value(signinIDs).(store.ID)
	if err := errors.Join(d.store.SetPassword(ctx, Owner(c), hash, here), d.sessions.RenewToken(ctx)); err != nil {
		d.pages.FailFor(c, err)
		return
	}
	d.pages.Log(c).Info("password changed", "owner", Owner(c))
	d.ShowAccount(c, http.StatusOK, AccountPage{Said: "Password changed. You have been signed out everywhere else."})
}

func (d *Door) endSignin(c *gin.Context) {
	id, err := uuid.Parse(c.PostForm("signin"))
	if err == nil {
		err = d.store.EndSignin(c.Request.Context(), Owner(c), id)
	} else {
		err = store.ErrNotFound
	}
	if err != nil {
		d.pages.FailFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/account")
}

func (d *Door) endSignins(c *gin.Context) {
	if err := errors.Join(d.store.EndSignins(c.Request.Context(), Owner(c)), d.sessions.Destroy(c.Request.Context())); err != nil {
		d.pages.FailFor(c, err)
		return
	}
	d.pages.Log(c).Info("signed out everywhere", "owner", Owner(c))
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

// invite makes a link for a further account. It is shown once.
func (d *Door) invite(c *gin.Context) {
	if Name(c) == "" {
		d.pages.FailFor(c, store.ErrNotFound)
		return
	}
	secret, err := d.store.AddLink(c.Request.Context(), store.InviteLink, Owner(c))
	if err != nil {
		d.pages.FailFor(c, err)
		return
	}
	d.pages.Log(c).Info("invited", "owner", Owner(c))
	d.ShowAccount(c, http.StatusOK, AccountPage{Invite: d.Link(c, "/welcome/"+secret)})
}

// Link is a path as an address to send to somebody.
func (d *Door) Link(c *gin.Context, path string) string {
	if d.access.TLS {
		return "https://" + c.Request.Host + path
	}
	return "http://" + c.Request.Host + path
}

func (d *Door) closeAccount(c *gin.Context) {
	ctx := c.Request.Context()
	if err := d.confirmed(c, c.PostForm("password")); err != nil {
		d.refuseAccount(c, err)
		return
	}
	tunes, err := d.store.Tunes(ctx, Owner(c))
	if err == nil {
		err = errors.Join(d.store.CloseAccount(ctx, Owner(c)), d.sessions.Destroy(ctx))
	}
	if err != nil {
		d.pages.FailFor(c, err)
		return
	}
	for i := range tunes {
		d.stopped(tunes[i].ID)
	}
	d.pages.Log(c).Info("account closed", "owner", Owner(c))
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

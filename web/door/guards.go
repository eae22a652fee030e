package door

import (
	"cmp"
	"errors"
	"fmt"
	"net"
	"net/http"
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
)

// Policy allows what this server ships and nothing else. Bootstrap's form controls draw
// their marks as data: images.
const Policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; " +
	"connect-src 'self'; media-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

func (d *Door) security(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", Policy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Permissions-Policy", "microphone=(), camera=(), geolocation=()")
	if d.microphone[c.FullPath()] {
		h.Set("Permissions-Policy", "microphone=(self), camera=(), geolocation=()")
	}
	if strings.HasPrefix(c.Request.URL.Path, "/welcome/") {
		h.Set("Referrer-Policy", "no-referrer") // the address is a secret
	}
	if d.access.TLS {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	if !strings.HasPrefix(c.Request.URL.Path, "/static/") {
		h.Set("Cache-Control", "no-store")
	}
	c.Next()
}

// ownHost refuses requests that name another host: a foreign page whose host name was
// pointed at this machine would otherwise count as the same origin. Addresses cannot be
// pointed elsewhere.
func (d *Door) ownHost(c *gin.Context) {
	host := c.Request.Host
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	if net.ParseIP(strings.Trim(host, "[]")) != nil || host == "localhost" || d.host != "" && strings.EqualFold(host, d.host) {
		c.Next()
		return
	}
	d.pages.Fail(c, http.StatusMisdirectedRequest,
		errors.New("this server does not go by that name: open it by its address, like http://127.0.0.1, or set STEPPING_HOST to the name"))
}

// asked refuses what a page of another site loads from here as a picture, script or frame: such a request would set
// work going that nobody asked for. A link that is followed from there is let in.
func (d *Door) asked(c *gin.Context) {
	site, mode := c.GetHeader("Sec-Fetch-Site"), c.GetHeader("Sec-Fetch-Mode")
	if (site == "cross-site" || site == "same-site") && (mode != "navigate" || strings.Contains(c.GetHeader("Sec-Fetch-Dest"), "frame")) {
		d.pages.Fail(c, http.StatusForbidden, errors.New("another site asked for this: open it here yourself"))
		return
	}
	c.Next()
}

// MaxBody bounds the body of a request in bytes, unless Config.Bodies says otherwise: a tune of 1 MiB and its form.
const MaxBody = 3 << 20

func (d *Door) limitBody(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, cmp.Or(d.bodies[c.FullPath()], MaxBody))
	c.Next()
}

// texts refuses form fields that are no text. A tune's text is looked at where it is read: it may come in another code.
func (d *Door) texts(c *gin.Context) {
	if c.Request.Method == http.MethodPost && !d.streamed[c.FullPath()] {
		_ = c.Request.ParseMultipartForm(MaxBody) // what is wrong with it, the handlers say
		for name, values := range c.Request.PostForm {
			for _, v := range values {
				if name != "abc" && (!utf8.ValidString(v) || strings.ContainsRune(v, 0)) {
					d.pages.Fail(c, http.StatusUnprocessableEntity,
						fmt.Errorf("%q holds bytes that are no text: go back, and type it anew", strings.ToValidUTF8(name, "?")))
					return
				}
			}
		}
	}
	c.Next()
}

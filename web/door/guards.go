package door

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"stepping/store"
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
	if p := c.Request.URL.Path; strings.HasPrefix(p, "/welcome/") || strings.HasPrefix(p, "/lent/") {
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
		errors.New("this server does not answer to that name: open it by its address, like http://127.0.0.1, or set STEPPING_HOST to the name"))
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

// openBody bounds it for somebody who is not signed in.
const openBody = 64 << 10

// InMemory is more than any form takes that is read as a whole: of such a form nothing is put into a file.
const InMemory = 16 * MaxBody

// body bounds the body of a request. It comes after who: nothing is read for somebody who is not let in.
func (d *Door) body(c *gin.Context) {
	if Owner(c) == (store.ID{}) {
		c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, openBody)
	} else {
		c.Request.Body = &steady{http.MaxBytesReader(c.Writer, c.Request.Body, cmp.Or(d.bodies[c.FullPath()], MaxBody)),
			http.NewResponseController(c.Writer), 0}
	}
	c.Next()
}

// A request may take as long as its body needs, if enough of it comes in time; an answer as long as it is read.
const (
	Patience       = 15 * time.Second // for the next piece of a body
	AnswerPatience = 60 * time.Second // for the next piece of an answer to be taken, counted again when a body was read
	piece          = 16 << 10
)

// steady is a body whose deadline moves with what comes of it.
type steady struct {
	io.ReadCloser
	rc  *http.ResponseController
	got int // bytes of the piece that is coming
}

func (b *steady) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	if b.got += n; b.got >= piece || errors.Is(err, io.EOF) {
		b.got = 0
		_ = b.rc.SetReadDeadline(time.Now().Add(Patience)) // a server that cannot is as patient as ever
		_ = b.rc.SetWriteDeadline(time.Now().Add(AnswerPatience))
	}
	return n, err
}

// Steadily returns the writer of an answer whose deadline moves with what is taken of it: whoever reads it at all gets all.
func Steadily(w http.ResponseWriter) http.ResponseWriter {
	return &steadyWriter{w, http.NewResponseController(w)}
}

type steadyWriter struct {
	http.ResponseWriter
	rc *http.ResponseController
}

func (w *steadyWriter) Write(p []byte) (n int, err error) {
	for len(p) > 0 && err == nil {
		_ = w.rc.SetWriteDeadline(time.Now().Add(AnswerPatience))
		var k int
		k, err = w.ResponseWriter.Write(p[:min(len(p), piece)])
		n, p = n+k, p[k:]
	}
	return n, err
}

// Unwrap lets http.ResponseController reach the server.
func (w *steadyWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// texts refuses form fields that are no text. A tune's text is looked at where it is read: it may come in another code.
func (d *Door) texts(c *gin.Context) {
	if c.Request.Method == http.MethodPost && !d.streamed[c.FullPath()] {
		_ = c.Request.ParseMultipartForm(InMemory) // what is wrong with it, the handlers say
		if err := CheckTexts(c.Request.PostForm); err != nil {
			d.pages.Fail(c, http.StatusUnprocessableEntity, err)
			return
		}
	}
	c.Next()
}

// CheckTexts returns what is wrong with the fields of a form that are no text.
func CheckTexts(form url.Values) error {
	for name, values := range form {
		for _, v := range values {
			if name != "abc" && (!utf8.ValidString(v) || strings.ContainsRune(v, 0)) {
				return fmt.Errorf("%q contains something that is not text: go back and type it again", strings.ToValidUTF8(name, "?"))
			}
		}
	}
	return nil
}

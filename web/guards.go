package web

import (
	"errors"
	"fmt"
	"net"
	"net/http"
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
)

// policy allows what this server ships and nothing else. Bootstrap's form controls draw
// their marks as data: images.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; " +
	"connect-src 'self'; media-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

func (s *Server) security(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", policy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Permissions-Policy", "microphone=(), camera=(), geolocation=()")
	if c.FullPath() == takeRoute || c.FullPath() == keptRoute || c.FullPath() == "/bench" {
		h.Set("Permissions-Policy", "microphone=(self), camera=(), geolocation=()")
	}
	if strings.HasPrefix(c.Request.URL.Path, "/welcome/") {
		h.Set("Referrer-Policy", "no-referrer") // the address is a secret
	}
	if s.access.TLS {
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
func (s *Server) ownHost(c *gin.Context) {
	host := c.Request.Host
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	if net.ParseIP(strings.Trim(host, "[]")) != nil || host == "localhost" || s.host != "" && strings.EqualFold(host, s.host) {
		c.Next()
		return
	}
	s.fail(c, http.StatusMisdirectedRequest,
		errors.New("this server does not go by that name: open it by its address, like http://127.0.0.1, or set STEPPING_HOST to the name"))
}

// asked refuses what a page of another site loads from here as a picture, script or frame: such a request would set
// work going that nobody asked for. A link that is followed from there is let in.
func (s *Server) asked(c *gin.Context) {
	site, mode := c.GetHeader("Sec-Fetch-Site"), c.GetHeader("Sec-Fetch-Mode")
	if (site == "cross-site" || site == "same-site") && (mode != "navigate" || strings.Contains(c.GetHeader("Sec-Fetch-Dest"), "frame")) {
		s.fail(c, http.StatusForbidden, errors.New("another site asked for this: open it here yourself"))
		return
	}
	c.Next()
}

func limitBody(c *gin.Context) {
	most := int64(maxBody)
	switch c.FullPath() {
	case "/everything":
		most = archiveBytes
	case "/drafts":
		most = maxUpload
	case takeRoute:
		most = maxRecording
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, most)
	c.Next()
}

// texts refuses form fields that are no text. A tune's text is looked at where it is read: it may come in another code.
func (s *Server) texts(c *gin.Context) {
	if c.Request.Method == http.MethodPost && c.FullPath() != takeRoute { // a recording is read as it comes
		_ = c.Request.ParseMultipartForm(maxBody) // what is wrong with it, the handlers say
		for name, values := range c.Request.PostForm {
			for _, v := range values {
				if name != "abc" && (!utf8.ValidString(v) || strings.ContainsRune(v, 0)) {
					s.fail(c, http.StatusUnprocessableEntity,
						fmt.Errorf("%q holds bytes that are no text: go back, and type it anew", strings.ToValidUTF8(name, "?")))
					return
				}
			}
		}
	}
	c.Next()
}

// recover answers a panic with the error page; the detail goes to the log.
func (s *Server) recover(c *gin.Context) {
	defer func() {
		if v := recover(); v != nil {
			s.logFor(c).Error("panic", "value", v)
			s.fail(c, http.StatusInternalServerError, errInternal)
		}
	}()
	c.Next()
}

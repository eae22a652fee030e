package web

import (
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"errors"
	"io/fs"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"
)

//go:embed static
var staticFiles embed.FS

// sums are hashes of the static files, by path under /static.
var sums = func() map[string]string {
	out := map[string]string{}
	err := fs.WalkDir(staticFiles, "static", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := staticFiles.ReadFile(path)
		sum := sha256.Sum256(data)
		out[strings.TrimPrefix(path, "static")] = hex.EncodeToString(sum[:8])
		return err
	})
	if err != nil {
		panic("web: embedded files: " + err.Error())
	}
	return out
}()

// asset is the address of a static file. It changes with the file, so that a browser may keep it for good.
func asset(name string) string { return "/static/" + name + "?v=" + sums["/"+name] }

// serveStatic adds the static files. One that is asked for by its asset address is kept for good, any other is asked for again
// and answered with 304 while it is the same.
func serveStatic(r *gin.Engine) {
	files, err := fs.Sub(staticFiles, "static")
	if err != nil {
		panic("web: embedded files: " + err.Error())
	}
	g := r.Group("/static", func(c *gin.Context) {
		if sum := sums[strings.TrimPrefix(c.Request.URL.Path, "/static")]; sum != "" {
			c.Header("ETag", `"`+sum+`"`)
			c.Header("Cache-Control", "no-cache")
			if c.Query("v") == sum || strings.HasSuffix(c.Request.URL.Path, ".woff2") { // the style sheet names fonts without their sum
				c.Header("Cache-Control", "public, max-age=31536000, immutable")
			}
		}
	})
	g.StaticFS("/", http.FS(filesOnly{files}))
}

// filesOnly is a file system whose directories cannot be listed.
type filesOnly struct{ fs.FS }

func (f filesOnly) Open(name string) (fs.File, error) {
	file, err := f.FS.Open(name)
	if err != nil {
		return nil, err
	}
	if info, err := file.Stat(); err != nil || info.IsDir() {
		return nil, errors.Join(&fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}, file.Close())
	}
	return file, nil
}

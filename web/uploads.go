package web

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/core/score"
	"stepping/formats/abc"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/door"
	"stepping/web/view"
)

// Files come in two steps. First they are taken: in numbered parts, each with its hash, under a token that makes a second try the
// same upload; a browser without scripts sends a form, whose file becomes such parts while it comes. The answer to that comes
// at once. Then they are worked on, apart from any request, while a page says how far that is.

// partRoute takes the parts of uploads.
const partRoute = "/uploads/:id/:n"

// intake is what can be made of a file that comes in.
type intake struct {
	most  int64  // bytes
	large string // what to do about a file that is larger
	back  func(*store.Upload) string
	work  func(context.Context, *Server, *arrival) (arrived, error)
}

// arrival is a file that is here.
type arrival struct {
	owner store.ID
	up    *store.Upload
	file  *store.UploadFile
}

// arrived is what the work has found. keep keeps it, in one transaction with the settling of the upload, and may be run again;
// close releases what it holds.
type arrived struct {
	keep  func(*store.Store) (outcome, error)
	close func()
}

// outcome is what becomes of an upload: where it is, why not all of it is kept, what was heard if that is kept nowhere else.
type outcome struct {
	place, fault string
	doc          []byte
}

var intakes = map[string]*intake{
	"take": {maxRecording, "the file is larger than 1 GiB: shorten it, or save it at a lower sample rate",
		func(u *store.Upload) string { return "/tunes/" + u.Tune.String() + "/take" }, judgeUpload},
	"draft": {score.MaxFile, fmt.Sprintf("the file is larger than %d MiB: upload one tune at a time", score.MaxFile>>20),
		func(*store.Upload) string { return "/" }, readUpload},
	"played": {maxPlayedIn, "the file is larger than 64 MiB: record one tune, three minutes at most",
		func(*store.Upload) string { return playInRoute }, playedUpload},
	"archive": {maxArchive, "the file is larger than any that Stepping exports",
		func(*store.Upload) string { return "/account" }, importUpload},
}

// working are the uploads that this copy of the program works on, and how far each is, in percent.
type working struct {
	mu   sync.Mutex
	all  map[store.ID]*store.UploadFile
	wait sync.WaitGroup
	ctx  context.Context
	stop context.CancelFunc
}

func newWorking() *working {
	w := &working{all: map[store.ID]*store.UploadFile{}}
	w.ctx, w.stop = context.WithCancel(context.Background())
	return w
}

func (w *working) close() {
	w.stop()
	w.wait.Wait()
}

// percent is how far the work on an upload is; 0 if this copy does not work on it.
func (w *working) percent(id store.ID) int {
	w.mu.Lock()
	defer w.mu.Unlock()
	f := w.all[id]
	if f == nil {
		return 0
	}
	return int(90 * f.Share()) // what follows its reading has no measure
}

// workOn begins to work on an upload that is given, unless that goes on already. Nobody has to wait for it.
func (s *Server) workOn(owner store.ID, up *store.Upload) {
	w := s.working
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.all[up.ID] != nil || !up.Given || up.Done || w.ctx.Err() != nil {
		return
	}
	a := &arrival{owner, up, s.store.OpenUpload(w.ctx, owner, up)}
	w.all[up.ID] = a.file
	w.wait.Add(1)
	go func() {
		defer w.wait.Done()
		err := s.settle(w.ctx, a)
		w.mu.Lock()
		delete(w.all, up.ID)
		w.mu.Unlock()
		if err != nil && w.ctx.Err() == nil {
			s.log.Error("upload", "kind", up.Kind, "id", up.ID, "err", err)
		}
	}()
}

// settle works on an upload and keeps what became of it. An error is of the store: whoever looks next begins again.
func (s *Server) settle(ctx context.Context, a *arrival) (err error) {
	out, fault := s.arrive(ctx, a)
	if fault == nil {
		fault = s.store.Together(ctx, "keep an upload", func(st *store.Store) error {
			what, err := out.keep(st)
			if err != nil {
				return err
			}
			return st.SettleUpload(ctx, a.owner, a.up.ID, what.place, what.fault, what.doc)
		})
		out.close()
	}
	switch {
	case fault == nil, errors.Is(fault, store.ErrStale): // another copy was faster
	case ctx.Err() != nil, awayNow(fault):
		return fault
	case errors.Is(fault, jobs.ErrPanic):
		err = s.store.SettleUpload(ctx, a.owner, a.up.ID, "", errInternal.Error(), nil)
	case errors.Is(fault, store.ErrTooMany):
		err = s.store.SettleUpload(ctx, a.owner, a.up.ID, "", "that is over the storage limit: delete something first", nil)
	default:
		err = s.store.SettleUpload(ctx, a.owner, a.up.ID, "", fault.Error(), nil)
	}
	return errors.Join(err, s.store.DropUploadParts(ctx, a.owner, a.up.ID))
}

// awayNow is store.Away for errors of reading a file, which may be cut off as a connection may.
func awayNow(err error) bool { return store.Away(err) && !errors.Is(err, io.ErrUnexpectedEOF) }

// arrive does the work on an upload; a panic ends the work and not the program.
func (s *Server) arrive(ctx context.Context, a *arrival) (out arrived, err error) {
	defer func() {
		if v := recover(); v != nil {
			s.log.Error("panic in an upload", "kind", a.up.Kind, "value", v)
			err = jobs.ErrPanic
		}
	}()
	return intakes[a.up.Kind].work(ctx, s, a)
}

const tooManyUploads = "too many files are being uploaded: wait until they are done"

// uploadFault answers a script with what is wrong.
func uploadFault(c *gin.Context, status int, text string) {
	c.AbortWithStatusJSON(status, gin.H{"fault": view.Sentence(text)})
}

// uploadFailed answers a script with an error of the store.
func (s *Server) uploadFailed(c *gin.Context, err error) {
	large := (*http.MaxBytesError)(nil)
	switch {
	case errors.Is(err, store.ErrNotFound):
		uploadFault(c, http.StatusNotFound, "this upload has expired: load the page again and choose the file once more")
	case errors.Is(err, store.ErrStale):
		uploadFault(c, http.StatusConflict, "the file changed while it was being sent: load the page again and choose it once more")
	case errors.Is(err, store.ErrTooMany):
		uploadFault(c, http.StatusRequestEntityTooLarge, tooManyUploads)
	case errors.As(err, &large):
		uploadFault(c, http.StatusRequestEntityTooLarge, "a part has 1 MiB at most")
	case store.Away(err):
		c.Header("Retry-After", "5")
		uploadFault(c, http.StatusServiceUnavailable, "the database is not responding at the moment")
	case c.Request.Context().Err() != nil || errors.Is(err, io.ErrUnexpectedEOF):
		c.AbortWithStatus(http.StatusBadRequest) // the client has gone
	default:
		s.logFor(c).Error("upload", "err", err)
		uploadFault(c, http.StatusInternalServerError, errInternal.Error())
	}
}

// newUpload is an upload as a form or a script names it; tune is "" or an id.
func newUpload(kind, tune, name string) (*store.Upload, error) {
	u := &store.Upload{Kind: kind, Name: strings.ToValidUTF8(name, "?")}
	if intakes[kind] == nil {
		return nil, fmt.Errorf("%w: there is no upload of the kind %q", store.ErrNotFound, kind)
	}
	if (tune != "") != (kind == "take") {
		return nil, store.ErrNotFound
	}
	var err error
	if tune != "" {
		if u.Tune, err = uuid.Parse(tune); err != nil {
			err = store.ErrNotFound
		}
	}
	return u, err
}

// beginUpload begins an upload for a script, or finds the one that it began before.
func (s *Server) beginUpload(c *gin.Context) {
	u, err := newUpload(c.PostForm("kind"), c.PostForm("tune"), c.PostForm("name"))
	if err != nil {
		s.uploadFailed(c, err)
		return
	}
	if size, err := strconv.ParseInt(c.PostForm("size"), 10, 64); err != nil || size < 1 {
		uploadFault(c, http.StatusUnprocessableEntity, "this file is empty")
		return
	} else if in := intakes[u.Kind]; size > in.most {
		uploadFault(c, http.StatusRequestEntityTooLarge, in.large)
		return
	}
	u, err = s.store.BeginUpload(c.Request.Context(), door.Owner(c), strings.Join([]string{"script", c.PostForm("token"), u.Kind, c.PostForm("tune")}, " "), u)
	if err != nil {
		s.uploadFailed(c, err)
		return
	}
	c.JSON(http.StatusOK, gin.H{"id": u.ID, "place": placeOf(u)})
}

// placeOf is where an upload that is given is followed; "" before.
func placeOf(u *store.Upload) string {
	if !u.Given {
		return ""
	}
	return "/uploads/" + u.ID.String()
}

// addPart takes one part. Content-Digest (RFC 9530) says what it is.
func (s *Server) addPart(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	number, err := strconv.Atoi(c.Param("n"))
	if err != nil {
		s.uploadFailed(c, store.ErrNotFound)
		return
	}
	data, err := io.ReadAll(c.Request.Body)
	if err != nil {
		s.uploadFailed(c, err)
		return
	}
	sum := sha256.Sum256(data)
	if want := c.GetHeader("Content-Digest"); want != "sha-256=:"+base64.StdEncoding.EncodeToString(sum[:])+":" {
		uploadFault(c, http.StatusBadRequest, "part of the file was damaged on the way: try again")
		return
	}
	if up, err := s.store.Upload(c.Request.Context(), door.Owner(c), id); err != nil {
		s.uploadFailed(c, err)
		return
	} else if in := intakes[up.Kind]; up.Bytes+int64(len(data)) > in.most+store.UploadPart { // the one part may be there already
		uploadFault(c, http.StatusRequestEntityTooLarge, in.large)
		return
	}
	if err := s.store.AddUploadPart(c.Request.Context(), door.Owner(c), id, number, data); err != nil {
		s.uploadFailed(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// giveUpload says that all parts are there, and begins the work.
func (s *Server) giveUpload(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	fields := map[string]string{}
	for name := range c.Request.PostForm {
		fields[name] = c.PostForm(name)
	}
	parts := atoi(fields["parts"])
	delete(fields, "parts")
	if up, err := s.given(c, id, parts, fields); err != nil {
		s.uploadFailed(c, err)
	} else {
		c.JSON(http.StatusOK, gin.H{"place": placeOf(up)})
	}
}

func (s *Server) given(c *gin.Context, id store.ID, parts int, fields map[string]string) (*store.Upload, error) {
	if err := s.store.GiveUpload(c.Request.Context(), door.Owner(c), id, parts, fields); err != nil {
		return nil, err
	}
	up, err := s.store.Upload(c.Request.Context(), door.Owner(c), id)
	if err == nil {
		s.workOn(door.Owner(c), up)
	}
	return up, err
}

// uploadBody is the page that follows an upload.
type uploadBody struct {
	ID, Name string
	Percent  int
	Fault    string
	Said     string // what came of it, if it leads nowhere else
	Back     string
}

// upload leads to what became of an upload, or says how far it is.
func (s *Server) upload(c *gin.Context) {
	up, ok := s.uploadParam(c)
	if !ok {
		return
	}
	if up.Done && up.Place != "" {
		c.Redirect(http.StatusSeeOther, up.Place)
		return
	}
	s.workOn(door.Owner(c), up)
	b := uploadBody{ID: up.ID.String(), Name: up.Name, Back: intakes[up.Kind].back(up)}
	status := http.StatusOK
	if up.Done && up.Fault == "" {
		var what said
		if err := json.Unmarshal(up.Doc, &what); err != nil {
			s.failFor(c, err)
			return
		}
		b.Said = what.Said
	} else if up.Done {
		b.Fault, status = view.Sentence(up.Fault), http.StatusUnprocessableEntity
	}
	b.Percent = s.working.percent(up.ID)
	s.draw(c, status, "upload", up.Name, b)
}

// uploadProgress says how far an upload is.
func (s *Server) uploadProgress(c *gin.Context) {
	if up, ok := s.uploadParam(c); ok {
		s.workOn(door.Owner(c), up)
		c.JSON(http.StatusOK, gin.H{"percent": s.working.percent(up.ID), "done": up.Done})
	}
}

func (s *Server) uploadParam(c *gin.Context) (*store.Upload, bool) {
	id, ok := s.idParam(c)
	if !ok {
		return nil, false
	}
	up, err := s.store.Upload(c.Request.Context(), door.Owner(c), id)
	if err == nil && !up.Given {
		err = store.ErrNotFound
	}
	if err != nil {
		s.failFor(c, err)
		return nil, false
	}
	return up, true
}

// errNoFile is a form that came without a file.
var errNoFile = errors.New("choose a file first")

// taken is a form with its file.
type taken struct {
	fields url.Values
	size   int           // bytes of them
	name   string        // of the file
	data   []byte        // of a file of one part, if that was wanted
	up     *store.Upload // else the upload that it became, not given yet
}

// takeForm reads a form as it comes, its file into an upload; small says that a file of one part is wanted as it is.
func (s *Server) takeForm(c *gin.Context, kind, tune string, small bool) (out taken, err error) {
	out.fields = url.Values{}
	if typ, _, _ := mime.ParseMediaType(c.GetHeader("Content-Type")); typ != "multipart/form-data" {
		if err := c.Request.ParseForm(); err != nil {
			return out, err
		}
		out.fields = c.Request.PostForm
		return out, door.CheckTexts(out.fields)
	}
	form, err := c.Request.MultipartReader()
	if err != nil {
		return out, err
	}
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			return out, door.CheckTexts(out.fields)
		}
		if err != nil {
			return out, err
		}
		switch {
		case part.FileName() == "":
			err = out.field(part)
		case part.FormName() == "file" && out.name == "":
			out.name = strings.ToValidUTF8(part.FileName(), "?") // without directories: mime/multipart leaves them out
			err = s.takeFile(c, kind, tune, small, part, &out)
		}
		if err != nil {
			return out, err
		}
	}
}

// mostFields bounds the fields of a form that is read as it comes.
const mostFields = 50

func (t *taken) field(part *multipart.Part) error {
	data, err := io.ReadAll(io.LimitReader(part, 2*abc.MaxBytes+1))
	if err != nil {
		return err
	}
	if t.size += len(data); t.size > 2*abc.MaxBytes || len(t.fields) > mostFields {
		return &http.MaxBytesError{Limit: 2 * abc.MaxBytes}
	}
	t.fields.Add(part.FormName(), string(data))
	return nil
}

// takeFile cuts a file into parts while it comes. A file that is too large is read to its end: a browser reads no answer before it
// has sent all.
func (s *Server) takeFile(c *gin.Context, kind, tune string, small bool, part io.Reader, out *taken) error {
	ctx, owner, in := c.Request.Context(), door.Owner(c), intakes[kind]
	block := make([]byte, store.UploadPart)
	for number, all := 0, int64(0); ; number++ {
		n, err := io.ReadFull(part, block)
		last := errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF)
		switch {
		case err != nil && !last:
			return err
		case small && number == 0 && last:
			out.data = block[:n]
			return nil
		case n == 0 && number == 0:
			return errNoFile
		}
		if all += int64(n); all > in.most {
			_, _ = io.Copy(io.Discard, part)
			return errors.New(in.large)
		}
		if number == 0 {
			up, err := newUpload(kind, tune, out.name)
			if err == nil {
				token := strings.Join([]string{"form", cmp.Or(out.fields.Get("key"), uuid.NewString()), kind, tune, out.name, hashed(block[:n])}, " ")
				up, err = s.store.BeginUpload(ctx, owner, token, up)
			}
			if err != nil {
				return err
			}
			out.up = up
		}
		if n > 0 && !out.up.Given {
			if err := s.store.AddUploadPart(ctx, owner, out.up.ID, number, block[:n]); err != nil {
				return err
			}
		}
		if last {
			return nil
		}
	}
}

func hashed(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// handOver gives an upload that a form became, and leads to the page that follows it.
func (s *Server) handOver(c *gin.Context, t *taken) {
	fields := map[string]string{}
	for name := range t.fields {
		fields[name] = t.fields.Get(name)
	}
	delete(fields, "abc") // it may be a text of 1 MiB
	up := t.up
	if !up.Given {
		var err error
		if up, err = s.store.Upload(c.Request.Context(), door.Owner(c), up.ID); err == nil {
			up, err = s.given(c, up.ID, up.Parts, fields)
		}
		if err != nil {
			s.failFor(c, err)
			return
		}
	}
	c.Redirect(http.StatusSeeOther, placeOf(up))
}

// takeFault is what is wrong with a form whose file could not be taken, for people; "" if it is a fault of the store or of ours.
func takeFault(err error) string {
	large := (*http.MaxBytesError)(nil)
	switch {
	case errors.As(err, &large):
		return "this is larger than any upload accepted here"
	case errors.Is(err, store.ErrTooMany):
		return tooManyUploads
	case store.Away(err), errors.Is(err, store.ErrNotFound), errors.Is(err, store.ErrStale), errors.Is(err, context.Canceled):
		return ""
	}
	return err.Error()
}

// uploadRoutes are the addresses of uploads.
func (s *Server) uploadRoutes(r *gin.Engine) {
	r.POST("/uploads", s.beginUpload)
	r.PUT(partRoute, s.addPart)
	r.POST("/uploads/:id/given", s.giveUpload)
	r.GET("/uploads/:id", s.upload)
	r.GET("/uploads/:id/progress", s.uploadProgress)
}

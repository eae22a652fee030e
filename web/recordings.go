package web

import (
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"stepping/core/take"
	"stepping/store"
	"stepping/web/door"
)

// recordingsBody is the page of what recordings take up.
type recordingsBody struct {
	Used, Most string
	Rest       string // of it in deleted tunes, "" for nothing
	Largest    bool   // first
	Takes      []storedTake
	More       string // address of those that follow
}

type storedTake struct {
	ID, Tune           store.ID
	Title, When        string
	Length, Size, Name string
}

// takesAPage is how many recordings are listed at once.
const takesAPage = 50

// recordings lists the recordings of all tunes, to delete.
func (s *Server) recordings(c *gin.Context) {
	b := recordingsBody{Largest: c.Query("order") == "largest", Most: size(store.MostSound)}
	all, err := s.store.AllTakes(c.Request.Context(), door.Owner(c), b.Largest)
	if err != nil {
		s.failFor(c, err)
		return
	}
	var used, gone int64
	here := all[:0]
	for i := range all {
		used += all[i].Bytes
		if all[i].Gone {
			gone += all[i].Bytes
			continue
		}
		here = append(here, all[i])
	}
	from := min(max(atoi(c.Query("from")), 0), len(here))
	for _, t := range here[from:min(from+takesAPage, len(here))] {
		b.Takes = append(b.Takes, storedTake{t.ID, t.Tune, t.Title, moment(t.At), clock(float64(t.Bytes) / 2 / take.KeptRate), size(t.Bytes), t.Name})
	}
	if from+takesAPage < len(here) {
		b.More = fmt.Sprintf("/recordings?order=%s&from=%d", c.Query("order"), from+takesAPage)
	}
	b.Used = size(used)
	if gone > 0 {
		b.Rest = size(gone)
	}
	s.draw(c, http.StatusOK, "recordings", "Storage", b)
}

// size is a number of bytes as players read it.
func size(bytes int64) string {
	switch {
	case bytes >= 1<<30:
		return fmt.Sprintf("%.1f GiB", float64(bytes)/(1<<30))
	case bytes >= 1<<20:
		return fmt.Sprintf("%.0f MiB", float64(bytes)/(1<<20))
	}
	return fmt.Sprintf("%.0f KiB", float64(bytes)/(1<<10))
}

package web

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"reflect"
	"slices"

	"github.com/gin-gonic/gin"

	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/rank"
	"stepping/core/setup"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/store"
	"stepping/web/door"
)

// incoming is a tune before it is kept.
type incoming struct {
	tune   *tune.Tune
	source string // ABC text
	tuning string // "" for one that suits
	capo   int
	pins   []play.Pin
	slide  string // "yes" or "no"; "" as the player mostly plays
}

// slideWanted is what a tune's settings say of the slide, "" for as the player plays.
func (in *incoming) slideWanted(p *player.Profile) string {
	switch {
	case in.slide == "no" && !p.Lap() && p.Lean != player.LeanNone:
		return player.LeanNone
	case in.slide == "yes" && p.Lean == player.LeanNone:
		return player.LeanMixed
	}
	return ""
}

// incomingOf is the tune of a draft: entered on the neck, or read from its file.
func incomingOf(d *store.Draft) (incoming, error) {
	if d.Neck != nil {
		return fromNeck(d.Neck)
	}
	return fromFile(d)
}

func fromFile(d *store.Draft) (in incoming, err error) {
	f, err := readDraft(d)
	if err != nil {
		return in, err
	}
	roles := rolesOf(d, f)
	if in.tune, in.pins, _, err = tuneOf(d, f); err != nil {
		return in, err
	}
	if t, err := tuning.Parse(d.Play); err == nil { // readDraft has refused any other
		in.tuning = tuningName(t)
	}
	if t := f.Score.Tuning; t != nil && !playsAsWritten(d, *t) {
		in.pins = nil // they are places in another tuning
	} else if t != nil && t.Len() == tuning.Strings {
		in.tuning, in.capo = tuningName(*t), f.Score.Capo
	} else if t != nil {
		return in, fmt.Errorf("this guitar has %d strings, and plans are made for six", t.Len())
	}
	if f.Score.Format == "ABC" && len(d.Mends) == 0 && !d.Swung && d.Chords == "" && reflect.DeepEqual(roles, f.Score.Roles()) {
		in.source = f.Text
		return in, nil
	}
	return in, in.write()
}

// playsAsWritten reports whether a file in a tuning is to be played in that tuning.
func playsAsWritten(d *store.Draft, written tuning.Tuning) bool {
	if d.Play == "" {
		return true
	}
	t, err := tuning.Parse(d.Play)
	return err == nil && t == written
}

// write makes the text that is kept of what was no text of its own.
func (in *incoming) write() error {
	var buf bytes.Buffer
	if err := abc.Write(&buf, in.tune, nil); err != nil {
		return err
	}
	in.source = buf.String()
	return nil
}

// takeIn keeps a tune, in the tuning that it names or in the one that promises to suit it best. said is what a
// player can do about it if it cannot be kept.
func (s *Server) takeIn(c *gin.Context, in *incoming) (id store.ID, said string, err error) {
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	if err != nil {
		return id, "", err
	}
	if len(profiles) == 0 {
		return id, "there is no player to plan it for: add one under Players, then add the tune", nil
	}
	thumb := cmp.Or(profiles[0].Profile.Thumb, string(pattern.Alternating))
	st := setup.Settings{Tuning: in.tuning, Capo: in.capo, Thumb: pattern.Kind(thumb), Pins: in.pins}
	if len(in.tune.Bass) > 0 {
		st.Thumb = pattern.Written
	}
	if st.Pins == nil {
		st.Pins = []play.Pin{}
	}
	if slices.ContainsFunc(in.pins, func(p play.Pin) bool { return p.Part == play.Melody && p.String > 0 }) {
		if st.Thumb != pattern.Written {
			st.Thumb = pattern.None // what the file has is all that is played
		}
	} else if in.tune.WrittenHigh() {
		st.Steps = -12
	}
	who := profiles[0].Profile
	if st.Slide = in.slideWanted(&who); st.Slide != "" {
		who.Lean = st.Slide
	}
	var found []rank.Way
	if st.Tuning == "" {
		if found, st.Tuning, err = s.propose(c, in.tune.Transposed(st.Steps), &who); err != nil {
			return id, "", err
		}
		if len(found) > 0 {
			st.Tuning, st.Capo = found[0].Tuning.Name, found[0].Capo
		}
	}
	id, err = s.store.AddTune(c.Request.Context(), door.Owner(c), titleOf(in.tune), in.source, profiles[0].ID, st)
	if errors.Is(err, store.ErrTooMany) {
		return id, "you have too many tunes: delete one in another tab, then add this one again", nil
	}
	if err == nil {
		s.keepProposed(c, id, found)
	}
	return id, "", err
}

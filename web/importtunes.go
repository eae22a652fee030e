package web

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"stepping/core/intonation"
	"stepping/core/pattern"
	"stepping/core/player"
	"stepping/core/practice"
	"stepping/core/setup"
	"stepping/core/sound"
	"stepping/core/take"
	"stepping/formats/abc"
	"stepping/formats/plaintext"
	"stepping/formats/plandoc"
	"stepping/formats/wav"
	"stepping/store"
)

// What an archive holds of players, tunes, practice and recordings, and how it comes in.

func (in *incomingArchive) addPlayers() (err error) {
	if in.profiles, err = in.st.Profiles(in.ctx, in.owner); err != nil {
		return err
	}
	for _, name := range in.names {
		if path.Dir(name) != "players" || path.Ext(name) != ".json" {
			continue
		}
		p := player.Default()
		if err := in.json(name, &p); err != nil {
			return err
		}
		if err := p.Validate(); err != nil {
			return fmt.Errorf("in %s: %w", name, err)
		}
		id, added, err := in.adopt(adoption{file: name, content: p,
			has: func(id store.ID) (bool, error) {
				_, err := in.st.Profile(in.ctx, in.owner, id)
				return there(err)
			},
			alike: func() (id store.ID, err error) { // as the player that everybody begins with
				if i := slices.IndexFunc(in.profiles, func(k store.Profile) bool { return same(&k.Profile, &p) }); i >= 0 {
					id = in.profiles[i].ID
				}
				return id, nil
			},
			add: func(id store.ID) error { return in.st.AdoptProfile(in.ctx, in.owner, id, p) },
		})
		if err != nil {
			return fmt.Errorf("in %s: %w", name, err)
		}
		if added {
			in.added["players"]++
			in.profiles = append(in.profiles, store.Profile{ID: id, Profile: p})
		}
		file := strings.TrimSuffix(path.Base(name), ".json")
		in.players[file] = id
		if err := in.addSlideNotes(file, id); err != nil {
			return fmt.Errorf("in slide/%s.json: %w", file, err)
		}
	}
	return nil
}

// addSlideNotes adds the notes of the trainer that a player does not have yet: of one moment there is one.
func (in *incomingArchive) addSlideNotes(file string, id store.ID) error {
	name := "slide/" + file + ".json"
	if in.files[name] == nil {
		return nil
	}
	var notes []intonation.Played
	if err := in.json(name, &notes); err != nil {
		return err
	}
	have, err := in.st.SlideNotes(in.ctx, in.owner, id)
	if err != nil {
		return err
	}
	there := map[time.Time]bool{}
	for i := range have {
		there[have[i].At.UTC()] = true
	}
	notes = slices.DeleteFunc(notes, func(p intonation.Played) bool { return there[p.At.UTC()] })
	for i := range notes {
		if err := notes[i].Validate(); err != nil {
			return err
		}
	}
	if len(notes) == 0 {
		return nil
	}
	return in.st.AddSlideNotes(in.ctx, in.owner, id, notes[max(0, len(notes)-store.MaxSlideNotes):]...)
}

// playerOf is the player that a file names, else the first one.
func (in *incomingArchive) playerOf(file string) (store.ID, error) {
	if id, ok := in.players[file]; ok {
		return id, nil
	}
	if len(in.profiles) == 0 {
		return store.ID{}, errors.New("there is no player to plan the tunes for: add one first")
	}
	return in.profiles[0].ID, nil
}

// addTune adds a tune with its history, log and notes; of one that is here already, what is missing of the log.
func (in *incomingArchive) addTune(name string) error {
	base := strings.TrimSuffix(path.Base(name), ".abc")
	t, set, err := in.readTune(name, base)
	if err != nil {
		return err
	}
	var log archivedLog
	if in.files["practice/"+base+".json"] != nil {
		err := in.json("practice/"+base+".json", &log)
		if err == nil {
			err = log.check()
		}
		if err != nil {
			return fmt.Errorf("its log: %w", err)
		}
	}
	how := adoption{file: name, content: []any{t.Source, set.Settings},
		has: func(id store.ID) (bool, error) {
			has, gone, err := in.st.HasTune(in.ctx, in.owner, id)
			if err == nil && gone {
				in.added["tunes"]++
				err = in.st.BringBackTune(in.ctx, in.owner, id)
			}
			return has, err
		},
		add: func(id store.ID) error { return in.st.AdoptTune(in.ctx, in.owner, id, t) },
	}
	if _, named := in.ids["tunes/"+base]; !named {
		how.alike = func() (store.ID, error) { return in.alike(t) }
	}
	id, added, err := in.adopt(how)
	if err != nil {
		return err
	}
	in.tunes[base] = id
	if added {
		in.added["tunes"]++
		if err := errors.Join(in.st.SetTags(in.ctx, in.owner, id, set.Tags), in.addPupils(id, set)); err != nil {
			return err
		}
	}
	return in.addLog(id, &log)
}

// addPupils adds for whom a tune that was added has sheets, and what is said at its bars. Players that are not there have none.
func (in *incomingArchive) addPupils(tune store.ID, set *setFor) error {
	var sheets []store.Sheet
	for _, sh := range set.Sheets {
		id, ok := in.players[sh.Player]
		if !ok || slices.ContainsFunc(sheets, func(s store.Sheet) bool { return s.Profile == id }) {
			continue
		}
		if err := sh.Level.Validate(); err != nil {
			return err
		}
		sheets = append(sheets, store.Sheet{Profile: id, Level: sh.Level})
	}
	if len(sheets) > 0 {
		if err := in.st.SetSheets(in.ctx, in.owner, tune, nil, sheets); err != nil {
			return err
		}
	}
	for _, r := range set.Remarks {
		id, ok := in.players[r.Player]
		if r.Text == "" || r.Bar < 1 || r.Bar > 1e6 || !utf8.ValidString(r.Text) || r.Player != "" && !ok {
			continue
		}
		if err := in.st.SetRemark(in.ctx, in.owner, tune, store.Remark{For: id, Bar: r.Bar, Text: r.Text}, ""); err != nil && !errors.Is(err, store.ErrStale) {
			return err
		}
	}
	return nil
}

// alike finds a tune here with the same text and settings: what an archive without an index can be known by.
func (in *incomingArchive) alike(t *store.Adopted) (id store.ID, err error) {
	list, err := in.st.List(in.ctx, in.owner)
	for i := range list {
		if list[i].Title != t.Title || err != nil {
			continue
		}
		var have store.Tune
		if have, err = in.st.Tune(in.ctx, in.owner, list[i].ID); err == nil && have.Source == t.Source && same(&have.Settings, &t.Edits[t.Head].Settings) {
			return have.ID, nil
		}
	}
	return id, err
}

func (in *incomingArchive) readTune(name, base string) (*store.Adopted, *setFor, error) {
	data, err := in.data(name, maxText)
	if err != nil {
		return nil, nil, err
	}
	source, err := plaintext.Decode(data)
	if err != nil {
		return nil, nil, err
	}
	tu, _, err := abc.Read(strings.NewReader(source))
	if err != nil {
		return nil, nil, err
	}
	set := &setFor{Title: titleOf(tu), Settings: setup.Settings{Tuning: "Standard", Thumb: pattern.Alternating}}
	if in.files["tunes/"+base+".json"] != nil {
		if err := in.json("tunes/"+base+".json", set); err != nil {
			return nil, nil, fmt.Errorf("its settings: %w", err)
		}
	}
	if set.Tags, err = setup.ParseTags(setup.TagText(set.Tags)); err != nil {
		return nil, nil, fmt.Errorf("its tags: %w", err)
	}
	t := &store.Adopted{Title: set.Title, Source: source}
	h := archivedHistory{0, []archivedEdit{{set.Player, set.Settings, time.Now()}}}
	if in.files["tunes/"+base+".history.json"] != nil {
		h = archivedHistory{}
		if err := in.json("tunes/"+base+".history.json", &h); err != nil {
			return nil, nil, fmt.Errorf("its history: %w", err)
		}
	}
	if len(h.Edits) < 1 || len(h.Edits) > store.MostHistory || h.Head < 0 || h.Head >= len(h.Edits) {
		return nil, nil, fmt.Errorf("its history has %d states, and number %d is the current one", len(h.Edits), h.Head)
	}
	t.Head = h.Head
	for i := range h.Edits {
		e := &h.Edits[i]
		if wrong := e.Settings.Check(); wrong != nil {
			return nil, nil, fmt.Errorf("its settings, %s: %w", wrong.Field, wrong)
		}
		who, err := in.playerOf(e.Player)
		if err != nil {
			return nil, nil, err
		}
		t.Edits = append(t.Edits, store.Edit{Profile: who, Settings: e.Settings, At: e.At})
	}
	return t, set, nil
}

// check returns what is wrong with a log.
func (l *archivedLog) check() error {
	for i := range l.Passes {
		if err := l.Passes[i].Check(); err != nil {
			return fmt.Errorf("pass %d: %w", i+1, err)
		}
	}
	for bar, note := range l.Notes {
		if bar < 1 || bar > 1e6 || note == "" || !utf8.ValidString(note) {
			return fmt.Errorf("the note on bar %d", bar)
		}
	}
	return nil
}

// addLog adds the passes and notes that are not there.
func (in *incomingArchive) addLog(tune store.ID, log *archivedLog) error {
	if len(log.Passes)+len(log.Notes) == 0 {
		return nil
	}
	have, err := in.st.PassesOver(in.ctx, in.owner, tune)
	if err != nil {
		return err
	}
	left := map[string]int{} // two may be alike
	for i := range have {
		left[passKey(&have[i])]++
	}
	var missing []practice.Pass
	for i := range log.Passes {
		if key := passKey(&log.Passes[i]); left[key] > 0 {
			left[key]--
		} else {
			missing = append(missing, log.Passes[i])
		}
	}
	if len(missing) > 0 {
		if err := in.st.AddPasses(in.ctx, in.owner, tune, missing...); err != nil {
			return err
		}
		in.added["tries"] += len(missing)
	}
	notes, err := in.st.Notes(in.ctx, in.owner, tune)
	if err != nil {
		return err
	}
	for bar, note := range log.Notes {
		if notes[bar] == "" {
			if err := in.st.SetNote(in.ctx, in.owner, tune, bar, note); err != nil {
				return err
			}
		}
	}
	return nil
}

func passKey(p *practice.Pass) string { return p.At.UTC().Format(time.RFC3339Nano) + " " + p.Key }

// addTakes adds the recordings of the tunes, one at a time.
func (in *incomingArchive) addTakes(st *store.Store) error {
	in.st = st
	for _, name := range in.names {
		dir := path.Dir(name)
		tune, ok := in.tunes[path.Base(dir)]
		if path.Dir(dir) != "recordings" || path.Ext(name) != ".wav" || !ok {
			continue
		}
		if err := in.addTake(name, tune); err != nil {
			if errors.Is(err, store.ErrTooMany) || awayNow(err) {
				return err
			}
			return fmt.Errorf("in %s: %w. What came before it was added", name, err)
		}
	}
	return nil
}

func (in *incomingArchive) addTake(name string, tune store.ID) error {
	var with archivedTake
	file := strings.TrimSuffix(name, ".wav") + ".json"
	if in.files[file] == nil {
		return errors.New("the file with its results is missing")
	}
	if err := in.json(file, &with); err != nil {
		return err
	}
	var doc plandoc.TakeDoc
	if err := json.Unmarshal(with.Heard, &doc); err != nil {
		return fmt.Errorf("its results: %w", err)
	}
	if len(with.Plan) > 64 || !utf8.ValidString(with.Plan+with.Name) || with.At.IsZero() {
		return errors.New("the file with its results was not made by Stepping")
	}
	samples, err := in.samples(name)
	if err != nil {
		return err
	}
	sounds := func() (io.Reader, error) {
		f, err := in.files[name].Open()
		if err == nil {
			_, err = io.CopyN(io.Discard, f, sound.HeaderBytes)
		}
		return f, err
	}
	t := &store.Take{Tune: tune, At: with.At, Name: with.Name, Samples: samples, Plan: with.Plan, Doc: with.Heard}
	_, added, err := in.adopt(adoption{file: name, content: with,
		has: func(id store.ID) (bool, error) {
			_, err := in.st.Take(in.ctx, in.owner, tune, id)
			return there(err)
		},
		add: func(id store.ID) error { return in.st.AdoptTake(in.ctx, in.owner, id, t, sounds) },
	})
	if added && err == nil {
		in.added["recordings"]++
	}
	return err
}

// samples checks that a file is a recording as Stepping writes it, and returns its length.
func (in *incomingArchive) samples(name string) (int64, error) {
	f, err := in.files[name].Open()
	if err != nil {
		return 0, errors.New("it cannot be read")
	}
	defer f.Close()
	head := make([]byte, sound.HeaderBytes)
	if _, err := io.ReadFull(f, head); err != nil {
		return 0, errors.New("it is cut off")
	}
	size := in.files[name].UncompressedSize64
	n := (int64(min(size, maxArchive)) - sound.HeaderBytes) / 2
	if !bytes.Equal(head, sound.Header(take.KeptRate, int(n))) || size != uint64(sound.HeaderBytes+2*n) || n > take.MostSeconds*take.KeptRate {
		if _, err := wav.NewReader(io.MultiReader(bytes.NewReader(head), f)); err != nil {
			return 0, err
		}
		return 0, fmt.Errorf("a recording must be mono, 16 bits, %d Hz and at most %d minutes", take.KeptRate, take.MostSeconds/60)
	}
	return n, nil
}

// Package demo makes the first player, and the tunes composed for Stepping.
package demo

import (
	"bytes"
	"context"
	"embed"
	"fmt"

	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/setup"
	"stepping/formats/abc"
	"stepping/store"
)

//go:embed tunes/*.abc
var tunes embed.FS

// order is the demo tunes in the order in which they are shown.
var order = []struct {
	file, tuning string
	thumb        pattern.Kind
}{
	{"lantern-on-the-weir.abc", "Open D", pattern.Alternating},
	{"tin-bucket-rag.abc", "Open G", pattern.Alternating},
	{"coal-smoke-morning.abc", "Open D minor", pattern.Steady},
}

// slides are those on the demo player's shelf.
var slides = []store.Slide{
	{Name: "Clear glass", Slide: player.Slide{LengthMM: 60, BoreMM: 20, WallMM: 3, Material: "glass"}},
	{Name: "Short brass ring", Slide: player.Slide{LengthMM: 28, BoreMM: 19, WallMM: 2, Material: "brass"}},
	{Name: "Heavy steel", Slide: player.Slide{LengthMM: 70, BoreMM: 21, WallMM: 3, Material: "steel"}},
}

// Prepare finds the player of this machine, and on first use makes the player, a
// first profile, and if withTunes the demo tunes: all of that or, if it is killed, nothing.
func Prepare(ctx context.Context, st *store.Store, withTunes bool) (owner store.ID, err error) {
	err = st.Alone(ctx, "first player", func(ctx context.Context) error {
		return st.Together(ctx, "make the first player", func(st *store.Store) error {
			owner, err = prepare(ctx, st, withTunes)
			return err
		})
	})
	return owner, err
}

func prepare(ctx context.Context, st *store.Store, withTunes bool) (store.ID, error) {
	owner, _, err := st.FirstPlayer(ctx, nameOf(withTunes))
	if err != nil {
		return owner, err
	}
	profiles, err := st.Profiles(ctx, owner)
	if err != nil || len(profiles) > 0 {
		return owner, err
	}
	return owner, Fill(ctx, st, owner, withTunes)
}

func nameOf(withTunes bool) string {
	if withTunes {
		return "Wren Tallow"
	}
	return "My hands and guitar"
}

// Fill gives an owner who has nothing a first profile, and if withTunes the demo's second player, slides and tunes.
func Fill(ctx context.Context, st *store.Store, owner store.ID, withTunes bool) error {
	first := player.Default()
	first.Name = nameOf(withTunes)
	if withTunes {
		first.Slide, first.FingerMM = slides[0].Slide, 19
	}
	id, err := st.AddProfile(ctx, owner, first)
	if err != nil || !withTunes {
		return err
	}
	second := player.Default()
	second.Name, second.SlideFinger, second.Silence = "Wren, ring finger, picking hand only", 3, player.Heel
	if _, err := st.AddProfile(ctx, owner, second); err != nil {
		return err
	}
	for _, sl := range slides {
		if _, err := st.Slides().Add(ctx, owner, &sl); err != nil {
			return err
		}
	}
	for _, d := range order {
		if _, err := add(ctx, st, owner, id, d.file, setup.Settings{Tuning: d.tuning, Thumb: d.thumb, Pins: []play.Pin{}}); err != nil {
			return err
		}
	}
	return nil
}

// One adds the first demo tune for an owner, with a player if they have none.
func One(ctx context.Context, st *store.Store, owner store.ID) (id store.ID, err error) {
	err = st.Together(ctx, "add a demo tune", func(st *store.Store) error {
		profiles, err := st.Profiles(ctx, owner)
		if err != nil {
			return err
		}
		var profile store.ID
		if len(profiles) > 0 {
			profile = profiles[0].ID
		} else if profile, err = st.AddProfile(ctx, owner, player.Default()); err != nil {
			return err
		}
		d := order[0]
		id, err = add(ctx, st, owner, profile, d.file, setup.Settings{Tuning: d.tuning, Thumb: d.thumb, Pins: []play.Pin{}})
		return err
	})
	return id, err
}

func add(ctx context.Context, st *store.Store, owner, profile store.ID, file string, settings setup.Settings) (id store.ID, err error) {
	text, err := tunes.ReadFile("tunes/" + file)
	if err != nil {
		return id, err
	}
	tu, _, err := abc.Read(bytes.NewReader(text))
	if err != nil {
		return id, fmt.Errorf("demo tune %s: %w", file, err)
	}
	return st.AddTune(ctx, owner, tu.Title, string(text), profile, settings)
}

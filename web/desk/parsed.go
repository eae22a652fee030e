package desk

import (
	"crypto/sha256"
	"strings"
	"sync"

	"stepping/core/tune"
	"stepping/formats/abc"
)

// parsedCache keeps the tunes read last by the hash of their text: the first page reads every tune, and
// each change of a tune reads it again. The tunes are shared and never changed.
type parsedCache struct {
	mu    sync.Mutex
	of    map[[sha256.Size]byte]parsedTune
	order [][sha256.Size]byte // the one read first comes first
	bytes int                 // of their texts
}

type parsedTune struct {
	tune     *tune.Tune
	warnings []abc.Warning
	bytes    int
}

// parsedBytes bounds the texts of the tunes that are kept; a tune takes some 20 times its text.
const parsedBytes = 4 << 20

// Read is abc.Read, from what is kept if that text was read lately. The tune must not be changed.
func (d *Desk) Read(text string) (*tune.Tune, []abc.Warning, error) {
	return d.parsed.read(text)
}

func (pc *parsedCache) read(text string) (*tune.Tune, []abc.Warning, error) {
	key := sha256.Sum256([]byte(text))
	pc.mu.Lock()
	known, ok := pc.of[key]
	pc.mu.Unlock()
	if ok {
		return known.tune, known.warnings, nil
	}
	tu, warnings, err := abc.Read(strings.NewReader(text))
	if err != nil {
		return nil, nil, err
	}
	pc.mu.Lock()
	defer pc.mu.Unlock()
	if _, ok := pc.of[key]; ok {
		return tu, warnings, nil // somebody else was faster
	}
	if pc.of == nil {
		pc.of = map[[sha256.Size]byte]parsedTune{}
	}
	pc.of[key] = parsedTune{tu, warnings, len(text)}
	pc.order = append(pc.order, key)
	for pc.bytes += len(text); pc.bytes > parsedBytes; pc.order = pc.order[1:] {
		pc.bytes -= pc.of[pc.order[0]].bytes
		delete(pc.of, pc.order[0])
	}
	return tu, warnings, nil
}

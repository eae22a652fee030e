package desk

import (
	"container/list"
	"sync"
)

// Sounds keeps the sounds that were heard last, by what they were made from.
type Sounds struct {
	mu    sync.Mutex
	files map[[32]byte]*list.Element
	order list.List // of *soundFile, the one heard last in front
	bytes int
}

type soundFile struct {
	key  [32]byte
	data []byte
}

// Bounds of the sounds that are kept, in bytes: of one, two minutes, and of all.
const (
	MostSound  = 8 << 20
	mostSounds = 64 << 20
)

// Get returns what was put under key, nil if it is not there any more.
func (sc *Sounds) Get(key [32]byte) []byte {
	sc.mu.Lock()
	defer sc.mu.Unlock()
	e, ok := sc.files[key]
	if !ok {
		return nil
	}
	sc.order.MoveToFront(e)
	return e.Value.(*soundFile).data
}

// Put keeps data, which must not be changed afterwards.
func (sc *Sounds) Put(key [32]byte, data []byte) {
	sc.mu.Lock()
	defer sc.mu.Unlock()
	if sc.files == nil {
		sc.files = map[[32]byte]*list.Element{}
	}
	if sc.files[key] != nil {
		return
	}
	sc.files[key] = sc.order.PushFront(&soundFile{key, data})
	for sc.bytes += len(data); sc.bytes > mostSounds; {
		last := sc.order.Back()
		f := sc.order.Remove(last).(*soundFile)
		delete(sc.files, f.key)
		sc.bytes -= len(f.data)
	}
}

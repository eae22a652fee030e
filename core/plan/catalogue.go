package plan

import (
	"cmp"
	"math/bits"
	"slices"
	"sync"
	"sync/atomic"

	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
	"stepping/core/ring"
)

// What the picking hand can do with a bass note depends on which strings sound, end and lie idle, and on what the hands hold:
// on no pitch and no time. So it is listed once without prices, for as long as the program runs, and priced at each moment by three
// small tables: what idle strings cost that ring in sympathy, and what strings cost that are left to leak.

// catalogue is the lists of one kind of hand: a hash table that is read without locks, since every search asks it hundreds of times
// a moment, and grows under one.
type catalogue struct {
	table atomic.Pointer[[]atomic.Pointer[list]] // open addressing, its length a power of two, at most half full
	mu    sync.Mutex
	n     int
}

// list is the choices in one situation.
type list struct {
	situation
	entries []entry
	leaves  trellis.Leaves
}

// entry is one choice without what its idle and leaking strings cost.
type entry struct {
	fixed             int32        // ticks
	idle, leak, swept ring.Strings // swept: of those that leak, the ones that a brush catches
	tag               uint8
	pose              trellis.Pose
}

// kindOfHand is all that lists depend on except the situation.
type kindOfHand struct {
	weights Weights
	school  ring.School
	fingers int
}

// catalogues are those of the kinds of hands planned for last. mostListed bounds the situations of each: 250 bytes, most of them.
var catalogues = struct {
	sync.Mutex
	of    map[kindOfHand]*catalogue
	order []kindOfHand
}{of: map[kindOfHand]*catalogue{}}

const (
	mostCatalogues = 12
	mostListed     = 1 << 14
)

// catalogueOf returns that of m's player and weights.
func catalogueOf(m *model) *catalogue {
	kind := kindOfHand{*m.w, m.school, m.req.Player.Fingers}
	catalogues.Lock()
	defer catalogues.Unlock()
	c := catalogues.of[kind]
	if c == nil {
		if len(catalogues.order) == mostCatalogues {
			delete(catalogues.of, catalogues.order[0])
			catalogues.order = slices.Delete(catalogues.order, 0, 1)
		}
		c = newCatalogue()
		catalogues.of[kind], catalogues.order = c, append(catalogues.order, kind)
	}
	return c
}

func newCatalogue() *catalogue {
	c := &catalogue{}
	c.grow(1 << 10)
	return c
}

// grow makes a table of size slots of what there is.
func (c *catalogue) grow(size int) {
	table := make([]atomic.Pointer[list], size)
	if old := c.table.Load(); old != nil && c.n < mostListed {
		for i := range *old {
			if l := (*old)[i].Load(); l != nil {
				table[slot(table, l.situation)].Store(l)
			}
		}
	} else {
		c.n = 0
	}
	c.table.Store(&table)
}

// slot is where a situation is in a table, or would.
func slot(table []atomic.Pointer[list], key situation) int {
	for i := int(key.hash()>>33) & (len(table) - 1); ; i = (i + 1) & (len(table) - 1) {
		if l := table[i].Load(); l == nil || l.situation == key {
			return i
		}
	}
}

func (k *situation) hash() uint64 {
	return uint64(k.rings)*0x9E3779B97F4A7C15 ^ uint64(k.holds)*0xC2B2AE3D27D4EB4F
}

// get returns the list for a situation, nil if there is none yet.
func (c *catalogue) get(key situation) *list {
	table := *c.table.Load()
	return table[slot(table, key)].Load()
}

// put adds a list and returns it, or the one that another search has added meanwhile.
func (c *catalogue) put(l *list) *list {
	c.mu.Lock()
	defer c.mu.Unlock()
	table := *c.table.Load()
	at := &table[slot(table, l.situation)]
	if old := at.Load(); old != nil {
		return old
	}
	at.Store(l)
	if c.n++; 2*c.n > len(table) || c.n >= mostListed {
		c.grow(min(2*len(table), 2*mostListed))
	}
	return l
}

// situation is all that a list depends on except the kind of hand, packed.
type situation struct{ rings, holds packer }

// packer puts small values side by side into one word.
type packer uint64

func (k *packer) strings(sets ...ring.Strings) {
	for _, s := range sets {
		*k = *k<<6 | packer(s) // six strings
	}
}

func (k *packer) flags(flags ...bool) {
	for _, f := range flags {
		*k <<= 1
		if f {
			*k |= 1
		}
	}
}

// small adds a number below 8.
func (k *packer) small(n int) { *k = *k<<3 | packer(n) }

func (sd *pickStage) situation(r *pickShape, o *bassOption, s *silence, plucked bool) (k situation) {
	k.rings.strings(s.struck, s.keep, s.may, s.unwanted, sd.m.idleStrings(r, s), s.ringIn.ended, s.keep&s.ringIn.live)
	k.rings.small(o.str)
	k.rings.small(hitNumber(o.hit))
	k.rings.flags(o.cut, plucked, r.spare, r.over, r.h.tapped(), r.h.hooked(), r.mo.note >= 0, sd.m.damps(r.mo))
	k.holds.strings(s.touch, s.below, r.h.under, r.h.trailed, r.h.sounding)
	return k
}

// prices are what strings cost in sympathy with a melody and a bass note, and if they leak: by whether they are of a melody note that
// has ended, a bass note or swept. Shapes with the same strings under the slide share them.
type prices struct {
	under              ring.Strings
	note               pitch.Pitch // of the bass
	ended, bass, swept [64]int32
	idle               [64]int32 // plus one; 0 is not known yet
}

func (sd *pickStage) pricesOf(r *pickShape, o *bassOption) *prices {
	note := bassNote(o)
	for _, p := range sd.prices {
		if p.under == r.h.under && p.note == note {
			return p
		}
	}
	p := &prices{under: r.h.under, note: note}
	var one [3][6]int32
	for s := 1; s <= 6; s++ {
		for k, strength := range []float64{r.mo.leak.ended[s], r.mo.leak.bass[s], ring.Swept} {
			one[k][s-1] = int32(ticks(r.leakPrice(strength, s)))
		}
	}
	for k, table := range []*[64]int32{&p.ended, &p.bass, &p.swept} {
		for set := 1; set < 64; set++ {
			low := set & -set
			table[set] = table[set&^low] + one[k][bits.TrailingZeros(uint(set))]
		}
	}
	sd.prices = append(sd.prices, p)
	return p
}

// Ring, Parts, Actions, Ended and Floor make a pickStage a trellis.Source and trellis.Floors.
func (sd *pickStage) Ring(trace uint16, tag uint8, view uint16) uint32 {
	if sd.left.t == 0 {
		return 0
	}
	before := &sd.m.moments[sd.left.t-1]
	ri := sd.left.ringInAfter(&before.hands[before.traces[trace]], liveOf(tag), &sd.mo.hands[sd.mo.shapes[view]])
	return uint32(ri.live) | uint32(ri.unw)<<6 | uint32(ri.ended)<<12
}

func ringInOf(rings uint32) ringIn {
	return ringIn{ring.Strings(rings & 63), ring.Strings(rings >> 6 & 63), ring.Strings(rings >> 12)}
}

// tagOf is the live strings as a tag: only strings 3 to 6, which the thumb plays, can be live.
func tagOf(live ring.Strings) uint8 { return uint8(live >> 2) }

// liveOf is the tag as strings again.
func liveOf(tag uint8) ring.Strings { return ring.Strings(tag) << 2 }

func (sd *pickStage) Parts(view uint16, rings uint32, struck bool) []trellis.Part {
	ri, r := ringInOf(rings), sd.shape(int32(view))
	if cap(sd.parts)-len(sd.parts) < len(r.opts) {
		sd.parts = make([]trellis.Part, 0, max(256, len(r.opts)))
	}
	lo := len(sd.parts)
	for b := range r.opts {
		o := &r.opts[b]
		if !sd.m.still(r, ri, o, &sd.still) || sd.still.demanded != 0 && !sd.m.mayDemand(r, o, &sd.still) {
			continue
		}
		if l, n := sd.choices(r, o, struck); len(l.entries) > 0 {
			sd.parts = append(sd.parts, trellis.Part{Sum: ticks(r.bassCost(o, ri)), Label: uint8(b), Leaves: &l.leaves, Of: n})
		}
	}
	return sd.parts[lo:len(sd.parts):len(sd.parts)]
}

// priced is a list at this moment with a bass option.
type priced struct {
	*list
	actions []trellis.Action // nil until they are asked for
}

// near remembers where a situation was found last, and as what it was priced: a small table before the catalogue's.
type near struct {
	situation
	*list
	stage, n int32 // number among that stage's priced
	bass     pitch.Pitch
}

const nearby = 1 << 10

// choices finds the list for a bass option and the strings as sd.still sorts them, and its number among the priced ones: the
// sympathy of the bass note counts.
func (sd *pickStage) choices(r *pickShape, o *bassOption, plucked bool) (l *list, n int) {
	key, bass := sd.situation(r, o, &sd.still, plucked), bassNote(o)
	if sd.demand != 0 {
		key.holds.small(r.h.trails)
		key.holds = 1<<63 | key.holds<<8 | sd.demand
	}
	e := &sd.near[key.hash()>>50&(nearby-1)]
	switch {
	case !sd.plain && sd.demand == 0:
		e = &near{situation: key, list: sd.ownList(key, r, o, plucked)}
	case e.list == nil || e.situation != key:
		l := sd.m.catalogue.get(key)
		if l == nil {
			l = sd.m.catalogue.put(sd.newList(key, r, o, plucked))
		}
		*e = near{situation: key, list: l}
	}
	if e.stage != sd.stage || e.bass != bass {
		e.stage, e.n, e.bass = sd.stage, int32(len(sd.priced)), bass
		sd.priced = append(sd.priced, priced{e.list, nil})
	}
	return e.list, int(e.n)
}

// ownList is a list under pins, which the situation does not tell apart.
func (sd *pickStage) ownList(key situation, r *pickShape, o *bassOption, plucked bool) *list {
	key.holds.small(r.h.trails) // which pins on dampers can tell apart
	key.holds = key.holds<<16 | packer(r.h.line)
	if sd.own[key] == nil {
		if sd.own == nil {
			sd.own = map[situation]*list{}
		}
		sd.own[key] = sd.newList(key, r, o, plucked)
	}
	return sd.own[key]
}

// bassNote is the pitch of a bass option, 0 if nothing is struck.
func bassNote(o *bassOption) pitch.Pitch {
	if o.str == 0 {
		return 0
	}
	return o.pitch
}

func (sd *pickStage) Actions(view uint16, rings uint32, part *trellis.Part) []trellis.Action {
	p := &sd.priced[part.Of]
	if p.actions == nil {
		r := sd.shape(int32(view))
		p.actions = sd.price(r, &r.opts[part.Label], ringInOf(rings).ended, p.entries)
	}
	return p.actions
}

// price prices a list. Of actions that lead to the same next state only the cheapest is kept.
func (sd *pickStage) price(r *pickShape, o *bassOption, ended ring.Strings, list []entry) []trellis.Action {
	p, damps := sd.pricesOf(r, o), sd.m.damps(r.mo)
	if cap(sd.actions)-len(sd.actions) < len(list) {
		sd.actions = make([]trellis.Action, 0, max(1024, len(list)))
	}
	lo := len(sd.actions)
	out := sd.actions[lo:lo]
	for i := range list {
		e := &list[i]
		cost := e.fixed + p.ended[e.leak&ended] + p.bass[e.leak&^ended] + p.swept[e.swept]
		if damps {
			v := &p.idle[e.idle]
			if *v == 0 {
				*v = 1 + int32(ticks(play.Exact(sd.m.w.Sympathy*sympathetic(r, o, e.idle))))
			}
			cost += *v - 1
		}
		if sd.accent != 0 && e.pose.Uses(digits.A) {
			cost += sd.accent
		}
		if n := len(out); i > 0 && e.pose == list[i-1].pose && e.tag == list[i-1].tag { // the same but for strings
			out[n-1].Cost = min(out[n-1].Cost, cost)
			continue
		}
		out = append(out, trellis.Action{Cost: cost, Pose: e.pose, Tag: e.tag})
	}
	sd.actions = sd.actions[:lo+len(out)]
	return out[:len(out):len(out)]
}

// newList lists the choices, without those that another, which leaves the same, beats whatever strings cost; by what they leave.
func (sd *pickStage) newList(key situation, r *pickShape, o *bassOption, plucked bool) *list {
	m := sd.m
	found := sd.found[:0]
	sd.situations(r, o, &sd.still, plucked, func(a *action, s *silence, pl *pluck) {
		fixed := s.damping + pl.cost
		if sd.accent != 0 && a.pose().Uses(digits.A) {
			fixed -= play.Exact(m.w.AccentRing) // which price adds
		}
		m.eachDamping(r, s, pl, o.str, func(d *damping) {
			b := *a
			b.stopper = d.stopper
			found = withEntry(found, entry{fixed: int32(ticks(fixed + d.effort)), idle: s.idle, leak: d.leak &^ s.swept, swept: d.leak & s.swept,
				tag: tagOf(m.liveAfter(s, o, pl, d)), pose: b.pose()})
		})
	})
	slices.SortStableFunc(found, func(a, b entry) int { return cmp.Or(cmp.Compare(a.place(), b.place()), cmp.Compare(a.fixed, b.fixed)) })
	sd.found = found
	l := &list{situation: key, entries: slices.Clone(found)}
	for i := range found {
		l.leaves.Add(found[i].tag, found[i].pose)
	}
	return l
}

// place orders what actions leave.
func (e *entry) place() int {
	p := trellis.Pick(0).After(e.pose)
	return int(e.tag)<<24 | int(e.pose>>7)<<12 | heelOf(p)<<8 | restOf(p)<<4 | int(e.pose.Stopper())
}

// withEntry adds e, unless another beats it whatever strings cost, and leaves out those that it beats.
func withEntry(found []entry, e entry) []entry {
	beats := func(a, b *entry) bool {
		return a.pose == b.pose && a.tag == b.tag && a.fixed <= b.fixed && a.idle&^b.idle == 0 && a.leak&^b.leak == 0 && a.swept&^b.swept == 0
	}
	for i := range found {
		if beats(&found[i], &e) {
			return found
		}
	}
	return append(slices.DeleteFunc(found, func(old entry) bool { return beats(&e, &old) }), e)
}

// hitNumber numbers the kinds of percussion.
func hitNumber(hit string) int {
	switch hit {
	case "":
		return 0
	case pattern.Slap:
		return 1
	case pattern.Tap:
		return 2
	case pattern.Thump:
		return 3
	}
	return 4
}

package plan

import (
	"cmp"
	"math/bits"
	"slices"
	"sync"

	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
	"stepping/core/ring"
	"stepping/core/tune"
)

// What the picking hand can do beside a bass note depends on which strings sound, end and lie idle, and on what the hands hold:
// on no pitch and no time. So it is listed once without prices, for as long as the program runs, and priced at each moment by three
// small tables: what idle strings cost that ring in sympathy, and what strings cost that are left to leak.

// catalogue is the lists of one kind of hand.
type catalogue struct {
	mu    sync.RWMutex
	lists map[situation][]entry
}

// entry is one choice without what its idle and leaking strings cost.
type entry struct {
	fixed             trellis.Cost
	idle, leak, swept ring.Strings // swept: of those that leak, the ones that a brush catches
	tag               uint8
	pose              trellis.Pose
}

// kindOfHand is all that lists depend on beside the situation.
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
	mostCatalogues = 6
	mostListed     = 60_000
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
		c = &catalogue{lists: map[situation][]entry{}}
		catalogues.of[kind], catalogues.order = c, append(catalogues.order, kind)
	}
	return c
}

func (c *catalogue) get(key situation) ([]entry, bool) {
	c.mu.RLock()
	defer c.mu.RUnlock()
	list, ok := c.lists[key]
	return list, ok
}

func (c *catalogue) put(key situation, list []entry) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.lists) >= mostListed {
		clear(c.lists)
	}
	c.lists[key] = list
}

// situation is all that a list depends on beside the kind of hand, packed.
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

// listing lists the choices of one moment.
type listing struct {
	own    map[situation][]entry // under pins, which the situation does not tell apart
	accent trellis.Cost          // of the ring finger
	found  []entry
}

// shapePrices are what the strings of a shape cost in sympathy, by bass option, and if they leak: by whether they are of a melody
// note that has ended, a bass note or swept.
type shapePrices struct {
	known              bool
	ended, bass, swept [64]trellis.Cost
	idle               [][64]trellis.Cost // less one; 0 is not known yet
}

func (sd *pickStage) pricesOf(r *pickShape) *shapePrices {
	p := &r.prices
	if p.known {
		return p
	}
	p.known, p.idle = true, make([][64]trellis.Cost, len(r.opts))
	var one [3][6]trellis.Cost
	for s := 1; s <= 6; s++ {
		one[0][s-1], one[1][s-1] = ticks(r.leakPrice(r.mo.leak.ended[s], s)), ticks(r.leakPrice(r.mo.leak.bass[s], s))
		one[2][s-1] = ticks(r.leakPrice(ring.Swept, s))
	}
	for k, table := range []*[64]trellis.Cost{&p.ended, &p.bass, &p.swept} {
		for set := 1; set < 64; set++ {
			low := set & -set
			table[set] = table[set&^low] + one[k][bits.TrailingZeros(uint(set))]
		}
	}
	return p
}

// Ring, Actions, Ended and Floor make a pickStage a trellis.Source and trellis.Floors.
func (sd *pickStage) Ring(class uint16, tag uint8, view uint16) uint32 {
	if sd.left.t == 0 {
		return 0
	}
	before := &sd.m.moments[sd.left.t-1]
	ri := sd.left.ringInAfter(&before.hands[before.ofClass(int(class))], liveOf(tag), &sd.mo.hands[sd.mo.shapes[view]])
	return uint32(ri.live) | uint32(ri.unw)<<6 | uint32(ri.ended)<<12
}

// Only strings 4 to 6 can be live: they are the tag.
func tagOf(live ring.Strings) uint8 { return uint8(live >> 3) }
func liveOf(tag uint8) ring.Strings { return ring.Strings(tag) << 3 }

func (sd *pickStage) Actions(view uint16, rings uint32, struck bool) []trellis.Action {
	key := uint64(view)<<20 | uint64(rings)<<1
	if struck {
		key |= 1
	}
	if out, ok := sd.known[key]; ok {
		return out
	}
	ri := ringIn{ring.Strings(rings & 63), ring.Strings(rings >> 6 & 63), ring.Strings(rings >> 12)}
	r := sd.shape(int32(view))
	lo := len(sd.actions)
	for b := range r.opts {
		if sd.m.still(r, ri, &r.opts[b], &sd.still) {
			sd.price(r, b, ri, sd.entries(r, &r.opts[b], struck))
		}
	}
	sd.known[key] = sd.actions[lo:len(sd.actions):len(sd.actions)]
	return sd.known[key]
}

// price adds a list with bass option b, by cost; of what the future cannot tell apart the cheapest alone.
func (sd *pickStage) price(r *pickShape, b int, ri ringIn, list []entry) {
	o, p, lo := &r.opts[b], sd.pricesOf(r), len(sd.actions)
	sum, idle, damps := ticks(r.bassCost(o, ri)), &p.idle[b], sd.m.damps(r.mo)
	out := sd.actions
	for i := range list {
		e := &list[i]
		cost := sum + e.fixed + p.ended[e.leak&ri.ended] + p.bass[e.leak&^ri.ended] + p.swept[e.swept]
		if damps {
			v := &idle[e.idle]
			if *v == 0 {
				*v = 1 + ticks(play.Exact(sd.m.w.Sympathy*sympathetic(r, o, e.idle)))
			}
			cost += *v - 1
		}
		if e.pose.Uses(digits.A) {
			cost += sd.list.accent
		}
		if n := len(out); i > 0 && e.pose == list[i-1].pose && e.tag == list[i-1].tag { // the same but for strings
			if cost < out[n-1].Cost {
				out[n-1].Cost = cost
			}
			continue
		}
		out = append(out, trellis.Action{Cost: cost, Pose: e.pose, Tag: e.tag, Label: uint8(b)})
	}
	slices.SortStableFunc(out[lo:], func(a, b trellis.Action) int { return cmp.Compare(a.Cost, b.Cost) })
	sd.actions = out
}

// entries is the list for the strings as sd.still sorts them.
func (sd *pickStage) entries(r *pickShape, o *bassOption, plucked bool) []entry {
	key := sd.situation(r, o, &sd.still, plucked)
	if sd.list.own != nil {
		key.holds.small(r.h.trails) // which pins on dampers can tell apart
		key.holds = key.holds<<16 | packer(r.h.line)
		if _, ok := sd.list.own[key]; !ok {
			sd.list.own[key] = sd.newList(r, o, plucked)
		}
		return sd.list.own[key]
	}
	list, ok := sd.m.catalogue.get(key)
	if !ok {
		list = sd.newList(r, o, plucked)
		sd.m.catalogue.put(key, list)
	}
	return list
}

// newList lists the choices, without those that another, which leaves the same, beats whatever strings cost; by what they leave.
func (sd *pickStage) newList(r *pickShape, o *bassOption, plucked bool) []entry {
	m, l := sd.m, &sd.list
	l.found = l.found[:0]
	sd.situations(r, o, &sd.still, plucked, func(a *action, s *silence, pl *pluck) {
		fixed := s.damping + pl.cost
		if l.accent != 0 && a.mask != keepMask && a.mask>>digits.A&1 != 0 {
			fixed -= play.Exact(m.w.AccentRing) // which price adds
		}
		m.eachDamping(r, s, pl, o.str, func(d *damping) {
			b := *a
			b.stopper = d.stopper
			l.keep(entry{ticks(fixed + d.effort), s.idle, d.leak &^ s.swept, d.leak & s.swept, tagOf(m.liveAfter(s, o, pl, d)), b.pose()})
		})
	})
	slices.SortStableFunc(l.found, func(a, b entry) int { return cmp.Or(cmp.Compare(a.place(), b.place()), cmp.Compare(a.fixed, b.fixed)) })
	return slices.Clone(l.found)
}

// place orders what actions leave.
func (e *entry) place() int {
	p := trellis.Pick(0).After(e.pose)
	return int(e.tag)<<24 | int(e.pose>>7)<<12 | heelOf(p)<<8 | restOf(p)<<4 | int(e.pose.Stopper())
}

// keep files e, unless another beats it whatever strings cost.
func (l *listing) keep(e entry) {
	beats := func(a, b *entry) bool {
		return a.pose == b.pose && a.tag == b.tag && a.fixed <= b.fixed && a.idle&^b.idle == 0 && a.leak&^b.leak == 0 && a.swept&^b.swept == 0
	}
	for i := range l.found {
		if beats(&l.found[i], &e) {
			return
		}
	}
	l.found = append(slices.DeleteFunc(l.found, func(old entry) bool { return beats(&e, &old) }), e)
}

// reset begins a moment.
func (l *listing) reset(m *model, mo *moment, pins *pinSet) {
	l.own, l.accent = nil, 0
	if !pins.none() {
		l.own = map[situation][]entry{}
	}
	if m.marked(mo, tune.Accent) {
		l.accent = ticks(play.Exact(m.w.AccentRing))
	}
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

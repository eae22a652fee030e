// The music stand: two bars large, turned half a page ahead while it plays, and two switches that do everything.

// Switches are the two keys of a pedal. They can be learnt: what the player presses for "on" and for "back" then means Page Down and Page Up on every page.
const Switches = {
  usual: { left: 'PageUp', right: 'PageDown' },
  long: 500, // ms that a switch is down until it means both
  twice: 400, // ms within which a second press means both

  known() {
    try {
      return { ...this.usual, ...JSON.parse(localStorage.getItem('switches') ?? '{}') };
    } catch {
      return this.usual;
    }
  },

  learn(keys) { localStorage.setItem('switches', JSON.stringify(keys)); },

  // watch calls on('left'), on('right') and on('both'): both down, one held, or, if back is given, one pressed twice; back undoes the first of the two presses.
  watch(on, back) {
    const down = new Map(); // which: what it was timed with
    let used = false; // what is down has been acted on
    let last = { which: '', at: -Infinity };
    const both = () => { used = true; on('both'); };
    const which = (e) => (e.ctrlKey || e.metaKey || e.altKey || e.target.closest?.('input, textarea, select, dialog') ? '' : { PageUp: 'left', PageDown: 'right' }[e.key]);
    window.addEventListener('keydown', (e) => {
      const key = which(e);
      if (!key) return;
      e.preventDefault();
      if (e.repeat || down.has(key)) return;
      down.set(key, setTimeout(() => { if (!used) both(); }, this.long));
      if (down.size === 2 && !used) both();
    });
    window.addEventListener('keyup', (e) => {
      const key = which(e);
      if (!key || !down.has(key)) return;
      clearTimeout(down.get(key));
      down.delete(key);
      if (used) { used = down.size > 0; return; }
      const now = performance.now();
      if (back && last.which === key && now - last.at < this.twice) {
        last = { which: '', at: -Infinity };
        back(key);
        on('both');
        return;
      }
      last = { which: key, at: now };
      on(key);
    });
  },
};

// A learnt switch is heard as the key that pages know.
['keydown', 'keyup'].forEach((type) => window.addEventListener(type, (e) => {
  if (!e.isTrusted || e.target.closest?.('input, textarea, select, dialog')) return;
  const { left, right } = Switches.known();
  const means = { [left]: 'PageUp', [right]: 'PageDown' }[e.key];
  if (!means || means === e.key) return;
  e.preventDefault();
  e.stopImmediatePropagation();
  e.target.dispatchEvent(new KeyboardEvent(type, { key: means, repeat: e.repeat, bubbles: true, cancelable: true }));
}, true));

// Stand shows two of the bars that are on the page. While it plays, the bar that is over gives its place to the one after the next, so that the eye never meets an empty place.
class Stand {
  constructor(root) {
    this.root = root;
    this.bars = [...root.querySelectorAll('.stand-bar')];
    this.moments = [...root.querySelectorAll('[data-moment]')];
    this.single = false; // whether the place below is taken by something else
    this.places = [0, 1]; // which bar stands above, and which below
    root.classList.add('is-two');
    this.open(0);
  }

  get first() { return Number(this.bars[0]?.dataset.bar ?? 1); }

  // open shows bar n of the page above and the next one below.
  open(n) {
    this.now = Math.min(Math.max(n, 0), this.bars.length - 1);
    this.places = this.now + 1 < this.bars.length || this.now === 0 ? [this.now, this.now + 1] : [this.now, -1];
    this.draw();
  }

  // play moves to bar n without moving what is read: the other place turns.
  play(n) {
    if (n === this.now || n < 0 || n >= this.bars.length) return;
    const at = this.places.indexOf(n);
    if (at < 0 || this.single) return this.open(n);
    this.now = n;
    this.places[1 - at] = n + 1 < this.bars.length ? n + 1 : -1;
    this.draw();
  }

  draw() {
    this.bars.forEach((bar, i) => {
      const place = this.places.indexOf(i);
      bar.classList.toggle('is-shown', place >= 0);
      bar.classList.toggle('is-below', place === 1);
      bar.classList.toggle('is-here', i === this.now);
    });
  }

  // mark marks the nth moment that is drawn, and turns to its bar; one that is not there marks none.
  mark(n) {
    const g = this.moments[n];
    if (g?.classList.contains('is-now')) return;
    this.root.querySelectorAll('.is-now').forEach((was) => was.classList.remove('is-now'));
    if (!g) return;
    g.classList.add('is-now');
    this.play(this.bars.indexOf(g.closest('.stand-bar')));
  }

  // at is which of the moments drawn is moment m of the plan, or the last before it.
  at(m) { return this.moments.findLastIndex((g) => Number(g.dataset.moment) <= m); }

  // awake keeps the screen on while the stand is open; a browser that cannot does without.
  static awake() {
    const ask = () => { if (document.visibilityState === 'visible') navigator.wakeLock?.request('screen').catch(() => {}); };
    ask();
    document.addEventListener('visibilitychange', ask);
  }
}

document.addEventListener('alpine:init', () => {
  Alpine.data('stand', () => ({
    data: null,
    stand: null,
    tempo: 0, // quarter notes a minute
    audio: null,
    microphone: null,
    follower: null, // while the player is followed
    along: null, // what sounds meanwhile
    delayed: false,

    init() {
      this.data = JSON.parse(document.getElementById('plan-data').textContent);
      this.tempo = this.data.tempo;
      this.stand = new Stand(this.$root.querySelector('.stand'));
      this.stand.open((this.data.barOf[this.data.at] ?? 1) - this.stand.first);
      this.$root.addEventListener('click', (e) => this.tap(e));
      window.addEventListener('keydown', (e) => this.key(e));
      Switches.watch((which) => this.press(which), (which) => { if (!this.audio) this.bar(which === 'right' ? -1 : 1); });
      this.$root.querySelector('[data-learn]').hidden = false;
      this.$root.querySelector('[data-follow]').hidden = !navigator.mediaDevices?.getUserMedia;
      Stand.awake();
      this.show();
    },

    tap(e) {
      const key = e.target.closest('[data-switch]');
      if (key) { e.preventDefault(); this.press(key.dataset.switch); }
      if (e.target.closest('[data-slower]')) this.pace('slower');
      if (e.target.closest('[data-faster]')) this.pace('faster');
      if (e.target.closest('[data-follow]')) this.toggleFollow();
      if (e.target.closest('[data-learn]')) this.learn();
      if (e.target.closest('[data-free]')) this.toggleFree();
    },

    // toggleFree puts what is free to improvise on over the present chord in the place of the bar below.
    toggleFree() {
      const { stand } = this;
      stand.single = !stand.single;
      this.$root.classList.toggle('is-free', stand.single);
      this.$root.querySelector('.stand-free').hidden = !stand.single;
      this.$root.querySelector('[data-free]').setAttribute('aria-pressed', String(stand.single));
      stand.open(stand.now);
      this.over = '';
      this.free(Math.max(this.data.barOf.indexOf(stand.first + stand.now), 0));
    },

    // free shows what is free over the chord of moment m, if that is not shown yet.
    async free(m) {
      const { stand } = this;
      const chord = this.data.chords[m];
      if (!stand.single || chord === this.over) return;
      this.over = chord;
      const el = this.$root.querySelector('.stand-free');
      try {
        const html = await Parts.html(`${el.dataset.src}?m=${m}`);
        if (this.over === chord) Parts.fill(el, html);
      } catch (err) {
        this.say(err.message);
      }
    },

    key(e) {
      if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest('dialog')) return;
      const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key];
      if (step) this.bar(step);
      else if (e.key === ' ' && !Taps.takesSpace(e.target)) this.press('both');
      else if (e.key === 'Escape' || e.key === 'h') this.$root.querySelector('[data-leave]').click();
      else if (e.key === 'v') this.toggleFree();
      else if (e.key === 'f') this.toggleFollow();
      else if (e.key === ',' || e.key === '.') this.pace(e.key === '.' ? 'faster' : 'slower');
      else return;
      e.preventDefault();
    },

    press(which) {
      if (which === 'both' && this.follower) return this.unfollow();
      if (which === 'both') return this.audio ? this.hush() : this.sound();
      this.bar(which === 'right' ? 1 : -1);
    },

    // bar goes to another bar; what plays goes on from there.
    bar(step) {
      const was = this.audio;
      this.hush();
      if (this.follower) { this.unfollow(); this.toggleFollow(); } // from there on
      const to = this.stand.first + this.stand.now + step;
      if (to >= 1 && to <= this.data.last && !this.stand.bars[to - this.stand.first]) return location.assign(`?m=${this.data.barOf.indexOf(to)}`); // of a long tune some bars are on the page
      this.stand.open(this.stand.now + step);
      this.stand.mark(-1);
      this.show();
      if (was) this.sound();
    },

    pace(what) {
      this.tempo = Sounds.paced(this.tempo, what, this.data);
      this.bar(0);
    },

    sound() {
      const { data, tempo, stand } = this;
      const share = tempo / data.tempo;
      const bar = stand.first + stand.now;
      const start = data.starts[bar - 1];
      const audio = Sounds.open(`/tunes/${data.id}/sound.wav?bars=${bar}-${data.last}&tempo=${tempo}`);
      this.audio = audio;
      Sounds.follow(audio, () => this.audio === audio, (seconds) => {
        const m = Sounds.last(data.when, start + seconds * share + 0.01);
        stand.mark(stand.at(m));
        this.free(m);
      }, (words) => { this.hush(); this.say(words); });
      this.show();
    },

    // toggleFollow turns the pages as the player plays, or leaves that again.
    async toggleFollow() {
      if (this.follower) return this.unfollow();
      this.hush();
      try {
        this.microphone = await Microphone.open((block, own) => this.follower?.hear(block, own));
      } catch (err) {
        return this.say(Microphone.why(err, 'Turn the pages with the switches.'));
      }
      const at = Math.max(this.data.barOf.indexOf(this.stand.first + this.stand.now), 0);
      const along = this.$root.querySelector('[data-along]').value;
      this.follower = new Follower(this.data.id, this.microphone.context, {
        position: (p) => this.position(p), trouble: (words) => this.say(words), well: () => this.say('Stepping can hear you again.'), own: along !== '',
      }, { from: at, tempo: this.tempo });
      this.microphone.begin();
      this.say(along ? 'You get eight beats’ count-in, then play. The music turns with you.' : 'Play close to the microphone. The music turns with you.');
      if (along) this.playAlong(along);
      this.show();
    },

    // playAlong sounds a click or the bass while the player is followed; the server knows what it is, and does not take it for the player.
    playAlong(layers) {
      const { data, tempo, stand } = this;
      const audio = Sounds.open(`/tunes/${data.id}/sound.wav?bars=${stand.first + stand.now}-${data.last}&tempo=${tempo}&layers=${layers}&count=8`);
      this.microphone.own(audio);
      this.along = audio;
      audio.play().catch(() => this.say('The sound could not be played.'));
    },

    position(p) {
      if (p.delay && !this.delayed) { this.delayed = true; this.say(`The sound from the speaker arrives after ${p.delay} ms and is ignored.`); }
      const button = this.$root.querySelector('[data-follow]');
      button.querySelector('meter').value = p.level;
      button.classList.toggle('is-lost', p.lost);
      if (p.m < 0 || p.lost) return;
      this.stand.mark(this.stand.at(p.m));
      this.free(p.m);
      if (p.m === this.data.barOf.length - 1) this.say(''); // the end
    },

    unfollow() {
      this.along?.pause();
      this.along = null;
      this.follower?.close();
      this.microphone?.close();
      this.follower = this.microphone = null;
      this.say('');
      this.show();
    },

    hush() {
      this.audio?.pause();
      this.audio = null;
      this.show();
    },

    // show says what each switch does now, and where leaving leads.
    show() {
      const playing = Boolean(this.audio);
      this.$root.querySelector('[data-switch="both"] [data-means]').textContent = playing || this.follower ? 'stop' : 'play';
      this.$root.querySelector('[data-follow]').setAttribute('aria-pressed', String(Boolean(this.follower)));
      this.$root.querySelector('.stand-tempo b').textContent = String(Math.round(this.tempo));
      const at = this.data.barOf.indexOf(this.stand.first + this.stand.now);
      if (at < 0) return;
      this.free(at);
      this.$root.querySelector('[data-leave]').href = `/tunes/${this.data.id}?m=${at}`;
      history.replaceState(null, '', `?m=${at}`);
    },

    // learn asks for the two switches, one after the other.
    learn() {
      const keys = {};
      const before = localStorage.getItem('switches');
      const ask = ['right', 'left'];
      this.say('Press the switch you want for ON.');
      const hear = (e) => {
        e.preventDefault();
        e.stopImmediatePropagation();
        if (e.key === 'Escape') {
          window.removeEventListener('keydown', hear, true);
          if (before) localStorage.setItem('switches', before);
          return this.say('The switches are unchanged.');
        }
        if (Object.values(keys).includes(e.key)) return this.say('That one is ON already: press another for BACK.');
        keys[ask[Object.keys(keys).length]] = e.key;
        if (Object.keys(keys).length === 1) return this.say('Now the switch for BACK.');
        window.removeEventListener('keydown', hear, true);
        Switches.learn(keys);
        this.say('Learnt.');
      };
      localStorage.removeItem('switches'); // so that keys come as they are
      window.addEventListener('keydown', hear, true);
    },

    say(words) { document.getElementById('said').textContent = words; },
  }));
});

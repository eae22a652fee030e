// The plan page's movement: the cursor, live forms, keys. Everything drawn comes from the
// server; without this script the same links and forms load whole pages.
const longest = 1500; // seconds that a bar is heard over and over

document.addEventListener('alpine:init', () => {
  Alpine.data('lectern', () => ({
    data: null,
    leaf: '', // which pane is open over the neck, '' for none
    shown: '', // what alone is shown in the time column
    asking: null, // AbortController of the request for the cursor's part
    audio: null, // while the plan sounds
    heard: { tempo: 0, loop: false, off: new Set(['click']) }, // how it sounds: quarter notes a minute, 0 as planned; the bar over and over; layers that are not heard

    init() {
      this.read();
      this.ear();
      this.leaf = this.$root.querySelector('.has-pane .leaf:not([hidden])')?.id ?? '';
      this.$root.addEventListener('click', (e) => this.tap(e));
      this.$root.addEventListener('submit', (e) => this.submit(e));
      this.$root.addEventListener('change', (e) => e.target.closest('[data-at-once]')?.requestSubmit());
      this.$root.addEventListener('input', (e) => { if (e.target.closest('[data-dials]')) this.turning(e.target); });
      ['pointerenter', 'focusin'].forEach((on) => this.$root.addEventListener(on, (e) => { if (e.target.closest?.('[data-dials]')) this.dials(); }, true));
      window.addEventListener('keydown', (e) => this.key(e));
      this.swipes();
      this.show();
      Parts.poll(this.$root);
      if (this.$root.querySelector('[data-waiting]')) this.reasonsSoon();
      const wanted = new URLSearchParams(location.search).get('leaf'); // one that is worked out when it is opened
      if (this.data && wanted && wanted !== this.leaf && document.getElementById(wanted)?.matches('.leaf')) this.turn(wanted);
    },

    tap(e) {
      const leaf = e.target.closest('[data-leaf]');
      if (leaf && !e.ctrlKey && !e.metaKey && !e.shiftKey) {
        e.preventDefault();
        return this.turn(leaf.dataset.leaf);
      }
      if (e.target.closest('[data-signs]')) return document.getElementById('signs').showModal();
      const only = e.target.closest('[data-only]');
      const fill = e.target.closest('[data-fill]');
      if (only) return this.only(only);
      const ear = e.target.closest('[data-ear]');
      if (ear) return this.hearing(ear.dataset.ear);
      const stand = e.target.closest('[data-stand]');
      if (stand) stand.search = `?m=${this.data.at}`; // then it is followed
      const side = e.target.closest('[data-side]');
      if (side) return side.setAttribute('aria-expanded', String(this.$root.querySelector('.work').classList.toggle('has-side')));
      const by = e.target.closest('[data-step-by]');
      if (by) return this.go(this.data.at + Number(by.dataset.stepBy));
      if (e.target.closest('.bars')) return this.strip(e);
      if (e.target.closest('[data-step]')) return this.strum();
      if (fill && !e.ctrlKey && !e.metaKey) {
        e.preventDefault();
        return this.fill(fill.href, document.getElementById(fill.dataset.fill));
      }
      this.click(e);
    },

    // swipes lets a finger that is drawn over the picture go to the next moment, or back.
    swipes() {
      const least = 50; // px
      let from = null;
      this.$root.addEventListener('touchstart', (e) => { from = e.touches.length === 1 && e.target.closest('.answer, .neck, .front') ? e.touches[0] : null; }, { passive: true });
      this.$root.addEventListener('touchend', (e) => {
        const to = e.changedTouches[0];
        const [dx, dy] = from ? [to.clientX - from.clientX, to.clientY - from.clientY] : [0, 0];
        if (this.data && Math.abs(dx) > least && Math.abs(dx) > 2 * Math.abs(dy)) this.go(this.data.at + (dx < 0 ? 1 : -1));
      }, { passive: true });
    },

    // strip goes to the bar of the strip that was touched; a gap between two belongs to the one before.
    strip(e) {
      const bars = [...e.target.closest('.bars').children];
      const bar = e.target.closest('.bar') ?? bars.findLast((b) => b.getBoundingClientRect().left <= e.clientX);
      if (bar) this.go(Number(bar.dataset.moment));
    },

    // turn opens a pane over the neck; '', and the name of the one that is open, close it.
    turn(name) {
      const from = this.leaf;
      const inside = document.activeElement?.closest('.leaf, .leaf-close');
      this.leaf = name === from ? '' : name;
      this.leaves();
      this.keep();
      const pane = document.getElementById(this.leaf);
      if (pane) pane.scrollTop = 0;
      if (pane && document.activeElement?.closest('[data-leaf]')) pane.focus({ preventScroll: true });
      if (!pane && inside) this.$root.querySelector(`[data-leaf="${from}"]`)?.focus(); // back to what opened it
    },

    // leaves shows the open pane, and works out what it holds if that is not there yet.
    leaves() {
      this.$root.querySelector('.work').classList.toggle('has-pane', Boolean(this.leaf));
      this.$root.querySelectorAll('.leaf').forEach((el) => { el.hidden = el.id !== this.leaf; });
      this.$root.querySelectorAll('[data-leaf]').forEach((a) => { if (a.dataset.leaf && a.dataset.leaf === this.leaf) a.setAttribute('aria-current', 'true'); else a.removeAttribute('aria-current'); });
      const el = document.getElementById(this.leaf);
      if (!this.data || !el?.dataset.src) return;
      const of = 'ofBar' in el.dataset ? String(this.data.barOf[this.data.at]) : '';
      if (el.dataset.of === of) return;
      el.dataset.of = of;
      this.fill(`${el.dataset.src}?m=${this.data.at}`, el);
    },

    // keep lets the address say where one is: coming back opens it.
    keep() { history.replaceState(null, '', `?m=${this.data.at}${this.leaf ? `&leaf=${this.leaf}` : ''}`); },

    // only leaves one thing in the time column strong and the rest faint.
    only(button) {
      this.shown = button.dataset.only;
      this.filter();
    },

    filter() {
      const time = this.$root.querySelector('.time');
      if (!time) return;
      time.dataset.shown = this.shown;
      time.querySelectorAll('[data-only]').forEach((b) => b.setAttribute('aria-pressed', String(b.dataset.only === this.shown)));
    },

    // strum shows one more string of the strum test; after the last it begins again.
    strum() {
      const list = this.$root.querySelector('.strum-list');
      if (!list) return;
      const all = [...list.children];
      const at = all.findIndex((li) => li.classList.contains('is-struck')) + 1;
      list.classList.add('is-stepping');
      all.forEach((li, i) => { li.classList.toggle('is-struck', i === at % all.length); li.classList.toggle('is-over', i < at % all.length); });
      all[at % all.length].scrollIntoView({ block: 'nearest' });
    },

    // fill loads a part of the page that takes longer to work out.
    async fill(url, el) {
      const { data } = this;
      if (!el.innerHTML.trim()) el.textContent = 'Working that out …';
      await this.asked(Parts.html(url.replace(/m=\d+/, `m=${data.at}`)), (html) => { if (this.data === data) Parts.fill(el, html); }); // else another plan stands there
    },

    // dials fetches what the dials would do, once for a plan; what cannot be said beforehand is left out.
    async dials() {
      const form = this.$root.querySelector('[data-dials]');
      if (!form.turned) form.turned = fetch(form.dataset.dials).then((res) => (res.ok ? res.json() : null), () => null);
      return form.turned;
    },

    // turning says what a dial would do where it stands now, and marks the moments that would change.
    async turning(input) {
      const { data } = this;
      const out = input.parentElement.querySelector('output');
      out.textContent = '…';
      const can = await this.dials();
      if (this.data !== data || !input.isConnected) return;
      const step = can?.[input.name]?.[Number(input.value)];
      out.textContent = step ? step.name : '';
      input.setAttribute('aria-valuetext', out.textContent);
      if (!step) return;
      const would = new Set(step.moments);
      this.$root.querySelectorAll('.column [data-moment]').forEach((row) => row.classList.toggle('is-other', would.has(Number(row.dataset.moment))));
      const bars = [...new Set(step.moments.map((m) => data.barOf[m]))];
      this.say(`${step.words}. ${would.size ? `${would.size} moments change, in ${bars.length > 6 ? `${bars.length} bars` : `bar ${bars.join(', ')}`}.` : 'Nothing changes.'}`);
    },

    // asked waits for a part and shows it, or says what went wrong and returns false.
    async asked(part, show) {
      try {
        const html = await part;
        if (html !== null) show(html);
        return true;
      } catch (err) {
        this.say(err.message);
        return false;
      }
    },

    // ask gives up what was asked for before, and returns the signal that gives up what is asked now.
    ask() {
      this.asking?.abort();
      this.asking = new AbortController();
      return this.asking.signal;
    },

    read() {
      const el = document.getElementById('plan-data');
      this.data = el ? JSON.parse(el.textContent) : null;
    },

    click(e) {
      const link = e.target.closest('[data-moment]');
      if (!link || e.ctrlKey || e.metaKey || e.shiftKey) return;
      e.preventDefault();
      this.go(Number(link.dataset.moment));
    },

    key(e) {
      if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest('input, textarea, select')) return;
      if (!this.data) {
        const stop = this.$root.querySelector(`button[data-key="${CSS.escape(e.key)}"]`);
        if (stop) { e.preventDefault(); stop.click(); }
        return;
      }
      const moves = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 };
      if (e.key in moves) {
        e.preventDefault();
        if (e.shiftKey) this.bar(moves[e.key]); else this.go(this.data.at + moves[e.key]);
      } else if (e.key === 'PageDown' || e.key === 'PageUp') {
        e.preventDefault();
        this.bar(e.key === 'PageDown' ? 1 : -1);
      } else if (e.key === 'Escape' && this.leaf && !document.querySelector('details[open]')) {
        e.preventDefault();
        this.turn('');
      } else if (e.key === ' ' && !Taps.takesSpace(e.target)) {
        e.preventDefault();
        this.sound();
      } else if (e.key === 'Home' || e.key === 'End') {
        e.preventDefault();
        this.go(e.key === 'Home' ? 0 : this.data.count - 1);
      } else {
        const digit = /^\d$/.test(e.key);
        if (digit && !['elsewhere', 'silence', 'pace', 'vary'].includes(this.leaf)) return this.turn('elsewhere'); // nothing is taken unseen
        const button = [...this.$root.querySelectorAll(`[data-key="${CSS.escape(e.key)}"]:not(:disabled)`)].find((el) => !digit || !el.closest('[hidden]'));
        if (!button) return;
        e.preventDefault();
        const leaf = button.closest('.leaf');
        if (leaf?.hidden) this.turn(leaf.id);
        button.click();
      }
    },

    // sound plays the plan from the cursor's bar on, or stops; the cursor follows the clock of the sound.
    sound() {
      if (this.audio) return this.hush();
      const { data } = this;
      const bar = data.barOf[data.at];
      if (!bar) return this.say('This plan is too long to follow by ear here: open Hear.');
      const { loop } = this.heard;
      const tempo = this.heard.tempo || data.tempo;
      const share = tempo / data.tempo; // made at that tempo, never stretched: only the cursor's clock is
      const start = data.starts[bar - 1]; // its first moment may come later
      const length = data.starts[bar] - start;
      const part = loop ? `${bar}-${bar}&repeats=${Math.ceil((longest * share) / length)}` : `${bar}-${data.last}`;
      const audio = Sounds.open(`/tunes/${data.id}/sound.wav?bars=${part}&tempo=${tempo}&layers=${this.layers()}`);
      this.audio = audio;
      this.say('Space stops');
      Sounds.follow(audio, () => this.audio === audio, (seconds) => {
        const played = seconds * share + 0.01;
        const now = start + (loop ? played % length : played);
        const at = Sounds.last(this.data.when, now);
        if (at !== this.data.at) this.go(at);
      }, (words) => { this.hush(); this.say(words); });
    },

    // layers are those that are heard; noise, what rings and should not, is heard with all that a guitar does.
    layers() {
      const on = ['melody', 'thumb', 'percussion', 'click'].filter((layer) => !this.heard.off.has(layer));
      if (['melody', 'thumb', 'percussion'].every((layer) => on.includes(layer))) on.push('noise');
      return on.join(',') || 'silence';
    },

    // hearing plays or stops, or changes how the plan sounds: slower and faster by the ladder's step, this bar over and over, layers on and off.
    hearing(what) {
      const { heard, data } = this;
      if (what === 'play') return this.sound();
      if (what === 'loop') heard.loop = !heard.loop;
      else if (what !== 'slower' && what !== 'faster') {
        if (!heard.off.delete(what)) heard.off.add(what);
      }
      else heard.tempo = Sounds.paced(heard.tempo || data.tempo, what, data);
      this.ear();
      if (!this.audio) return;
      this.hush();
      this.sound();
    },

    // ear shows how the plan sounds.
    ear() {
      if (!this.data) return;
      const tempo = this.$root.querySelector('.ear-tempo');
      if (!tempo) return;
      tempo.textContent = String(Math.round(this.heard.tempo || this.data.tempo));
      this.$root.querySelector('[data-ear="loop"]').setAttribute('aria-pressed', String(this.heard.loop));
      this.$root.querySelectorAll('[data-layer]').forEach((b) => b.setAttribute('aria-pressed', String(!this.heard.off.has(b.dataset.ear))));
      this.$root.querySelectorAll('.ear, .thumb-bar, [data-signs]').forEach((el) => { el.hidden = false; el.classList.remove('is-idle'); });
    },

    hush() {
      this.audio?.pause();
      this.audio = null;
      this.say('');
    },

    // bar moves to the first moment of the bar before or after.
    bar(step) {
      const links = [...this.$root.querySelectorAll('.bars [data-moment]')].map((a) => Number(a.dataset.moment));
      let here = 0;
      links.forEach((m, i) => { if (m <= this.data.at) here = i; });
      const back = step < 0 && this.data.at > links[here] ? 0 : step;
      this.go(links[Math.min(Math.max(here + back, 0), links.length - 1)]);
    },

    async go(m) {
      m = Math.min(Math.max(m, 0), this.data.count - 1);
      if (m === this.data.at) return;
      const was = this.data.at;
      this.data.at = m;
      const row = m - this.data.first;
      const whole = row < 0 || row >= this.data.rows.length;
      if (!whole) this.show();
      const there = await this.asked(Parts.html(whole ? `/tunes/${this.data.id}?m=${m}` : `/tunes/${this.data.id}/at/${m}?soon=1`, { signal: this.ask() }), (html) => {
        if (whole) this.put(html); else this.moment(html);
        this.keep();
        if (!whole && this.$root.querySelector('[data-waiting]')) this.reasonsSoon();
      });
      if (there || this.data.at !== m) return;
      this.data.at = was; // the music does not go where the picture could not follow
      this.show();
    },

    // moment puts what belongs to one moment into its places.
    moment(html) {
      new DOMParser().parseFromString(html, 'text/html').body.querySelectorAll(':scope > [id]').forEach((part) => {
        if (part.id === 'spoken' && this.audio) return; // what sounds is not talked over
        document.getElementById(part.id).replaceChildren(...part.childNodes);
      });
      this.leaves();
    },

    // show moves the cursor in the time column and the overview, and keeps it in sight.
    show() {
      if (!this.data) return;
      const y = this.data.rows[this.data.at - this.data.first];
      const cursor = this.$root.querySelector('.col-cursor');
      if (y === undefined || !cursor) return;
      cursor.setAttribute('y', y - 20);
      const time = this.$root.querySelector('.time');
      time.scrollTop += cursor.getBoundingClientRect().top - time.getBoundingClientRect().top - time.clientHeight * 0.4;
      this.$root.querySelectorAll('.at-moment').forEach((el) => { el.value = this.data.at; });
      let here = null;
      this.$root.querySelectorAll('.bars [data-moment]').forEach((bar) => {
        bar.classList.remove('is-here');
        if (Number(bar.dataset.moment) <= this.data.at) here = bar;
      });
      if (!here) return;
      here.classList.add('is-here');
      const nav = here.parentElement;
      nav.setAttribute('aria-valuenow', this.data.at + 1);
      nav.setAttribute('aria-valuetext', here.dataset.tip);
      const [at, of] = [here.getBoundingClientRect(), nav.getBoundingClientRect()];
      if (at.left < of.left || at.right > of.right) nav.scrollLeft += at.left - of.left - of.width / 2;
    },

    async submit(e) {
      const form = e.target;
      if (!('live' in form.dataset)) return;
      e.preventDefault();
      if (this.audio) this.hush(); // another plan comes
      await this.asked(Parts.html(form.action, { body: Parts.of(form, e.submitter), wanted: 'id="sheet"' }), (html) => this.put(html));
    },

    put(html) {
      const focused = document.activeElement?.id;
      const pane = document.activeElement?.closest('.leaf');
      const scrolled = pane?.scrollTop;
      Parts.merge(document.getElementById('sheet'), html);
      document.documentElement.dataset.hand = document.getElementById('sheet').dataset.player; // a left-handed player's is mirrored
      if (focused) document.getElementById(focused)?.focus();
      if (pane?.isConnected && document.activeElement === document.body) pane.focus({ preventScroll: true }); // what was pressed has become what is played
      if (pane) pane.scrollTop = scrolled;
      const dials = this.$root.querySelector('[data-dials]');
      if (dials) delete dials.turned; // another plan turns differently
      this.read();
      if (this.data) this.leaves();
      this.show();
      this.ear();
      this.filter();
      Parts.poll(this.$root);
      if (this.data) this.reasonsSoon();
    },

    // reasonsSoon lets the picture be painted first: reasons take the server's whole strength.
    reasonsSoon() { requestAnimationFrame(() => requestAnimationFrame(() => this.reasons())); },

    // reasons fetches why the moment is played so and its other places: they take longer
    // than the picture.
    async reasons() {
      const { data } = this;
      const { at } = data;
      await this.asked(Parts.html(`/tunes/${data.id}/at/${at}`, { signal: this.ask() }), (html) => { if (this.data === data && data.at === at) this.moment(html); }); // else another plan stands there
    },

    say(text) { document.getElementById('said').textContent = text; },
  }));
});

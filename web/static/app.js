// The plan page's movement: the cursor, live forms, keys. Everything drawn comes from the
// server; without this script the same links and forms load whole pages.
const longest = 1500; // seconds that a bar is heard over and over
const silent = 'Stepping does not answer. Is it still running? What was kept is safe.';

document.addEventListener('alpine:init', () => {
  Alpine.data('lectern', () => ({
    data: null,
    leaf: 'time', // which pane beside the picture is open
    shown: '', // what alone is shown in the time column
    asking: null, // AbortController of the request for the cursor's part
    audio: null, // while the plan sounds
    heard: { tempo: 0, loop: false, off: new Set(['click']) }, // how it sounds: quarter notes a minute, 0 as planned; the bar over and over; layers that are not heard

    init() {
      this.read();
      this.ear();
      this.leaf = this.$root.querySelector('.leaf:not([hidden])')?.id ?? 'time';
      this.$root.addEventListener('click', (e) => this.tap(e));
      this.$root.addEventListener('submit', (e) => this.submit(e));
      this.$root.addEventListener('change', (e) => e.target.closest('[data-at-once]')?.requestSubmit());
      window.addEventListener('keydown', (e) => this.key(e));
      this.show();
      this.poll();
    },

    // poll follows a plan that is still being worked out.
    async poll() {
      const el = this.$root.querySelector('[data-poll]');
      if (!el) return;
      try {
        const { percent, done } = await (await fetch(el.dataset.poll)).json();
        if (done) return location.reload();
        el.querySelector('progress').value = percent;
        el.querySelector('.poll-figure').textContent = `${percent}%`;
      } catch {
        this.say(silent);
      }
      setTimeout(() => this.poll(), 700);
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
      if (e.target.closest('[data-step]')) return this.strum();
      if (fill && !e.ctrlKey && !e.metaKey) {
        e.preventDefault();
        return this.fill(fill.href, document.getElementById(fill.dataset.fill));
      }
      this.click(e);
    },

    // turn opens a pane beside the picture.
    turn(name) {
      this.leaf = name;
      this.leaves();
      this.keep();
      if (name === 'time') this.show();
      document.getElementById(name).scrollTop = 0;
    },

    // leaves shows the open pane, and works out what it holds if that is not there yet.
    leaves() {
      this.$root.querySelectorAll('.leaf').forEach((el) => { el.hidden = el.id !== this.leaf; });
      this.$root.querySelectorAll('[data-leaf]').forEach((a) => { if (a.dataset.leaf === this.leaf) a.setAttribute('aria-current', 'true'); else a.removeAttribute('aria-current'); });
      const el = document.getElementById(this.leaf);
      if (!this.data || !el?.dataset.src) return;
      const of = 'ofBar' in el.dataset ? String(this.data.barOf[this.data.at]) : '';
      if (el.dataset.of === of) return;
      el.dataset.of = of;
      this.fill(`${el.dataset.src}?m=${this.data.at}`, el);
    },

    // keep lets the address say where one is: coming back opens it.
    keep() { history.replaceState(null, '', `?m=${this.data.at}${this.leaf === 'time' ? '' : `&leaf=${this.leaf}`}`); },

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
      try {
        const res = await fetch(url.replace(/m=\d+/, `m=${data.at}`), { headers: { 'X-Part': '1' } });
        const html = await res.text();
        if (this.data !== data) return; // another plan stands there
        if (!res.ok) return this.say('That could not be worked out. Load the page again.');
        const focus = document.activeElement?.id;
        el.innerHTML = html;
        if (focus) document.getElementById(focus)?.focus();
      } catch {
        this.say(silent);
      }
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
      } else if (e.key === ' ' && !e.target.closest('button, a, summary')) {
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
      if (!bar) return this.say('This plan is too long to follow by ear here: open “Hear it”.');
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
      else {
        const tempo = (heard.tempo || data.tempo) * (what === 'faster' ? 1.06 : 1 / 1.06);
        heard.tempo = Math.min(Math.max(Math.round(tempo), data.slowest), data.fastest);
      }
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
      this.$root.querySelectorAll('.ear, [data-signs]').forEach((el) => { el.hidden = false; });
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
      this.data.at = m;
      if (this.asking) this.asking.abort();
      this.asking = new AbortController();
      const row = m - this.data.first;
      const whole = row < 0 || row >= this.data.rows.length;
      const url = whole ? `/tunes/${this.data.id}?m=${m}` : `/tunes/${this.data.id}/at/${m}`;
      if (!whole) this.show();
      try {
        const res = await fetch(url, { headers: { 'X-Part': '1' }, signal: this.asking.signal });
        const html = await res.text();
        if (!res.ok) return this.say('This moment could not be loaded. Load the page again.');
        if (whole) this.put(html); else this.moment(html);
        this.keep();
      } catch (err) {
        if (err.name !== 'AbortError') this.say(silent);
      }
    },

    // moment puts what belongs to one moment into its places.
    moment(html) {
      new DOMParser().parseFromString(html, 'text/html').body.querySelectorAll(':scope > [id]').forEach((part) => {
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
      if (!time.hidden) time.scrollTop += cursor.getBoundingClientRect().top - time.getBoundingClientRect().top - time.clientHeight * 0.4;
      this.$root.querySelectorAll('.at-moment').forEach((el) => { el.value = this.data.at; });
      let here = null;
      this.$root.querySelectorAll('.bars [data-moment]').forEach((a) => {
        a.classList.remove('is-here');
        a.removeAttribute('aria-current');
        if (Number(a.dataset.moment) <= this.data.at) here = a;
      });
      if (here) { here.classList.add('is-here'); here.setAttribute('aria-current', 'true'); }
    },

    async submit(e) {
      const form = e.target;
      if (!('live' in form.dataset)) return;
      e.preventDefault();
      if (this.audio) this.hush(); // another plan comes
      try {
        const res = await fetch(form.action, { method: 'POST', headers: { 'X-Part': '1' }, body: new URLSearchParams(new FormData(form)) });
        const html = await res.text();
        if (html.includes('id="sheet"')) this.put(html);
        else this.say('That could not be done. Load the page again.');
      } catch {
        this.say(silent);
      }
    },

    put(html) {
      const focused = document.activeElement?.id;
      const tuned = document.querySelector('.way [data-way="2"] small');
      if (tuned) tuned.textContent = /data-tuned="([^"]*)"/.exec(html)?.[1] ?? tuned.textContent;
      morphdom(document.getElementById('sheet'), html, { onBeforeElUpdated: (from, to) => !from.isEqualNode(to) }); // what stays is not laid out anew
      if (focused) document.getElementById(focused)?.focus();
      this.read();
      if (this.data) this.leaves();
      this.show();
      this.ear();
      this.filter();
      this.poll();
      // Reasons take the server's whole strength: first let the picture be painted.
      if (this.data) requestAnimationFrame(() => requestAnimationFrame(() => this.reasons()));
    },

    // reasons fetches why the moment is played so and its other places: they take longer
    // than the picture.
    async reasons() {
      const { data } = this;
      const { at } = data;
      this.asking?.abort();
      this.asking = new AbortController();
      try {
        const res = await fetch(`/tunes/${data.id}/at/${at}`, { headers: { 'X-Part': '1' }, signal: this.asking.signal });
        const html = await res.text();
        if (res.ok && this.data === data && data.at === at) this.moment(html); // else another plan stands there
      } catch (err) {
        if (err.name !== 'AbortError') this.say('The reasons could not be loaded. Load the page again.');
      }
    },

    say(text) { document.getElementById('said').textContent = text; },
  }));

  // keys lets links and buttons that name their keys be reached by them.
  Alpine.data('keys', () => ({
    init() {
      window.addEventListener('keydown', (e) => {
        if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest('input, textarea, select')) return;
        const at = [...this.$root.querySelectorAll('[data-keys]')].find((el) => el.dataset.keys.split(' ').includes(e.key));
        if (at) { e.preventDefault(); at.click(); }
      });
    },
  }));

  // neck sends the keys of a tune that is entered, one after another, and shows what they come to.
  Alpine.data('neck', () => ({
    queue: Promise.resolve(),

    init() {
      this.$root.addEventListener('click', (e) => {
        const button = e.target.closest('button[name="key"]');
        if (!button) return;
        e.preventDefault();
        if (button.id === 'set-chord') this.chord(); else this.press(button.value);
      });
      this.$root.addEventListener('submit', (e) => { if (e.target.matches('.neck-form')) e.preventDefault(); });
      window.addEventListener('keydown', (e) => this.key(e));
    },

    key(e) {
      if (e.target.id === 'chord' && (e.key === 'Enter' || e.key === 'Escape')) {
        e.preventDefault();
        if (e.key === 'Enter') this.chord();
        e.target.blur();
        return;
      }
      if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest('input, textarea, select, summary')) return;
      const digit = /^Digit(\d)$/.exec(e.code);
      const named = { ArrowUp: 'up', ArrowDown: 'down', ArrowLeft: 'left', ArrowRight: 'right', Enter: 'here', Backspace: 'undo' };
      let key = null;
      if (digit) key = String(Number(digit[1]) + (e.shiftKey ? 10 : 0));
      else if (/^\d$/.test(e.key)) key = e.key;
      else if (e.key in named && !(e.key === 'Enter' && e.target.closest('button, a'))) key = named[e.key];
      else if (e.key === 'c') { e.preventDefault(); document.getElementById('chord').focus(); return; } else {
        key = this.$root.querySelector(`.neck-keys [data-key="${CSS.escape(e.key)}"]`)?.value;
      }
      if (!key) return;
      e.preventDefault();
      this.press(key);
    },

    chord() {
      const field = document.getElementById('chord');
      this.press(`chord:${field.value}`);
      field.value = '';
    },

    // press waits for the keys before it: their order is the tune.
    press(key) {
      this.queue = this.queue.then(async () => {
        const entry = document.getElementById('entry');
        try {
          const res = await fetch(`/drafts/${entry.dataset.draft}/key`, { method: 'POST', headers: { 'X-Part': '1' }, body: new URLSearchParams({ key }) });
          const html = await res.text();
          if (!html.includes('id="entry"')) throw new Error(html);
          const focused = document.activeElement?.value;
          const before = Number(entry.dataset.notes);
          morphdom(entry, html, { onBeforeElUpdated: (from, to) => !from.isEqualNode(to) && !from.matches('details') && from !== document.activeElement });
          if (focused && document.activeElement === document.body) this.$root.querySelector(`[value="${CSS.escape(focused)}"]`)?.focus();
          const { notes, tone } = document.getElementById('entry').dataset;
          if (Number(notes) > before) Sounds.hear(tone);
        } catch {
          document.getElementById('said').textContent = 'Stepping does not answer, and this key was not kept. What was entered before is safe.';
        }
      });
    },
  }));

  // drop takes a file that is dropped on the form.
  Alpine.data('drop', () => ({
    init() {
      const field = this.$root.querySelector('input[type="file"]');
      this.$root.addEventListener('dragover', (e) => { e.preventDefault(); this.$root.classList.add('is-over'); });
      this.$root.addEventListener('dragleave', () => this.$root.classList.remove('is-over'));
      this.$root.addEventListener('drop', (e) => {
        e.preventDefault();
        this.$root.classList.remove('is-over');
        if (!e.dataTransfer.files.length) return;
        field.files = e.dataTransfer.files;
        field.form.requestSubmit();
      });
    },
  }));

  // ranking follows a ranking that is being worked out.
  Alpine.data('ranking', () => ({
    init() {
      window.addEventListener('keydown', (e) => {
        if (e.target.closest('input, textarea, select, button, a')) return;
        const at = this.$root.querySelector(`[data-keys="${CSS.escape(e.key)}"]`);
        if (at) { e.preventDefault(); at.click(); }
      });
      this.follow();
    },

    async follow() {
      if (!this.$root.querySelector('[data-running]')) return;
      await new Promise((done) => { setTimeout(done, 800); });
      try {
        const res = await fetch(location.href, { headers: { 'X-Part': '1' } });
        if (res.ok) document.getElementById('ranking').innerHTML = await res.text();
      } catch { /* the next try may reach it */ }
      this.follow();
    },
  }));

  // pattern shows what the beat grid becomes while it is edited.
  Alpine.data('pattern', () => ({
    asking: null,

    init() {
      const form = document.getElementById('editor');
      form.addEventListener('change', () => this.preview(form));
      form.addEventListener('keydown', (e) => { if (e.altKey && e.key.startsWith('Arrow')) this.move(e); });
    },

    async preview(form) {
      this.asking?.abort();
      this.asking = new AbortController();
      try {
        const res = await fetch(form.dataset.preview, { method: 'POST', body: new URLSearchParams(new FormData(form)), signal: this.asking.signal });
        if (res.ok) document.getElementById('preview').innerHTML = await res.text();
      } catch (err) {
        if (err.name !== 'AbortError') document.getElementById('preview').textContent = 'Stepping does not answer. Is it still running? What you typed stands above.';
      }
    },

    // move goes from one cell of the grid to the next.
    move(e) {
      const cell = e.target.closest('td');
      if (!cell) return;
      const row = cell.parentElement;
      const rows = [...row.parentElement.children];
      const dx = { ArrowLeft: -1, ArrowRight: 1 }[e.key] || 0;
      const dy = { ArrowUp: -1, ArrowDown: 1 }[e.key] || 0;
      const to = rows[rows.indexOf(row) + dy]?.children[cell.cellIndex + dx]?.querySelector('input, select');
      if (to) { e.preventDefault(); to.focus(); }
    },
  }));
});

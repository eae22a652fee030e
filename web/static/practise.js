// Practising: one step for somebody with both hands on a guitar. A pedal does all, and what each of its keys does now stands on it: Page Down goes
// from hearing to playing, to "it was clean" and on; Page Up says that it broke; Space, or both together, may be left out.
// Everything drawn comes from the server; without this script the same links and buttons load whole pages.
document.addEventListener('alpine:init', () => {
  // What Page Up, Space and Page Down do in each state.
  const means = {
    ready: ['step before', 'hear it', 'hear it'],
    hearing: ['stop', 'play it', 'play it'],
    heard: ['step before', 'play it', 'play it'],
    playing: ['it broke', 'stop', 'it was clean'],
    judging: ['broke down', 'nearly', 'clean'],
    sending: ['…', '…', '…'],
    told: ['step before', 'play it again', 'play it again'],
    done: ['step before', 'play it again', 'next step'],
  };

  Alpine.data('sitting', () => ({
    data: null,
    state: 'ready', // a key of means
    tempo: 0,
    audio: null,
    seconds: 0, // that the last pass took

    init() {
      this.read();
      Switches.watch((which) => this.pedal({ left: 'up', right: 'down', both: 'space' }[which]));
      this.standing(sessionStorage.getItem('standing') === this.data.id);
      window.addEventListener('keydown', (e) => this.key(e));
      this.$root.addEventListener('click', (e) => this.tap(e));
      this.$root.addEventListener('submit', (e) => this.submit(e));
    },

    read() {
      this.data = JSON.parse(document.getElementById('step-data').textContent);
      this.tempo = this.data.tempo;
      this.stand = new Stand(this.$root.querySelector('.stand'));
      this.to('ready');
    },

    // to enters a state and writes on the pedal what it does there.
    to(state) {
      this.state = state;
      document.getElementById('step').dataset.state = state;
      this.$root.querySelectorAll('.pad').forEach((pad, i) => { pad.querySelector('[data-means]').textContent = means[state][i]; });
    },

    key(e) {
      if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest('input, textarea, select')) return;
      const verdict = this.$root.querySelectorAll('.verdict')[Number(e.key) - 1];
      if (e.key === ' ') {
        if (Taps.takesSpace(e.target)) return;
        e.preventDefault();
        this.pedal('space');
      } else if (e.key === 'Escape' && document.documentElement.classList.contains('is-standing')) {
        e.preventDefault();
        this.standing(false);
      } else if (verdict) {
        e.preventDefault();
        this.judge(verdict.value);
      } else if (e.key === 'Backspace') {
        e.preventDefault();
        this.takeBack();
      } else if (e.key === ',' || e.key === '.') {
        e.preventDefault();
        this.change(e.key === '.' ? 'faster' : 'slower');
      } else {
        const link = [...this.$root.querySelectorAll('[data-keys]')].find((el) => el.dataset.keys.split(' ').includes(e.key));
        if (link) { e.preventDefault(); link.click(); }
      }
    },

    tap(e) {
      const pad = e.target.closest('.pad');
      const change = e.target.closest('[data-do]');
      if (pad && !e.ctrlKey && !e.metaKey) { e.preventDefault(); this.pedal(pad.dataset.pad); }
      if (change) this.change(change.dataset.do);
      if (e.target.closest('[data-stand]')) this.standing(true);
    },

    // standing shows the music and the switches alone, here and on the steps that follow, or all of the page again.
    standing(on) {
      document.documentElement.classList.toggle('is-standing', on);
      if (on) { sessionStorage.setItem('standing', this.data.id); Stand.awake(); } else sessionStorage.removeItem('standing');
    },

    // pedal does what a key of the pedal means now.
    pedal(which) {
      const { state } = this;
      if (state === 'sending') return;
      if (state === 'judging' || (state === 'playing' && which !== 'space')) {
        if (state === 'playing') this.stop();
        this.judge({ up: 'broke', space: 'nearly', down: 'clean' }[which]);
      } else if (state === 'playing') {
        this.stop();
        this.to('judging');
      } else if (which === 'up' && state === 'hearing') {
        this.stop();
        this.to('heard');
      } else if (which === 'up' || (which === 'down' && state === 'done')) {
        const to = this.$root.querySelector(`[data-pad="${which}"]`).getAttribute('href');
        if (to) location.assign(to);
      } else if (state === 'ready') {
        this.sound('hearing', this.data.layers);
      } else {
        this.sound('playing', this.data.click ? 'click' : 'silence');
      }
    },

    // change makes the next pass slower or faster than the staircase says.
    change(what) {
      this.tempo = Sounds.paced(this.tempo, what, this.data);
      this.$root.querySelector('.step-bpm').textContent = String(this.tempo);
      if (this.audio) { this.stop(); this.to('heard'); }
    },

    // sound plays how the step goes, or the count and the click for a pass over it; what is seen follows the clock of the sound.
    sound(state, layers) {
      this.stop();
      const { data } = this;
      const ratio = this.tempo / data.tempo; // made at that tempo, never stretched
      const beat = data.beats.length > 1 ? data.beats[1] - data.beats[0] : data.seconds;
      const lead = beat * data.count;
      const audio = Sounds.open(`/tunes/${data.id}/sound.wav?bars=${data.bars}&tempo=${this.tempo}&count=${data.count}&layers=${layers}`);
      this.audio = audio;
      this.to(state);
      Sounds.follow(audio, () => this.audio === audio, (seconds) => {
        this.show(seconds * ratio - lead + 0.01, beat);
        this.seconds = Math.max(0, seconds - lead / ratio);
      }, (words) => {
        this.stop();
        this.to(state === 'playing' ? 'judging' : 'heard');
        this.say(words);
      });
    },

    // show marks the beat and the token that sound at a time from the first beat, in seconds at the step's own tempo; before it, the count.
    show(t, beat) {
      const { data } = this;
      const last = (list) => { // how many have begun
        let n = 0;
        while (n < list.length && list[n] <= t) n += 1;
        return n;
      };
      const b = last(data.beats);
      const count = t < 0 ? Math.floor(t / beat) + data.count + 1 : data.inBar[b - 1];
      this.mark('.step-beats i', count - 1);
      this.stand.mark(last(data.when) - 1);
    },

    // mark leaves the class is-now on one of the elements.
    mark(selector, n) {
      const all = this.$root.querySelectorAll(selector);
      const now = all[n];
      if (!now || now.classList.contains('is-now')) return;
      all.forEach((el) => el.classList.toggle('is-now', el === now));
    },

    stop() {
      this.audio?.pause();
      this.audio = null;
    },

    submit(e) {
      e.preventDefault();
      if (e.submitter?.name === 'back') this.takeBack(); else if (e.submitter) this.judge(e.submitter.value);
    },

    judge(verdict) {
      this.stop();
      this.$root.querySelectorAll('.verdict').forEach((b) => b.classList.toggle('is-said', b.value === verdict)); // at once: the answer follows
      this.send(this.$root.querySelector('.verdicts').getAttribute('action'), { verdict });
    },

    takeBack() { this.send(this.$root.querySelector('.verdicts').dataset.back, {}); },

    // send tells the server of a pass, or of one taken back, and shows what follows from it.
    async send(address, fields) {
      if (this.state === 'sending') return;
      this.to('sending');
      const body = new URLSearchParams({ step: this.data.key, tempo: this.tempo, seconds: this.seconds.toFixed(2), ...fields });
      try {
        Parts.merge(document.getElementById('step'), await Parts.html(address, { body, wanted: 'id="step"' }));
        this.read();
        this.to(this.data.done ? 'done' : 'told');
        this.seconds = 0;
        this.say('');
      } catch (err) {
        this.to('judging');
        this.say(`${err.message} This was not saved: choose again.`);
      }
    },

    say(text) { document.getElementById('said').textContent = text; },
  }));

  // part counts a part of a sitting down; when its time is over it says so, and waits.
  Alpine.data('part', () => ({
    init() {
      const began = Date.now();
      const clock = this.$root.querySelector('.part-clock b');
      const all = Number(this.$root.dataset.seconds);
      const tick = () => {
        const left = Math.max(0, all - Math.floor((Date.now() - began) / 1000));
        clock.textContent = `${Math.floor(left / 60)}:${String(left % 60).padStart(2, '0')}`;
        this.$root.classList.toggle('is-over', left === 0);
        if (left > 0) setTimeout(tick, 250);
      };
      tick();
      window.addEventListener('keydown', (e) => {
        const at = [...this.$root.querySelectorAll('[data-keys]')].find((el) => el.dataset.keys.split(' ').includes(e.key));
        if (at) { e.preventDefault(); at.click(); }
      });
    },
  }));
});

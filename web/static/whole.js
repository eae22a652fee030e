// The whole tune on one page: it turns by the pedal, line by line, and follows the sound bar by bar.
document.addEventListener('alpine:init', () => {
  Alpine.data('whole', () => ({
    data: null,
    bar: 1, // where one is, as played
    tempo: 0, // quarter notes a minute
    audio: null,

    init() {
      const data = document.getElementById('plan-data');
      if (!data) return; // it cannot be heard so, and the page says why
      this.data = JSON.parse(data.textContent);
      this.bar = this.data.barOf[this.data.at] || 1;
      this.tempo = this.data.tempo;
      this.given = this.$root.querySelector('audio');
      this.$root.querySelectorAll('.ear, [data-ear]').forEach((el) => { el.hidden = false; });
      this.$root.addEventListener('click', (e) => this.click(e));
      window.addEventListener('keydown', (e) => this.key(e));
      if (this.given) this.hears(this.given); else this.show(this.data.at > 0);
    },

    // hears follows the sound that the page itself has, made with other bars, tempo and beats counted in.
    hears(audio) {
      const [from, lead, share, length] = ['from', 'lead', 'share', 'length'].map((name) => Number(this.$root.dataset[name]));
      const start = this.data.starts[from - 1];
      const pad = this.$root.querySelector('.pad b');
      const at = this.$root.querySelector('.hear-at');
      const playing = () => !audio.paused && !audio.ended;
      this.bar = from;
      audio.addEventListener('play', () => {
        pad.textContent = 'stop';
        at.hidden = false;
        Sounds.follow(audio, playing, (seconds) => {
          const played = Math.max(seconds - lead, 0) * share;
          const bar = Math.min(Sounds.last(this.data.starts, start + (length ? played % length : played) + 0.01) + 1, this.data.last);
          at.querySelector('b').textContent = seconds < lead ? '…' : this.$root.querySelector(`[data-bar="${bar}"]`).getAttribute('aria-label').replace('Bar ', '');
          if (bar !== this.bar || !this.line) { this.bar = bar; this.show(true); }
        }, () => {});
      });
      audio.addEventListener('pause', () => { pad.textContent = 'play'; });
    },

    click(e) {
      const ear = e.target.closest('[data-ear]')?.dataset.ear;
      if (ear === 'play') this.sound();
      else if (ear) this.pace(ear);
    },

    key(e) {
      if (e.ctrlKey || e.metaKey || e.altKey || e.shiftKey || e.target.closest('input, textarea, select')) return;
      const step = { PageDown: 'line', PageUp: 'back', ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1, Home: 'first', End: 'last' }[e.key];
      const named = [...this.$root.querySelectorAll('[data-keys]')].find((el) => el.dataset.keys === e.key);
      if (step && this.given) return; // the page scrolls
      if (step) this.go(this.to(step));
      else if (e.key === ' ' && !Taps.takesSpace(e.target)) this.sound();
      else if (named) named.click();
      else return;
      e.preventDefault();
    },

    // to is the bar that a step leads to.
    to(step) {
      if (step === 'first') return 1;
      if (step === 'last') return this.data.last;
      if (typeof step === 'number') return this.bar + step;
      const lines = [...this.$root.querySelectorAll('.paper-line')].map((line) => Number(line.querySelector('[data-bar]').dataset.bar));
      const here = Sounds.last(lines, this.bar);
      return step === 'line' ? lines[here + 1] ?? this.data.last : lines[Math.max(here - (this.bar > lines[here] ? 0 : 1), 0)];
    },

    go(bar) {
      if (this.given) return; // the sound says where one is
      this.bar = Math.min(Math.max(bar, 1), this.data.last);
      this.show(true);
      if (!this.audio) return;
      this.hush();
      this.sound();
    },

    // show marks the bar, and brings its line into sight.
    show(scroll) {
      this.$root.querySelectorAll('[data-bar]').forEach((r) => r.classList.toggle('is-here', Number(r.dataset.bar) === this.bar));
      const tempo = this.$root.querySelector('.ear-tempo');
      if (tempo) tempo.textContent = String(Math.round(this.tempo));
      const link = this.$root.querySelector(`[data-bar="${this.bar}"]`);
      document.getElementById('whole-back')?.setAttribute('href', link.getAttribute('href'));
      const line = link.closest('.paper-line');
      if (scroll && this.line !== line) line.scrollIntoView({ block: 'start' });
      this.line = line;
    },

    pace(what) {
      this.tempo = Sounds.paced(this.tempo, what, this.data);
      this.go(this.bar);
    },

    sound() {
      if (this.given) return this.given.paused ? this.given.play() : this.given.pause();
      if (this.audio) return this.hush();
      const { data, tempo } = this;
      const share = tempo / data.tempo;
      const start = data.starts[this.bar - 1];
      const audio = Sounds.open(`/tunes/${data.id}/sound.wav?bars=${this.bar}-${data.last}&tempo=${tempo}`);
      this.audio = audio;
      this.say('Space stops');
      Sounds.follow(audio, () => this.audio === audio, (seconds) => {
        const bar = Math.min(Sounds.last(data.starts, start + seconds * share + 0.01) + 1, data.last);
        if (bar !== this.bar) { this.bar = bar; this.show(true); }
      }, (words) => { this.hush(); this.say(words); });
    },

    hush() {
      this.audio?.pause();
      this.audio = null;
      this.say('');
    },

    say(words) { document.getElementById('said').textContent = words; },
  }));
});

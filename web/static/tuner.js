// The tuner: what the microphone hears goes in short pieces to the server, ten times a second, whose answer is shown; a string that has been right for a second is done, and the bench goes on to the next.
document.addEventListener('alpine:init', () => {
  const every = 100; // ms between two questions
  const length = 0.5; // seconds that are sent
  const holds = 1000; // ms for which a string has to be right
  const reach = 60; // cents to either side of the scale

  Alpine.data('tuner', () => ({
    microphone: null,
    heard: null, // the last samples
    asking: false,
    rightSince: 0,

    init() {
      this.panel = this.$root.querySelector('.tuner');
      this.words = this.panel.querySelector('.tuner-words');
      this.said = this.panel.querySelector('.tuner-said');
      this.panel.hidden = !navigator.mediaDevices?.getUserMedia;
      this.panel.querySelector('.tuner-listen').addEventListener('click', () => (this.microphone ? this.stop() : this.listen()));
      document.addEventListener('visibilitychange', () => { if (document.hidden && this.microphone) this.stop(); });
    },

    async listen() {
      try {
        this.microphone = await Microphone.open((block) => { this.heard.copyWithin(0, block.length); this.heard.set(block, this.heard.length - block.length); });
      } catch (err) {
        this.words.textContent = Microphone.why(err, 'Tune by the tones, or with your own tuner.');
        return;
      }
      this.heard = new Float32Array(Math.round(this.microphone.context.sampleRate * length));
      this.microphone.begin();
      this.button(true);
      this.timer = setInterval(() => this.ask(), every);
    },

    stop() {
      clearInterval(this.timer);
      this.microphone?.close();
      this.microphone = null;
      this.button(false);
    },

    button(on) {
      const button = this.panel.querySelector('.tuner-listen');
      button.classList.toggle('is-on', on);
      button.firstChild.textContent = on ? 'Stop listening ' : 'Listen ';
    },

    // ask sends what was heard last; one question at a time.
    async ask() {
      if (this.asking || !this.microphone) return;
      this.asking = true;
      try {
        const { listen } = this.$root.querySelector('.bench').dataset;
        const samples = Int16Array.from(this.heard, (v) => Math.round(32767 * Math.min(1, Math.max(-1, v))));
        const res = await fetch(`${listen}&rate=${Math.round(this.microphone.context.sampleRate)}`, { method: 'POST', headers: { 'Content-Type': 'application/octet-stream' }, body: samples.buffer });
        const answer = await res.json();
        if (this.microphone) await this.show(answer);
      } catch {
        this.words.textContent = 'Stepping is not responding at the moment; it keeps listening.';
      } finally {
        this.asking = false;
      }
    },

    async show(a) {
      this.words.textContent = a.words || a.error;
      this.panel.querySelector('.tuner-cents').textContent = a.hz && a.string ? `${a.cents > 0 ? '+' : ''}${a.cents.toFixed(Math.abs(a.cents) < 10 ? 1 : 0)}¢` : '';
      const at = this.panel.querySelector('.tuner-at');
      at.hidden = !(a.hz && a.string);
      at.style.left = `${50 + (50 * Math.min(reach, Math.max(-reach, a.cents))) / reach}%`;
      this.panel.classList.toggle('is-right', !!a.right);
      if (!a.right) {
        if (a.hz) this.rightSince = 0; // a string that has died away is as it was
        return;
      }
      this.rightSince ||= performance.now();
      if (performance.now() - this.rightSince < holds) return;
      this.rightSince = 0;
      this.said.textContent = `String ${a.string} is in tune.`;
      await this.next();
    },

    // next goes on to the next string, and goes on listening.
    async next() {
      const { next } = this.$root.querySelector('.bench').dataset;
      if (!next) return;
      const res = await fetch(next);
      const page = new DOMParser().parseFromString(await res.text(), 'text/html');
      this.$root.querySelector('.bench').replaceWith(page.querySelector('.bench'));
      history.replaceState(null, '', next);
      this.heard.fill(0);
      if (!this.$root.querySelector('.bench').dataset.next) this.stop();
    },
  }));
});

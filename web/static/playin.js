// Playing a tune in: the microphone into a WAV file, which goes the way of any other file; and the beat, if it is tapped.
document.addEventListener('alpine:init', () => {
  const mostSeconds = 180;
  const forget = 2500; // ms after which tapping starts over

  Alpine.data('playin', () => ({
    microphone: null,
    blocks: [],
    opening: false,
    taps: [],

    init() {
      this.button = this.$root.querySelector('.record');
      this.words = this.$root.querySelector('.record-words');
      this.$root.querySelector('[data-tap]').addEventListener('click', () => this.tap());
      if (!navigator.mediaDevices?.getUserMedia) {
        this.button.disabled = true;
        this.words.textContent = 'This browser does not give this page a microphone. Record with any program that saves WAV, and choose the file below.';
        this.$root.querySelector('details').open = true;
      }
      this.button.addEventListener('click', () => this.press());
      window.addEventListener('keydown', (e) => {
        if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest?.('input, textarea, select, a, button, summary')) return;
        if (e.key === 't') this.tap();
        else if ([' ', 'PageDown'].includes(e.key) && !this.button.disabled) this.press();
        else return;
        e.preventDefault();
      });
    },

    // tap takes a tap of the beat; the middle of the times between them tells the tempo.
    tap() {
      const now = performance.now();
      if (now - (this.taps.at(-1) ?? 0) > forget) this.taps = [];
      this.taps.push(now);
      const gaps = this.taps.slice(1).map((t, i) => t - this.taps[i]).sort((a, b) => a - b);
      this.$root.querySelector('details').open = true;
      if (gaps.length > 2) document.getElementById('tempo').value = String(Math.round(60000 / gaps[Math.floor(gaps.length / 2)]));
    },

    press() { if (this.microphone) this.end(); else this.begin(); },

    async begin() {
      if (this.opening) return;
      this.opening = true;
      this.words.textContent = 'The browser may ask whether this page may use the microphone.';
      try {
        this.microphone = await Microphone.open((block) => this.hear(block));
      } catch (err) {
        this.words.textContent = Microphone.why(err, 'Record with any program that saves WAV, and choose the file below.');
        return;
      } finally {
        this.opening = false;
      }
      this.blocks = [];
      this.microphone.begin();
      this.button.classList.add('is-on');
      this.button.querySelector('b').textContent = 'Stop';
      this.words.textContent = 'Play.';
    },

    hear(block) {
      this.blocks.push(block);
      let most = 0;
      block.forEach((v) => { most = Math.max(most, Math.abs(v)); });
      const meter = this.$root.querySelector('meter');
      meter.value = Math.max(most, meter.value * 0.9);
      const seconds = (this.blocks.length * block.length) / this.microphone.context.sampleRate;
      this.words.textContent = `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, '0')}${most >= 0.99 ? ', too loud: turn the input down' : ''}`;
      if (seconds >= mostSeconds) this.end();
    },

    end() {
      const { microphone } = this;
      this.microphone = null;
      this.button.classList.remove('is-on');
      this.button.querySelector('b').textContent = 'Record';
      this.words.textContent = 'Stepping is writing down the notes.';
      const given = new DataTransfer();
      given.items.add(Microphone.file(this.blocks, Math.round(microphone.context.sampleRate)));
      microphone.close();
      const field = document.getElementById('file');
      field.files = given.files;
      field.form.requestSubmit();
    },
  }));
});

// Recording a take: the microphone as it is, without what calls do to voices, into a WAV file that goes the way of any other file.
document.addEventListener('alpine:init', () => {
  const mostSeconds = 600;

  Alpine.data('take', () => ({
    state: 'ready', // ready, counting, recording, sending
    blocks: [],
    microphone: null,
    began: 0,

    init() {
      this.button = this.$root.querySelector('.record');
      this.words = this.$root.querySelector('.record-words');
      this.data = JSON.parse(document.getElementById('plan-data').textContent);
      this.stand = new Stand(this.$root.querySelector('.stand'));
      if (!navigator.mediaDevices?.getUserMedia) {
        this.button.disabled = true;
        this.words.textContent = 'This browser does not give this page a microphone. Record with any program that saves WAV, and choose the file below.';
        return;
      }
      this.button.addEventListener('click', () => this.press());
      window.addEventListener('keydown', (e) => {
        if (e.target.closest?.('input, textarea, select, a, button') || ![' ', 'PageDown'].includes(e.key)) return;
        e.preventDefault();
        this.press();
      });
    },

    press() {
      if (this.state === 'ready') this.begin(); else if (this.state === 'recording') this.end();
    },

    to(state, button, words) {
      this.state = state;
      this.button.querySelector('b').textContent = button;
      this.button.classList.toggle('is-on', state === 'recording');
      this.words.textContent = words;
      document.documentElement.classList.toggle('is-standing', state === 'counting' || state === 'recording');
    },

    // follow turns the music at the tempo that was counted in, until the player is heard to be somewhere, or the recording is over.
    follow() {
      if (this.state !== 'recording' || this.heard) return;
      this.stand.mark(this.stand.at(Sounds.last(this.data.when, this.microphone.context.currentTime - this.began)));
      requestAnimationFrame(() => this.follow());
    },

    async begin() {
      this.to('counting', 'Wait …', 'The browser may ask whether this page may use the microphone.');
      try {
        this.microphone = await Microphone.open((block) => this.hear(block));
      } catch (err) {
        return this.to('ready', 'Record', Microphone.why(err, 'Record with any program that saves WAV, and choose the file below.'));
      }
      await this.count();
      this.blocks = [];
      this.began = this.microphone.context.currentTime;
      this.heard = false;
      this.follower = new Follower(this.data.id, this.microphone.context, { position: (p) => this.position(p), trouble() {} }, { tempo: this.data.tempo }); // without it the music turns by time
      this.microphone.begin();
      this.to('recording', 'Stop', 'Play.');
      Stand.awake();
      this.follow();
    },

    position(p) {
      if (p.m < 0 || p.lost) return;
      this.heard = true;
      this.stand.mark(this.stand.at(p.m));
    },

    // count plays a bar of beats before the recording begins; a browser that cannot play them begins at once.
    count() {
      return new Promise((done) => {
        const audio = Sounds.open(this.$root.dataset.count);
        ['ended', 'error'].forEach((over) => audio.addEventListener(over, done));
        audio.play().catch(done);
        audio.addEventListener('timeupdate', () => { if (audio.currentTime >= Number(this.$root.dataset.lead)) { audio.pause(); done(); } });
      });
    },

    // hear takes a block, and shows how loud it is and how long it has been.
    hear(block) {
      if (this.state !== 'recording') return;
      this.blocks.push(block);
      this.follower.hear(block);
      let most = 0;
      block.forEach((v) => { most = Math.max(most, Math.abs(v)); });
      const meter = this.$root.querySelector('meter');
      meter.value = Math.max(most, meter.value * 0.9);
      const seconds = this.microphone.context.currentTime - this.began;
      this.words.textContent = `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, '0')}${most >= 0.99 ? ', too loud: turn the input down' : ''}`;
      if (seconds >= mostSeconds) this.end();
    },

    end() {
      this.to('sending', 'Listening …', 'Stepping is checking what you played.');
      const held = new DataTransfer();
      held.items.add(Microphone.file(this.blocks, Math.round(this.microphone.context.sampleRate)));
      this.microphone.close();
      this.follower.close();
      const field = document.getElementById('file');
      field.files = held.files;
      field.form.requestSubmit();
    },
  }));
});
